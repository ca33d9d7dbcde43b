#' Plan a run: every take that a suite and a lineup ask for
#'
#' Unfolds cases, seeds and pipelines into takes, in the order in which they are
#' made: breadth first over pipelines, so that a run that is stopped early can
#' still compare. Nothing is made and nothing written.
#'
#' @param trial A trial's folder, or what [read_trial()] returned.
#' @return A tibble of class `sprenn_plan` with one row a take: `take` (an id
#'   made from all that determines the picture), `pipeline`, `case`, `seed`,
#'   `engine`, `price` and `seconds` (as the engine states them).
#' @export
#' @examples
#' folder <- file.path(tempdir(), "plan-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' plan_run(folder)
#' unlink(folder, recursive = TRUE)
plan_run <- function(trial) {
  trial <- as_trial(trial)
  refuse_unbuilt(trial$lineup)
  inputs <- vapply(trial$suite$cases, case_inputs_hash, "", suite = trial$suite)
  pipelines <- trial$lineup$pipelines
  grid <- expand.grid(
    pipeline = seq_len(nrow(pipelines)), case = seq_along(trial$suite$cases),
    seed = seq_along(trial$suite$seeds)
  )
  jobs <- vapply(trial$suite$cases, `[[`, "", "job")
  wanted <- vapply(pipelines$jobs, function(own) jobs %in% own, logical(length(jobs)))
  grid <- grid[matrix(wanted, length(jobs))[cbind(grid$case, grid$pipeline)], ]
  recipes <- vapply(seq_len(nrow(pipelines)), function(i) recipe_hash(pipelines[i, ], trial$lineup$engines), "")
  about <- lapply(pipelines$engine, function(name) trial$lineup$engines[[name]]$about)
  seeds <- trial$suite$seeds[grid$seed]
  keys <- paste(recipes[grid$pipeline], inputs[grid$case], seeds)
  plan <- tibble::tibble(
    take = substr(sha256_of(keys), 1, 20),
    pipeline = pipelines$pipeline[grid$pipeline],
    case = vapply(trial$suite$cases, `[[`, "", "id")[grid$case],
    seed = seeds,
    engine = pipelines$engine[grid$pipeline],
    price = vapply(about, `[[`, 0, "price")[grid$pipeline],
    seconds = as.numeric(vapply(about, function(a) as.numeric(a$seconds), 0))[grid$pipeline]
  )
  structure(plan, class = c("sprenn_plan", class(plan)), notes = plan_notes(trial))
}

as_trial <- function(trial) if (inherits(trial, "sprenn_trial")) trial else read_trial(trial)

# What is read and checked but can't be run yet stops a run, rather than being
# left out in silence.
refuse_unbuilt <- function(lineup) {
  chains <- lineup$pipelines$pipeline[lengths(lineup$pipelines$steps) > 0]
  if (length(chains) || length(lineup$controls)) {
    stop_sprenn("plan", c(
      "This lineup asks for something that this version of Sprenn can't run yet.",
      if (length(chains)) c(x = paste("chains of several steps:", shorten_list(chains))),
      if (length(lineup$controls)) c(x = paste("controls:", shorten_list(lineup$controls))),
      i = "Take them out of lineup.yml for now; nothing was made."
    ))
  }
}

# All of a case that an engine is given, pictures by their pixels.
case_inputs_hash <- function(case, suite) {
  look <- if (is.na(case$look)) character() else suite$looks[[case$look]]
  phrases <- lapply(case$prompt, function(phrase) list(phrase$say, phrase$weight))
  facts <- case_facts(case, suite)
  hash_of(list(
    phrases, suite$size, facts[names(facts) %in% c("references", "negative", "guides", "mask", "grow")],
    case$look_weight, lapply(unname(look), function(path) suite$files[[path]]$hash)
  ))
}

recipe_hash <- function(pipeline, engines) {
  about <- engines[[pipeline$engine]]$about
  hash_of(list(about$name, about$version, pipeline$checkpoint, pipeline$native_hold, pipeline$settings[[1]], pipeline$add_ons[[1]], pipeline$steps[[1]]))
}

# What a lead should know before anything is made.
plan_notes <- function(trial) {
  cases <- trial$suite$cases
  ids <- vapply(cases, `[[`, "", "id")
  unchecked <- vapply(cases, function(case) !case$neutral && all(vapply(case$prompt, function(p) is.null(p$probe), NA)), NA)
  unsure <- Filter(function(engine) !engine$about$repeatable, trial$lineup$engines)
  c(
    if (any(unchecked)) {
      paste0(
        "No phrase of ", shorten_list(ids[unchecked]),
        " can be checked: adherence has no evidence there, and is left out of the choice."
      )
    },
    if (length(cases) < 3) {
      "Fewer than 3 cases: the choice can't speak for pictures other than these."
    },
    if (length(trial$suite$seeds) < 2) {
      "Only one seed: luck can't be told from a pipeline's doing."
    },
    if (length(unsure)) paste0(paste(names(unsure), collapse = ", "), " does not repeat a seed: its takes differ each time.")
  )
}

shorten_list <- function(words, most = 4) {
  if (length(words) > most) words <- c(words[seq_len(most - 1)], paste(length(words) - most + 1, "more"))
  if (length(words) < 2) words else paste(paste(words[-length(words)], collapse = ", "), "and", words[length(words)])
}

#' @export
summary.sprenn_plan <- function(object, ...) {
  by_pipeline <- split(object, factor(object$pipeline, unique(object$pipeline)))
  rows <- lapply(by_pipeline, function(part) {
    tibble::tibble(
      pipeline = part$pipeline[1], engine = part$engine[1], takes = nrow(part),
      cost = sum(part$price), minutes = sum(part$seconds) / 60
    )
  })
  do.call(rbind, rows)
}
