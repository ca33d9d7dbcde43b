#' Choose a pipeline
#'
#' Compares the measured takes of a run by the trial's brief, and names the pipeline to use or
#' what is missing before one can be chosen. Differences are taken within the cases that all
#' pipelines share, and uncertainty comes from the variation between cases. Failed and refused
#' takes count as unusable.
#'
#' A take is a *keeper* when it was made, has no serious flaw and clears every
#' floor of the brief. Its worth is the weighted mean of its axes if it is a
#' keeper, and 0 if it is not.
#'
#' @inheritParams run_trial
#' @param job The job to choose for, if the brief has purposes for several jobs; the first one if
#'   `NULL`.
#' @param brief Path of another brief to use instead of the trial's `brief.yml`, with its weights,
#'   floors, style and confidence. The run is not changed.
#' @param without Names of engines or pipelines to leave out.
#' @param weights Other weights of the axes: a named vector of values from 0 to 1, such as
#'   `c(structure = 0.6)`. The other axes share the rest in proportion.
#' @return An object of class `sprenn_verdict`, a list: `state` (`decided`, `too close`, `too few
#'   cases`, `unfinished`, `no keepers`, `no evidence`, `nothing made`), `best`, `runner_up`,
#'   `confidence` (the chance that `best` is the best, or within the brief's `close_enough` of
#'   it), `close` (all pipelines for which that is as certain as the brief requires), `margin`
#'   (lead over the runner-up, with an interval that leaves out at either end the error
#'   probability that the brief allows), `reasons`, `pipelines` (a data frame, best first: `worth`,
#'   axes and `keepers` (their share) with 90 % intervals, the chance of being the best, `regret`
#'   (the expected loss from using it), ranks in 90 % of draws, takes, money and seconds per
#'   keeper), `engines` (the chance that the best pipeline uses each engine), `pictures` (how many
#'   cases, references and looks were met, and how many of them are independent), `uneven` (the
#'   share of the prompts' weight with evidence, by pipeline, if that differs), `unjudged` (cases
#'   that do not count), `pairs` (differences of all pairs with simultaneous intervals),
#'   `tradeoff` (the Pareto front), `weightings` and `flips` (winners under other weights, and the
#'   nearest of those), `needed` (if it is too close, a row: how many more seeds or cases would
#'   settle it with probability `sure`, and the probability with the largest number tried),
#'   `cases` (their information: `spread` of worth, `share` of the total, `keepers`, how the case
#'   `agrees` with the others, a redundant `twin`, which pipeline `leads` without it if that is
#'   another one), `useful` (whether a case of another `reference` or of another `look` would add
#'   more) and `table` (a data frame with a row a take). Printing it shows the verdict in words.
#' @section Uncertainty: The worth on new pictures is simulated from the variation between cases.
#'   Leads are shrunk by the part that luck can explain (empirical Bayes, Efron and Morris 1973),
#'   since the leader of many similar pipelines has usually been lucky. Worth, order, chance and
#'   loss come from the same draws. Cases that share a reference, or one of four looks or more,
#'   are not independent (Cameron, Gelbach and Miller 2011). Evidence on the prompts counts only
#'   where all pipelines have it. `bench/choosing.R` checks the calibration on simulated worlds
#'   whose truth is known.
#' @section Errors: `sprenn_error_run` if takes have not been measured, or no case was tried on
#'   all pipelines; `sprenn_error_argument` for an unknown job, engine, pipeline or axis;
#'   `sprenn_error_trial` for a `brief` that can't be read.
#' @family choosing
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
choose_pipeline <- function(
  trial,
  run = "main",
  job = NULL,
  brief = NULL,
  without = NULL,
  weights = NULL
) {
  told <- read_deciding(trial, run, job, brief, without, weights)
  verdict <- verdict_from(told$table, told$brief, told$race)
  about <- c("recipes", "suite", "run", "folder", "weak_spots", "unreached", "left_out")
  verdict <- c(verdict, told[about])
  if (!is.null(verdict$pipelines)) {
    verdict$engines <- chance_by_engine(verdict$pipelines, told$recipes)
  }

  structure(verdict, class = "sprenn_verdict")
}

