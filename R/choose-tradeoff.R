# Which pipelines nothing beats: none other is at least as good on every axis and better on
# one.

# `means` is a matrix pipelines x axes; `draws` a list with a matrix pipelines x draws for
# each axis. Returns a row a pipeline: `unbeaten`, by the means, and `chance`, the share of
# draws in which it is.
tradeoff_table <- function(means, draws) {
  known <- colSums(is.na(means)) == 0
  sets <- lapply(draws[known], t)
  if (!any(known)) {
    return(tibble::tibble(pipeline = rownames(means), unbeaten = NA, chance = NA_real_))
  }

  tibble::tibble(
    pipeline = rownames(means),
    unbeaten = drop(unbeaten(lapply(which(known), function(k) matrix(means[, k], 1)))),
    chance = colMeans(unbeaten(sets))
  )
}

# A list with a matrix draws x pipelines for each axis in, one matrix of yes and no out.
unbeaten <- function(axes) {
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
