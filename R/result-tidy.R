# Results as tables in the form of the generics package, so that R users go on in their own way.

#' Results as tidy tables
#'
#' Methods for the generics [generics::tidy()], [generics::glance()] and [generics::augment()], with
#' their usual column names: `term`, `estimate`, `conf.low`, `conf.high`. Each returns a tibble.
#'
#' `tidy()` has a row for each number with its interval:
#' * of a verdict for each `pipeline` and `term` (`worth`, the axes, `keepers`), with `conf.level`
#'   0.9, on the scale 0 to 1;
#' * of curves for each line of a sweep, `value` of the setting (`vary`) and `term`; with
#'   `by_case = TRUE` also for each `case` (otherwise the mean over cases, where `case` is `NA`);
#' * of a match for each line, `level` of structure and `term`, with the `setting` that reaches it
#'   and `reached`, the share of draws that do;
#' * of changes for each `pipeline` and `term`: `estimate` is the change from `old` to `new`, with a
#'   simultaneous interval, and `changed`, whether it counts as one.
#'
#' `glance()` has one row: the verdict (`state`, `best`, `runner_up`, `confidence`, `margin` with
#' its interval, numbers of pipelines, cases and takes); what varies, the lines and points of
#' curves; the level of structure compared at; or how many scores changed and how many pipelines
#' changed in silence.
#'
#' `augment()` has a row for each take of a verdict, with its axes, flaws, `keeper` and `worth`; and
#' for each take of changes that has another picture.
#'
#' @param x A result of [choose_pipeline()], [response_curves()], [match_engines()] or
#'   [compare_runs()].
#' @param by_case Whether to include the values of single cases.
#' @param ... Not used.
#' @return A tibble.
#' @family choosing
#' @name tidy_results
#' @examples
#' folder <- file.path(tempdir(), "tidy-example")
#' new_trial(folder, demo = TRUE, cases = 2)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1:2, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' verdict <- choose_pipeline(trial)
#' tidy(verdict)
#' glance(verdict)
#' augment(verdict)
#' unlink(folder, recursive = TRUE)
NULL

#' @importFrom generics tidy
#' @export
generics::tidy

#' @importFrom generics glance
#' @export
generics::glance

#' @importFrom generics augment
#' @export
generics::augment

#' @rdname tidy_results
#' @export
tidy.sprenn_verdict <- function(x, ...) {
  terms <- c("worth", axes, "keepers")
  rows <- lapply(terms, function(term) {
    data.frame(
      pipeline = as.character(x$pipelines$pipeline),
      term = rep(term, NROW(x$pipelines)),
      estimate = as.numeric(x$pipelines[[term]]),
      conf.low = as.numeric(x$pipelines[[paste0(term, "_low")]]),
      conf.high = as.numeric(x$pipelines[[paste0(term, "_high")]]),
      conf.level = rep(0.9, NROW(x$pipelines))
    )
  })
  rows <- do.call(rbind, rows)
  tibble::as_tibble(rows[order(match(rows$pipeline, x$pipelines$pipeline)), ])
}

#' @rdname tidy_results
#' @export
glance.sprenn_verdict <- function(x, ...) {
  lead <- x$margin %||% rep(NA_real_, 3)
  takes <- x$table
  tibble::tibble(
    state = x$state,
    best = x$best %||% NA_character_,
    runner_up = x$runner_up %||% NA_character_,
    confidence = as.numeric(x$confidence %||% NA),
    margin = lead[[1]],
    margin.low = lead[[2]],
    margin.high = lead[[3]],
    pipelines = length(unique(takes$pipeline)),
    cases = length(unique(takes$case)),
    keepers = sum(takes$keeper %in% TRUE),
    takes = nrow(takes)
  )
}

#' @rdname tidy_results
#' @export
augment.sprenn_verdict <- function(x, ...) {
  columns <- c(
    "take", "pipeline", "case", "seed", "state", "structure", "adherence", "style", "flaws",
    "keeper", "worth", "seconds", "cost"
  )
  tibble::as_tibble(as.data.frame(x$table)[intersect(columns, names(x$table))])
}

#' @rdname tidy_results
#' @export
tidy.sprenn_curves <- function(x, by_case = FALSE, ...) {
  rows <- as.data.frame(x$curves)
  if (!by_case) {
    rows <- rows[is.na(rows$case), ]
  }

  with_terms(rows, c("line", "family", "vary", "value", "pipeline", "case"))
}

#' @rdname tidy_results
#' @export
glance.sprenn_curves <- function(x, ...) {
  tibble::tibble(
    vary = x$vary,
    lines = length(unique(x$curves$line)),
    points = nrow(unique(as.data.frame(x$curves)[c("line", "value")])),
    cases = length(unique(stats::na.omit(x$curves$case)))
  )
}

#' @rdname tidy_results
#' @export
tidy.sprenn_match <- function(x, ...) {
  with_terms(as.data.frame(x$levels), c("line", "level", "setting"), "reached")
}

#' @rdname tidy_results
#' @export
glance.sprenn_match <- function(x, ...) {
  shared <- x$shared %||% c(NA_real_, NA_real_)
  tibble::tibble(
    vary = x$vary,
    at = as.numeric(x$at %||% NA),
    shared.low = shared[[1]],
    shared.high = shared[[2]],
    lines = length(unique(x$levels$line))
  )
}

#' @rdname tidy_results
#' @export
tidy.sprenn_changes <- function(x, ...) {
  rows <- as.data.frame(x$scores)
  rows$mean <- rows$change
  rows <- with_terms(rows, "pipeline", c("old", "new", "takes", "changed"))
  rows$conf.level <- rep(x$confidence, nrow(rows))
  rows
}

#' @rdname tidy_results
#' @export
glance.sprenn_changes <- function(x, ...) {
  tibble::tibble(
    old = x$runs[1],
    new = x$runs[2],
    pipelines = nrow(x$pictures),
    takes = sum(x$pictures$takes),
    same = sum(x$pictures$same),
    changed = sum(x$scores$changed),
    silent = sum(x$pictures$silent)
  )
}

#' @rdname tidy_results
#' @export
augment.sprenn_changes <- function(x, ...) tibble::as_tibble(as.data.frame(x$takes))

# Rows with `score`, `mean`, `low` and `high`, under the names that are usual, between the columns
# that go `before` and `after`.
with_terms <- function(rows, before, after = character()) {
  tibble::as_tibble(data.frame(
    rows[before],
    term = score_terms(rows$score),
    estimate = as.numeric(rows$mean),
    conf.low = as.numeric(rows$low),
    conf.high = as.numeric(rows$high),
    rows[after],
    row.names = NULL
  ))
}

# As a verdict's columns are called.
score_terms <- function(scores) ifelse(scores == "keeper", "keepers", as.character(scores))
