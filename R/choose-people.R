# What people's ballots say about the brief: which weights would side with them most.

# `ballots` has `one_take`, `other_take` and `share` (1 where one was preferred, 0 where the
# other was); `values` is a matrix takes x axes with the takes as row names. The log odds
# that one is preferred are a weighted sum of its leads on the axes (a paired-comparison
# model with what is known of the takes; Bradley and Terry 1952), no weight below 0. Returns
# a row an axis: `weight` (they add up to 1), `low` and `high` from resampled cases (from ballots
# where those are too few), and the attributes `pairs` and `sides` (how often
# the weights side with people).
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
  structure(
    tibble::tibble(
      axis = colnames(lead),
      weight = unname(weights),
      low = ends[1, ],
      high = ends[2, ]
    ),
    pairs = nrow(lead),
    sides = mean(drop(lead %*% weights) > 0)
  )
}

fewest_ballots <- 20
fewest_resampled <- 5

# Newton's method, with a faint pull to nothing; a weight that turns negative is left out
# and the others fitted again.
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

# Rows drawn with replacement, the same for the same seed, without touching R's own.
draw_rows <- function(n, seed) {
  withr::with_seed(
    seed,
    sample.int(n, n, TRUE),
    .rng_kind = "Mersenne-Twister",
    .rng_sample_kind = "Rejection"
  )
}
