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
    pipeline = rownames(means), unbeaten = drop(unbeaten(lapply(which(known), function(k) matrix(means[, k], 1)))),
    chance = colMeans(unbeaten(sets))
  )
}

# A list with a matrix draws x pipelines for each axis in, one matrix of yes and no out.
unbeaten <- function(axes) {
  n <- ncol(axes[[1]])
  out <- matrix(TRUE, nrow(axes[[1]]), n)
  for (i in seq_len(n)) {
    for (j in setdiff(seq_len(n), i)) {
      as_good <- Reduce(`&`, lapply(axes, function(one) one[, j] >= one[, i]))
      better <- Reduce(`|`, lapply(axes, function(one) one[, j] > one[, i]))
      out[, i] <- out[, i] & !(as_good & better %in% TRUE)
    }
  }
  out
}