# All that a choice rests on: the axis `table`, the `brief`, the pipelines' `recipes`.
read_deciding <- function(
  trial,
  run,
  job = NULL,
  brief = NULL,
  without = NULL,
  weights = NULL
) {
  check_arguments(
    job = checkmate::check_string(job, null.ok = TRUE),
    brief = checkmate::check_string(brief, null.ok = TRUE),
    without = checkmate::check_character(without, any.missing = FALSE, null.ok = TRUE),
    weights = checkmate::check_numeric(
      weights,
      lower = 0,
      upper = 1,
      any.missing = FALSE,
      names = if (length(weights)) "unique" else NULL,
      null.ok = TRUE
    )
  )
  trial <- as_trial(trial)
  brief <- reweighed(
    brief_for(if (is.null(brief)) trial$brief else read_brief(brief, trial$suite), job),
    weights
  )
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  # A pipeline that was left out of the run has not met what the others have.
  left_out <- intersect(read_left_out(store), trial$lineup$pipelines$pipeline)
  kept <- left_in(trial$lineup, c(without, left_out))
  table <- deciding_table(store, trial, brief, kept)
  race <- race_of(store, brief$job)
  # Takes that a race left unmade were not needed.
  if (isTRUE(race$over)) {
    table <- table[table$state != "planned", ]
  }

  list(
    table = table,
    brief = brief,
    race = race,
    recipes = with_settings(read_pipelines(store)),
    suite = c(
      trial$suite[c("suite", "title")],
      list(
        fingerprint = get_facts(store)$suite_fingerprint,
        changed = changes_of_suite(store, trial)
      )
    ),
    run = run,
    folder = trial$folder,
    unreached = trial$unreached,
    left_out = setdiff(
      unique(takes_for(store, trial, brief, left_out)$pipeline),
      pipelines_named(trial$lineup, without)
    ),
    weak_spots = c(
      unheld_words(table),
      weak_spots(
        trial,
        Filter(function(case) is.na(brief$job) || case$job == brief$job, trial$suite$cases)
      )
    )
  )
}

# Where a part of structure has no scores and the others make it up.
unheld_words <- function(table) {
  lacking <- table[table$state == "made" & table$unheld != "", ]
  each <- lapply(split(lacking$case, lacking$unheld), unique)
  cases <- unique(table$case[table$state == "made"])
  where <- vapply(each, function(own) {
    if (setequal(own, cases)) {
      ": every case lacks it for some pipeline, so the rest makes up structure."
    } else {
      paste0(
        " in ", shorten_list(own),
        ", where not every pipeline has it: the rest makes up structure there."
      )
    }
  }, "")
  paste0(names(each), " counts for nothing", where, recycle0 = TRUE)
}

# The axis table of a brief's job: the takes of the pipelines `kept` on the cases that all of
# them met.
deciding_table <- function(store, trial, brief, kept) {
  takes <- takes_for(store, trial, brief, kept)
  # The suite may have dropped seeds since.
  takes <- met_by_all(takes[takes$seed %in% trial$suite$seeds, ])
  unscored <- takes$state == "made" & !takes$take %in% read_scored(store)
  # Another process is writing to the run: unmeasured takes are still to come.
  if (is_locked(store)) {
    takes$state[unscored] <- "planned"
  } else if (any(unscored)) {
    stop_sprenn(
      "run",
      c(
        paste0(sum(unscored), " takes of run ", quoted(store$run), " have not been measured."),
        i = "`sprenn score` measures them."
      )
    )
  }

  axes_of(store, trial, brief, takes, evenly = TRUE)
}

# The takes of some pipelines on the cases of a brief's job, with what their chains cost; with
# or without the control takes.
takes_for <- function(store, trial, brief, pipelines, controls = FALSE) {
  takes <- count_whole_chains(count_calm_calls(read_takes(store, deciding_columns)))
  takes <- takes[(controls | is.na(takes$control)) & takes$pipeline %in% pipelines, ]
  jobs <- vapply(trial$suite$cases, `[[`, "", "job")
  ids <- vapply(trial$suite$cases, `[[`, "", "id")
  takes[takes$case %in% ids[is.na(brief$job) | jobs == brief$job], ]
}

axes_of <- function(store, trial, brief, takes, evenly = FALSE) {
  columns <- c(
    "take", "pipeline", "case", "seed", "control", "state", "file", "seconds", "cost",
    "failure", "message", "parent"
  )
  takes <- with_pictures(takes[columns], trial$suite)
  scores <- read_deciding_scores(store, brief$structure_from)
  axis_table(
    takes,
    scores,
    suite_phrases(trial$suite),
    brief$style,
    brief$structure_from,
    evenly
  )
}

# Adds which `reference` (the hash of its pixels) and which `look` (its name) a take's case has.
with_pictures <- function(takes, suite) {
  at <- match(takes$case, vapply(suite$cases, `[[`, "", "id"))
  of_case <- function(f, ...) vapply(suite$cases, f, "", ...)[at]
  takes$reference <- of_case(function(case) {
    if (is.null(case$reference)) {
      NA_character_
    } else {
      suite$files[[case$reference$path]]$hash
    }
  })
  takes$look <- of_case(`[[`, "look")
  takes
}

# The pipelines that are left in: all but those named.
left_in <- function(lineup, without) {
  kept <- setdiff(lineup$pipelines$pipeline, pipelines_named(lineup, without))
  if (length(kept) == 0) {
    stop_sprenn("argument", c("Nothing is left to choose from.", i = "Leave fewer out."))
  }

  kept
}

