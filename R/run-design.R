#' Plan the number of cases and seeds
#'
#' Computes, before anything is paid for, the probability that a run of so many cases and seeds
#' names the right pipeline if the best differs from all others by `tell`. The variation between
#' cases and seeds is taken from earlier runs.
#'
#' Simulated outcomes are judged as a verdict would judge them (see [choose_pipeline()]); the
#' uncertainty of the spreads is included. More cases say more than as many more seeds.
#'
#' @inheritParams run_trial
#' @param tell The difference in worth to detect, above 0 and at most 0.5.
#' @param sure The probability of a right verdict that is wanted, 0.5 to 0.99.
#' @param job The job to choose for; the brief's first one if `NULL`.
#' @param like Runs to estimate the spreads from: folders of runs, or of trials (all their runs).
#'   The trial's own runs if `NULL`; defaults for the job if there are none.
#' @return An object of class `sprenn_design`, a list: `designs`, a data frame with a row for each
#'   number of `cases` (each with a picture of its own) and `seeds`: `takes`, `cost`, `seconds`
#'   (engines work in parallel; `NA` if one does not state it) and `assurance`, the probability
#'   that the verdict is reached and right; `best`, the cheapest row that is sure enough (in takes
#'   if engines cost nothing), or none; `within_limits`, the surest row within the brief's limits;
#'   `suite`, the same for the suite as it is: `cases`, `pictures` (independent ones), `seeds`,
#'   `assurance`, `tells` (the smallest difference detected with `sure`) and `tells_at_most` (with
#'   any number of seeds); `spreads`, `by_case` and `by_seed` (standard deviations of a take's
#'   worth) with their degrees of freedom; `from`, their origin.
#' @section Errors: `sprenn_error_argument` if there is only one pipeline for the job, or `like`
#'   names no run; `sprenn_error_run` if a run has no suitable takes.
#' @family runs
#' @export
#' @examples
#' folder <- file.path(tempdir(), "design-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' plan_design(folder, tell = 0.1)
#' unlink(folder, recursive = TRUE)
plan_design <- function(trial, tell, sure = 0.9, job = NULL, like = NULL) {
  check_arguments(
    tell = checkmate::check_number(tell, lower = 0.001, upper = 0.5),
    sure = checkmate::check_number(sure, lower = 0.5, upper = 0.99),
    job = checkmate::check_string(job, null.ok = TRUE),
    like = checkmate::check_character(like, min.len = 1, any.missing = FALSE, null.ok = TRUE)
  )
  trial <- as_trial(trial)
  brief <- brief_for(trial$brief, job)
  cases <- Filter(function(case) is.na(brief$job) || case$job == brief$job, trial$suite$cases)
  ids <- vapply(cases, `[[`, "", "id")
  plan <- plan_takes(trial)
  plan <- plan[plan$case %in% ids & is.na(plan$control), ]
  pipelines <- length(intersect(trial$lineup$pipelines$pipeline, plan$pipeline))
  if (pipelines < 2) {
    stop_sprenn(
      "argument",
      c(
        paste0(
          "The lineup has ", count_words(pipelines, "pipeline"),
          if (!is.na(brief$job)) paste0(" for ", brief$job),
          ", so there is nothing to tell apart."
        ),
        i = "Name another job with --job, or add pipelines to lineup.yml."
      )
    )
  }

  spreads <- spreads_for(trial, brief, like)
  seeds <- length(trial$suite$seeds)
  pictures <- independent_pictures(with_pictures(new_table(case = ids), trial$suite))
  within <- close_enough_of(brief)
  one <- list(
    takes = nrow(plan) / length(ids) / seeds,
    cost = sum(plan$price) / length(ids) / seeds,
    seconds = plan_seconds(plan, trial$lineup) / length(ids) / seeds
  )
  assurance <- function(cases, seeds) {
    foreseen_assurance(spreads, pipelines, cases, seeds, tell, brief$confidence, within)
  }

  designs <- design_table(length(ids), seeds, one, assurance)
  enough <- designs[designs$assurance >= sure, ]
  limits <- utils::modifyList(usual_limits, as.list(trial$brief$limits))
  in_time <- is.na(designs$seconds) | designs$seconds <= limits$hours * 3600
  fitting <- designs[designs$takes <= limits$takes & designs$cost <= limits$cost & in_time, ]
  least <- function(seeds) {
    least_told(spreads, pipelines, pictures, seeds, brief$confidence, sure, within)
  }

  structure(
    list(
      designs = designs,
      best = utils::head(enough[order(enough$cost, enough$takes), ], 1),
      within_limits = utils::head(fitting[order(-fitting$assurance, fitting$takes), ], 1),
      suite = list(
        cases = length(ids),
        pictures = pictures,
        seeds = seeds,
        assurance = assurance(pictures, seeds),
        tells = least(seeds),
        tells_at_most = least(Inf)
      ),
      spreads = spreads[c("by_case", "case_free", "by_seed", "seed_free")],
      from = spreads$from,
      tell = tell,
      sure = sure,
      job = brief$job,
      pipelines = pipelines,
      confidence = brief$confidence,
      within = within
    ),
    class = "sprenn_design"
  )
}

