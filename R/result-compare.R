#' Compare two runs of a suite
#'
#' Finds out what has changed after a new version came out, or whether an engine was changed
#' without a new version number. Takes of the same pipeline, case and seed are compared: their
#' scores, with simultaneous intervals over all pipelines and scores, and their pictures, which a
#' repeatable engine has to reproduce exactly.
#'
#' If nothing has changed, a take's difference might as well have had the other sign (Fisher
#' 1935). A change is reported if it exceeds what random signs produce over all pipelines and
#' scores together (Westfall and Young 1993). That is exact for any distribution of scores; with
#' fewer than about eight takes per pipeline nothing can be significant.
#'
#' @inheritParams choose_pipeline
#' @param run,other Names of two runs of the trial, the older one first.
#' @param confidence The joint confidence of all reported changes.
#' @return An object of class `sprenn_changes`, a list: `scores`, a data frame with a row for each
#'   pipeline and score (the axes, `worth` and `keeper`): `old`, `new`, `change`, `low`, `high`,
#'   `takes`, `changed`, and `seen`, the smallest change that nine out of ten such comparisons
#'   would have detected (`NA` if none could be); `pictures`, a row a pipeline: `takes` in both,
#'   `same` (of these, how many are identical, byte for byte), `asked_alike` (with the same
#'   request), `other` (of these, how many gave another picture), `lost` and `gained` (made in one
#'   only), `repeatable` (whether the engine says that it repeats a seed), `engine`, and `silent`,
#'   whether a repeatable engine gave other pictures for the same requests; `versions`, engines
#'   whose version differs; `only`, pipelines and cases that one run has.
#' @section Errors: `sprenn_error_run` if the runs are of different suites, or have no take in
#'   common.
#' @family choosing
#' @export
#' @examples
#' folder <- file.path(tempdir(), "compare-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial, "before")
#' run_trial(trial, "after")
#' compare_runs(trial, "before", "after")
#' unlink(folder, recursive = TRUE)
compare_runs <- function(trial, run, other, job = NULL, confidence = 0.95) {
  check_arguments(
    run = checkmate::check_string(run),
    other = checkmate::check_string(other),
    confidence = checkmate::check_number(confidence, lower = 0.5, upper = 0.999)
  )
  trial <- as_trial(trial)
  if (run == other) {
    stop_sprenn(
      "argument",
      c("A run can't be compared with itself.", i = "Name two: `sprenn compare TRIAL OLD NEW`.")
    )
  }

  brief <- if (is.null(job)) all_cases_brief(trial$brief) else brief_for(trial$brief, job)
  both <- lapply(c(run, other), read_for_comparison, trial = trial, brief = brief)
  if (!identical(both[[1]]$fingerprint, both[[2]]$fingerprint)) {
    stop_sprenn(
      "run",
      c(
        paste0(
          "Runs ", quoted(run), " and ", quoted(other),
          " are of different suites, so their takes can't be compared."
        ),
        i = "Make a run of the suite as it is now with both lineups."
      )
    )
  }

  found <- run_changes(both[[1]]$table, both[[2]]$table, confidence, brief$seed)
  if (nrow(found$pictures) == 0) {
    stop_sprenn(
      "run",
      c(
        "The two runs have no take of the same pipeline, case and seed.",
        i = "Pipelines are matched by their ids."
      )
    )
  }

  recipes <- both[[2]]$recipes
  found$pictures$engine <- recipes$engine[match(found$pictures$pipeline, recipes$pipeline)]
  found$pictures$repeatable <- vapply(
    found$pictures$engine,
    function(engine) isTRUE(trial$lineup$engines[[engine]]$about$repeatable),
    NA,
    USE.NAMES = FALSE
  )
  versions <- changed_versions(both[[1]]$recipes, recipes)
  found$pictures$silent <- found$pictures$repeatable &
    found$pictures$other > 0 &
    !found$pictures$engine %in% versions$engine
  only <- function(a, b, what) setdiff(both[[a]]$table[[what]], both[[b]]$table[[what]])
  structure(
    c(
      found,
      list(
        versions = versions,
        runs = c(run, other),
        confidence = confidence,
        only = list(
          pipelines = list(only(1, 2, "pipeline"), only(2, 1, "pipeline")),
          cases = list(only(1, 2, "case"), only(2, 1, "case"))
        )
      )
    ),
    class = "sprenn_changes"
  )
}

# A comparison over all jobs weights the axes equally; the first purpose's weights would not suit
# the others.
all_cases_brief <- function(brief) {
  one <- brief_for(brief)
  if (length(brief$purposes) == 1) {
    return(one)
  }

  utils::modifyList(
    one,
    list(
      job = NA_character_,
      weights = stats::setNames(rep(1 / 3, 3), axes),
      floors = stats::setNames(rep(NA_real_, 3), axes)
    )
  )
}

read_for_comparison <- function(run, trial, brief) {
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  recipes <- read_pipelines(store)
  table <- axes_of(
    store,
    trial,
    brief,
    takes_for(store, trial, brief, recipes$pipeline[recipes$shown == 1])
  )
  names(table)[names(table) == "file"] <- "picture"
  asked <- read_exchanges(store)
  # The version is the engine's own word, and the key is another in every run.
  table$request <- gsub(
    "\"(version|key)\":\"[^\"]*\",?",
    "",
    asked$request[match(table$take, asked$take)]
  )
  list(
    table = add_worth(table, brief),
    recipes = recipes,
    fingerprint = get_facts(store)$suite_fingerprint
  )
}

changed_versions <- function(old, new) {
  at <- match(new$pipeline, old$pipeline)
  rows <- new_table(
    engine = new$engine,
    old = old$engine_version[at],
    new = new$engine_version
  )
  rows <- rows[!is.na(rows$old) & rows$old != rows$new, ]
  rows[!duplicated(rows), ]
}
