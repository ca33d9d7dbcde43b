#' Choose a pipeline, or say what is missing
#'
#' Weighs the measured takes of a run by the trial's brief. Differences are
#' taken within the cases and seeds that all pipelines met, and uncertainty
#' comes from a bootstrap that resamples cases, then seeds within cases. Failed
#' and refused takes count as not usable.
#'
#' A take is a *keeper* when it was made, has no serious flaw and clears every
#' floor of the brief. Its worth is the weighted mean of its axes if it is a
#' keeper, and 0 if it is not.
#'
#' @inheritParams run_trial
#' @param job The job to choose for, where the brief has a purpose for each of
#'   several; its first one if `NULL`.
#' @return An object of class `sprenn_verdict`, a list: `state` (`decided`, `too
#'   close`, `too few cases`, `unfinished`, `no keepers`, `nothing made`),
#'   `best`, `runner_up`, `confidence` (the chance that `best` is the best),
#'   `margin` (lead over the runner-up, with its 90 % interval), `reasons`,
#'   `pipelines` (a tibble, best first: utility, axes and yield with 90 %
#'   intervals, chance of being best, money and seconds per keeper) and `table`
#'   (a tibble with a row a take). Printing it says all this in words.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "choose-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1:2, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' score_run(trial)
#' choose_pipeline(trial)
#' unlink(folder, recursive = TRUE)
choose_pipeline <- function(trial, run = "main", job = NULL) {
  check_arguments(job = checkmate::check_string(job, null.ok = TRUE))
  trial <- as_trial(trial)
  brief <- brief_for(trial$brief, job)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  scores <- read_deciding_scores(store, brief$structure_from)
  pipelines <- read_pipelines(store)
  takes <- count_whole_chains(count_calm_calls(read_takes(store, deciding_columns)))
  takes <- takes[is.na(takes$control) & takes$pipeline %in% trial$lineup$pipelines$pipeline, ]
  jobs <- vapply(trial$suite$cases, `[[`, "", "job")
  ids <- vapply(trial$suite$cases, `[[`, "", "id")
  if (!is.na(brief$job)) takes <- takes[takes$case %in% ids[jobs == brief$job], ]
  takes <- met_by_all(takes)
  unscored <- takes$state == "made" & !takes$take %in% read_scored(store)
  # Another process is at it: what it has not measured yet is still to come.
  if (is_held(store)) {
    takes$state[unscored] <- "planned"
  } else if (any(unscored)) {
    stop_sprenn("run", c(
      paste0(sum(unscored), " takes of run ", quoted(run), " have not been measured."),
      i = "`sprenn score` measures them."
    ))
  }
  columns <- c("take", "pipeline", "case", "seed", "state", "file", "seconds", "cost", "failure", "message")
  table <- axis_table(takes[columns], scores, suite_phrases(trial$suite), brief$style, brief$structure_from)
  verdict <- verdict_from(table, brief)
  verdict$recipes <- pipelines
  verdict$suite <- trial$suite[c("suite", "title")]
  verdict$run <- run
  verdict$folder <- trial$folder
  structure(verdict, class = "sprenn_verdict")
}

# A take costs what all steps that led to it cost, and where one of those failed it
# has failed too.
count_whole_chains <- function(takes) {
  if (all(is.na(takes$parent))) {
    return(takes)
  }
  parent <- match(takes$parent, takes$take)
  repeat {
    before <- takes[parent, ]
    broken <- !is.na(parent) & takes$state == "planned" & before$state %in% c("failed", "refused")
    if (!any(broken)) break
    takes$state[broken] <- before$state[broken]
    takes$failure[broken] <- before$failure[broken]
    takes$message[broken] <- paste("An earlier step:", before$message[broken])
  }
  own <- takes[c("cost", "seconds")]
  at <- parent
  while (any(!is.na(at))) {
    for (what in names(own)) takes[[what]] <- ifelse(is.na(at), takes[[what]], rowSums(cbind(takes[[what]], own[[what]][at]), na.rm = TRUE))
    at <- parent[at]
  }
  takes
}

# The first call of an engine may have had to load its checkpoint: it counts as long
# as the others of its pipeline.
count_calm_calls <- function(takes) {
  calm <- takes$state == "made" & takes$first_call == 0 & takes$pipeline %in% takes$pipeline[takes$first_call == 1]
  usual <- tapply(takes$seconds[calm], takes$pipeline[calm], stats::median)
  usual <- as.numeric(usual[takes$pipeline])
  takes$seconds <- ifelse(takes$first_call == 1 & !is.na(usual), usual, takes$seconds)
  takes
}

# Pipelines are compared on the cases that all of them met; where they were tried
# on different jobs, those may be few.
met_by_all <- function(takes) {
  met <- table(takes$case, takes$pipeline) > 0
  common <- rownames(met)[rowSums(met) == ncol(met)]
  if (nrow(takes) > 0 && length(common) == 0) {
    stop_sprenn("run", c(
      "No case was met by all pipelines, so they can't be compared.",
      i = "Name one job in brief.yml, or a purpose for each; lineup.yml says which pipeline is tried on which jobs."
    ))
  }
  takes[takes$case %in% common, ]
}

# The phrases of all cases, wanted and not wanted.
suite_phrases <- function(suite) {
  asked <- lapply(suite$cases, asked_phrases)
  phrases <- unlist(asked, recursive = FALSE)
  tibble::tibble(
    case = rep(vapply(suite$cases, `[[`, "", "id"), lengths(asked)), phrase = vapply(phrases, `[[`, "", "key"),
    weight = as.numeric(vapply(phrases, `[[`, 0, "weight")), must = vapply(phrases, `[[`, NA, "must"), unwanted = vapply(phrases, `[[`, NA, "unwanted")
  )
}
