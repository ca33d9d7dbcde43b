# What scores of cases say of means: draws, and what is told from draws.

# `columns` of an axis table, drawn: a list with one matrix each, pipelines x draws (see
# posterior_draws()). It is by their worth that pipelines are chosen, and so the worth of those
# that lead is what luck has had a hand in: only that is shrunk. With a single case its seeds
# speak, and for it alone.
score_draws <- function(table, columns, draws, seed, widen = 1) {
  units <- independent_units(table)
  cells <- case_means(table, columns, by = drawn_units(table))
  drawn <- lapply(seq_along(columns), function(k) {
    posterior_draws(
      cells[[k]],
      units,
      draws,
      seed + k - 1,
      widen,
      shrink = columns[k] == "utility"
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

# The interval of a yield: Wilson's (1927) of a share, for as many takes as the cases are
# worth. Takes of one case are alike in being kept or not, by how much is told from all
# pipelines together (the design effect of Kish 1965): a single one with nothing but
# keepers can't show that another case may fail. A row a pipeline: from, to.
yield_interval <- function(table, level = 0.9) {
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

# The share of draws in which each pipeline is the best; ties are shared
# out. Unknown of one without takes, and of all where nobody has ever made anything of worth.
chance_best <- function(utility) {
  unknown <- rowSums(!is.na(utility)) == 0
  utility[is.na(utility)] <- -Inf
  top <- apply(utility, 2, max)
  wins <- utility == rep(top, each = nrow(utility))
  chance <- rowMeans(wins / rep(colSums(wins), each = nrow(utility)))
  replace(chance, unknown | all(utility <= 0), NA_real_)
}

# The share of draws in which each pipeline is worth no less than the best less `within`.
chance_close <- function(utility, within) {
  best <- chance_best(utility)
  if (within <= 0) {
    return(best)
  }

  top <- apply(utility[!is.na(best), , drop = FALSE], 2, max)
  replace(rowMeans(utility >= rep(top - within, each = nrow(utility))), is.na(best), NA_real_)
}

# What is lost, on average over the draws, if a pipeline is used that is not the best.
expected_regret <- function(utility) {
  known <- rowSums(is.na(utility)) == 0
  regret <- rep(NA_real_, nrow(utility))
  if (any(known)) {
    top <- apply(utility[known, , drop = FALSE], 2, max)
    regret[known] <- rowMeans(rep(top, each = sum(known)) - utility[known, , drop = FALSE])
  }

  stats::setNames(regret, rownames(utility))
}

# The ranks, 1 the best, among which each pipeline is found in 90 % of draws: from, to.
rank_intervals <- function(utility, level = 0.9) {
  utility <- replace(utility, is.na(utility), -Inf)
  ends <- vapply(
    seq_len(nrow(utility)),
    function(j) {
      ranks <- 1 + colSums(utility > rep(utility[j, ], each = nrow(utility)))
      stats::quantile(ranks, c((1 - level) / 2, (1 + level) / 2), type = 1, names = FALSE)
    },
    numeric(2)
  )
  structure(t(ends), dimnames = list(rownames(utility), c("from", "to")))
}

most_numbers <- 5e6

# Every two pipelines' difference, the better one first, with intervals that hold all at once
# in `level` of draws: each is as many of its own spreads wide as the pair that is furthest off
# in a draw wants. `draws` is a matrix pipelines x draws.
pair_differences <- function(draws, level = 0.9) {
  # Of very many pairs fewer draws.
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
  tibble::tibble(
    one = pairs[1, ],
    other = pairs[2, ],
    difference = unname(difference),
    low = unname(difference - reach * spread),
    high = unname(difference + reach * spread),
    apart = unname(difference - reach * spread > 0)
  )
}

# Who looks more than once, and stops when it suits, will find what is not there. A
# Brownian motion that is watched all the time crosses b before its end twice as often as it
# ends above it (the reflection principle); looked at `looks` times it seems lower by 0.58 of
# a step's spread (Siegmund 1985). Intervals are stretched to that, and by
# 1 / sqrt(information) as O'Brien and Fleming (1979) have it, which makes early looks strict
# and late ones hardly so. `information`: how much of what the whole run could tell is
# known, 0 to 1.
peeking_stretch <- function(confidence, information, looks) {
  once <- stats::qnorm(confidence)
  often <- max(once, stats::qnorm(1 - (1 - confidence) / 2) - 0.5826 / sqrt(looks))
  often / once / sqrt(min(1, max(information, least_information)))
}

# Two that have met no case together know nothing of each other: intervals ten times as wide decide
# nothing either.
least_information <- 0.01
