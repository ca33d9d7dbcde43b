#' Choose a pipeline, or say what is missing
#'
#' Weighs the measured takes of a run by the trial's brief. Differences are
#' taken within the cases that all pipelines met, and uncertainty comes from how
#' cases disagree. Failed and refused takes count as not usable.
#'
#' A take is a *keeper* when it was made, has no serious flaw and clears every
#' floor of the brief. Its worth is the weighted mean of its axes if it is a
#' keeper, and 0 if it is not.
#'
#' @inheritParams run_trial
#' @param job The job to choose for, where the brief has a purpose for each of
#'   several; its first one if `NULL`.
#' @param brief Path of another brief to choose by, in place of the trial's
#'   `brief.yml`: its weights, floors, style and confidence. The run stays as it is.
#' @param without Names of engines or pipelines to leave out.
#' @param weights What if axes weighed otherwise: a named vector of weights from 0 to
#'   1, such as `c(structure = 0.6)`. The other axes share the rest as they did.
#' @return An object of class `sprenn_verdict`, a list: `state` (`decided`, `too
#'   close`, `too few cases`, `unfinished`, `no keepers`, `no evidence`, `nothing made`),
#'   `best`, `runner_up`, `confidence` (the chance that `best` is the best, or within
#'   the brief's `close_enough` of it), `close` (all of which that is as sure as the
#'   brief wants), `margin` (lead over the runner-up, and an interval that leaves out
#'   as much at either end as the brief allows to be wrong), `reasons`,
#'   `pipelines` (a tibble, best first: worth (`utility`), axes and yield with 90 %
#'   intervals, chance of being best, `regret` (what using it loses on average if
#'   it is not), ranks that hold 90 % of draws, takes, money and seconds per
#'   keeper), `engines` (the chance that the best is one of each engine's),
#'   `pictures` (how many cases, references and looks were met, and how many of them
#'   are independent), `uneven` (the share of the prompts' weight with evidence, by
#'   pipeline, where that differs), `unjudged` (cases that count for nothing),
#'   `pairs` (every two pipelines' difference, with intervals that hold
#'   all at once), `tradeoff` (whom nothing beats on all axes), `weightings` and
#'   `flips` (who would win with other weights, and the nearest of those), `needed`
#'   (where it is too close, a row: how many more seeds or cases would settle it
#'   with the chance `sure`, and the chance with the most that are tried), `cases`
#'   (which of them tell pipelines apart: `spread` of worth, `share` of all that is
#'   told, `keepers`, how the case `agrees` with the others, a `twin` that says the same,
#'   who `leads` without it where that is another), `useful` (whether a case of another
#'   `reference` or of another `look` would say more) and `table` (a tibble with a row a
#'   take). Printing it says all this in words.
#' @section How sure: What pipelines are worth on new pictures is drawn from how cases
#'   disagree: leads are shrunk by what luck could have made of them (empirical Bayes,
#'   Efron and Morris 1973), for of many pipelines that differ little, the one that
#'   leads has been lucky. Worth, order, chance and loss are told from the same draws.
#'   Cases that share a reference, or one of four looks or more, are no independent
#'   witnesses (Cameron, Gelbach and Miller 2011). Evidence on the prompts counts where
#'   all pipelines have it. `bench/choosing.R` holds what is stated against made-up
#'   worlds whose truth is known.
#' @section Errors: `sprenn_error_run` where takes have not been measured, or no case
#'   was met by all; `sprenn_error_argument` for a job, engine, pipeline or axis that
#'   is not there; `sprenn_error_trial` for a `brief` that can't be read.
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
  verdict <- c(verdict, told[c("recipes", "suite", "run", "folder", "weak_spots")])
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
  kept <- left_in(trial$lineup, without)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  table <- deciding_table(store, trial, brief, kept)
  race <- race_of(store, brief$job)
  # What a race left unmade was never needed.
  if (isTRUE(race$over)) {
    table <- table[table$state != "planned", ]
  }

  list(
    table = table,
    brief = brief,
    race = race,
    recipes = with_settings(read_pipelines(store)),
    suite = trial$suite[c("suite", "title")],
    run = run,
    folder = trial$folder,
    weak_spots = weak_spots(
      trial,
      Filter(function(case) is.na(brief$job) || case$job == brief$job, trial$suite$cases)
    )
  )
}

# The axis table of a brief's job: the takes of the pipelines `kept` on the cases that all of
# them met.
deciding_table <- function(store, trial, brief, kept) {
  takes <- met_by_all(takes_for(store, trial, brief, kept))
  unscored <- takes$state == "made" & !takes$take %in% read_scored(store)
  # Another process is at it: what it has not measured yet is still to come.
  if (is_held(store)) {
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
  if (is.na(brief$job)) {
    takes
  } else {
    takes[takes$case %in% ids[jobs == brief$job], ]
  }
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

# The pipelines that are left in: all but those named, by their own name or their engine's.
left_in <- function(lineup, without) {
  steps <- all_steps(lineup)
  known <- union(steps$engine, lineup$pipelines$pipeline)
  stop_for_unknown(without, known, "The lineup", "engine or pipeline")
  out <- union(without, steps$pipeline[steps$engine %in% without])
  # A chain is out with any of its steps.
  repeat {
    more <- setdiff(steps$pipeline[steps$follows %in% out], out)
    if (length(more) == 0) {
      break
    }

    out <- c(out, more)
  }

  kept <- setdiff(lineup$pipelines$pipeline, out)
  if (length(kept) == 0) {
    stop_sprenn("argument", c("Nothing is left to choose from.", i = "Leave fewer out."))
  }

  kept
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
            "The brief gives the other axes no weight, so that there is nobody to share the ",
            "rest: name all."
          )
        }
      )
    )
  }

  brief$weights[names(weights)] <- weights
  brief$weights[rest] <- if (left > 1e-9) own / sum(own) * left else 0
  brief
}

# Pipelines with their `family` (of a sweep, the pipeline that is varied) and all that is
# set, as named values: `set`.
with_settings <- function(pipelines) {
  pipelines$family <- ifelse(is.na(pipelines$sweep), pipelines$pipeline, pipelines$sweep)
  pipelines$set <- lapply(seq_len(nrow(pipelines)), function(i) {
    own <- c(
      list(checkpoint = pipelines$checkpoint[i], hold = pipelines$hold[i]),
      jsonlite::fromJSON(pipelines$settings[i], simplifyVector = FALSE)
    )
    own <- unlist(own, recursive = TRUE)
    own <- as.list(own[!is.na(own)])
    lapply(own, function(one) {
      if (suppressWarnings(!is.na(as.numeric(one)))) {
        as.numeric(one)
      } else {
        one
      }
    })
  })
  pipelines
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
        "No case was met by all pipelines, so they can't be compared.",
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
  tibble::tibble(
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
    c("There is nothing to say yet: no take has been made.", i = "`sprenn run` makes them.")
  )
}
