# How a run stands while it is made, and afterwards, read from its records alone.

#' How a run stands
#'
#' What a run has made, measured and spent so far, what has failed and what to do about it, and how
#' long it will take; from its records alone, so that any process or machine that can read them can
#' ask, also while another makes the takes.
#'
#' @inheritParams run_trial
#' @param newest How many of the newest takes to tell of, and of the newest with a serious flaw.
#' @return A list of class `sprenn_run_state`: `run`; `state` (`running`, `stopping`, `complete`, or
#'   `open` if nobody is making takes that are still planned); `holder`, who is making them, in
#'   words, or `NA`; `words`, what the process is waiting for; `asking`, calls of judges as
#'   `c(done, total)` while they are asked, or `NULL`; `left`, the seconds that are left, or `NA`;
#'   `cost` so far, `cost_left`, what the planned takes would cost by the mean of those made, or
#'   else by the engine's price, and `cost_limit`, the brief's, or `NA`; `takes`, named counts
#'   (`planned`, `made`, `failed`, `refused`, `measured`, `in_flight`, and `left_out`, those planned
#'   ones that are left out); `pipelines`, a data frame with a row for each pipeline and earlier
#'   step of a chain (`pipeline`, `engine`, `planned`, `made`, `failed`, `refused`, `measured`,
#'   `cost`, `left_out`); `engines` (`engine`, `made`, `total`, `in_flight`, `failed`, `words`);
#'   `failures` (`pipeline`, `state`, `failure`, `message`, `takes`, `advice`), the most frequent
#'   first; and `newest`, the newest first (`take`, `pipeline`, `case`, `seed`, `control`,
#'   `made_at`, `seconds`, `cost`, `measured`, the `flaws` that were found, serious ones first, and
#'   whether any is `serious`), with `flawed`, the same of the newest takes with a serious flaw.
#' @section Errors: `sprenn_error_run` if there is no such run.
#' @family runs
#' @export
#' @examples
#' folder <- file.path(tempdir(), "state-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' run_trial(folder, workers = 0)
#' read_run(folder)
#' unlink(folder, recursive = TRUE)
read_run <- function(trial, run = "main", newest = 12) {
  check_arguments(newest = checkmate::check_int(newest, lower = 0, upper = 1000))
  trial <- as_trial(trial)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  state_of_run(store, trial, newest)
}

state_of_run <- function(store, trial, newest) {
  writers <- live_writers(store)
  locked <- nrow(writers) > 0
  told <- read_noted_progress(writers)
  pipelines <- count_pipelines(store, steps_left_out(trial$lineup, read_left_out(store)))
  sums <- colSums(pipelines[c("planned", "made", "failed", "refused", "measured")])
  out <- sum(pipelines$planned[pipelines$left_out])
  structure(
    list(
      run = store$run,
      state = if (!locked) {
        if (sums[["planned"]] > out) "open" else "complete"
      } else if (all(writers$stop == 1)) {
        "stopping"
      } else {
        "running"
      },
      holder = if (locked) writers_words(writers) else NA_character_,
      words = told$words %||% "",
      asking = if (isTRUE(told$to_ask > 0)) c(told$asked, told$to_ask),
      left = as.numeric(told$left %||% NA),
      cost = sum(pipelines$cost),
      cost_left = cost_of_planned(pipelines, trial$lineup),
      cost_limit = as.numeric(trial$brief$limits$cost %||% NA),
      takes = c(sums, in_flight = as.numeric(told$flying %||% 0), left_out = out),
      pipelines = pipelines,
      engines = engines_of_run(pipelines, told$engines),
      failures = told_failures(store),
      newest = with_flaws(read_newest(store, newest), store),
      flawed = with_flaws(read_newest(store, newest, flawed = TRUE), store)
    ),
    class = "sprenn_run_state"
  )
}

# The counts of the pipelines and of earlier steps of chains, in the lineup's order.
count_pipelines <- function(store, left_out) {
  counts <- read_counts(store)
  # Of a run that has no takes yet, columns have no type.
  numbers <- setdiff(names(counts), "pipeline")
  counts[numbers] <- lapply(counts[numbers], as.numeric)
  counts$pipeline <- as.character(counts$pipeline)
  steps <- read_pipelines(store)
  counts <- counts[order(match(counts$pipeline, steps$pipeline)), ]
  counts$engine <- steps$engine[match(counts$pipeline, steps$pipeline)]
  counts$left_out <- counts$pipeline %in% left_out
  as_table(counts[c(
    "pipeline", "engine", "planned", "made", "failed", "refused", "measured", "cost", "left_out"
  )])
}

