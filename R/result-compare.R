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
#'   whether a repeatable engine gave other pictures for the same requests; `takes`, a row for
#'   each take with another picture, the most changed first: `moved`, its largest change of worth
#'   or of an axis, and for each run (`old_`, `new_`) its `state`, `picture` (a file), axes,
#'   `worth`, `keeper` and serious `flaws`; `versions`, engines
#'   whose version differs; `common`, what is compared if the suite has changed between the runs:
#'   `cases` that both asked for and measured in the same way, `of` how many there are, `seeds` and
#'   `of_seeds`; `only`, pipelines and cases that one run has.
#' @section Errors: `sprenn_error_run` if the runs have no take in common.
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
  common <- common_cases(both)
  for (i in 1:2) {
    both[[i]]$table <- both[[i]]$table[both[[i]]$table$case %in% common$cases, ]
  }

  found <- run_changes(both[[1]]$table, both[[2]]$table, confidence, brief$seed)
  if (nrow(found$pictures) == 0) {
    stop_sprenn(
      "run",
      c(
        "The two runs have no take of the same pipeline, case and seed.",
        i = "Pipelines are matched by their ids, cases by all that their takes are measured by.",
        i = "Make a run of the suite as it is now with both lineups."
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
        common = common,
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

# The cases that two runs have in common: those that both measured by the same. The suite may have
# grown or changed between them. `of` is how many cases there are in either, `seeds` which are in
# both.
common_cases <- function(both) {
  own <- lapply(both, function(one) unique(one$table$case))
  by <- lapply(both, `[[`, "measured_by")
  cases <- intersect(own[[1]], own[[2]])
  if (!identical(both[[1]]$fingerprint, both[[2]]$fingerprint)) {
    cases <- cases[(by[[1]][cases] == by[[2]][cases]) %in% TRUE]
  }

  seeds <- lapply(both, function(one) unique(one$table$seed[one$table$case %in% cases]))
  list(
    cases = cases,
    of = length(union(own[[1]], own[[2]])),
    seeds = intersect(seeds[[1]], seeds[[2]]),
    of_seeds = length(union(seeds[[1]], seeds[[2]]))
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
  facts <- get_facts(store)
  measured_by <- if (!is.null(facts$measured_by)) unlist(read_json_text(facts$measured_by))
  list(
    table = add_worth(table, brief),
    recipes = recipes,
    fingerprint = facts$suite_fingerprint,
    measured_by = measured_by
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
