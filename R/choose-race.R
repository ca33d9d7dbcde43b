# A run that spends takes where they matter: after each round, which pipelines can't win any
# more, and whether the matter is settled.

# `table` is an axis table of what was made in the rounds so far (one seed of every case
# each), `seeds` how many rounds there would be in all, and `dropped` who is out already.
# Returns `state` (`decided`; `stuck`, where the seeds that are left would hardly settle it;
# or `open`), `best`, `confidence`, `information` (how much of what the whole run could tell
# is known), and `dropped`, with who drops out now.
#
# Decisions take the peeking into account (see peeking_stretch()). Who has dropped out may all
# together be the best in half of what the brief allows to be wrong.
race_step <- function(table, brief, seeds, dropped = character()) {
  table <- add_utility(table, brief)
  table <- table[!is.na(table$keeper), ]
  means <- mean_by_pipeline(table, "utility")
  running <- setdiff(names(means)[!is.na(means)], dropped)
  expected <- expected_worth(table, brief)
  best <- running[which.max(expected[running])]
  parts <- lapply(stats::setNames(nm = setdiff(running, best)), function(rival) paired_parts(table, best, rival))
  information <- min(1, vapply(parts, information_of, 0, seeds = seeds))
  stretch <- function(information) peeking_stretch(brief$confidence, information, seeds)
  widen <- stretch(information)
  drawn <- score_draws(table, "utility", brief$draws, brief$seed, widen)$utility
  chance <- chance_best(drawn)
  confidence <- chance_close(drawn, close_enough_of(brief))[[best]]
  few <- independent_pictures(table) < fewest_cases
  if (!few) dropped <- union(dropped, hopeless(chance, dropped, (1 - brief$confidence) / 2))
  chances <- vapply(parts[setdiff(names(parts), dropped)], chance_to_settle, 0, seeds = seeds, confidence = brief$confidence)
  state <- if (!few && isTRUE(confidence >= brief$confidence) && means[[best]] > 0) {
    "decided"
  } else if (length(chances) && min(chances) < 0.1) {
    "stuck"
  } else {
    "open"
  }
  list(state = state, best = best, confidence = confidence, information = information, dropped = dropped)
}

# What pipelines are expected to be worth on new pictures; of a single take its own worth.
expected_worth <- function(table, brief) {
  expected <- rowMeans(score_draws(table, "utility", brief$draws, brief$seed)$utility)
  ifelse(is.na(expected), mean_by_pipeline(table, "utility")[names(expected)], expected)
}

# Those that can go, least likely first, for as long as the best is among all who went with
# no more than the chance `allowed`.
hopeless <- function(chance, dropped, allowed) {
  running <- sort(chance[!names(chance) %in% dropped & !is.na(chance)])
  lost <- sum(chance[dropped], na.rm = TRUE) + cumsum(running)
  names(running)[lost <= allowed]
}

# How much is known of the leader's leads, as far as they are still to be decided.
known_by_now <- function(table, seeds) {
  table <- table[!is.na(table$keeper), ]
  means <- mean_by_pipeline(table, "utility")
  best <- names(which.max(means))
  most <- tapply(table$seed, table$pipeline, function(x) length(unique(x)))
  # Who dropped out early is not what is waited for.
  running <- names(means)[!is.na(means) & most[names(means)] == most[[best]]]
  min(1, vapply(setdiff(running, best), function(rival) information_of(paired_parts(table, best, rival), seeds), 0))
}

# The chance that all seeds together will show the lead to be one, given what is known of
# it now. From a single seed a case that can't be said.
chance_to_settle <- function(parts, seeds, confidence) {
  if (is.na(parts$by_case) || parts$seeds <= 1 || parts$cases < 2) {
    return(1)
  }
  now <- (parts$by_case^2 + parts$by_seed^2 / parts$seeds) / parts$cases
  final <- (parts$by_case^2 + parts$by_seed^2 / max(seeds, parts$seeds)) / parts$cases
  wanted <- peeking_stretch(confidence, 1, seeds) * stats::qt(confidence, parts$cases - 1)
  lacking <- wanted * sqrt(final) - parts$lead
  if (now - final < 1e-12) as.numeric(lacking <= 0) else stats::pnorm(-lacking / sqrt(now - final))
}

# How much of what all seeds would tell of a lead so many tell: the share of its final
# precision. From a single seed nobody can tell what is due to the case and what to the
# seed, so all is taken to be the seed's.
information_of <- function(parts, seeds) {
  if (is.na(parts$by_case)) {
    return(min(1, parts$seeds / seeds))
  }
  single <- parts$seeds <= 1
  by_case <- if (single) 0 else parts$by_case^2
  by_seed <- if (single) 1 else parts$by_seed^2
  if (by_case + by_seed == 0) {
    return(min(1, parts$seeds / seeds))
  }
  min(1, (by_case + by_seed / seeds) / (by_case + by_seed / parts$seeds))
}
