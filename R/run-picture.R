#' Measure one picture
#'
#' Measures a take against its reference, without a trial.
#'
#' @param take,reference Paths of two pictures; see [read_picture()]. The take
#'   is compared in the reference's frame.
#' @param look Paths of pictures that show the look wanted, or `NULL`.
#' @param mask Path of a mask, or `NULL`. Its white part may change; structure is measured outside
#'   it.
#' @param decoys Paths of pictures unrelated to the take, which give the level of chance. `NULL`
#'   uses built-in ones.
#' @param job The kind of work, which determines the possible flaws. `"repair"` looks for damage
#'   that stayed, `"edit"` for leaks outside the mask.
#' @return A data frame with one number a row: `axis`, `measure`, `value` (see
#'   [list_measures()] for what 0 and 1 mean), `raw`, and for flaws `level`
#'   (`none`, `slight`, `serious`) and `place`.
#' @section Errors: `sprenn_error_picture` for a file that is not a picture.
#' @family measures and evidence
#' @export
#' @examples
#' files <- tempfile(c("a", "b"), fileext = ".png")
#' picture <- array(runif(64 * 96 * 3), c(64, 96, 3))
#' png::writePNG(picture, files[1])
#' png::writePNG(1 - picture, files[2])
#' score_picture(files[2], files[1])
score_picture <- function(
  take,
  reference,
  look = NULL,
  mask = NULL,
  decoys = NULL,
  job = "restyle"
) {
  check_arguments(
    job = checkmate::check_choice(job, jobs),
    take = checkmate::check_string(take),
    reference = checkmate::check_string(reference),
    look = checkmate::check_character(look, any.missing = FALSE, null.ok = TRUE),
    mask = checkmate::check_string(mask, null.ok = TRUE),
    decoys = checkmate::check_character(
      decoys,
      any.missing = FALSE,
      min.len = 1,
      null.ok = TRUE
    )
  )
  scores <- score_scene(scene_of_files(take, reference, look, mask, decoys, job))
  scores[c("axis", "measure", "value", "raw", "level", "place")]
}

# A take beside its reference, without any trial around them.
scene_of_files <- function(
  take,
  reference,
  look = NULL,
  mask = NULL,
  decoys = NULL,
  job = "restyle"
) {
  original <- read_picture(reference)
  frame <- dim(original)[2:1]
  decoy_pictures <- if (is.null(decoys)) draw_decoys(frame) else lapply(decoys, read_picture)
  new_scene(
    take = view_picture(read_picture(take), frame),
    reference = view_picture(original, frame, "reference"),
    look = lapply(look, facts_of_look),
    decoys = lapply(decoy_pictures, view_picture, frame = frame, part = "decoy"),
    mask = if (!is.null(mask)) {
      resize_map(rowMeans(read_picture(mask), dims = 2), view_size(frame))
    },
    job = job,
    frame = frame
  )
}

#' Try a probe on a picture
#'
#' A probe is a check of a phrase that needs pixels only. This applies one to a picture, and
#' returns its number and how far it keeps to the bound.
#'
#' @param picture Path of a picture; see [read_picture()].
#' @param probe The probe as `suite.yml` has it, as text
#'   (`"colour: teal, where: top third, share: at least 0.3"`) or as a list.
#' @param mask Path of a picture for `inside mask` and `outside mask`, or `NULL`.
#' @param look Paths of pictures of the look, for `nearness`, or `NULL`.
#' @param trial,case A trial (an object of [read_trial()] or its folder) and the
#'   id of one of its cases: its mask, watched regions and looks are then known,
#'   and the picture is brought to its frame, as a take's is.
#' @return An object of class `sprenn_probe`, a list: `probe` (measure, place and bound), `number`
#'   (what was found; see [list_measures()]), `grade` (1 within the bound, falling linearly to 0
#'   over half the bound, at least a tenth or one thing), `pixels` (rows x columns x 3), `inside`
#'   (rows x columns, the place), `counted` (rows x columns, 0 to 1, or `NULL` where no pixel
#'   counts more than another), `boxes` (one for each thing that was counted: left, top, right,
#'   bottom in shares, and the number of pixels). [ggplot2::autoplot()] draws what was counted.
#' @section Errors: `sprenn_error_probe` for a probe that can't be used, with all its problems;
#'   `sprenn_error_picture` for a file that is not a picture.
#' @family measures and evidence
#' @export
#' @examples
#' file <- tempfile(fileext = ".png")
#' picture <- array(0.9, c(60, 90, 3))
#' picture[1:20, , 1] <- 0.1
#' png::writePNG(picture, file)
#' probe_picture(file, "colour: teal, where: top third, share: at least 0.3")
probe_picture <- function(
  picture,
  probe,
  mask = NULL,
  look = NULL,
  trial = NULL,
  case = NULL
) {
  check_arguments(
    picture = checkmate::check_string(picture),
    mask = checkmate::check_string(mask, null.ok = TRUE),
    look = checkmate::check_character(look, any.missing = FALSE, null.ok = TRUE),
    case = checkmate::check_string(case, null.ok = TRUE),
    trial = if (is.null(trial) == is.null(case)) {
      TRUE
    } else {
      "must come with the id of a case, and that with a trial"
    }
  )
  pixels <- read_picture(picture)
  scene <- if (is.null(trial)) lone_scene(mask, look) else scene_in_trial(as_trial(trial), case)
  if (!is.null(scene$frame)) {
    pixels <- bring_back(pixels, scene$frame)
  }

  known <- c(if (!is.null(scene$mask)) "mask", names(scene$watch))
  probe <- read_probe(probe, known, if (!is.null(trial)) names(scene$looks))
  # Alone there is one look, whatever its name.
  if (is.null(trial) && !is.null(scene$looks) && !is.null(probe$look)) {
    names(scene$looks) <- rep(probe$look, length(scene$looks))
  }

  scene$take <- view_picture(pixels)
  seen <- see_place(scene, probe$where)
  if (is.null(seen)) {
    stop_sprenn(
      "probe",
      c(
        "This probe has nowhere to look.",
        x = paste0("Nothing of the picture lies ", place_words(probe$where), ".")
      )
    )
  }

  measure <- probe_named(probe$measure)
  found <- measure$look_at(seen, probe)
  if (is.null(found)) {
    stop_sprenn(
      "probe",
      c(
        "This probe has nothing to compare with.",
        i = "`nearness` needs pictures of the look: --look FILES, or a trial and a case."
      )
    )
  }

  counted <- if (!is.null(found$counted)) replace(seen$inside + 0, seen$inside, found$counted)
  structure(
    list(
      probe = probe,
      number = found$number,
      grade = grade_probe(found$number, probe$bound, probe$where, measure$counts)$value,
      pixels = pixels,
      inside = seen$inside,
      counted = counted,
      boxes = found$boxes
    ),
    class = "sprenn_probe"
  )
}

