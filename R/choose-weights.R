# Does the choice survive other weights? Keepers stay keepers whatever the axes weigh, so
# that only what they are worth has to be counted anew.

# Every weighting of the axes in steps of `step`, with who wins by it: a tibble with a column
# of weights for each axis, `winner` and `lead` over the second. `parts` are worth_parts().
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
  tibble::tibble(
    tibble::as_tibble(weights),
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

# A take is worth the weighted mean of the axes that there is evidence on. So takes fall
# into groups by which axes those are, and in each group a pipeline's worth is linear in the
# weights: `sums` is an array pipelines x axes x groups, of means over cases of means over
# seeds, and `known` says which axes a group has.
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

# The same, less the luck that pipelines are thought to have had by these weights: there their
# worth is `expected` (see posterior_draws()), so that the verdict's leader leads.
without_luck <- function(parts, weights, expected) {
  plain <- worth_by(parts, matrix(weights / sum(weights), 1))[1, ]
  luck <- plain - expected[parts$pipelines]
  parts$luck <- unname(ifelse(is.na(luck), 0, luck))
  parts
}

# Worth by each of `weights` (a row each): a matrix weightings x pipelines. A group of takes
# of which no axis has weight says nothing.
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
  tibble::tibble(pipeline = map$winner[first], moved = moved[first], map[first, axes])
}