tried_cases <- c(4L, 8L, 12L, 16L, 24L, 32L, 48L, 64L, 96L, 128L, 192L, 256L, 384L)
tried_seeds <- c(1L, 2L, 3L, 5L)

# `one` is what a comparison comes to: a case and seed on every pipeline.
design_table <- function(cases, seeds, one, assurance) {
  grid <- expand.grid(
    seeds = sort(unique(c(tried_seeds, seeds))),
    cases = sort(unique(c(tried_cases, cases)))
  )
  many <- grid$cases * grid$seeds
  new_table(
    cases = grid$cases,
    seeds = grid$seeds,
    takes = round(many * one$takes),
    cost = many * one$cost,
    seconds = many * one$seconds,
    assurance = mapply(assurance, grid$cases, grid$seeds)
  )
}

# Default spreads until a run has measured its own: those of the demo trial's stand-ins for jobs
# that make a picture anew, and for jobs that mend or add to one. They count as poorly known.
usual_spreads <- list(
  anew = list(by_case = 0.2, case_free = 10, by_seed = 0.15, seed_free = 10),
  mended = list(by_case = 0.1, case_free = 10, by_seed = 0.05, seed_free = 10)
)

# The spreads of worth by earlier runs, pooled by how well each is known.
spreads_for <- function(trial, brief, like) {
  runs <- if (is.null(like)) {
    own_runs(trial)
  } else {
    unlist(lapply(like, runs_at), recursive = FALSE)
  }
  found <- lapply(runs, function(run) spreads_of(run, brief, strict = !is.null(like)))
  found <- Filter(Negate(is.null), found)
  if (length(found) == 0) {
    makes_anew <- brief$job %in% c(NA, "restyle", "vary", "blend", "fresh")
    usual <- usual_spreads[[if (makes_anew) "anew" else "mended"]]
    return(c(usual, list(from = "usual")))
  }

  pooled <- function(spread, free) {
    known <- Filter(function(one) one[[free]] > 0, found)
    weights <- vapply(known, `[[`, 0, free)
    if (length(known)) {
      sqrt(sum(weights * vapply(known, `[[`, 0, spread)^2) / sum(weights))
    } else {
      NA_real_
    }
  }

  total <- function(free) sum(vapply(found, `[[`, 0, free))
  list(
    by_case = pooled("by_case", "case_free"),
    case_free = total("case_free"),
    by_seed = pooled("by_seed", "seed_free"),
    seed_free = total("seed_free"),
    from = vapply(found, `[[`, "", "from")
  )
}

own_runs <- function(trial) {
  lapply(known_runs(trial$folder), function(run) list(trial = trial, run = run, name = run))
}

runs_at <- function(folder) {
  stop_unless_there <- function(there) {
    if (!there) {
      stop_sprenn(
        "argument",
        c(
          paste0(quoted(folder), " is neither a run nor a trial with runs."),
          i = "--like takes the folder of a run (TRIAL/runs/NAME) or of a trial."
        )
      )
    }
  }

  stop_unless_there(dir.exists(folder))
  of_run <- basename(dirname(folder)) == "runs" &&
    basename(folder) %in% known_runs(dirname(dirname(folder)))
  owner <- if (of_run) dirname(dirname(folder)) else folder
  runs <- if (of_run) basename(folder) else known_runs(folder)
  stop_unless_there(length(runs) > 0)
  trial <- read_trial(owner)
  lapply(runs, function(run) {
    list(trial = trial, run = run, name = file.path(owner, "runs", run))
  })
}

# Of one run, by the brief that is to be chosen by; NULL where it tells nothing.
spreads_of <- function(run, brief, strict) {
  failed <- function(e) if (strict) stop(e) else NULL
  tryCatch(
    {
      store <- open_store(run$trial$folder, run$run)
      on.exit(close_store(store))
      table <- add_worth(
        deciding_table(store, run$trial, brief, run$trial$lineup$pipelines$pipeline),
        brief
      )
      parts <- worth_parts_of(table[table$state != "planned", ])
      if (is.na(parts$by_case)) {
        stop_sprenn(
          "run",
          c(
            paste0(
              "Run ", quoted(run$name), " can't say how cases disagree",
              if (!is.na(brief$job)) paste0(" for ", brief$job),
              "."
            ),
            i = "It takes two pipelines and two cases of that job that were made and measured."
          )
        )
      }

      c(parts, list(from = run$name))
    },
    sprenn_error_run = failed
  )
}
