# The worth of a take to the brief, the choice under other weights, and the Pareto front.

# The worth of a take to the brief.

# Adds `keeper` (made, no serious flaw, no required phrase missing, every floor cleared) and
# `worth` (the weighted mean of the axes; 0 if not a keeper) to an axis table. Takes that are not
# made yet have neither. If an axis has no evidence the others count; evidence is evened out
# beforehand (see even_axes()), so that this is the same for all pipelines. A floor on an axis
# without evidence is neither cleared nor missed. Such a case has no keepers for any pipeline, and
# a case without evidence on any weighted axis has no worth.
add_worth <- function(table, brief) {
  scores <- as.matrix(table[names(brief$weights)])
  floors <- rep(brief$floors, each = nrow(scores))
  made <- table$state == "made"
  tried <- made | table$state %in% c("failed", "refused")
  below <- rowSums(scores < floors, na.rm = TRUE) > 0
  unknown <- made & rowSums(is.na(scores) & !is.na(floors)) > 0
  unjudged <- table$case %in% table$case[unknown]
  usable <- made & table$flaws == "" & table$missed == "" & !below
  table$keeper <- ifelse(tried & !unjudged, usable, NA)
  weights <- matrix(brief$weights, nrow(scores), ncol(scores), byrow = TRUE) * !is.na(scores)
  weighed <- rowSums(weights)
  worth <- rowSums(weights * replace(scores, is.na(scores), 0)) / weighed
  bare <- table$case %in% table$case[made & weighed == 0]
  table$worth <- ifelse(bare, NA_real_, ifelse(table$keeper, worth, 0))
  table
}

# Sensitivity to weights. Keepers stay keepers whatever the weights, so only worth has to be
# recomputed.

# Every weighting of the axes in steps of `step`, with its winner: a data frame with a column of
# weights for each axis, `winner` and `lead` over the second. `parts` are worth_parts().
weight_map <- function(axes, parts, step = 0.05) {
  weights <- all_weightings(length(axes), step)
  colnames(weights) <- axes
  worth <- worth_by(parts, weights)
  best <- max.col(worth, ties.method = "first")
  second <- vapply(
    seq_len(nrow(worth)),
    function(i) if (ncol(worth) > 1) max(worth[i, -best[i]]) else NA_real_,
    0
  )
  new_table(
    as_table(weights),
    winner = colnames(worth)[best],
    lead = worth[cbind(seq_along(best), best)] - second
  )
}

# Weights that add up to 1, in steps: a matrix with a row each.
all_weightings <- function(n, step) {
  parts <- round(1 / step)
  if (n == 1) {
    return(matrix(1, 1, 1))
  }

  steps <- as.matrix(expand.grid(rep(list(0:parts), n - 1)))
  steps <- steps[rowSums(steps) <= parts, , drop = FALSE]
  unname(cbind(steps, parts - rowSums(steps))) / parts
}

# A take's worth is the weighted mean of the axes that have evidence. So takes fall into groups by
# which axes those are, and within a group a pipeline's worth is linear in the weights: `sums` is
# an array pipelines x axes x groups, of means over cases of means over seeds, and `known` says
# which axes a group has.
worth_parts <- function(table, axes) {
  table <- table[!is.na(table$keeper), ]
  pipelines <- unique(table$pipeline)
  scores <- as.matrix(table[axes])
  known <- !is.na(scores)
  group <- drop(known %*% 2^(seq_along(axes) - 1))
  groups <- sort(unique(group))
  cell <- paste(match(table$case, unique(table$case)), match(table$pipeline, pipelines))
  met <- table(factor(table$pipeline[!duplicated(cell)], pipelines))
  share <- as.numeric(table$keeper) /
    as.vector(table(cell)[cell]) /
    as.vector(met[table$pipeline])
  sums <- vapply(
    groups,
    function(one) {
      own <- group == one
      found <- matrix(0, length(pipelines), length(axes))
      if (any(own)) {
        each <- rowsum(
          replace(scores, !known, 0)[own, , drop = FALSE] * share[own],
          match(table$pipeline[own], pipelines)
        )
        found[as.integer(rownames(each)), ] <- each
      }

      found
    },
    matrix(0, length(pipelines), length(axes))
  )
  list(
    sums = array(sums, c(length(pipelines), length(axes), length(groups))),
    known = known[match(groups, group), , drop = FALSE],
    pipelines = pipelines,
    luck = rep(0, length(pipelines))
  )
}

# The same without luck, as estimated for the brief's weights: there, worth is `expected` (see
# posterior_draws()), so that the verdict's leader leads.
without_luck <- function(parts, weights, expected) {
  plain <- worth_by(parts, matrix(weights / sum(weights), 1))[1, ]
  luck <- plain - expected[parts$pipelines]
  parts$luck <- unname(ifelse(is.na(luck), 0, luck))
  parts
}

# Worth under each of `weights` (a row each): a matrix weightings x pipelines. A group of takes
# whose axes all have weight 0 does not count.
worth_by <- function(parts, weights) {
  worth <- matrix(
    0,
    nrow(weights),
    length(parts$pipelines),
    dimnames = list(NULL, parts$pipelines)
  )
  for (k in seq_len(nrow(parts$known))) {
    all <- drop(weights %*% parts$known[k, ])
    sums <- matrix(parts$sums[, , k], length(parts$pipelines))
    worth <- worth + (weights %*% t(sums)) / ifelse(all > 0, all, Inf)
  }

  worth - rep(parts$luck, each = nrow(weights))
}

