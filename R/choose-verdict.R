# From an axis table to a verdict as data; the interface puts it into words.

fewest_cases <- 3

# `race` describes the complete run (`cases`, `seeds`) behind a race and the number of possible
# `looks`; NULL for an ordinary run.
verdict_from <- function(table, brief, race = NULL) {
  table <- add_worth(table, brief)
  if (!any(table$state %in% c("made", "failed", "refused"))) {
    return(list(state = "nothing made", table = table, brief = brief))
  }

  if (all(is.na(table$worth))) {
    return(list(
      state = "no evidence",
      table = table,
      brief = brief,
      unchecked = unchecked_axes(table, brief)
    ))
  }

  ranked <- ranked_pipelines(table, brief, race)
  pipelines <- ranked$pipelines
  draws <- ranked$draws
  close <- ranked$close
  best <- pipelines$pipeline[1]
  runner_up <- if (nrow(pipelines) > 1) pipelines$pipeline[2] else NA_character_
  pictures <- pictures_met(table)
  state <- if (!any(pipelines$keepers > 0, na.rm = TRUE)) {
    "no keepers"
  } else if (any(table$state == "planned")) {
    "unfinished"
  } else if (pictures$independent < fewest_cases) {
    "too few cases"
  } else if (!best %in% close) {
    "too close"
  } else {
    "decided"
  }
  in_the_race <- pipelines$pipeline[pipelines$chance_best %in% NA |
    pipelines$chance_best >= 0.05 |
    pipelines$pipeline == best]
  judged <- table[!is.na(table$worth), ]
  cells <- judged_cells(judged)
  weighed <- names(brief$weights)[brief$weights > 0]
  expected <- stats::setNames(pipelines$worth, pipelines$pipeline)
  parts <- without_luck(worth_parts(table, weighed), brief$weights[weighed], expected)
  list(
    state = state,
    best = best,
    runner_up = runner_up,
    confidence = pipelines$chance_close[1],
    close = close,
    margin = if (is.na(runner_up)) {
      rep(NA_real_, 3)
    } else {
      margin_of(draws$worth, pipelines, best, runner_up, margin_level(brief))
    },
    in_the_race = in_the_race,
    pictures = pictures,
    reasons = rank_reasons(pipelines, brief),
    weakest_case = weakest_case(table, best),
    failures = count_failures(table, best),
    coverage = mean(
      (table[["counted"]] %||% table$coverage)[table$state == "made"],
      na.rm = TRUE
    ),
    uneven = uneven_coverage(table),
    unchecked = unchecked_axes(table, brief),
    unjudged = setdiff(unique(table$case), table$case[!is.na(table$worth)]),
    pairs = pair_differences(draws$worth),
    tradeoff = tradeoff_table(axis_means(pipelines), draws[axes]),
    flips = nearest_flips(brief$weights[weighed], parts),
    weightings = weight_map(weighed, parts),
    needed = if (state == "too close") {
      evidence_needed(table, draws$worth, brief$confidence, close_enough_of(brief))
    },
    cases = case_table(table, cells),
    useful = most_useful(judged, cells),
    looks = race$looks,
    draws = draws,
    pipelines = pipelines,
    table = table,
    brief = brief
  )
}

close_enough_of <- function(brief) brief$close_enough %||% 0

# Ranks the pipelines, the chosen one first: `pipelines` (see pipeline_table()), the `draws`
# behind it, and which are `close` enough to the best with the wanted certainty.
ranked_pipelines <- function(table, brief, race = NULL) {
  widen <- if (is.null(race)) {
    1
  } else {
    peeking_stretch(brief$confidence, known_by_now(table, race), race$looks)
  }
  draws <- score_draws(table, c("worth", axes), brief$draws, brief$seed, widen)
  pipelines <- pipeline_table(table, draws)
  chance <- chance_close(draws$worth, close_enough_of(brief))
  pipelines$chance_close <- unname(chance[pipelines$pipeline])
  pipelines <- pipelines[order(-pipelines$worth, pipelines$cost_per_keeper, na.last = TRUE), ]
  sure <- !is.na(pipelines$chance_close) & pipelines$chance_close >= brief$confidence
  close <- pipelines$pipeline[sure]
  list(pipelines = chosen_first(pipelines, close, brief$prefer), draws = draws, close = close)
}

# The pipelines with the one to use at the top: among those `close` enough to the best, the one
# that the brief prefers; if there are none, the leader.
chosen_first <- function(pipelines, close, prefer) {
  candidates <- which(pipelines$pipeline %in% close)
  if (length(candidates) == 0) {
    return(pipelines)
  }

  own <- pipelines[candidates, ]
  first <- switch(prefer %||% "better",
    cheaper = which.min(own$cost_per_keeper),
    faster = which.min(own$seconds_per_keeper),
    1L
  )
  at <- candidates[c(first, 1L)[1]]
  pipelines[c(at, setdiff(seq_len(nrow(pipelines)), at)), ]
}

# The chance that the best pipeline uses each engine: settings of one engine share its chances.
# `recipes` says which engine a pipeline uses.
chance_by_engine <- function(pipelines, recipes) {
  whose <- recipes[["engine"]][match(pipelines$pipeline, recipes$pipeline)]
  if (length(unique(whose)) < 2 || !anyDuplicated(whose) || all(is.na(pipelines$chance_best))) {
    return(NULL)
  }

  sums <- vapply(split(pipelines$chance_best, whose), sum, 0, na.rm = TRUE)
  sort(sums, decreasing = TRUE)
}

