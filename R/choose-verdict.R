# From an axis table to a verdict, as data; the words are the interface's.

fewest_cases <- 3

# `looks`: how often a run could have been looked at that stopped when it had seen enough;
# NULL where it was not.
verdict_from <- function(table, brief, looks = NULL) {
  table <- add_utility(table, brief)
  if (!any(!is.na(table$keeper))) {
    return(list(state = "nothing made", table = table, brief = brief))
  }
  columns <- c("utility", axes)
  widen <- if (is.null(looks)) 1 else peeking_stretch(brief$confidence, known_by_now(table, looks), looks)
  draws <- score_draws(table, columns, brief$draws, brief$seed, widen)
  by_case <- case_means(table, "utility", drawn_units(table))[[1]]
  pipelines <- pipeline_table(table, draws, likely_worth(draws$utility, by_case, widen))
  pipelines <- pipelines[order(-pipelines$utility, pipelines$cost_per_keeper, na.last = TRUE), ]
  best <- pipelines$pipeline[1]
  runner_up <- if (nrow(pipelines) > 1) pipelines$pipeline[2] else NA_character_
  n_cases <- length(unique(table$case))
  state <- if (pipelines$yield[1] == 0) {
    "no keepers"
  } else if (any(table$state == "planned")) {
    "unfinished"
  } else if (n_cases < fewest_cases) {
    "too few cases"
  } else if (!isTRUE(pipelines$chance_best[1] >= brief$confidence)) {
    "too close"
  } else {
    "decided"
  }
  in_the_race <- pipelines$pipeline[pipelines$chance_best %in% NA | pipelines$chance_best >= 0.05 | pipelines$pipeline == best]
  weighed <- names(brief$weights)[brief$weights > 0]
  parts <- worth_parts(table, weighed)
  list(
    state = state, best = best, runner_up = runner_up,
    confidence = pipelines$chance_best[1],
    margin = if (is.na(runner_up)) rep(NA_real_, 3) else margin_of(draws$utility, pipelines, best, runner_up),
    in_the_race = in_the_race,
    reasons = rank_reasons(pipelines, brief),
    weakest_case = weakest_case(table, best),
    failures = count_failures(table, best),
    coverage = mean(table$coverage[table$state == "made"], na.rm = TRUE),
    unchecked = unchecked_axes(table, brief),
    pairs = pair_differences(by_case, widen = widen),
    tradeoff = tradeoff_table(axis_means(pipelines), draws[axes]),
    flips = nearest_flips(table, brief$weights[weighed], parts),
    weightings = weight_map(table, weighed, parts = parts),
    needed = evidence_needed(table, best, setdiff(in_the_race, best), brief$confidence),
    looks = looks, draws = draws,
    pipelines = pipelines, table = table, brief = brief
  )
}

axis_means <- function(pipelines) {
  means <- as.matrix(pipelines[axes])
  rownames(means) <- pipelines$pipeline
  means
}

# One row a pipeline: means with 90 % intervals, ranks, yield, money and time. Who is the best
# is told from `worth` (likely_worth()).
pipeline_table <- function(table, draws, worth) {
  pipelines <- unique(table$pipeline)
  drawn <- !all(is.na(draws$utility))
  ranks <- rank_intervals(worth)
  out <- tibble::tibble(
    pipeline = pipelines, chance_best = if (drawn) unname(chance_best(worth)[pipelines]) else NA_real_,
    regret = unname(expected_regret(worth)[pipelines]), rank_low = if (drawn) unname(ranks[, "from"]) else NA_real_, rank_high = if (drawn) unname(ranks[, "to"]) else NA_real_
  )
  for (column in names(draws)) {
    ends <- vapply(pipelines, function(p) clamp_share(interval(draws[[column]][p, ])), c(0, 0))
    out[[column]] <- unname(mean_by_pipeline(table, column))
    out[[paste0(column, "_low")]] <- ends[1, ]
    out[[paste0(column, "_high")]] <- ends[2, ]
  }
  kept <- yield_interval(table)
  out$yield <- unname(mean_by_pipeline(table, "keeper"))
  out$yield_low <- kept[, "from"]
  out$yield_high <- kept[, "to"]
  own <- split(table, factor(table$pipeline, pipelines))
  total <- function(f) unname(vapply(own, f, 0))
  out$takes <- total(function(part) sum(part$state != "planned"))
  out$failed <- total(function(part) sum(part$state %in% c("failed", "refused")))
  keepers <- total(function(part) sum(part$keeper, na.rm = TRUE))
  out$takes_per_keeper <- out$takes / keepers
  out$cost_per_keeper <- total(function(part) sum(part$cost, na.rm = TRUE)) / keepers
  out$seconds_per_keeper <- total(function(part) sum(part$seconds, na.rm = TRUE)) / keepers
  out
}