# By what takes have cost so far, or else by what the engine says.
cost_of_planned <- function(pipelines, lineup) {
  steps <- all_steps(lineup)
  listed <- vapply(seq_len(nrow(steps)), planned_price, 0, steps, lineup$engines)
  each <- ifelse(
    pipelines$made > 0,
    pipelines$cost / pipelines$made,
    listed[match(pipelines$pipeline, steps$pipeline)]
  )
  sum((pipelines$planned * each)[!pipelines$left_out & pipelines$planned > 0])
}

# As the running process tells of them; otherwise as they were left.
engines_of_run <- function(pipelines, told) {
  names <- unique(pipelines$engine)
  by_engine <- function(values) {
    as.numeric(tapply(values, factor(pipelines$engine, names), sum))
  }
  engines <- new_table(
    engine = as.character(names),
    made = by_engine(pipelines$made),
    total = by_engine(
      rowSums(pipelines[c("planned", "made", "failed", "refused")]) -
        pipelines$planned * pipelines$left_out
    ),
    in_flight = rep(0, length(names)),
    failed = by_engine(pipelines$failed + pipelines$refused),
    words = rep("", length(names))
  )
  told <- told[told$engine %in% engines$engine, ]
  at <- match(told$engine, engines$engine)
  engines$in_flight[at] <- told$flying
  engines$words[at] <- clean_text(as.character(told$words))
  engines
}

# What went wrong, and what to do about it. Takes that were only tried are planned still.
told_failures <- function(store) {
  failures <- read_failures(store)
  failures$takes <- as.numeric(failures$takes)
  texts <- setdiff(names(failures), "takes")
  failures[texts] <- lapply(failures[texts], as.character)
  failures$advice <- unname(failure_words[failures$failure])
  as_table(failures)
}

# Takes with whether they are measured, and their flaws in words.
with_flaws <- function(takes, store) {
  flaws <- read_flaws_of(store, takes$take)
  takes$measured <- takes$take %in% read_measured_of(store, takes$take)
  takes$flaws <- vapply(
    takes$take,
    function(take) flaw_words(flaws[flaws$take == take, ]),
    "",
    USE.NAMES = FALSE
  )
  takes$serious <- takes$take %in% flaws$take[flaws$level == "serious"]
  as_table(takes)
}

# The flaws of one take, serious ones first; one that several phrases have is said once.
flaw_words <- function(flaws) {
  flaws <- flaws[order(flaws$level != "serious"), ]
  flaws <- flaws[!duplicated(flaws$measure), ]
  slight <- ifelse(flaws$level == "serious", "", "slight ")
  listed(paste0(slight, gsub("_", " ", flaws$measure), recycle0 = TRUE))
}

#' @export
format.sprenn_run_state <- function(x, ...) {
  takes <- x$takes
  total <- sum(takes[c("planned", "made", "failed", "refused")]) - takes[["left_out"]]
  c(
    paste0(state_words(x), "."),
    paste0(
      takes[["made"]], " of ", count_words(total, "take"), " made, ",
      takes[["failed"]] + takes[["refused"]], " failed or refused, ", takes[["measured"]],
      " measured",
      if (takes[["in_flight"]] > 0) paste0(", ", takes[["in_flight"]], " in flight"),
      ", cost ", money_words(x), "."
    ),
    if (!is.na(x$left)) paste0("About ", show_seconds(x$left), " left."),
    if (any(x$pipelines$left_out)) {
      paste0("Left out: ", listed(x$pipelines$pipeline[x$pipelines$left_out]), ".")
    }
  )
}

#' @export
print.sprenn_run_state <- function(x, ...) {
  cat(paste0("<run> ", x$run), format(x, ...), sep = "\n")
  invisible(x)
}

# Whether the run goes on, by whose process.
state_words <- function(state) {
  switch(state$state,
    running = paste0("Running: ", state$holder),
    stopping = paste0("Stopping after what is in flight: ", state$holder),
    complete = "Everything is made",
    open = "Nobody is making takes now"
  )
}

money_words <- function(state) {
  paste0(
    show_money(state$cost),
    if (isTRUE(state$cost_left > 0)) {
      paste0(", about ", show_money(state$cost + state$cost_left), " in all")
    },
    if (!is.na(state$cost_limit)) paste0(" (limit ", show_money(state$cost_limit), ")")
  )
}
