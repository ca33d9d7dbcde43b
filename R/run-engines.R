#' List a trial's engines, and try them
#'
#' `list_engines()` lists what each engine can do; nothing is made. `try_engines()` has each make
#' one picture of the same case.
#'
#' @inheritParams plan_run
#' @param case The id of the case to try; the first with a reference if `NULL`.
#' @param engines Names of the engines to try; all but those by hand if `NULL`.
#' @return `list_engines()`: a data frame with one row an engine: `engine`, `kind`, `version`,
#'   `checkpoints` (with their sizes), `hold` (its own knob, and whether it is calibrated),
#'   `settings`, `takes`, `add_ons`, `emphasis`, `repeatable`, `captions`, `price`, `seconds`,
#'   `at_once` and `remembered`: `NA`, or the date of the kept description if the engine does not
#'   answer.
#'
#'   `try_engines()`: a list of class `sprenn_tries`: `tries`, a data frame with `engine`,
#'   `checkpoint`, `state` (`made`, or the kind of failure), `seconds`, `waited`, `cost`,
#'   `message` and `bytes` (a list column with the pictures' files); `case`, its id; and
#'   `reference`, its pixels.
#'
#'   Of engines on a described service, `answers` has what it answered: a data frame with `engine`,
#'   `role` (`upload`, `make`, `wait` or `picture`), `call` (method and address), `sent` (headers
#'   and body, long texts cut), `status`, `seconds` and `message` (the answer as text); keys are
#'   masked, and only the last look at a job is kept. [replay_answer()] says what is read of one.
#' @family engines
#' @export
#' @examples
#' folder <- file.path(tempdir(), "engines-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' list_engines(folder)
#' unlink(folder, recursive = TRUE)
list_engines <- function(trial) {
  trial <- as_trial(trial)
  rows <- lapply(names(trial$lineup$engines), function(name) {
    one <- trial$lineup$engines[[name]]
    about <- one$about
    new_table(
      engine = name,
      kind = one$kind,
      version = about$version,
      checkpoints = paste(
        mapply(checkpoint_words, names(about$checkpoints), about$checkpoints),
        collapse = "; "
      ),
      hold = knob_words(one),
      settings = paste(
        mapply(setting_words, names(about$settings), about$settings),
        collapse = "; "
      ),
      takes = paste(about$takes, collapse = ", "),
      add_ons = paste(about$add_ons, collapse = ", "),
      emphasis = about$emphasis,
      repeatable = about$repeatable,
      captions = !is.null(one$caption),
      price = about$price,
      seconds = about$seconds,
      at_once = as.integer(about$at_once),
      remembered = one$remembered$on %||% NA_character_
    )
  })
  do.call(rbind, rows)
}

checkpoint_words <- function(name, checkpoint) {
  sizes <- if (length(checkpoint$sizes)) {
    paste(vapply(checkpoint$sizes, paste, "", collapse = "x"), collapse = " ")
  } else if (!is.null(checkpoint$multiple_of)) {
    paste("multiples of", checkpoint$multiple_of)
  } else {
    "any size"
  }
  paste0(name, " (", sizes, ")")
}

knob_words <- function(engine) {
  hold <- engine$about$hold
  if (is.null(hold)) {
    return("none")
  }

  way <- if (!is.null(engine$calibration)) {
    paste0(
      ", calibrated",
      if (is_text(engine$calibration$measured)) paste0(" on ", engine$calibration$measured)
    )
  } else if (!is.null(engine$about$curve)) {
    ", on a curve of its own"
  }
  stale <- if (is_text(engine$calibration$version) &&
    engine$calibration$version != engine$about$version) {
    paste(" for version", engine$calibration$version)
  }
  ends <- format(knob_value(hold, engine$about))
  paste0(trimws(ends[1]), " lets go, ", trimws(ends[2]), " keeps", way, stale)
}

setting_words <- function(name, setting) {
  values <- if (!is.null(setting$words)) {
    paste(unlist(setting$words), collapse = "|")
  } else {
    paste(setting$from, "to", setting$to)
  }
  paste0(name, " ", values, if (!is.null(setting$default)) paste0(" [", setting$default, "]"))
}

