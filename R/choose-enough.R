# Sample size: how many more seeds of each case, or how many more cases, would settle a choice.

# A number of further cases is stated if it settles the choice with this probability.
settling_chance <- 0.8
most_seeds <- 20
most_cases <- 200

# `table` has the worth of takes; `draws` are the verdict's posterior draws for all pipelines
# (pipelines x draws), since those far behind may still catch up. Returns a row: `more_seeds` and
# `more_cases`, the smallest numbers that settle the choice with probability `sure` (`Inf` if the
# largest tried, 20 and 200, do not; `more_seeds` is NA if each case has one seed), and the
# probabilities for the largest (`with_seeds`, `with_cases`).
evidence_needed <- function(table, draws, confidence, within) {
  draws <- draws[!is.na(draws[, 1]), , drop = FALSE]
  table <- table[table$pipeline %in% rownames(draws) & !is.na(table$worth), ]
  parts <- worth_parts_of(table)
  # Without variation there is nothing to predict.
  if (nrow(draws) < 2 || is.na(parts$by_case) || parts$by_case < 1e-9) {
    return(NULL)
  }

  known <- list(
    worth = draws,
    means = mean_by_pipeline(table, "worth")[rownames(draws)],
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
  new_table(
    more_seeds = if (single) NA_real_ else fewest_of(most_seeds, function(n) chance(0, n)),
    more_cases = fewest_of(most_cases, function(n) chance(n, 0)),
    sure = settling_chance,
    with_seeds = if (single) NA_real_ else chance(0, most_seeds),
    with_cases = chance(most_cases, 0)
  )
}

# The lead of one pipeline over another, taken within cases and seeds, and its standard deviations
# between cases and between seeds. With one seed a case the two can't be separated: all of it is
# `by_case` then.
paired_parts <- function(table, one, other) {
  key <- paste(table$case, table$seed)
  a <- which(table$pipeline == one & !is.na(table$worth))
  b <- which(table$pipeline == other & !is.na(table$worth))
  at <- match(key[a], key[b])
  case <- table$case[a][!is.na(at)]
  lead <- (table$worth[a] - table$worth[b][at])[!is.na(at)]
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
  # Assurance grows with the number, so bisection finds the first that is enough.
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

# The power of a run of so many cases and seeds: before it is paid for, and as an addition to a
# run that has not settled the choice.
#
# A verdict's chances are predicted by simulating means and asking, for each, what the posterior
# (see posterior_draws()) would say. Only the contrasts between pipelines matter for that; their
# sum of squares determines how far they are shrunk.

# The number of simulated outcomes, and of draws with which each is judged.
foreseen_outcomes <- 500L
foreseen_draws <- 400L

# The variation of worth after what all pipelines share is removed: `by_case`, a pipeline's
# standard deviation between cases, `by_seed`, that between seeds within a case, and the degrees
# of freedom of each. `pictures` is the number of independent pictures (see independent_units());
# by_case is what one of these contributes.
worth_parts_of <- function(table) {
  table <- table[!is.na(table$worth), ]
  cells <- case_means(table, "worth")[[1]]
  within <- seed_spread(table, cells)
  none <- list(
    by_case = NA_real_,
    case_free = 0,
    by_seed = within$spread,
    seed_free = within$free
  )
  units <- telling_units(independent_units(table))
  if (ncol(cells) < 2 || drawn_units(table) == "seed" || length(units) == 0) {
    return(none)
  }

  known <- covariance_of_mean(beyond_sums(fill_by_sums(cells)), units)
  pictures <- known$free + 1
  seeds <- harmonic_mean(table(table$case, table$pipeline))
  each <- sum(diag(known$covariance)) / (ncol(cells) - 1) * pictures
  of_seeds <- if (is.na(within$spread)) 0 else within$spread^2 / seeds * pictures / nrow(cells)
  # With few cases, part of their disagreement is luck, whatever the estimate says.
  list(
    by_case = sqrt(max(each - of_seeds, each / 20)),
    case_free = known$free * (ncol(cells) - 1),
    by_seed = within$spread,
    seed_free = within$free
  )
}

harmonic_mean <- function(x) 1 / mean(1 / x[x > 0])

# The spread of takes around the mean of their case and pipeline, without what all pipelines share
# in a seed.
seed_spread <- function(table, cells) {
  at <- cbind(match(table$case, rownames(cells)), match(table$pipeline, colnames(cells)))
  off <- table$worth - cells[at]
  key <- paste(table$case, table$seed, sep = "\r")
  free <- nrow(table) - sum(!is.na(cells))
  if (free < 1) {
    return(list(spread = NA_real_, free = 0))
  }

  pipelines <- ncol(cells)
  if (pipelines > 1) {
    off <- off - stats::ave(off, key)
    free <- free * (1 - 1 / pipelines)
  }

  list(spread = sqrt(sum(off^2) / free), free = free)
}

# `means` has a row for each simulated outcome and a column for each pipeline; `variance`, of a
# pipeline's mean, is what each outcome's cases show, with `free` degrees of freedom. Returns for
# each outcome which column a verdict would name (`best`) and its `chance` of being within
# `within` of the best.
foreseen_chances <- function(means, variance, free, within, seed) {
  n <- ncol(means)
  off <- means - rowMeans(means)
  free <- min(most_contrasts, n - 1) * free
  grid <- list(
    spreads = spreads_tried,
    log_prior = log_prior_of_spread(spreads_tried),
    scales = free / stats::qchisq(1 - scales_tried, free)
  )
  normal <- matrix(
    stats::qnorm(core_uniform(foreseen_draws * n, seed)),
    ncol = foreseen_draws,
    byrow = TRUE
  )
  even <- dealt_evenly(foreseen_draws)
  list(
    best = max.col(off, ties.method = "first"),
    chance = core_foreseen_chances(off, variance, grid, normal, even, within)
  )
}

# Quantiles of a variance that is known as a spread with so many degrees of freedom: a value for
# each of `even`, evenly spaced numbers between 0 and 1.
drawn_variance <- function(spread, free, even) {
  if (is.na(spread)) {
    return(rep(0, length(even)))
  }

  spread^2 * if (is.finite(free)) free / stats::qchisq(even, free) else rep(1, length(even))
}

# The probability that a run of so many `cases` and `seeds` names the right one of `pipelines`
# with `confidence`, if the best is `apart` better than all others, which is the hardest
# arrangement of that difference. Any pipeline within `within` of the best is right. The
# uncertainty of `parts` is taken into account.
foreseen_assurance <- function(
  parts,
  pipelines,
  cases,
  seeds,
  apart,
  confidence,
  within = 0,
  seed = 1L
) {
  if (cases < fewest_cases || pipelines < 2) {
    return(0)
  }

  even <- (seq_len(foreseen_outcomes) - 0.5) / foreseen_outcomes
  by_case <- drawn_variance(parts$by_case, parts$case_free, even)
  by_seed <- drawn_variance(parts$by_seed, parts$seed_free, dealt_evenly(foreseen_outcomes))
  variance <- (by_case + by_seed / seeds) / cases
  free <- (cases - 1) * (pipelines - 1)
  seen <- variance * stats::qchisq(core_uniform(foreseen_outcomes, seed + 1), free) / free
  normal <- matrix(
    stats::qnorm(core_uniform(foreseen_outcomes * pipelines, seed + 2)),
    foreseen_outcomes
  )
  truth <- c(0, rep(-apart, pipelines - 1))
  means <- rep(truth, each = foreseen_outcomes) + sqrt(variance) * normal
  told <- foreseen_chances(means, seen, cases - 1, within, seed)
  right <- truth[told$best] >= -within
  mean(right & told$chance >= confidence)
}

# The smallest difference that such a run detects with this assurance; NA if none below 1 is.
least_told <- function(parts, pipelines, cases, seeds, confidence, sure, within = 0) {
  tried <- exp(seq(log(0.002), log(0.6), length.out = 40))
  enough <- function(apart) {
    foreseen_assurance(parts, pipelines, cases, seeds, apart, confidence, within) >= sure
  }

  at <- fewest(seq_along(tried), function(i) enough(tried[i]))
  if (is.finite(at)) tried[at] else NA_real_
}

# The probability that an undecided run would be decided by so many more cases, or seeds of each,
# for whichever pipeline. `known` is the present state: `worth`, the verdict's draws (pipelines x
# draws), `means`, plain ones, `parts` (see worth_parts_of()), the numbers of `cases` and of
# `seeds` for each, and the tolerance (`within`). `wanted` is the chance that a forecast has to
# state (see wanted_of_forecast()).
chance_of_settling <- function(known, more_cases, more_seeds, wanted, seed = 1L) {
  pipelines <- nrow(known$worth)
  even <- (seq_len(foreseen_outcomes) - 0.5) / foreseen_outcomes
  at <- round(seq(1, ncol(known$worth), length.out = foreseen_outcomes))
  worth <- t(known$worth[, at, drop = FALSE])
  worth <- worth - rowMeans(worth)
  normal <- function(k) matrix(stats::qnorm(core_uniform(length(worth), seed + k)), nrow(worth))
  now <- matrix(known$means - mean(known$means), nrow(worth), pipelines, byrow = TRUE)
  parts <- known$parts
  shuffled <- even[order(core_uniform(length(even), seed + 4))]
  by_case <- drawn_variance(parts$by_case, parts$case_free, shuffled)
  by_seed <- drawn_variance(parts$by_seed, parts$seed_free, dealt_evenly(foreseen_outcomes))
  if (more_seeds > 0 && any(by_seed > 0)) {
    # The true means of these cases lie between what was seen and the general mean.
    of_seeds <- by_seed / (known$cases * known$seeds)
    of_cases <- by_case / known$cases
    meant <- (now / of_seeds + worth / of_cases) / (1 / of_seeds + 1 / of_cases)
    meant <- meant + normal(1) / sqrt(1 / of_seeds + 1 / of_cases)
    new <- meant + normal(2) * sqrt(by_seed / (known$cases * more_seeds))
    now <- (known$seeds * now + more_seeds * new) / (known$seeds + more_seeds)
  }

  if (more_cases > 0) {
    new <- worth + normal(3) * sqrt((by_case + by_seed / known$seeds) / more_cases)
    now <- (known$cases * now + more_cases * new) / (known$cases + more_cases)
  }

  cases <- known$cases + more_cases
  variance <- later_variance(known, by_case, by_seed, more_cases, more_seeds, seed)
  told <- foreseen_chances(now, variance, cases - 1, known$within, seed)
  # An outcome that no simulation showed is not impossible.
  (sum(told$chance >= wanted) + 0.5) / (length(told$chance) + 1)
}

# The variance of pipelines' means that a larger run would show, if takes truly vary by `by_case`
# and `by_seed`; the present estimate counts with the number of cases that it rests on.
later_variance <- function(known, by_case, by_seed, more_cases, more_seeds, seed) {
  seeds <- known$seeds + more_seeds
  seen_now <- variance_of_lead(known$parts, 1, seeds)
  seen_later <- by_case + by_seed / seeds
  if (more_cases > 0) {
    free <- more_cases * (nrow(known$worth) - 1)
    seen_later <- seen_later *
      stats::qchisq(core_uniform(length(by_case), seed + 5), free) /
      free
  }

  cases <- known$cases + more_cases
  (known$cases * seen_now + more_cases * seen_later) / cases^2
}

# The chance that a forecast must state for the verdict's to be `confidence`. A forecast assumes
# that all pipelines vary alike and uses few draws, so it may differ from the verdict on the
# present data; the same offset is assumed later.
wanted_of_forecast <- function(known, confidence, seed = 1L) {
  variance <- variance_of_lead(known$parts, known$cases, known$seeds)
  now <- matrix(known$means, 1)
  foreseen <- foreseen_chances(now, variance, known$cases - 1, known$within, seed)
  stated <- chance_close(known$worth, known$within)[[foreseen$best]]
  score <- function(chance) stats::qnorm(pmin(0.999, pmax(0.001, chance)))
  stats::pnorm(score(confidence) + score(foreseen$chance) - score(stated))
}
