#' Make a take again
#'
#' Asks the same engine for the same picture, to see whether it still comes out the same. The
#' trial must have a case with the same prompt and the same pictures, and the engine under the
#' same name; the pipeline itself may be gone from the lineup. A chain is made again from its
#' first step. No run is changed; engines charge as usual.
#'
#' @param recipe What [read_recipe()] returned, or a file that it takes.
#' @param trial A trial's folder, or what [read_trial()] returned.
#' @param file Where to write the new picture; `NULL` writes none.
#' @return A list, invisibly: `same` (`"bytes"`, `"pixels"` if the file differs but every pixel is
#'   identical, or `"no"`), `sha256`, `file`, and `notes`: what has changed since the recipe was
#'   written, such as an engine's version.
#' @section Errors: `sprenn_error_recipe` if the trial lacks the case or the engine;
#'   `sprenn_failure` if the engine makes no picture.
#' @family exports
#' @export
#' @examples
#' folder <- file.path(tempdir(), "remake-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' takes <- run_trial(trial, score = FALSE)$takes
#' remake_take(takes$path[1], trial)$same
#' unlink(folder, recursive = TRUE)
remake_take <- function(recipe, trial, file = NULL) {
  check_arguments(file = checkmate::check_string(file, min.chars = 1, null.ok = TRUE))
  old <- if (is.character(recipe)) recipe
  if (!inherits(recipe, "sprenn_recipe")) {
    recipe <- read_recipe(recipe)
  }

  trial <- as_trial(trial)
  case <- case_of_recipe(recipe, trial)
  engines <- trial$lineup$engines
  stop_for_makers(recipe, engines)
  notes <- character()
  made <- list()
  inputs <- cache_of_pictures()
  for (k in seq_along(recipe$steps)) {
    step <- recipe$steps[[k]]
    engine <- engines[[step$engine]]
    request <- request_of_step(recipe, k, trial, case, engine, inputs, made)
    # The engine's knob stands where it stood, whatever has been calibrated since.
    knob <- step$native_hold %||% NA
    moved <- !is.na(knob) && !isTRUE(all.equal(knob, request$native_hold, tolerance = 1e-12))
    notes <- c(notes, step_notes(step, engine$about, if (moved) knob))
    if (moved) {
      request$native_hold <- knob
    }

    request$key <- fresh_key()
    made[[step$take]] <- make_patiently(engine, request)
  }

  bytes <- made[[length(made)]]$bytes
  if (!is.null(file)) {
    write_bytes(bytes, file)
  }

  sha <- sha256_of(bytes)
  same <- if (sha == recipe$picture$sha256) {
    "bytes"
  } else if (same_pixels(bytes, old)) {
    "pixels"
  } else {
    "no"
  }
  invisible(list(same = same, sha256 = sha, file = file, notes = notes))
}

# Engines of a recipe that the lineup lacks, or that can't be asked.
stop_for_makers <- function(recipe, engines) {
  used <- unique(vapply(recipe$steps, `[[`, "", "engine"))
  lacking <- setdiff(used, names(engines))
  if (length(lacking)) {
    stop_sprenn(
      "recipe",
      c(
        paste0(
          "The lineup has no engine ", quoted(lacking[1]),
          ", which the recipe was made by."
        ),
        i = paste("It has", paste(names(engines), collapse = ", "))
      )
    )
  }

  for (name in used) {
    if (is_by_hand(engines[[name]])) {
      stop_sprenn(
        "recipe",
        c(
          paste0(name, " is a person."),
          i = "Pictures made by hand can't be made again by themselves."
        )
      )
    }
  }
}

request_of_step <- function(recipe, k, trial, case, engine, inputs, made) {
  step <- recipe$steps[[k]]
  pipeline <- new_table(
    pipeline = step$pipeline,
    engine = step$engine,
    checkpoint = step$checkpoint,
    hold = as_number(step$hold),
    stage = k,
    settings = list(step$settings),
    add_ons = list(step$add_ons),
    gives = list(step$gives)
  )
  take <- list(
    take = step$take,
    pipeline = step$pipeline,
    case = case$id,
    seed = recipe$seed,
    control = recipe$control %||% NA_character_,
    parent = if (k > 1) recipe$steps[[k - 1]]$take else NA_character_,
    attempt = 1L
  )
  drafter <- drafted_by(step$gives)
  if (!is.null(drafter) && length(step$drafted)) {
    trial$drafts[[drafter]][[case$id]] <- unlist(step$drafted)
  }

  of_parent <- function(parent) made[[parent]]$bytes
  tryCatch(
    validate_request(
      request_for(trial, pipeline, engine, take, inputs, of_parent),
      engine$about
    ),
    sprenn_error_argument = function(e) {
      stop_sprenn(
        "recipe",
        c(
          paste0(step$engine, " can't be asked for this any more."),
          stats::setNames(e$details, rep("x", length(e$details)))
        )
      )
    }
  )
}

# Reasons why the picture may come out differently: a new version, an engine that does not repeat
# a seed, a knob whose calibration has changed.
step_notes <- function(step, about, knob) {
  c(
    if (about$version != step$version) {
      paste0(step$engine, " is version ", about$version, " now; it was ", step$version, ".")
    },
    if (!about$repeatable) paste0(step$engine, " does not repeat a seed."),
    if (!is.null(knob)) {
      paste0(
        step$engine, "'s hold is calibrated otherwise now; its knob was put at ",
        format(knob, digits = 4), ", as it was."
      )
    }
  )
}

# The case that the recipe was made for: one with the same inputs, under whatever
# name.
case_of_recipe <- function(recipe, trial) {
  cases <- trial$suite$cases
  wanted <- strsplit(recipe$take, "-", fixed = TRUE)[[1]][2]
  at <- which(substr(told_apart(case_inputs(trial$suite), trial$suite), 1, 12) == wanted)
  if (length(at)) {
    return(cases[[at[1]]])
  }

  named <- recipe$case %in% vapply(cases, `[[`, "", "id")
  stop_sprenn(
    "recipe",
    c(
      paste0(
        "The trial has no case that asks for the same with the same pictures as ",
        quoted(recipe$case), " did."
      ),
      i = if (named) {
        paste0("Its case ", quoted(recipe$case), " has another prompt, picture or size by now.")
      } else {
        "Give the trial that the picture was made in, or the one in an exported crate."
      }
    )
  )
}

# Whether a picture shows the same as the file that the recipe came in.
same_pixels <- function(bytes, file) {
  if (is.null(file)) {
    return(FALSE)
  }

  identical(
    decode_picture(encoded_picture(bytes)),
    tryCatch(read_picture(file), error = function(e) NULL)
  )
}
