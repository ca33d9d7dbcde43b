# Draws of the means from the scores of cases, and statistics of those draws.

# Draws for `columns` of an axis table: a list with one matrix each, pipelines x draws (see
# posterior_draws()). Pipelines are chosen by their worth, so the leaders' worth is partly luck,
# and is shrunk; `shrink` names the columns for which that is done. With a single case its seeds
# count, and the result applies to that case alone.
score_draws <- function(table, columns, draws, seed, widen = 1, shrink = "worth") {
  units <- independent_units(table)
  cells <- case_means(table, columns, by = drawn_units(table))
  drawn <- lapply(seq_along(columns), function(k) {
    posterior_draws(
      cells[[k]],
      units,
      draws,
      seed + k - 1,
      widen,
      shrink = columns[k] %in% shrink
    )
  })
  stats::setNames(drawn, columns)
}

drawn_units <- function(table) if (length(unique(table$case)) > 1) "case" else "seed"

# The means of `columns` over seeds: a list with one matrix each, cases x pipelines, NA
# where nothing is known.
case_means <- function(table, columns, by = "case") {
  units <- sort(unique(table[[by]]))
  pipelines <- unique(table$pipeline)
  cell <- match(table[[by]], units) + length(units) * (match(table$pipeline, pipelines) - 1L)
  shape <- list(as.character(units), pipelines)
  lapply(stats::setNames(nm = columns), function(column) {
    values <- as.numeric(table[[column]])
    known <- !is.na(values)
    sums <- rowsum(cbind(values[known], rep(1, sum(known))), cell[known])
    means <- matrix(NA_real_, length(units), length(pipelines), dimnames = shape)
    means[as.numeric(rownames(sums))] <- sums[, 1] / sums[, 2]
    means
  })
}

# Mean over cases of the means over seeds, per pipeline.
mean_by_pipeline <- function(table, column) {
  means <- colMeans(case_means(table, column)[[1]], na.rm = TRUE)
  replace(means, is.nan(means), NA)
}

interval <- function(draws, level = 0.9) {
  if (all(is.na(draws))) {
    return(c(NA_real_, NA_real_))
  }

  stats::quantile(draws, c((1 - level) / 2, (1 + level) / 2), names = FALSE, na.rm = TRUE)
}

# The interval of the share of keepers: Wilson's (1927), with the effective number of takes. Takes
# of one case are correlated in being kept; the correlation is pooled over pipelines (design
# effect, Kish 1965), since a pipeline that has nothing but keepers can't show that another case
# may fail. A row a pipeline: from, to.
keepers_interval <- function(table, level = 0.9) {
  shares <- case_means(table, "keeper")[[1]]
  known <- !is.na(as.numeric(table$keeper))
  takes <- as.vector(table(factor(table$pipeline[known], colnames(shares))))
  cases <- colSums(!is.na(shares))
  share <- colMeans(shares, na.rm = TRUE)
  between <- apply(shares, 2, stats::var, na.rm = TRUE) / cases
  by_chance <- share * (1 - share) / pmax(1, takes - 1)
  told <- which(!is.na(between) & share > 0 & share < 1)
  alike <- if (length(told)) sum(between[told]) / sum(by_chance[told]) else Inf
  worth <- takes / pmin(pmax(1, alike), pmax(1, takes / cases))
  ends <- wilson(share, worth, level)
  ends[takes == 0, ] <- NA
  ends
}

# Wilson's interval (1927) of shares of `n`: a row each, from, to.
wilson <- function(share, n, level = 0.9) {
  z <- stats::qnorm((1 + level) / 2)
  middle <- (share + z^2 / (2 * n)) / (1 + z^2 / n)
  half <- z /
    (1 + z^2 / n) *
    sqrt(share * (1 - share) / n + z^2 / (4 * n^2))
  cbind(from = middle - half, to = middle + half)
}

