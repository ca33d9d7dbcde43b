#' Measure the takes of a run
#'
#' Measures every take that was made and has not been measured yet, in the frame
#' of its case. Chance is taken from the suite's other references, and from
#' built-in pictures where the suite has too few.
#'
#' @inheritParams run_trial
#' @param again Whether to measure all takes anew.
#' @param progress A function called with `done`, `total`, `failed` and `seconds`
#'   as takes are measured, or `NULL`.
#' @return A tibble in long form, one number a row: `take`, `pipeline`, `case`,
#'   `seed`, `axis`, `measure`, `phrase`, `value`, `raw`, `level`, `place`.
#'   Invisibly.
#' @section Errors: `sprenn_error_store` when a picture on disk is not the one
#'   that was recorded.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "score-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' score_run(trial)[, c("take", "axis", "measure", "value")]
#' unlink(folder, recursive = TRUE)
score_run <- function(
  trial,
  run = "main",
  again = FALSE,
  workers = NULL,
  wait = 0,
  progress = NULL
) {
  check_arguments(
    again = checkmate::check_flag(again),
    workers = check_workers(workers),
    wait = checkmate::check_number(wait, lower = 0),
    progress = checkmate::check_function(progress, null.ok = TRUE)
  )
  workers <- as_workers(workers)
  trial <- as_trial(trial)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  stop_for_read_only(store)
  check_suite_is_same(store, trial$suite)
  hold <- hold_run(store, wait)
  on.exit(let_go(store, hold), add = TRUE, after = FALSE)
  takes <- read_takes(store)
  to_score <- unscored_takes(store, takes, version_of_measures(trial$suite), again)
  if (length(to_score)) {
    shown <- if (!is.null(progress)) {
      function(scored, to_score, seconds, ...) {
        if (to_score > 0) {
          progress(done = scored, total = to_score, failed = 0, seconds = seconds)
        }
      }
    }
    works <- new_works(
      store,
      hold,
      trial,
      takes,
      rep(FALSE, nrow(takes)),
      to_score,
      score = TRUE,
      workers = workers,
      outage = 0,
      progress = shown
    )
    on.exit(close_works(works), add = TRUE, after = FALSE)
    work_through(works)
    compare_across(store, trial$suite)
    if (works$stopping) {
      rlang::interrupt()
    }
  }

  judged <- ask_judges(store, trial, hold, progress)
  invisible(structure(read_scores(store), judged = if (nrow(judged)) judged))
}

# The bytes of a take's picture, if they are still those that were recorded.
take_bytes <- function(store, take) {
  path <- take_path(store, take$file)
  bytes <- if (file.exists(path)) read_bytes(path)
  if (is.null(bytes) || sha256_of(bytes) != take$sha256) {
    stop_sprenn(
      "store",
      c(
        paste0(
          "The picture of take ", take$take,
          if (is.null(bytes)) " is gone." else " is not the one that was recorded."
        ),
        x = path,
        i = paste0(
          "`sprenn check TRIAL --run ", store$run,
          " --repair` sets such takes to be made again; nothing else is touched."
        )
      )
    )
  }

  bytes
}

# Measures one picture as a take of a case: its `scores`, and the `print` by which it
# is compared with other takes. What the case needs is kept in `kept`.
score_bytes <- function(bytes, case, suite, kept) {
  frame <- case_frame(case, suite)
  hold <- function(what, code) keep(kept, paste(what, case$id), list(code))[[1]]
  reference <- if (!is.null(case$reference)) hold("view", reference_view(case, suite, frame))
  looks <- lapply(stats::setNames(nm = names(suite$looks)), function(name) {
    keep(
      kept,
      paste("look", name),
      lapply(suite$looks[[name]], function(path) look_facts(view_picture(read_picture(path))))
    )
  })
  own <- suite_measures(suite, kept)
  view <- view_encoded(bytes, frame, pixels = length(own) > 0)
  on.exit(drop_view(view$view))
  scene <- new_scene(
    view$view,
    reference,
    if (is.na(case$look)) list() else looks[[case$look]],
    suite_decoys(suite, case, frame, kept),
    mask = hold("mask", case_mask(case, suite, frame)),
    job = case$job,
    frame = frame,
    added = hold("added", if (has_added_canvas(case)) added_canvas(case, suite, frame)),
    other_looks = if (is.na(case$look)) list() else looks[setdiff(names(looks), case$look)],
    looks = looks,
    guide = hold("guide", case_outlines(case, suite, frame)),
    watch = if (is.null(reference)) list() else hold("watch", case_watch(case, suite, frame)),
    pixels = if (length(own)) {
      list(
        take = view$pixels,
        reference = if (!is.null(reference)) hold("pixels", fitted_reference(case, suite))
      )
    }
  )
  scores <- score_scene(scene, asked_phrases(case), c(all_measures(), own))
  list(
    scores = scores,
    print = take_print(view$view, if (case$job == "repair") reference),
    overlay = take_overlay(scene)
  )
}