# The scene of a picture alone; a take of a case has a frame too.
lone_scene <- function(mask, look) {
  list(
    mask = if (!is.null(mask)) rowMeans(read_picture(mask), dims = 2),
    looks = if (length(look)) list(look = looks_of(look))
  )
}

scene_in_trial <- function(trial, case) {
  asked <- pick_case(trial$suite, case)
  frame <- case_frame(asked, trial$suite)
  list(
    frame = frame,
    mask = case_mask(asked, trial$suite, frame),
    looks = lapply(trial$suite$looks, looks_of),
    watch = if (!is.null(asked$reference)) case_watch(asked, trial$suite, frame)
  )
}

looks_of <- function(paths) {
  lapply(paths, facts_of_look)
}

# A case that a person names.
pick_case <- function(suite, id) {
  stop_for_unknown(id, vapply(suite$cases, `[[`, "", "id"), "The suite", "case")
  case_named(suite, id)
}

# A probe as a phrase of suite.yml has it, held against the same rules. `regions` are
# those that a place may name, `looks` the looks, or NULL where any name will do.
read_probe <- function(probe, regions = character(), looks = NULL) {
  if (is.character(probe)) {
    text <- paste(probe, collapse = "\n")
    if (!startsWith(trimws(text), "{")) {
      text <- paste0("{", text, "}")
    }

    read <- read_yaml_text(text, "probe")
    if (!is.null(read$problem)) {
      stop_for_problems(read$problem, "probe", "This probe")
    }

    probe <- read$value
  }

  problems <- if (!is_keyed(probe)) {
    new_problem(
      "probe",
      "",
      show_value(probe),
      "keys with values, such as colour: teal, share: at least 0.3"
    )
  } else {
    bind_problems(walk_record(probe, "", probe_node(), "probe"))
  }
  if (nrow(problems) == 0) {
    watched <- stats::setNames(rep(list(TRUE), length(regions)), regions)
    problems <- bind_problems(
      region_problems(
        probe$where,
        list(mask = watched$mask, watch = watched[setdiff(regions, "mask")]),
        ""
      ),
      if (!is.null(looks) && is_text(probe$look)) look_problems(probe$look, looks, "")
    )
    problems$file <- rep("probe", nrow(problems))
    problems$place <- sub("^\\.", "", problems$place)
  }

  stop_for_problems(problems, "probe", "This probe")
  build_probe(probe)
}

probe_node <- function() {
  trial_trees$suite.yml$children$cases$item$children$prompt$item$children$probe
}

#' @export
format.sprenn_probe <- function(x, ...) {
  counts <- probe_named(x$probe$measure)$counts
  met <- if (x$grade == 1) {
    "as asked"
  } else if (x$grade > 0) {
    paste0("not quite: graded ", two(x$grade))
  } else {
    "not met: graded 0.00"
  }
  c(
    probe_words(x$probe),
    paste0(
      "  found ",
      if (counts) x$number else formatC(x$number, format = "f", digits = 3),
      ", ", met
    )
  )
}

#' @export
print.sprenn_probe <- function(x, ...) {
  writeLines(format(x))
  invisible(x)
}