# The share of draws in which each pipeline is the best; ties are split. NA for a pipeline without
# takes, and for all if no take has any worth.
chance_best <- function(worth) {
  unknown <- rowSums(!is.na(worth)) == 0
  worth[is.na(worth)] <- -Inf
  top <- apply(worth, 2, max)
  wins <- worth == rep(top, each = nrow(worth))
  chance <- rowMeans(wins / rep(colSums(wins), each = nrow(worth)))
  replace(chance, unknown | all(worth <= 0), NA_real_)
}

# The share of draws in which each pipeline is worth no less than the best less `within`.
chance_close <- function(worth, within) {
  best <- chance_best(worth)
  if (within <= 0 || all(is.na(best))) {
    return(best)
  }

  top <- apply(worth[!is.na(best), , drop = FALSE], 2, max)
  replace(rowMeans(worth >= rep(top - within, each = nrow(worth))), is.na(best), NA_real_)
}

# Expected regret: the mean loss, over the draws, of using a pipeline that is not the best.
expected_regret <- function(worth) {
  known <- rowSums(is.na(worth)) == 0
  regret <- rep(NA_real_, nrow(worth))
  if (any(known)) {
    top <- apply(worth[known, , drop = FALSE], 2, max)
    regret[known] <- rowMeans(rep(top, each = sum(known)) - worth[known, , drop = FALSE])
  }

  stats::setNames(regret, rownames(worth))
}

# The ranks (1 is the best) that hold each pipeline in 90 % of draws: from, to.
rank_intervals <- function(worth, level = 0.9) {
  worth <- replace(worth, is.na(worth), -Inf)
  ends <- vapply(
    seq_len(nrow(worth)),
    function(j) {
      ranks <- 1 + colSums(worth > rep(worth[j, ], each = nrow(worth)))
      stats::quantile(ranks, c((1 - level) / 2, (1 + level) / 2), type = 1, names = FALSE)
    },
    numeric(2)
  )
  structure(t(ends), dimnames = list(rownames(worth), c("from", "to")))
}

most_numbers <- 5e6

# Differences of all pairs, the better one first, with simultaneous intervals at `level`: their
# width is the multiple of each pair's standard deviation that the most extreme pair of a draw
# requires. `draws` is a matrix pipelines x draws.
pair_differences <- function(draws, level = 0.9) {
  # With very many pairs, use fewer draws.
  known <- !is.na(draws[, 1])
  every <- ceiling(choose(sum(known), 2) * ncol(draws) / most_numbers)
  draws <- draws[known, seq(1, ncol(draws), by = max(1, every)), drop = FALSE]
  names <- rownames(draws)[order(-rowMeans(draws))]
  pairs <- if (length(names) > 1) utils::combn(names, 2) else matrix("", 2, 0)
  apart <- draws[pairs[1, ], , drop = FALSE] - draws[pairs[2, ], , drop = FALSE]
  difference <- rowMeans(apart)
  spread <- sqrt(rowMeans((apart - difference)^2))
  off <- abs(apart - difference) / pmax(spread, 1e-12)
  reach <- if (length(off)) stats::quantile(apply(off, 2, max), level, names = FALSE) else 0
  new_table(
    one = pairs[1, ],
    other = pairs[2, ],
    difference = unname(difference),
    low = unname(difference - reach * spread),
    high = unname(difference + reach * spread),
    apart = unname(difference - reach * spread > 0)
  )
}

# Repeated looks with optional stopping find differences that are not there. A Brownian motion
# watched continuously crosses b before its end twice as often as it ends above it (the reflection
# principle); watched at `looks` times, the bound is effectively 0.58 of a step's spread higher
# (Siegmund 1985). Intervals are widened accordingly, and by 1 / sqrt(information) (O'Brien and
# Fleming 1979), which makes early looks strict and late ones hardly stricter. `information` is
# the share of the complete run's information, 0 to 1.
peeking_stretch <- function(confidence, information, looks) {
  once <- stats::qnorm(confidence)
  often <- max(once, stats::qnorm(1 - (1 - confidence) / 2) - 0.5826 / sqrt(looks))
  often / once / sqrt(min(1, max(information, least_information)))
}

# Two pipelines without a common case can't be compared: intervals ten times as wide decide
# nothing.
least_information <- 0.01