# The mean lead over the runner-up, and its 90 % interval.
margin_of <- function(draws, pipelines, best, runner_up) {
  utility <- stats::setNames(pipelines$utility, pipelines$pipeline)
  # Worths lie between 0 and 1, and so do leads.
  c(utility[[best]] - utility[[runner_up]], pmin(1, pmax(-1, interval(draws[best, ] - draws[runner_up, ]))))
}

# What speaks for the best pipeline, strongest first: its lead on each axis over
# the median of the others, counted by the brief's weight; its yield; and, counted
# little, the share of money and of time that a keeper saves.
rank_reasons <- function(pipelines, brief) {
  best <- pipelines[1, ]
  others <- pipelines[-1, ]
  reason <- function(what, weight) {
    against <- if (nrow(others)) stats::median(others[[what]], na.rm = TRUE) else NA_real_
    tibble::tibble(
      what = what, value = best[[what]], low = best[[paste0(what, "_low")]],
      high = best[[paste0(what, "_high")]], against = against,
      gain = weight * (best[[what]] - against)
    )
  }
  rows <- do.call(rbind, c(
    Map(reason, names(brief$weights)[brief$weights > 0], brief$weights[brief$weights > 0]),
    list(reason("yield", 0.5), saving("cost_per_keeper", best, others), saving("seconds_per_keeper", best, others))
  ))
  saved <- rows$what %in% c("cost_per_keeper", "seconds_per_keeper")
  rows <- rows[!is.na(rows$value) & !(saved & is.na(rows$against)), ]
  rows[order(-rows$gain, na.last = TRUE), ]
}

saving <- function(what, best, others) {
  value <- best[[what]]
  rest <- others[[what]][is.finite(others[[what]])]
  against <- if (length(rest)) stats::median(rest) else NA_real_
  tibble::tibble(
    what = what, value = if (is.finite(value)) value else NA_real_, low = NA_real_, high = NA_real_, against = against,
    gain = if (isTRUE(max(value, against) > 0)) 0.05 * (against - value) / max(value, against) else 0
  )
}

# Where the best pipeline does worst.
weakest_case <- function(table, best) {
  own <- table[table$pipeline == best & !is.na(table$utility), ]
  worth <- tapply(own$utility, own$case, mean)
  kept <- tapply(own$keeper, own$case, mean)
  worst <- names(which.min(worth))
  list(case = worst, utility = worth[[worst]], yield = kept[[worst]])
}

count_failures <- function(table, best) {
  own <- table[table$pipeline == best, ]
  serious <- unlist(strsplit(own$flaws[own$flaws != ""], ", ", fixed = TRUE))
  list(failed = sum(own$state %in% c("failed", "refused")), flaws = table(serious))
}

# Axes that the brief weighs and that have no evidence in some or all cases.
unchecked_axes <- function(table, brief) {
  made <- table[table$state == "made", ]
  missing <- vapply(names(brief$weights)[brief$weights > 0], function(axis) {
    length(unique(made$case[is.na(made[[axis]])]))
  }, 0L)
  missing[missing > 0]
}
