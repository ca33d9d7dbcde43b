# What the means of pipelines may really be, on pictures like those that were met.
#
# A pipeline's mean is a level that all share and a contrast to the others. Contrasts are
# taken to be normal around 0 with a spread that is not known (see log_prior_of_spread()). What
# luck does to a contrast is told from how cases disagree. Given the spread t, a
# contrast whose mean varies by v keeps t^2 / (t^2 + v) of itself (Efron and Morris 1973): of
# many pipelines that differ little, the one that leads has been lucky, and plain means would
# boast of it. Interval, order, chance and loss are all told from the same draws.

# Half of all spreads are taken to be below this. Worths and axes lie between 0 and 1.
usual_spread <- 0.15

# So many looks, and no fewer, say how new looks would do; of fewer a verdict says that they
# are meant.
fewest_looks <- 4

# How many contrasts' worth of degrees of freedom the scale of their common variance has:
# they go together, so fewer than there are.
most_contrasts <- 3

# So many degrees of freedom's worth a pipeline's own variance is drawn to that of all.
drawn_to_all <- 30
spreads_tried <- exp(seq(log(0.001), 0, length.out = 40))
scales_tried <- (seq_len(15) - 0.5) / 15

# Draws of the true means of the columns of `means` (cases x pipelines, NA where nothing is
# known): a matrix pipelines x draws, NA where a pipeline, or how cases disagree, is not known.
# `units` is a list of one or two vectors that tell which cases go together (see
# independent_units()). `widen` stretches what luck may do (see peeking_stretch()). Without
# `shrink` contrasts stay what they are, as curves along a setting want it: there pipelines
# are no sample of anything.
posterior_draws <- function(means, units, draws, seed, widen = 1, shrink = TRUE) {
  out <- matrix(NA_real_, ncol(means), draws, dimnames = list(colnames(means), NULL))
  known <- colSums(!is.na(means)) > 0
  met <- rowSums(!is.na(means)) > 0
  units <- telling_units(lapply(units, `[`, met))
  if (!any(known) || length(units) == 0) {
    return(out)
  }

  means <- means[met, known, drop = FALSE]
  # What is the same in all it made is one pipeline twice.
  same <- match(split(t(means), seq_len(ncol(means))), split(t(means), seq_len(ncol(means))))
  means <- means[, unique(same), drop = FALSE]
  found <- draw_contrasts(means, units, draws, seed, widen, shrink)
  out[known, ] <- found[match(same, unique(same)), , drop = FALSE]
  out
}

draw_contrasts <- function(means, units, draws, seed, widen, shrink) {
  n <- ncol(means)
  filled <- fill_by_sums(means)
  even <- matrix(core_uniform(n * ceiling(draws / 2), seed), n)
  # Each draw has a mirror image, so that the mean of draws is what is expected.
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
  # A pipeline that some cases lack varies by more.
  full <- t((t(means) - middle) * nrow(means) / colSums(!is.na(means)))
  full <- replace(full, is.na(full), 0)
  luck_of <- covariance_of_mean(full %*% basis, units)
  # A few cases say little about how contrasts vary together, so that each pipeline varies by
  # itself counts too, the more the fewer cases there are.
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

# How much the mean of each pipeline varies by itself: `off` is cases x pipelines, less each
# one's mean. What all share in a case is no matter of contrasts, and is taken out; some of
# each one's luck goes with it, which is put back. A pipeline that has not failed in a few
# cases may yet, so each one's variance is drawn to that of all.
own_variances <- function(off, units, free) {
  n <- ncol(off)
  seen <- diag(covariance_of_mean(off - rowMeans(off), units)$covariance)
  all <- mean(seen) * n / (n - 1)
  own <- if (n > 2) pmax(0, (seen - all / n) / (1 - 2 / n)) else rep(all, n)
  (drawn_to_all * all + free * own) / (drawn_to_all + free)
}

# Pairs of a spread of the truth and a scale of luck's variance, as likely as they are.
likely_spreads <- function(lead, variance, free, spreads, many) {
  scales <- free / stats::qchisq(1 - scales_tried, free)
  # How likely a spread and a scale are. Where spreads have no bound none is likelier.
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

# The prior of the spread of pipelines' true worths (its logarithm, per step of the spread's
# logarithm): no two pipelines are quite the same, so it falls to nothing at 0 (Chung and others
# 2013), and its tail is a Cauchy's (Gelman 2006). Its median is `usual_spread`.
log_prior_of_spread <- function(spread) {
  2 * log(spread) - 1.5 * log1p(3 * (spread / usual_spread)^2)
}

# Numbers between 0 and 1 that lie evenly: the golden ratio's multiples.
dealt_evenly <- function(n) (seq_len(n) * (sqrt(5) - 1) / 2) %% 1

# What the cells of a matrix cases x pipelines are more than their case and their pipeline have.
beyond_sums <- function(cells) {
  off <- cells - rowMeans(cells)
  off - rep(colMeans(off), each = nrow(off))
}

# The covariance of the mean of rows that go together by one unit, or by two that cross, and
# how many degrees of freedom it has: what units of each kind say, less what was counted twice
# (Cameron, Gelbach and Miller 2011), and never less than one kind says alone.
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
  # Satterthwaite 1946.
  free <- sum(sizes)^2 / sum(sizes^2 / vapply(parts, `[[`, 0, "free"))
  list(
    covariance = turned$vectors %*% (pmax(turned$values, 0) * t(turned$vectors)),
    free = free
  )
}

# Cells that are not known, as the sum of what their case and their pipeline usually have.
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

# Which cases of an axis table go together: a list with one vector or two, a value a case in
# the order of case_means(). Cases of one reference share what it makes easy or hard, and so do
# those of one look. A single case is spoken for by its seeds.
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

# Those units that say more than the cases themselves: one that all cases share says nothing
# of others, and one that no two cases share is the case.
telling_units <- function(units) {
  many <- vapply(units, function(unit) length(unique(unit)), 0L)
  cases <- length(units[[1]])
  crossed <- units[many > 1 & many < cases]
  if (length(crossed)) {
    return(unname(crossed))
  }

  if (cases > 1) list(seq_len(cases)) else list()
}

# How many pictures that have nothing to do with each other a table rests on.
independent_pictures <- function(table) {
  if (drawn_units(table) == "seed") {
    return(1L)
  }

  units <- telling_units(independent_units(table))
  min(vapply(units, function(unit) length(unique(unit)), 0L))
}