# For each other pipeline that some weighting makes the winner: the one nearest to the
# brief's. `moved` is how much of the weight has to change its axis.
nearest_flips <- function(weights, parts) {
  axes <- names(weights)
  map <- weight_map(axes, parts, 0.02)
  own <- weights / sum(weights)
  moved <- rowSums(abs(sweep(as.matrix(map[axes]), 2, own))) / 2
  best <- names(which.max(worth_by(parts, matrix(own, 1))[1, ]))
  other <- which(map$winner != best)
  other <- other[order(moved[other])]
  first <- other[!duplicated(map$winner[other])]
  new_table(pipeline = map$winner[first], moved = moved[first], map[first, axes])
}

# The Pareto front: pipelines for which no other is at least as good on every axis and better on
# one.

# `means` is a matrix pipelines x axes; `draws` a list with a matrix pipelines x draws for
# each axis. Returns a row a pipeline: `pareto_front`, by the means, and `chance`, the share of
# draws in which it is.
tradeoff_table <- function(means, draws) {
  known <- colSums(is.na(means)) == 0
  sets <- lapply(draws[known], t)
  if (!any(known)) {
    return(new_table(pipeline = rownames(means), pareto_front = NA, chance = NA_real_))
  }

  new_table(
    pipeline = rownames(means),
    pareto_front = drop(pareto_front(lapply(which(known), function(k) matrix(means[, k], 1)))),
    chance = colMeans(pareto_front(sets))
  )
}

# Takes a list with a matrix draws x pipelines for each axis; returns one logical matrix.
pareto_front <- function(axes) {
  beaten <- vapply(
    seq_len(ncol(axes[[1]])),
    function(i) {
      as_good <- Reduce(`&`, lapply(axes, function(one) one >= one[, i]))
      better <- Reduce(`|`, lapply(axes, function(one) one > one[, i]))
      rowSums(as_good & !is.na(better) & better) > 0
    },
    logical(nrow(axes[[1]]))
  )
  matrix(!beaten, nrow(axes[[1]]))
}

# `ballots` has `one_take`, `other_take` and `share` (1 if one was preferred, 0 if the other was);
# `values` is a matrix takes x axes with the takes as row names. The log odds that one is
# preferred are a weighted sum of its leads on the axes (a paired-comparison model with
# covariates; Bradley and Terry 1952), with no weight below 0. Returns a row an axis: `weight`
# (they add up to 1), `low` and `high` from resampled cases (from ballots if there are too few
# cases), `pairs` and `sides` (how often the weights agree with people).
suggested_weights <- function(ballots, values, draws = 400, seed = 1) {
  decided <- ballots[ballots$share != 0.5, ]
  lead <- (values[decided$one_take, , drop = FALSE] -
    values[decided$other_take, , drop = FALSE]) *
    ifelse(decided$share > 0.5, 1, -1)
  lead <- lead[, colSums(is.na(lead)) < nrow(lead), drop = FALSE]
  complete <- rowSums(is.na(lead)) == 0
  lead <- lead[complete, , drop = FALSE]
  counts <- ballot_weights(decided)[complete]
  unit <- (decided[["case"]] %||% seq_len(nrow(decided)))[complete]
  if (length(unique(unit)) < fewest_resampled) {
    unit <- seq_along(unit)
  }

  rows_of <- split(seq_along(unit), unit)
  if (nrow(lead) < fewest_ballots || ncol(lead) < 2) {
    return(NULL)
  }

  weights <- fit_leads(lead, counts)
  drawn <- vapply(
    seq_len(draws),
    function(d) {
      rows <- unlist(rows_of[draw_rows(length(rows_of), seed + d)], use.names = FALSE)
      fit_leads(lead[rows, , drop = FALSE], counts[rows])
    },
    weights
  )
  ends <- apply(drawn, 1, interval)
  new_table(
    axis = colnames(lead),
    weight = unname(weights),
    low = ends[1, ],
    high = ends[2, ],
    pairs = nrow(lead),
    sides = mean(drop(lead %*% weights) > 0)
  )
}

fewest_ballots <- 20

fewest_resampled <- 5

# Newton's method with a weak ridge penalty; a weight that turns negative is dropped and the
# others are fitted again.
fit_leads <- function(lead, counts = rep(1, nrow(lead))) {
  used <- rep(TRUE, ncol(lead))
  weights <- stats::setNames(rep(0, ncol(lead)), colnames(lead))
  repeat {
    x <- lead[, used, drop = FALSE]
    b <- rep(0, ncol(x))
    for (step in 1:30) {
      p <- 1 / (1 + exp(-drop(x %*% b)))
      change <- solve(
        crossprod(x, x * (counts * p * (1 - p))) + diag(1e-3, ncol(x)),
        crossprod(x, counts * (1 - p)) - 1e-3 * b
      )
      b <- b + drop(change)
      if (max(abs(change)) < 1e-8) {
        break
      }
    }

    if (all(b >= 0) || sum(used) == 1) {
      break
    }

    used[which(used)[which.min(b)]] <- FALSE
  }

  weights[used] <- pmax(0, b)
  if (sum(weights) > 0) {
    weights / sum(weights)
  } else {
    weights + 1 / length(weights)
  }
}

# Rows drawn with replacement, reproducible by seed and without touching R's generator.
draw_rows <- function(n, seed) {
  withr::with_seed(
    seed,
    sample.int(n, n, TRUE),
    .rng_kind = "Mersenne-Twister",
    .rng_sample_kind = "Rejection"
  )
}
