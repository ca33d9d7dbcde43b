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

# What a run of so many cases and seeds would tell: before it is paid for, and what more of
# them would add to one that has not settled the matter.
#
# A verdict's chances are foreseen by making up means as they may come out, and asking of each
# what the posterior (see posterior_draws()) would say. Contrasts of pipelines are all that
# counts for that, and their sum of squares says how much they would be shrunk.

# How many outcomes are made up, and with how many draws each is judged.
foreseen_outcomes <- 500L
foreseen_draws <- 400L

# How worth varies once what all pipelines share is out: `by_case`, a pipeline's own spread from
# case to case, `by_seed`, that from seed to seed within a case (standard deviations), and how
# many degrees of freedom each is known with. `pictures` is how many independent ones there were
# (see independent_units()); by_case is what one of these contributes.
worth_parts_of <- function(table) {
  table <- table[!is.na(table$utility), ]
  cells <- case_means(table, "utility")[[1]]
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
  # What few cases disagree by is not all in the cases: some is luck, whatever the estimate says.
  list(
    by_case = sqrt(max(each - of_seeds, each / 20)),
    case_free = known$free * (ncol(cells) - 1),
    by_seed = within$spread,
    seed_free = within$free
  )
}

harmonic_mean <- function(x) 1 / mean(1 / x[x > 0])

# The spread of takes about the mean of their case and pipeline, less what all pipelines share
# in a seed.
seed_spread <- function(table, cells) {
  at <- cbind(match(table$case, rownames(cells)), match(table$pipeline, colnames(cells)))
  off <- table$utility - cells[at]
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

# `means` has a row for each outcome made up, a column a pipeline; `variance`, of a pipeline's
# mean, is what each outcome's cases show, with `free` degrees of freedom. Returns for each
# outcome which column a verdict would name (`best`) and its `chance` of being within `within`
# of the best.
foreseen_chances <- function(means, variance, free, within, seed) {
  n <- ncol(means)
  off <- means - rowMeans(means)
  free <- min(most_contrasts, n - 1) * free
  grid <- list(
    spreads = spreads_tried,
    log_prior = log_prior_of_spread(spreads_tried),
    scales = free / stats::qchisq(1 - scales_tried, free)
  )
  normal <- matrix(stats::qnorm(core_uniform(foreseen_draws * n, seed)), foreseen_draws)
  even <- dealt_evenly(foreseen_draws)
  list(
    best = max.col(off, ties.method = "first"),
    chance = core_foreseen_chances(off, variance, grid, normal, even, within)
  )
}

# What a variance may be that is known as a spread with so many degrees of freedom: a value for
# each of `even`, numbers that lie evenly between 0 and 1.
drawn_variance <- function(spread, free, even) {
  if (is.na(spread)) {
    return(rep(0, length(even)))
  }

  spread^2 * if (is.finite(free)) free / stats::qchisq(even, free) else rep(1, length(even))
}

# The chance that a run of so many `cases` and `seeds` names the right pipeline of `pipelines`, as
# surely as `confidence`, where the best is `apart` better than all others: the hardest of all
# ways to be so much better. Right is what is within `within` of the best. What is known of
# `parts` is known with their own uncertainty.
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

# The least difference that such a run tells with so much assurance; NA where none below 1.
least_told <- function(parts, pipelines, cases, seeds, confidence, sure, within = 0) {
  tried <- exp(seq(log(0.002), log(0.6), length.out = 40))
  enough <- function(apart) {
    foreseen_assurance(parts, pipelines, cases, seeds, apart, confidence, within) >= sure
  }

  at <- fewest(seq_along(tried), function(i) enough(tried[i]))
  if (is.finite(at)) tried[at] else NA_real_
}

# The chance that a run which has not settled the matter would with so many more cases, or
# seeds of each; whatever would be declared then counts. `known` is what is known now: `worth`, the
# verdict's draws (pipelines x draws), `means`, plain ones, `parts` (see worth_parts_of()), how many
# `cases` and `seeds` of each there were, and what will do (`within`). `wanted` is what a forecast
# has to state (see wanted_of_forecast()).
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
    # What these cases' true means may be: between what was seen and what is true in general.
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
  # What no outcome showed is not impossible.
  (sum(told$chance >= wanted) + 0.5) / (length(told$chance) + 1)
}

# The variance of pipelines' means that a larger run would show, where takes truly vary by
# `by_case` and `by_seed`: what is seen now counts by as many cases as it rests on.
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

# The chance that a forecast must state for the verdict's to be `confidence`: a forecast takes all
# pipelines to vary alike and is drawn coarsely, and so may say more or less than the verdict of
# what is there already. By as much it is taken to be off later.
wanted_of_forecast <- function(known, confidence, seed = 1L) {
  variance <- variance_of_lead(known$parts, known$cases, known$seeds)
  now <- matrix(known$means, 1)
  foreseen <- foreseen_chances(now, variance, known$cases - 1, known$within, seed)
  stated <- chance_close(known$worth, known$within)[[foreseen$best]]
  score <- function(chance) stats::qnorm(pmin(0.999, pmax(0.001, chance)))
  stats::pnorm(score(confidence) + score(foreseen$chance) - score(stated))
}
