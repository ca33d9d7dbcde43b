# The posterior of pipelines' means, for pictures like those in the suite.
#
# A pipeline's mean is a level that all share plus a contrast. Contrasts have a normal prior
# around 0 with unknown spread (see log_prior_of_spread()). The sampling error of a contrast is
# estimated from how far cases disagree. Given the spread t, a contrast whose mean has variance v
# is shrunk by t^2 / (t^2 + v) (Efron and Morris 1973): among many pipelines that differ little,
# the leader has been lucky, and its plain mean would be too high. Interval, order, chance and
# loss all come from the same draws.

# The prior median of spreads. Worths and axes lie between 0 and 1.
usual_spread <- 0.15

# From this number of looks on, results generalise to new looks; fewer are taken to be the ones
# meant, and the verdict says so.
fewest_looks <- 4

# The effective number of contrasts behind the scale of their common variance: they are
# correlated, so it is smaller than their number.
most_contrasts <- 3

# The degrees of freedom with which a pipeline's variance is shrunk towards the common one.
drawn_to_all <- 30
spreads_tried <- exp(seq(log(0.001), 0, length.out = 40))
scales_tried <- (seq_len(15) - 0.5) / 15

# Draws of the true means of the columns of `means` (cases x pipelines, NA where unknown): a
# matrix pipelines x draws, NA if a pipeline, or the variation between cases, is unknown. `units`
# is a list of one or two vectors that say which cases belong together (see independent_units()).
# `widen` widens the luck (see peeking_stretch()). Without `shrink` contrasts are left as they
# are, as needed for curves along a setting, where pipelines are not a sample.
posterior_draws <- function(means, units, draws, seed, widen = 1, shrink = TRUE) {
  out <- matrix(NA_real_, ncol(means), draws, dimnames = list(colnames(means), NULL))
  known <- colSums(!is.na(means)) > 0
  met <- rowSums(!is.na(means)) > 0
  units <- telling_units(lapply(units, `[`, met))
  if (!any(known) || length(units) == 0) {
    return(out)
  }

  means <- means[met, known, drop = FALSE]
  # Pipelines whose every result is the same are one pipeline listed twice.
  same <- match(split(t(means), seq_len(ncol(means))), split(t(means), seq_len(ncol(means))))
  means <- means[, unique(same), drop = FALSE]
  found <- posterior_contrasts(means, units, draws, seed, widen, shrink)
  out[known, ] <- found[match(same, unique(same)), , drop = FALSE]
  out
}

posterior_contrasts <- function(means, units, draws, seed, widen, shrink) {
  n <- ncol(means)
  filled <- fill_by_sums(means)
  even <- matrix(core_uniform(n * ceiling(draws / 2), seed), n)
  # Antithetic draws: the mean of the draws is the expected value.
  mirrored <- function(x) cbind(x, -x)[, seq_len(draws), drop = FALSE]
  by_case <- rowMeans(filled)
  of_level <- covariance_of_mean(matrix(by_case - mean(by_case)), units)
  of_chance <- mirrored(matrix(stats::qt(even[1, ], of_level$free), 1))
  level <- mean(by_case) + widen * sqrt(of_level$covariance[1]) * of_chance
  if (n == 1) {
    return(level)
  }

  basis <- qr.Q(qr(cbind(1, diag(n))))[, -1, drop = FALSE]
  middle <- colMeans(filled)
  # A pipeline with missing cases has a larger variance.
  full <- t((t(means) - middle) * nrow(means) / colSums(!is.na(means)))
  full <- replace(full, is.na(full), 0)
  luck_of <- covariance_of_mean(full %*% basis, units)
  # A few cases say little about the covariance of contrasts, so the variances of single pipelines
  # count too, the more the fewer cases there are.
  common <- n / (n + luck_of$free)
  alone <- crossprod(basis, own_variances(full, units, luck_of$free) * basis)
  covariance <- (1 - common) * luck_of$covariance + common * alone
  turned <- eigen(widen^2 * covariance, symmetric = TRUE)
  variance <- pmax(turned$values, 1e-12)
  turn <- basis %*% turned$vectors
  lead <- as.vector(crossprod(turn, middle))
  spreads <- if (shrink) spreads_tried else Inf
  free <- min(most_contrasts, n - 1) * luck_of$free
  told <- likely_spreads(lead, variance, free, spreads, ceiling(draws / 2))
  kept <- 1 / (1 + outer(variance, told$scale / told$spread^2))
  expected <- cbind(lead * kept, lead * kept)[, seq_len(draws), drop = FALSE]
  apart <- sqrt(outer(variance, told$scale) * kept) * stats::qnorm(even[-1, , drop = FALSE])
  turn %*% (expected + mirrored(apart)) + rep(as.vector(level), each = n)
}

# The variance of each pipeline's own mean. `off` is cases x pipelines, centred by pipeline. What
# all share in a case does not affect contrasts and is removed; part of each pipeline's luck is
# removed with it, which is corrected. A pipeline that has not failed in a few cases may still
# fail, so variances are shrunk towards the common one.
own_variances <- function(off, units, free) {
  n <- ncol(off)
  seen <- diag(covariance_of_mean(off - rowMeans(off), units)$covariance)
  all <- mean(seen) * n / (n - 1)
  own <- if (n > 2) pmax(0, (seen - all / n) / (1 - 2 / n)) else rep(all, n)
  (drawn_to_all * all + free * own) / (drawn_to_all + free)
}

