# What it would take to be sure: how many more seeds of each case, or how many more cases.

# "So many more would settle it" is said where that comes true in four of five.
settling_chance <- 0.8
most_seeds <- 20
most_cases <- 200

# `table` has the utility of takes; `draws` are the verdict's draws of what all pipelines are worth
# (pipelines x draws), for those that are far behind may yet come back. A row: `more_seeds` and
# `more_cases`, the fewest that settle it with a chance of `sure` (`Inf` where the most that are
# tried, 20 and 200, do not; `more_seeds` is unknown where each case has one), and the chance of
# settling it with the most (`with_seeds`, `with_cases`).
evidence_needed <- function(table, draws, confidence, within) {
  draws <- draws[!is.na(draws[, 1]), , drop = FALSE]
  table <- table[table$pipeline %in% rownames(draws) & !is.na(table$utility), ]
  parts <- worth_parts_of(table)
  # Where nothing varies there is nothing to foretell.
  if (nrow(draws) < 2 || is.na(parts$by_case) || parts$by_case < 1e-9) {
    return(NULL)
  }

  known <- list(
    worth = draws,
    means = mean_by_pipeline(table, "utility")[rownames(draws)],
    parts = parts,
    cases = independent_pictures(table),
    seeds = harmonic_mean(table(table$case, table$pipeline)),
    within = within
  )
  wanted <- wanted_of_forecast(known, confidence)
  chance <- function(more_cases, more_seeds) {
    chance_of_settling(known, more_cases, more_seeds, wanted)
  }

  fewest_of <- function(most, chance) {
    if (chance(most) >= settling_chance) {
      fewest(seq_len(most), function(n) chance(n) >= settling_chance)
    } else {
      Inf
    }
  }

  single <- is.na(parts$by_seed)
  tibble::tibble(
    more_seeds = if (single) NA_real_ else fewest_of(most_seeds, function(n) chance(0, n)),
    more_cases = fewest_of(most_cases, function(n) chance(n, 0)),
    sure = settling_chance,
    with_seeds = if (single) NA_real_ else chance(0, most_seeds),
    with_cases = chance(most_cases, 0)
  )
}

# The lead of one pipeline over another, taken within cases and seeds, and its spread from
# case to case and from seed to seed (standard deviations). With one seed a case the two
# can't be told apart: all of it is `by_case` then.
paired_parts <- function(table, one, other) {
  key <- paste(table$case, table$seed)
  a <- which(table$pipeline == one & !is.na(table$utility))
  b <- which(table$pipeline == other & !is.na(table$utility))
  at <- match(key[a], key[b])
  case <- table$case[a][!is.na(at)]
  lead <- (table$utility[a] - table$utility[b][at])[!is.na(at)]
  means <- tapply(lead, case, mean)
  sizes <- tapply(lead, case, length)
  seeds <- if (length(sizes)) length(sizes) / sum(1 / sizes) else 0
  within <- sum((lead - means[case])^2) / max(1, length(lead) - length(means))
  between <- if (length(means) > 1) {
    max(0, stats::var(as.vector(means)) - within / seeds)
  } else {
    NA_real_
  }
  list(
    lead = mean(means),
    by_case = sqrt(between),
    by_seed = if (any(sizes > 1)) sqrt(within) else NA_real_,
    cases = length(means),
    seeds = seeds
  )
}

fewest <- function(numbers, enough) {
  # More is never worse, so the first that is enough is found by halving.
  if (!enough(numbers[length(numbers)])) {
    return(Inf)
  }

  from <- 1
  to <- length(numbers)
  while (from < to) {
    middle <- (from + to) %/% 2
    if (enough(numbers[middle])) {
      to <- middle
    } else {
      from <- middle + 1
    }
  }

  numbers[from]
}