#' @rdname list_engines
#' @export
try_engines <- function(trial, case = NULL, engines = NULL) {
  trial <- as_trial(trial)
  case <- case_to_try(trial, case, engines)
  inputs <- cache_of_pictures()
  answers <- list()
  rows <- lapply(engines %||% engines_to_try(trial), function(name) {
    engine <- trial$lineup$engines[[name]]
    if (engine$kind == "described") {
      engine$make <- function(request) {
        drive(engine$converse(request), function(turn, answer) {
          answers <<- c(answers, list(answer_row(name, turn, answer, engine$secrets)))
        })
      }
    }

    pipeline <- pipeline_to_try(trial, name)
    made <- tryCatch(
      make_picture(engine, request_to_try(trial, pipeline, case, inputs)),
      sprenn_failure = identity
    )
    failed <- inherits(made, "condition")
    new_table(
      engine = name,
      checkpoint = pipeline$checkpoint,
      state = if (failed) made$kind else "made",
      seconds = made$seconds,
      waited = if (failed) NA_real_ else made$waited,
      cost = made$cost,
      message = if (failed) conditionMessage(made) else NA_character_,
      bytes = list(if (!failed) made$bytes)
    )
  })
  reference <- case_named(trial$suite, case)$references
  none <- new_table(
    engine = character(),
    checkpoint = character(),
    state = character(),
    seconds = numeric(),
    waited = numeric(),
    cost = numeric(),
    message = character(),
    bytes = list()
  )
  structure(
    list(
      tries = do.call(rbind, c(list(none), rows)),
      case = case,
      reference = if (length(reference)) read_picture(reference[[1]]$path),
      answers = last_looks(do.call(rbind, c(list(no_answers()), answers)))
    ),
    class = "sprenn_tries"
  )
}

# The engines that can be called.
engines_to_try <- function(trial) names(Filter(Negate(is_by_hand), trial$lineup$engines))

# The id of the case to try: the first with a reference.
case_to_try <- function(trial, case, engines) {
  ids <- vapply(trial$suite$cases, `[[`, "", "id")
  with_reference <- ids[lengths(lapply(trial$suite$cases, `[[`, "references")) > 0]
  check_arguments(
    case = checkmate::check_choice(case, ids, null.ok = TRUE),
    engines = checkmate::check_subset(engines, engines_to_try(trial))
  )
  case %||% c(with_reference, ids)[1]
}

pipeline_to_try <- function(trial, engine) {
  pipeline <- calibration_pipeline(trial, engine, NULL, NULL)
  if (!is.null(trial$lineup$engines[[engine]]$about$hold)) {
    pipeline$hold <- 0.6
  }

  pipeline
}

request_to_try <- function(trial, pipeline, case, inputs) {
  take <- new_table(
    take = fresh_key(),
    pipeline = "trial picture",
    case = case,
    seed = trial$suite$seeds[1],
    attempt = 1L,
    control = NA_character_,
    parent = NA_character_
  )
  request_for(trial, pipeline, trial$lineup$engines[[pipeline$engine]], take, inputs)
}

no_answers <- function() {
  new_table(
    engine = character(),
    role = character(),
    call = character(),
    sent = character(),
    status = integer(),
    seconds = numeric(),
    message = character()
  )
}

answer_row <- function(engine, turn, answer, secrets) {
  failed <- inherits(answer, "condition")
  new_table(
    engine = engine,
    role = turn$role,
    call = mask_secrets(paste(turn$call$method, turn$call$url), secrets),
    sent = mask_secrets(paste(sent_words(turn), collapse = "\n"), secrets),
    status = if (failed) NA_integer_ else as.integer(answer$status),
    seconds = as.numeric(curl::handle_data(turn$call$handle)$times[["total"]]),
    message = if (failed) {
      safe_message(conditionMessage(answer), secrets)
    } else {
      answer_as_message(answer, secrets)
    }
  )
}

# The headers and the body of a call.
sent_words <- function(turn) {
  headers <- turn$call$headers
  headers <- headers[names(headers) != "Content-Type"]
  c(paste0(names(headers), ": ", headers, recycle0 = TRUE), body_words(turn$body))
}

# Of the looks at a job the last one tells most.
last_looks <- function(answers) {
  of_call <- paste(answers$call, answers$sent)
  step <- paste(answers$engine, answers$role, ifelse(answers$role == "wait", "", of_call))
  answers[!duplicated(step, fromLast = TRUE), ]
}

#' @export
print.sprenn_tries <- function(x, ...) {
  cat("<tries> of case", x$case, "\n")
  print(x$tries)
  invisible(x)
}