# Draws of the spread of true contrasts and the scale of the error variance from their posterior.
likely_spreads <- function(lead, variance, free, spreads, many) {
  scales <- free / stats::qchisq(1 - scales_tried, free)
  # The density of a spread and a scale. With unbounded spreads it is flat.
  likely <- function(spread, scale) {
    if (is.infinite(spread)) {
      return(0)
    }

    sum(stats::dnorm(lead, 0, sqrt(spread^2 + variance * scale), log = TRUE)) +
      log_prior_of_spread(spread)
  }

  fit <- outer(spreads, scales, Vectorize(likely))
  chance <- exp(fit - max(fit))
  even <- dealt_evenly(many)
  cell <- pmin(length(chance), 1 + findInterval(even, cumsum(chance / sum(chance))))
  list(
    spread = spreads[(cell - 1) %% length(spreads) + 1],
    scale = scales[(cell - 1) %/% length(spreads) + 1]
  )
}

# The prior of the spread of pipelines' true worths (log density per unit of log spread). No two
# pipelines are exactly the same, so it vanishes at 0 (Chung and others 2013); its tail is a
# Cauchy's (Gelman 2006); its median is `usual_spread`.
log_prior_of_spread <- function(spread) {
  2 * log(spread) - 1.5 * log1p(3 * (spread / usual_spread)^2)
}

# Evenly spread numbers between 0 and 1: multiples of the golden ratio.
dealt_evenly <- function(n) (seq_len(n) * (sqrt(5) - 1) / 2) %% 1

# Residuals of the cells of a matrix cases x pipelines, after case and pipeline effects.
beyond_sums <- function(cells) {
  off <- cells - rowMeans(cells)
  off - rep(colMeans(off), each = nrow(off))
}

# The covariance of the mean of rows that are clustered by one unit or by two crossed units, and
# its degrees of freedom: the sum over units of each kind minus what is counted twice (Cameron,
# Gelbach and Miller 2011), and never less than for one kind alone.
covariance_of_mean <- function(off, units) {
  by <- function(unit) {
    sums <- rowsum(off, unit)
    list(
      covariance = crossprod(sums) / nrow(off)^2 * nrow(sums) / (nrow(sums) - 1),
      free = nrow(sums) - 1
    )
  }

  parts <- lapply(units, by)
  sizes <- vapply(parts, function(part) sum(diag(part$covariance)), 0)
  if (length(parts) == 1 || sum(sizes) == 0) {
    return(parts[[1]])
  }

  both <- parts[[1]]$covariance + parts[[2]]$covariance - by(do.call(paste, units))$covariance
  if (sum(diag(both)) < max(sizes)) {
    both <- parts[[which.max(sizes)]]$covariance
  }

  turned <- eigen(both, symmetric = TRUE)
  # Satterthwaite (1946).
  free <- sum(sizes)^2 / sum(sizes^2 / vapply(parts, `[[`, 0, "free"))
  list(
    covariance = turned$vectors %*% (pmax(turned$values, 0) * t(turned$vectors)),
    free = free
  )
}

# Fills unknown cells with the sum of their case and pipeline effects.
fill_by_sums <- function(means) {
  gaps <- is.na(means)
  if (!any(gaps)) {
    return(means)
  }

  filled <- replace(means, gaps, mean(means, na.rm = TRUE))
  for (round in 1:30) {
    sums <- outer(rowMeans(filled), colMeans(filled), `+`) - mean(filled)
    filled[gaps] <- sums[gaps]
  }

  filled
}

# The clusters of cases of an axis table: a list of one or two vectors with a value for each case,
# in the order of case_means(). Cases with the same reference share what it makes easy or hard,
# and so do those with the same look. A single case is represented by its seeds.
independent_units <- function(table) {
  if (drawn_units(table) == "seed") {
    return(list(seed = sort(unique(table$seed))))
  }

  cases <- sort(unique(table$case))
  first <- match(cases, table$case)
  own <- lapply(
    list(reference = table[["reference"]], look = table[["look"]]),
    function(column) {
      if (is.null(column)) {
        cases
      } else {
        ifelse(is.na(column[first]), paste("case", cases), column[first])
      }
    }
  )
  if (length(unique(own$look)) < fewest_looks) {
    own$look <- NULL
  }

  own
}

# The clusterings that differ from the cases themselves: a unit common to all cases says nothing
# about others, and units that are all different are the cases.
telling_units <- function(units) {
  many <- vapply(units, function(unit) length(unique(unit)), 0L)
  cases <- length(units[[1]])
  crossed <- units[many > 1 & many < cases]
  if (length(crossed)) {
    return(unname(crossed))
  }

  if (cases > 1) list(seq_len(cases)) else list()
}

# The number of independent pictures behind a table.
independent_pictures <- function(table) {
  if (drawn_units(table) == "seed") {
    return(1L)
  }

  units <- telling_units(independent_units(table))
  min(vapply(units, function(unit) length(unique(unit)), 0L))
}