# The pipelines that are named by their own name, by their engine's, or by one of their steps.
pipelines_named <- function(lineup, names) {
  steps <- all_steps(lineup)
  known <- union(steps$engine, lineup$pipelines$pipeline)
  stop_for_unknown(names, known, "The lineup", "engine or pipeline")
  out <- union(names, steps$pipeline[steps$engine %in% names])
  # A chain is out with any of its steps.
  repeat {
    more <- setdiff(steps$pipeline[steps$follows %in% out], out)
    if (length(more) == 0) {
      break
    }

    out <- c(out, more)
  }

  intersect(lineup$pipelines$pipeline, out)
}

reweighed <- function(brief, weights) {
  stop_for_unknown(names(weights), axes, "A brief", "axis")
  if (length(weights) == 0) {
    return(brief)
  }

  rest <- setdiff(axes, names(weights))
  left <- 1 - sum(weights)
  own <- brief$weights[rest]
  if (left < -1e-9 || (left > 1e-9 && sum(own) == 0)) {
    stop_sprenn(
      "argument",
      c(
        paste0("These weights add up to ", format(sum(weights), digits = 4), "."),
        i = if (left < 0) {
          "Together they may be 1 at most; the other axes share the rest."
        } else {
          paste0(
            "The brief gives the other axes no weight, so nothing can share the ",
            "rest: name all axes."
          )
        }
      )
    )
  }

  brief$weights[names(weights)] <- weights
  brief$weights[rest] <- if (left > 1e-9) own / sum(own) * left else 0
  brief
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
    broken <- !is.na(parent) &
      takes$state == "planned" &
      before$state %in% c("failed", "refused")
    if (!any(broken)) {
      break
    }

    takes$state[broken] <- before$state[broken]
    takes$failure[broken] <- before$failure[broken]
    takes$message[broken] <- paste("An earlier step:", before$message[broken])
  }

  own <- takes[c("cost", "seconds")]
  at <- parent
  while (any(!is.na(at))) {
    for (what in names(own)) {
      takes[[what]] <- ifelse(
        is.na(at),
        takes[[what]],
        rowSums(cbind(takes[[what]], own[[what]][at]), na.rm = TRUE)
      )
    }

    at <- parent[at]
  }

  takes
}

# The first call of an engine may have had to load its checkpoint: it counts as long
# as the others of its pipeline.
count_calm_calls <- function(takes) {
  calm <- takes$state == "made" &
    takes$first_call == 0 &
    takes$pipeline %in% takes$pipeline[takes$first_call == 1]
  usual <- tapply(takes$seconds[calm], takes$pipeline[calm], stats::median)
  usual <- as.numeric(usual[takes$pipeline])
  takes$seconds <- ifelse(takes$first_call == 1 & !is.na(usual), usual, takes$seconds)
  takes
}

# Pipelines are compared on the cases that all of them met; where they were tried
# on different jobs, those may be few.
met_by_all <- function(takes) {
  cases <- unique(takes$case)
  pipelines <- unique(takes$pipeline)
  met <- unique(
    match(takes$case, cases) + length(cases) * (match(takes$pipeline, pipelines) - 1)
  )
  common <- cases[tabulate((met - 1) %% length(cases) + 1, length(cases)) == length(pipelines)]
  if (nrow(takes) > 0 && length(common) == 0) {
    stop_sprenn(
      "run",
      c(
        "No case was tried on all pipelines, so they can't be compared.",
        i = paste0(
          "Name one job in brief.yml, or a purpose for each; lineup.yml says which pipeline is ",
          "tried on which jobs."
        )
      )
    )
  }

  takes[takes$case %in% common, ]
}

# The phrases of all cases, wanted and not wanted.
suite_phrases <- function(suite) {
  asked <- lapply(suite$cases, asked_phrases)
  phrases <- unlist(asked, recursive = FALSE)
  new_table(
    case = rep(vapply(suite$cases, `[[`, "", "id"), lengths(asked)),
    phrase = vapply(phrases, `[[`, "", "key"),
    weight = as.numeric(vapply(phrases, `[[`, 0, "weight")),
    must = vapply(phrases, `[[`, NA, "must"),
    unwanted = vapply(phrases, `[[`, NA, "unwanted")
  )
}

stop_if_nothing_made <- function(verdict) {
  if (!is.null(verdict$pipelines)) {
    return(invisible())
  }

  if (verdict$state == "no evidence") {
    stop_sprenn(
      "run",
      c(
        "No case has evidence for what the brief weighs, or sets a floor on.",
        i = "`sprenn choose` says what is missing."
      )
    )
  }

  stop_sprenn(
    "run",
    c("There are no takes yet.", i = "`sprenn run` makes them.")
  )
}
