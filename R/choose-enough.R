# What it would take to be sure: how many more seeds of each case, or how many more cases.

# For each rival that is still in the race: its distance to `best`, how much of that is case
# by case and how much seed by seed, and how many more of each would give the wanted
# confidence if the lead stayed what it is (`Inf` where more seeds never would: the cases
# themselves disagree; unknown where each case has one). With several rivals each has to be
# beaten more surely.
evidence_needed <- function(table, best, rivals, confidence) {
  rows <- lapply(rivals, function(rival) {
    own <- paired_parts(table, best, rival)
    wanted <- 1 - (1 - confidence) / max(1, length(rivals))
    tibble::tibble(
      pipeline = rival, lead = own$lead, by_case = own$by_case, by_seed = own$by_seed, cases = own$cases, seeds = own$seeds,
      more_seeds = if (is.na(own$by_seed)) NA_real_ else fewest(0:200, function(n) surely(own, own$cases, own$seeds + n) >= wanted), more_cases = fewest(0:2000, function(n) surely(own, own$cases + n, own$seeds) >= wanted)
    )
  })
  none <- tibble::tibble(pipeline = character(), lead = numeric(), by_case = numeric(), by_seed = numeric(), cases = integer(), seeds = numeric(), more_seeds = numeric(), more_cases = numeric())
  do.call(rbind, c(list(none), rows))
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
  between <- if (length(means) > 1) max(0, stats::var(as.vector(means)) - within / seeds) else NA_real_
  list(lead = mean(means), by_case = sqrt(between), by_seed = if (any(sizes > 1)) sqrt(within) else NA_real_, cases = length(means), seeds = seeds)
}

# How sure so many cases and seeds would be that the lead is one; `widen` as in score_draws().
surely <- function(parts, cases, seeds, widen = 1) {
  if (is.na(parts$by_case) || cases < 2) {
    return(0)
  }
  by_seed <- if (is.na(parts$by_seed)) 0 else parts$by_seed
  spread <- sqrt((parts$by_case^2 + by_seed^2 / seeds) / cases)
  stats::pt(parts$lead / max(widen * spread, 1e-12), cases - 1)
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
    if (enough(numbers[middle])) to <- middle else from <- middle + 1
  }
  numbers[from]
}
