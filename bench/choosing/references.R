# Two others who read the same runs: a hierarchical model, and one who knows how chance works.

# Draws of pipelines' means (pipelines x draws) from cells (cases x pipelines, NA where nothing
# was met): level + case + pipeline + reference by pipeline + look by pipeline + rest, all
# normal, each spread half-Cauchy or, for cases and the rest, flat on its logarithm. A Gibbs
# sampler (Gelman 2006 for spreads, by way of two inverse gammas as Makalic and Schmidt 2016).
hierarchical_draws <- function(cells, pictures, draws = 500, burn = 200) {
  cases <- nrow(cells)
  n <- ncol(cells)
  gaps <- is.na(cells)
  own_picture <- seq_len(cases)
  groups <- Filter(function(group) max(group) > 1 && max(group) < cases, unname(pictures))
  y <- core("fill_by_sums")(cells)
  pipeline <- colMeans(y) - mean(y)
  of_group <- lapply(groups, function(group) matrix(0, max(group), n))
  case <- rowMeans(y)
  spread <- list(pipeline = start_spread(), case = 0.01, rest = 0.01)
  spread$group <- lapply(groups, function(group) start_spread())
  kept <- matrix(NA_real_, n, draws)
  in_groups <- function() {
    sums <- matrix(0, cases, n)
    for (k in seq_along(groups)) {
      sums <- sums + of_group[[k]][groups[[k]], ]
    }

    sums
  }

  level <- mean(y)
  for (step in seq_len(burn + draws)) {
    shared <- in_groups()
    fitted <- case + rep(pipeline, each = cases) + shared
    y[gaps] <- fitted[gaps] + stats::rnorm(sum(gaps), 0, sqrt(spread$rest))
    off <- y - rep(pipeline, each = cases) - shared
    case <- drawn_mean(rowSums(off), n, spread$rest, level, spread$case)
    level <- stats::rnorm(1, mean(case), sqrt(spread$case / cases))
    spread$case <- drawn_variance(case - level)
    off <- y - case - shared
    pipeline <- drawn_mean(colSums(off), cases, spread$rest, 0, spread$pipeline$variance)
    spread$pipeline <- drawn_spread(pipeline, spread$pipeline)
    for (k in seq_along(groups)) {
      off <- y - case - rep(pipeline, each = cases) - (shared - of_group[[k]][groups[[k]], ])
      sums <- rowsum(off, groups[[k]])
      many <- as.vector(table(groups[[k]]))
      of_group[[k]] <- drawn_mean(sums, many, spread$rest, 0, spread$group[[k]]$variance)
      shared <- in_groups()
      spread$group[[k]] <- drawn_spread(of_group[[k]], spread$group[[k]])
    }

    rest <- y - case - rep(pipeline, each = cases) - shared
    spread$rest <- drawn_variance(rest[!gaps])
    if (step > burn) {
      kept[, step - burn] <- level + pipeline
    }
  }

  rownames(kept) <- colnames(cells)
  kept
}

# Means known from `sums` of `many` values of variance `rest`, and normal about `centre`.
drawn_mean <- function(sums, many, rest, centre, variance) {
  precision <- many / rest + 1 / variance
  mean <- (sums / rest + centre / variance) / precision
  mean + stats::rnorm(length(sums)) / sqrt(precision)
}

drawn_variance <- function(values) {
  1 / stats::rgamma(1, length(values) / 2, sum(values^2) / 2 + 1e-8)
}

start_spread <- function() list(variance = 0.01, aid = 1)

# The half-Cauchy's scale is its median, and that is the same as in verdicts.
drawn_spread <- function(values, now) {
  scale <- core("usual_spread")
  variance <- 1 / stats::rgamma(1, (length(values) + 1) / 2, sum(values^2) / 2 + 1 / now$aid)
  aid <- 1 / stats::rgamma(1, 1, 1 / variance + 1 / scale^2)
  list(variance = max(variance, 1e-8), aid = aid)
}

# One who knows how far pipelines of such worlds differ (`spread`) and how their means vary
# together over runs like this one, but not what they are.
oracle_draws <- function(cells, world, met, spread, seed, draws = 500, runs = 400) {
  n <- ncol(cells)
  shape <- dim(met$failed)
  again <- function(k) {
    other <- meet_world(world, shape[1], shape[3], seed + k)
    means_met(other)
  }

  means <- vapply(seq_len(runs), again, numeric(n))
  covariance <- stats::cov(t(means))
  basis <- qr.Q(qr(cbind(1, diag(n))))[, -1, drop = FALSE]
  noise <- crossprod(basis, covariance %*% basis)
  seen <- crossprod(basis, colMeans(core("fill_by_sums")(cells)))
  precision <- solve(noise) + diag(n - 1) / spread^2
  of_truth <- solve(precision)
  centre <- of_truth %*% solve(noise, seen)
  withr::local_seed(seed)
  luck <- t(chol(of_truth)) %*% matrix(stats::rnorm((n - 1) * draws), n - 1)
  contrasts <- basis %*% (as.vector(centre) + luck)
  level <- mean(cells, na.rm = TRUE) + stats::rnorm(draws, 0, stats::sd(colMeans(means)))
  drawn <- contrasts + rep(level, each = n)
  rownames(drawn) <- colnames(cells)
  drawn
}

# Pipelines' means as a run that met this would show them.
means_met <- function(met) {
  worth <- replace(worth_met(met)$worth, !met$met, NA)
  cells <- rowMeans(worth, na.rm = TRUE, dims = 2)
  colMeans(core("fill_by_sums")(replace(cells, is.nan(cells), NA)))
}

# How far pipelines of such worlds differ in truth: over 60 of them.
true_spread <- function(kind, apart) {
  squares <- vapply(
    seq_len(60),
    function(k) {
      world <- new_world(8e6 + k, kind, apart)
      worth <- truth_of(world, k, many = 2000)[, "worth"]
      stats::var(worth)
    },
    0
  )
  sqrt(mean(squares))
}
