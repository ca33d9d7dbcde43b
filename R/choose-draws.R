# How sure a mean is: what it could as well have been, drawn from the cases that were met.

# `columns` of an axis table, drawn together: a list with one matrix each, pipelines x
# draws. All pipelines and columns meet the same cases in a draw, so that what is compared
# stays paired. With a single case its seeds are drawn instead, and speak for it alone.
# `widen` stretches every draw away from the mean (see peeking_stretch()).
score_draws <- function(table, columns, draws, seed, widen = 1) {
  cells <- case_means(table, columns, by = drawn_units(table))
  means <- do.call(cbind, cells)
  drawn <- core_bootstrap(means, draws, seed)
  if (widen != 1) {
    middle <- colMeans(means, na.rm = TRUE)
    drawn <- middle + widen * (drawn - middle)
  }
  n <- ncol(cells[[1]])
  lapply(stats::setNames(seq_along(columns), columns), function(k) {
    own <- drawn[(k - 1) * n + seq_len(n), , drop = FALSE]
    rownames(own) <- colnames(cells[[1]])
    own
  })
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
  half <- z / (1 + z^2 / n) * sqrt(share * (1 - share) / n + z^2 / (4 * n^2))
  cbind(from = middle - half, to = middle + half)
}

# What the worths of pipelines may really be, given that pipelines resemble each other: draws
# (see score_draws(); `means` are the cases x pipelines that they came of) with leads shrunk as
# far as luck could make them. Of many that differ little the one that leads has been lucky,
# so its lead is more than the truth; plain draws would boast of it.
#
# True worths are taken to be normal around their mean with a spread that is not known: half
# Cauchy, scale 0.3, beforehand (Gelman 2006), for worths lie between 0 and 1. Given the
# spread t, a contrast whose mean varies by v keeps t^2 / (t^2 + v) of itself (Efron and
# Morris 1973) and varies by as much of v. A few cases say little about how contrasts vary
# together, so v is drawn to what all have in common, the more the fewer cases there are.
likely_worth <- function(draws, means, widen = 1) {
  known <- rownames(draws)[rowSums(!is.na(draws)) > 0]
  n <- length(known)
  if (n < 2) {
    return(draws)
  }
  means <- means[, known, drop = FALSE]
  middle <- colMeans(means, na.rm = TRUE)
  met <- colSums(!is.na(means))
  off <- t((t(means) - middle) * widen / sqrt(met * (met - 1)))
  off[is.na(off)] <- 0
  contrasts <- qr.Q(qr(cbind(1, diag(n))))[, -1, drop = FALSE]
  spread <- crossprod(off %*% contrasts)
  common <- n / (n + nrow(means) - 1)
  turned <- eigen((1 - common) * spread + common * mean(diag(spread)) * diag(n - 1), symmetric = TRUE)
  turn <- contrasts %*% turned$vectors
  v <- pmax(turned$values, 0)
  lead <- as.vector(crossprod(turn, middle))
  spreads <- exp(seq(log(0.001), 0, length.out = 40))
  fit <- vapply(spreads, function(t) sum(stats::dnorm(lead, 0, sqrt(t^2 + v), log = TRUE)) + log(t) - log1p((t / 0.3)^2), 0)
  # Every draw has its spread, dealt out evenly (the golden ratio's multiples) by how likely each is.
  likely <- cumsum(exp(fit - max(fit)) / sum(exp(fit - max(fit))))
  each <- spreads[pmin(length(spreads), 1 + findInterval((seq_len(ncol(draws)) * (sqrt(5) - 1) / 2) %% 1, likely))]
  kept <- 1 / (1 + outer(v, each^2, "/"))
  chance <- draws[known, , drop = FALSE] - middle
  chance[is.na(chance)] <- 0
  # Rounded, so that pipelines that are the same in all they made stay so.
  worth <- round(mean(middle) + turn %*% (lead * kept + crossprod(turn, chance) * sqrt(kept)), 12)
  out <- draws
  out[known, ] <- replace(worth, is.na(draws[known, ]), NA)
  out
}

# The share of draws (of likely_worth()) in which each pipeline is the best; ties are shared
# out. Unknown of one without takes, and of all where nobody has ever made anything of worth.
chance_best <- function(utility) {
  unknown <- rowSums(!is.na(utility)) == 0
  utility[is.na(utility)] <- -Inf
  top <- apply(utility, 2, max)
  wins <- utility == rep(top, each = nrow(utility))
  chance <- rowMeans(wins / rep(colSums(wins), each = nrow(utility)))
  replace(chance, unknown | all(utility <= 0), NA_real_)
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
  ranks <- apply(-replace(utility, is.na(utility), -Inf), 2, rank, ties.method = "min")
  ranks <- matrix(ranks, nrow(utility))
  ends <- apply(ranks, 1, stats::quantile, c((1 - level) / 2, (1 + level) / 2), type = 1, names = FALSE)
  structure(t(ends), dimnames = list(rownames(utility), c("from", "to")))
}

# Every two pipelines' difference, with intervals that hold all at once in `level` of cases.
# `means` is a matrix cases x pipelines (see case_means()). Differences are taken within
# cases; each interval is Student's, as sure as so many pairs together want it (Bonferroni).
pair_differences <- function(means, level = 0.9, widen = 1) {
  means <- means[, colSums(!is.na(means)) > 0, drop = FALSE]
  worth <- colMeans(means, na.rm = TRUE)
  pairs <- if (ncol(means) > 1) utils::combn(colnames(means), 2) else matrix("", 2, 0)
  # The better one first.
  swap <- worth[pairs[1, ]] < worth[pairs[2, ]]
  pairs[, swap] <- pairs[2:1, swap]
  apart <- means[, pairs[1, ], drop = FALSE] - means[, pairs[2, ], drop = FALSE]
  met <- colSums(!is.na(apart))
  half <- widen * all_at_once(level, ncol(pairs), met - 1) * apply(apart, 2, stats::sd, na.rm = TRUE) / sqrt(met)
  difference <- colMeans(apart, na.rm = TRUE)
  tibble::tibble(
    one = pairs[1, ], other = pairs[2, ], difference = unname(difference), low = unname(difference - half), high = unname(difference + half),
    apart = unname(!is.na(half) & difference - half > 0)
  )
}

# How many spreads an interval reaches when `many` of them are to hold at once.
all_at_once <- function(level, many, df) {
  ifelse(df > 0, suppressWarnings(stats::qt(1 - (1 - level) / 2 / max(1, many), pmax(df, 1))), NA_real_)
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
  max(once, stats::qnorm(1 - (1 - confidence) / 2) - 0.5826 / sqrt(looks)) / once / sqrt(min(1, information))
}
