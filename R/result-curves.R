#' Response of scores to a setting
#'
#' For each sweep of a run: structure, adherence, style, worth and keepers along the setting, with
#' 90 % intervals; where structure is flat and where it drops, between which settings every floor
#' of the brief is cleared, which setting has the highest worth; and which settings matter at all.
#'
#' @inheritParams choose_pipeline
#' @param vary The setting to plot along, such as `"hold"` or `"guidance"`; the first that was
#'   swept if `NULL`.
#' @return An object of class `sprenn_curves`, a list: `vary`; `curves`, a data frame with a row for
#'   each line, value and score (`line`, `family`, `vary`, `value`, `pipeline`, `score`, `case`
#'   (`NA`: all), `mean`, `low`, `high`); `features`, a row a line: `points`, `cliff_from` and
#'   `cliff_to` (between these two structure changes by `drop`), `flat_from` and `flat_to`,
#'   `window_from` and `window_to` (where the mean of every axis clears its floor; `open_low` and
#'   `open_high` where that goes on beyond what was tried; `window_from_low` and so on, 90 %
#'   intervals of both ends, and `window_chance`, that there is a window at all), `kept_from`,
#'   `kept_to` and so on (the same where four of five takes are keepers), `best`, `best_from` and
#'   `best_to`; `settings`, a row for each family, setting and score: `moved`, the mean difference
#'   between pipelines that differ in nothing else, and for complete grids the shares of variance
#'   that it explains (`alone`, `in_all`).
#' @section Errors: `sprenn_error_run` if nothing was made, or no pipelines differ in that setting
#'   alone.
#' @family choosing
#' @export
#' @examples
#' folder <- file.path(tempdir(), "curves-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' two <- trial$lineup$pipelines$pipeline %in% c("yarrow", "yarrow/hold=0.2")
#' trial$lineup$pipelines <- trial$lineup$pipelines[two, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' response_curves(trial)
#' unlink(folder, recursive = TRUE)
response_curves <- function(trial, run = "main", job = NULL, vary = NULL) {
  check_arguments(vary = checkmate::check_string(vary, null.ok = TRUE))
  curves_of(choose_pipeline(trial, run, job), vary)
}

curves_of <- function(verdict, vary = NULL) {
  stop_if_nothing_made(verdict)
  recipes <- tried_recipes(verdict)
  lines <- lines_along(recipes, vary)
  brief <- verdict$brief
  keepers <- score_draws(verdict$table, "keeper", brief$draws, brief$seed + 9)$keeper
  structure(
    list(
      vary = lines$vary[1],
      curves = curve_table(lines, verdict$pipelines, verdict$table, by_case = TRUE),
      features = curve_features(lines, verdict$pipelines, verdict$draws, brief$floors, keepers),
      settings = setting_importance(recipes, verdict$pipelines, function(pipelines) {
        draws_among(verdict, pipelines)
      }),
      verdict = verdict
    ),
    class = "sprenn_curves"
  )
}

#' Compare engines at equal structure
#'
#' Engines' own knobs can't be compared: the same number keeps the reference on one and lets it go
#' on another. So each sweep is interpolated where it keeps the same share of the layout.
#'
#' @inheritParams response_curves
#' @param at The structure, 0 to 1, at which to compare; the middle of the range that most sweeps
#'   reach if `NULL`.
#' @return An object of class `sprenn_match`, a list: `at`; `table`, a data frame with a row for
#'   each line that reaches it and score (`line`, `level`, `setting`, the value there, `score`,
#'   `mean`, `low`, `high`, `reached`, the share of draws in which it does; `NA` with one take of
#'   each); `levels`, the same at many levels; `areas`, a row for each two lines and score: by
#'   how much the `one` is above the `other`, on average over the levels that both reach, with a
#'   90 % interval.
#' @section Errors: as [response_curves()].
#' @family choosing
#' @export
#' @examples
#' folder <- file.path(tempdir(), "match-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' two <- trial$lineup$pipelines$pipeline %in% c("yarrow", "yarrow/hold=0.2")
#' trial$lineup$pipelines <- trial$lineup$pipelines[two, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' match_engines(trial)
#' unlink(folder, recursive = TRUE)
match_engines <- function(trial, run = "main", job = NULL, vary = NULL, at = NULL) {
  check_arguments(
    vary = checkmate::check_string(vary, null.ok = TRUE),
    at = checkmate::check_number(at, lower = 0, upper = 1, null.ok = TRUE)
  )
  match_of(choose_pipeline(trial, run, job), vary, at)
}

match_of <- function(verdict, vary = NULL, at = NULL) {
  stop_if_nothing_made(verdict)
  lines <- lines_along(tried_recipes(verdict), vary)
  shared <- shared_levels(lines, verdict$pipelines)
  scored <- scored_lines(lines, verdict$pipelines, verdict$draws)
  at <- at %||% mean(shared)
  levels <- seq(0.02, 0.98, 0.02)
  structure(
    list(
      at = at,
      shared = shared,
      vary = lines$vary[1],
      table = match_table(scored, at),
      levels = match_table(scored, levels),
      areas = frontier_areas(scored, levels),
      verdict = verdict
    ),
    class = "sprenn_match"
  )
}

# The recipes of the pipelines that a verdict is about.
tried_recipes <- function(verdict) {
  verdict$recipes[verdict$recipes$pipeline %in% verdict$pipelines$pipeline, ]
}

lines_along <- function(recipes, vary) {
  swept <- swept_settings(recipes)
  if (length(swept) == 0) {
    stop_sprenn(
      "run",
      c(
        "No two pipelines differ in one number alone, so there is no curve to draw.",
        i = paste0(
          "Add a sweep: sweeps: [{vary: hold, of: ..., over: [0.2, 0.4, 0.6, 0.8]}] in ",
          "lineup.yml."
        )
      )
    )
  }

  vary <- vary %||% if ("hold" %in% swept) "hold" else swept[1]
  if (!vary %in% swept) {
    stop_sprenn(
      "run",
      c(
        paste0(
          "There is no curve along ", quoted(vary), ": no two numbers of it alone were tried."
        ),
        i = paste("What was swept:", listed(swept)),
        i = "`sprenn contrasts` compares words, guides and steps."
      )
    )
  }

  sweep_lines(recipes, vary)
}