# A reference as takes are compared with it. Where canvas was added, what the picture says
# of itself (its style, its grain, how sharp it is) is that of the part that is there: the
# padding is ours.
reference_view <- function(case, suite, frame) {
  pixels <- fitted_reference(case, suite)
  view <- view_picture(pixels, frame, "reference")
  there <- if (has_added_canvas(case)) 1 - added_canvas(case, suite, frame)
  if (is.null(there) || !any(there > 0.5)) {
    return(view)
  }

  inside <- view_picture(pixels[rowSums(there) > 0.5, colSums(there) > 0.5, , drop = FALSE])
  view[own_facts] <- inside[own_facts]
  drop_view(inside)
  view
}

own_facts <- c("style", "spread", "blur", "noise", "blocks", "tones", "burnt", "crushed")

# A take as its bytes, seen in its frame. The pixels only where somebody asks for them:
# 8 bits a channel need not become numbers first.
view_encoded <- function(bytes, frame, pixels = FALSE) {
  encoded <- encoded_picture(bytes)
  samples <- decode_samples(encoded)
  profile <- embedded_profile(encoded)
  as_it_is <- is.null(profile) &&
    samples$depth == 8 &&
    samples$channels %in% c(1, 3) &&
    all(frame_inside(samples$size, frame)[3:4] == samples$size)
  if (as_it_is && !pixels) {
    return(list(view = view_bytes(samples$bytes, samples$size, frame)))
  }

  seen <- bring_back(flatten_samples(samples, profile), frame)
  list(view = view_picture(seen, frame), pixels = if (pixels) seen)
}

# The outlines that engines were given as a guide, where there were any.
case_outlines <- function(case, suite, frame) {
  kind <- intersect(c("edges", "soft_edges"), names(case$guides))
  if (length(kind) == 0) {
    return(NULL)
  }

  reference <- if (!is.null(case$reference)) list(fitted_reference(case, suite))
  prepare_guide(case$guides[[kind[1]]], kind[1], case, suite, frame, reference)$picture[, , 1]
}

# Pictures that a take of this case has nothing to do with: the references of
# other cases, each picture once, then built-in ones. Cases of one frame share them.
suite_decoys <- function(suite, case, frame, kept) {
  in_frame <- paste(frame, collapse = " ")
  views <- lapply(decoy_cases(suite, case), function(other) {
    keep(
      kept,
      paste("decoy", hash_of(other$reference), in_frame),
      decoy_view(other, frame, kept)
    )
  })
  drawn <- keep(
    kept,
    paste("drawn", in_frame, length(views)),
    lapply(
      draw_decoys(frame, enough_decoys - length(views)),
      view_picture,
      frame = frame,
      part = "decoy"
    )
  )
  c(views, drawn)
}

decoy_cases <- function(suite, case) {
  path_of <- function(case) case$reference$path %||% ""
  others <- Filter(function(other) !path_of(other) %in% c("", path_of(case)), suite$cases)
  others <- others[!duplicated(vapply(others, path_of, ""))]
  if (length(others) > enough_decoys) {
    others <- others[round(seq(1, length(others), length.out = enough_decoys))]
  }

  others
}

# A decoy is seen in many frames, so a small copy of it is kept to fit anew.
decoy_view <- function(case, frame, kept) {
  small <- keep(kept, paste("small", case$reference$path), {
    pixels <- read_picture(case$reference$path)
    resize_picture(
      pixels,
      pmax(
        1,
        round(dim(pixels)[2:1] * min(1, 768 / max(dim(pixels)[1:2])))
      )
    )
  })
  view_picture(
    lay_window(
      small,
      fit_window(dim(small)[2:1], frame, case$reference),
      frame,
      paint_values(case$reference$fill)
    ),
    frame,
    "decoy"
  )
}

# In the order of the plan, and of the measures for each take.
read_scores <- function(store) {
  scores <- read_db(
    store,
    "
    SELECT s.take, t.pipeline, t.case_id AS \"case\", t.seed, s.axis, s.measure, s.phrase,
    s.value, s.raw, s.level, s.place, t.position
    FROM scores s JOIN takes t ON t.take = s.take"
  )
  measures <- vapply(c(all_measures(), across_measures()), `[[`, "", "measure")
  scores <- scores[order(
    scores$position,
    match(scores$measure, measures),
    scores$measure,
    scores$phrase,
    method = "radix"
  ), ]
  scores$position <- NULL
  tibble::as_tibble(scores)
}

# The scores that a choice looks at: what makes up the axes, and the flaws there are.
read_deciding_scores <- function(store, structure_from) {
  parts <- paste0(
    "'", c(names(structure_from), "style_change", "look_match"), "'",
    collapse = ", "
  )
  # Two queries, as one with OR would read the whole index.
  wanted <- paste(
    "SELECT take, axis, measure, phrase, value, level FROM scores WHERE", deciding,
    "AND axis IN"
  )
  scores <- read_db(
    store,
    paste0(
      wanted,
      " ('adherence', 'flaws') UNION ALL ",
      wanted,
      " ('structure', 'style') AND measure IN (",
      parts,
      ")",
      # A brief may make structure up of flaws too: then those that are not there count.
      if (!all(names(structure_from) %in% c("structure", names(agreement_weights)))) {
        paste0(
          " UNION ALL SELECT take, axis, measure, phrase, value, level FROM scores WHERE axis = ",
          "'flaws' AND level = 'none' AND measure IN (",
          parts,
          ")"
        )
      }
    )
  )
  tibble::as_tibble(scores)
}
