#' Preview what a described service is sent, and read an answer again
#'
#' To write the description of a service (kind `described` in `lineup.yml`) without paying:
#' `preview_calls()` shows the calls that a picture would take, and sends nothing; `replay_answer()`
#' shows what is read of an answer that was kept.
#'
#' @inheritParams try_engines
#' @param engines Names of engines of the kind `described`; all of them if `NULL`.
#' @param engine The name of one.
#' @param file A file with an answer: JSON, or a whole HTTP message, as `sprenn engines --try`
#'   writes them.
#' @return `preview_calls()`: an object of class `sprenn_preview`, a list with `case` and, by
#'   engine, `calls`: lists with `role`, `call` (method and address), `headers` and `body` (text),
#'   with the names of keys in place of their values and long texts cut, and `does` (what is done
#'   with the answer).
#'
#'   `replay_answer()`: a data frame with one row for each place in the description: `field`, `at`
#'   and `found` (`NA` if nothing is there).
#' @section Errors: `sprenn_error_argument` for engines of other kinds and files that can't be read;
#'   conditions of class `sprenn_failure` for an answer that is not JSON.
#' @family engines
#' @export
#' @examples
#' folder <- file.path(tempdir(), "preview-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' lineup <- system.file("brackwater", "served.yml", package = "sprenn")
#' pipelines <- c("pipelines:", "  - {id: a, engine: madder, hold: 0.5, if_missing: drop}")
#' served <- readLines(lineup)
#' from <- grep("^  madder:", served)
#' to <- grep("^  burdock:", served) - 1
#' writeLines(c("engines:", served[from:to], pipelines), file.path(folder, "lineup.yml"))
#' preview_calls(folder)
#' unlink(folder, recursive = TRUE)
preview_calls <- function(trial, case = NULL, engines = NULL) {
  trial <- as_trial(trial)
  described <- described_engines(trial)
  case <- case_to_try(trial, case, NULL)
  check_arguments(engines = checkmate::check_subset(engines, described))
  inputs <- cache_of_pictures()
  calls <- lapply(stats::setNames(nm = engines %||% described), function(name) {
    request <- request_to_try(trial, pipeline_to_try(trial, name), case, inputs)
    calls_for(trial$lineup$engines[[name]]$service, request)
  })
  structure(list(case = case, calls = calls), class = "sprenn_preview")
}

described_engines <- function(trial) {
  names(Filter(function(one) one$kind == "described", trial$lineup$engines))
}

#' @export
format.sprenn_preview <- function(x, ...) {
  unlist(lapply(names(x$calls), function(name) {
    calls <- x$calls[[name]]
    c(
      paste0(name, ", for ", x$case, ":"),
      unlist(lapply(seq_along(calls), function(i) {
        call <- calls[[i]]
        c(
          "",
          paste0("  ", i, ". ", call$role),
          paste0("     ", c(call$call, call$headers, call$body)),
          paste0("     > ", call$does)
        )
      })),
      ""
    )
  }))
}

#' @export
print.sprenn_preview <- function(x, ...) print_lines(x)

#' @rdname preview_calls
#' @export
replay_answer <- function(trial, engine, file) {
  trial <- as_trial(trial)
  check_arguments(
    engine = checkmate::check_choice(engine, described_engines(trial)),
    file = checkmate::check_file_exists(file)
  )
  answer <- answer_from_message(rawToChar(read_bytes(file)))
  service <- trial$lineup$engines[[engine]]$service
  roles <- c("upload", "make", "wait")
  roles <- roles[vapply(roles, function(role) !is.null(service$wanted[[role]]), NA)]
  all <- do.call(rbind, lapply(roles, function(role) readings_of(service, role, answer)))
  all[!duplicated(all), ]
}
