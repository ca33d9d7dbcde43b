# A race: a run that spends takes where they matter. After each round: which pipelines can't win
# any more, and whether the choice is settled.

# `table` is an axis table of the rounds so far (a block of cases with one seed each); `whole`
# describes the complete run: its number of `cases`, of `seeds` for each, and of `looks` (rounds).
# `dropped` has the pipelines that are already out. Returns `state` (`decided`; `stuck`, if the
# rest would hardly settle it; or `open`), `best`, `confidence`, `information` (the share of the
# complete run's information), and `dropped`, with those that drop out now.
#
# Decisions account for the repeated looks (see peeking_stretch()). The dropped pipelines together
# may be the best with at most half of the error probability that the brief allows.
race_step <- function(table, brief, whole, dropped = character()) {
  table <- add_worth(table, brief)
  table <- table[!is.na(table$keeper), ]
  means <- mean_by_pipeline(table, "worth")
  running <- setdiff(names(means)[!is.na(means)], dropped)
  expected <- expected_worth(table, brief)
  best <- running[which.max(expected[running])]
  parts <- lapply(stats::setNames(nm = setdiff(running, best)), function(rival) {
    paired_parts(table, best, rival)
  })
  information <- min(1, vapply(parts, information_of, 0, whole = whole))
  widen <- peeking_stretch(brief$confidence, information, whole$looks)
  drawn <- score_draws(table, "worth", brief$draws, brief$seed, widen)$worth
  chance <- chance_best(drawn)
  confidence <- chance_close(drawn, close_enough_of(brief))[[best]]
  few <- independent_pictures(table) < fewest_cases
  if (!few) {
    dropped <- union(dropped, hopeless(chance, dropped, (1 - brief$confidence) / 2))
  }

  chances <- vapply(
    parts[setdiff(names(parts), dropped)],
    chance_to_settle,
    0,
    whole = whole,
    confidence = brief$confidence,
    within = close_enough_of(brief)
  )
  state <- if (!few && isTRUE(confidence >= brief$confidence) && means[[best]] > 0) {
    "decided"
  } else if (length(chances) && min(chances) < 0.1) {
    "stuck"
  } else {
    "open"
  }
  list(
    state = state,
    best = best,
    confidence = confidence,
    information = information,
    dropped = dropped
  )
}

# The expected worth of pipelines on new pictures; for a single take, its own worth.
expected_worth <- function(table, brief) {
  expected <- rowMeans(score_draws(table, "worth", brief$draws, brief$seed)$worth)
  ifelse(is.na(expected), mean_by_pipeline(table, "worth")[names(expected)], expected)
}

# The pipelines that can be dropped, least likely first, as long as the chance that the best is
# among all dropped ones is at most `allowed`.
hopeless <- function(chance, dropped, allowed) {
  running <- sort(chance[!names(chance) %in% dropped & !is.na(chance)])
  lost <- sum(chance[dropped], na.rm = TRUE) + cumsum(running)
  names(running)[lost <= allowed]
}

# The information on the leader's leads that are not decided yet.
known_by_now <- function(table, whole) {
  table <- table[!is.na(table$keeper), ]
  means <- mean_by_pipeline(table, "worth")
  best <- names(which.max(means))
  most <- table(factor(table$pipeline, names(means)))
  # Dropped pipelines are not waited for.
  running <- names(means)[!is.na(means) & most[names(means)] == most[[best]]]
  min(
    1,
    vapply(
      setdiff(running, best),
      function(rival) {
        information_of(paired_parts(table, best, rival), whole)
      },
      0
    )
  )
}

# The variance of a mean lead over so many cases and seeds.
variance_of_lead <- function(parts, cases, seeds) {
  by_seed <- if (is.na(parts$by_seed)) 0 else parts$by_seed
  (parts$by_case^2 + by_seed^2 / seeds) / cases
}

# The probability that the complete run will show one of the two to be better, or no worse than by
# `within`, given the present lead. If more seeds are to come, that can't be said from one seed
# per case.
chance_to_settle <- function(parts, whole, confidence, within = 0) {
  if (is.na(parts$by_case) || parts$cases < 2 || (single_seeded(parts) && whole$seeds > 1)) {
    return(1)
  }

  cases <- max(whole$cases, parts$cases)
  now <- variance_of_lead(parts, parts$cases, parts$seeds)
  final <- variance_of_lead(parts, cases, max(whole$seeds, parts$seeds))
  wanted <- peeking_stretch(confidence, 1, whole$looks) * stats::qt(confidence, cases - 1)
  lacking <- wanted * sqrt(final) - within - c(1, -1) * parts$lead
  if (now - final < 1e-12) {
    return(as.numeric(any(lacking <= 0)))
  }

  min(1, sum(stats::pnorm(-lacking / sqrt(now - final))))
}

single_seeded <- function(parts) is.na(parts$by_seed) || parts$seeds <= 1

# The share of a lead's final precision that has been reached. With one seed per case, the effects
# of case and seed can't be separated, so all variation counts as the seed's.
information_of <- function(parts, whole) {
  share_of_cases <- parts$cases / max(whole$cases, parts$cases)
  seeds <- max(whole$seeds, parts$seeds)
  if (is.na(parts$by_case)) {
    return(min(1, share_of_cases * parts$seeds / seeds))
  }

  single <- single_seeded(parts)
  known <- list(
    by_case = if (single) 0 else parts$by_case,
    by_seed = if (single) 1 else parts$by_seed
  )
  if (known$by_case + known$by_seed == 0) {
    return(min(1, share_of_cases * parts$seeds / seeds))
  }

  min(
    1,
    share_of_cases * variance_of_lead(known, 1, seeds) / variance_of_lead(known, 1, parts$seeds)
  )
}