# The evidence behind a verdict: how many cases, references and looks were met, and how many
# independent pictures they amount to.
pictures_met <- function(table) {
  judged <- table[!is.na(table$worth), ]
  many <- function(column) length(unique(stats::na.omit(judged[[column]])))
  list(
    cases = many("case"),
    references = many("reference"),
    looks = many("look"),
    independent = independent_pictures(judged)
  )
}

# The share of the prompts' weight that has evidence, by pipeline, if it differs by more than a
# twentieth; NULL otherwise. Evidence that one lacks counts for none.
uneven_coverage <- function(table) {
  made <- table[table$state == "made" & !is.na(table$coverage), ]
  share <- sort(vapply(split(made$coverage, made$pipeline), mean, 0))
  if (length(share) > 1 && diff(range(share)) > 0.05) {
    share
  }
}

axis_means <- function(pipelines) {
  means <- as.matrix(pipelines[axes])
  rownames(means) <- pipelines$pipeline
  means
}

# One row a pipeline: posterior mean and 90 % interval of worth and axes, ranks, share of keepers,
# money and time.
pipeline_table <- function(table, draws) {
  worth <- draws$worth
  pipelines <- rownames(worth)
  drawn <- !all(is.na(worth))
  ranks <- rank_intervals(worth)
  out <- new_table(
    pipeline = pipelines,
    chance_best = if (drawn) unname(chance_best(worth)) else NA_real_,
    regret = unname(expected_regret(worth)),
    rank_low = if (drawn) unname(ranks[, "from"]) else NA_real_,
    rank_high = if (drawn) unname(ranks[, "to"]) else NA_real_
  )
  for (column in names(draws)) {
    ends <- vapply(pipelines, function(p) clamp_share(interval(draws[[column]][p, ])), c(0, 0))
    # With a single take there are no draws; its value is used.
    expected <- rowMeans(draws[[column]])
    out[[column]] <- clamp_share(
      unname(ifelse(is.na(expected), mean_by_pipeline(table, column), expected))
    )
    out[[paste0(column, "_low")]] <- ends[1, ]
    out[[paste0(column, "_high")]] <- ends[2, ]
  }

  kept <- keepers_interval(table)
  out$keepers <- unname(mean_by_pipeline(table, "keeper"))
  out$keepers_low <- kept[, "from"]
  out$keepers_high <- kept[, "to"]
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

# The lead over the runner-up, with an interval that is above 0 if the leader is better with the
# wanted certainty (see margin_level()).
margin_of <- function(draws, pipelines, best, runner_up, level) {
  worth <- stats::setNames(pipelines$worth, pipelines$pipeline)
  # Worths lie between 0 and 1, and so do leads.
  ends <- interval(draws[best, ] - draws[runner_up, ], level)
  c(worth[[best]] - worth[[runner_up]], pmin(1, pmax(-1, ends)))
}

# The brief's confidence is one-sided, so the same share is left out at either end.
margin_level <- function(brief) max(0.5, 2 * brief$confidence - 1)

# The reasons for the best pipeline, strongest first: its lead on each axis over the median of the
# others, times the brief's weight; its share of keepers; and, with a small weight, the share of
# money and of time that a keeper saves.
rank_reasons <- function(pipelines, brief) {
  best <- pipelines[1, ]
  others <- pipelines[-1, ]
  reason <- function(what, weight) {
    against <- if (nrow(others)) stats::median(others[[what]], na.rm = TRUE) else NA_real_
    new_table(
      what = what,
      value = best[[what]],
      low = best[[paste0(what, "_low")]],
      high = best[[paste0(what, "_high")]],
      against = against,
      gain = weight * (best[[what]] - against)
    )
  }

  rows <- do.call(
    rbind,
    c(
      Map(reason, names(brief$weights)[brief$weights > 0], brief$weights[brief$weights > 0]),
      list(
        reason("keepers", 0.5),
        saving("cost_per_keeper", best, others),
        saving("seconds_per_keeper", best, others)
      )
    )
  )
  saved <- rows$what %in% c("cost_per_keeper", "seconds_per_keeper")
  rows <- rows[!is.na(rows$value) & !(saved & is.na(rows$against)), ]
  rows[order(-rows$gain, na.last = TRUE), ]
}

saving <- function(what, best, others) {
  value <- best[[what]]
  rest <- others[[what]][is.finite(others[[what]])]
  against <- if (length(rest)) stats::median(rest) else NA_real_
  new_table(
    what = what,
    value = if (is.finite(value)) value else NA_real_,
    low = NA_real_,
    high = NA_real_,
    against = against,
    gain = if (isTRUE(max(value, against) > 0)) {
      0.05 * (against - value) / max(value, against)
    } else {
      0
    }
  )
}

# The weakest case of the best pipeline.
weakest_case <- function(table, best) {
  own <- table[table$pipeline == best & !is.na(table$worth) & !is.na(table$keeper), ]
  worth <- tapply(own$worth, own$case, mean)
  kept <- tapply(own$keeper, own$case, mean)
  worst <- names(which.min(worth))
  list(case = worst, worth = worth[[worst]], keepers = kept[[worst]])
}

count_failures <- function(table, best) {
  own <- table[table$pipeline == best, ]
  serious <- unlist(strsplit(own$flaws[own$flaws != ""], ", ", fixed = TRUE))
  list(failed = sum(own$state %in% c("failed", "refused")), flaws = table(serious))
}

# Axes that the brief weighs and that have no evidence in some or all cases.
unchecked_axes <- function(table, brief) {
  made <- table[table$state == "made", ]
  missing <- vapply(
    names(brief$weights)[brief$weights > 0],
    function(axis) {
      length(unique(made$case[is.na(made[[axis]])]))
    },
    0L
  )
  missing[missing > 0]
}
