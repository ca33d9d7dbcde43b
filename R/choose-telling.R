# Which takes show what a verdict says: three cases of the pipeline that is chosen, and for each
# other pipeline one take that is typical of what it loses by. None is picked for being extreme,
# but for the best and the worst case, which are called so.

# Smaller differences of worth are not called a loss.
least_loss <- 0.005

# The cases in which the pipeline does best, as well as usual (the median; the lower of two), and
# worst, by the mean worth of its takes: `role`, `case`, `worth` and `seed`, which is that of its
# take of median worth there. Takes that failed count 0, but are not shown if another was made.
telling_cases <- function(table, pipeline) {
  own <- table[table$pipeline == pipeline & !is.na(table$worth), ]
  means <- vapply(split(own$worth, factor(own$case, unique(own$case))), mean, 0)
  ranked <- means[order(-means)]
  n <- length(ranked)
  if (n == 0) {
    return(NULL)
  }

  # Of several worst ones the first of the suite, as a verdict names it.
  worst <- match(min(ranked), ranked)
  place <- c(best = 1L, typical = n %/% 2L + 1L, worst = worst)
  place <- place[c(n > 1, n != 2, n > 1)]
  cases <- names(ranked)[place]
  new_table(
    role = names(place),
    case = cases,
    worth = unname(ranked[place]),
    seed = vapply(cases, function(case) median_seed(own[own$case == case, ]), 0L, USE.NAMES = FALSE)
  )
}

# The seed of the take of median worth (the lower of two).
median_seed <- function(takes) {
  made <- takes[takes$state == "made", ]
  if (nrow(made) == 0) {
    return(as.integer(takes$seed[1]))
  }

  as.integer(made$seed[order(made$worth)][(nrow(made) + 1) %/% 2])
}

# For each pipeline but the chosen one, what it mostly loses by, and a take that shows it: a row
# each with `pipeline`, `reason` ("keepers", an axis, or "none" if it loses nothing), `mean` and
# `best_mean` of that, `case` and `seed` of the take, and of the chosen pipeline's there (`own`,
# `against`) the value of the same. Pipelines are compared on the cases and seeds that both have.
telling_losses <- function(table, pipelines, chosen, weights) {
  best <- table[table$pipeline == chosen & !is.na(table$worth), ]
  others <- setdiff(pipelines, chosen)
  do.call(rbind, lapply(others, function(pipeline) {
    own <- table[table$pipeline == pipeline & !is.na(table$worth), ]
    at <- match(paste(own$case, own$seed), paste(best$case, best$seed))
    if (!all(is.na(at))) {
      loss_of(pipeline, own[!is.na(at), ], best[at[!is.na(at)], ], weights)
    }
  }))
}

# `own` and `best` have the same cases and seeds, row by row.
loss_of <- function(pipeline, own, best, weights) {
  parts <- loss_parts(own, best, weights)
  sums <- colSums(parts, na.rm = TRUE) / max(1, nrow(own))
  reason <- if (any(sums > least_loss)) names(which.max(sums)) else "none"
  at <- telling_row(parts, reason, own)
  measure <- switch(reason,
    keepers = "keeper",
    none = "worth",
    reason
  )
  new_table(
    pipeline = pipeline,
    reason = reason,
    mean = mean(own[[measure]], na.rm = TRUE),
    best_mean = mean(best[[measure]], na.rm = TRUE),
    case = own$case[at],
    seed = as.integer(own$seed[at]),
    own = as.numeric(own[[measure]][at]),
    against = as.numeric(best[[measure]][at])
  )
}

# The difference of worth take by take, put down to a take that can't be used where the chosen
# pipeline's can ("keepers"), or else to the axes.
loss_parts <- function(own, best, weights) {
  weights <- weights[weights > 0] / sum(weights)
  both <- own$keeper %in% TRUE & best$keeper %in% TRUE
  lost <- !own$keeper %in% TRUE & best$keeper %in% TRUE
  axes <- vapply(
    names(weights),
    function(axis) ifelse(both, weights[[axis]] * (best[[axis]] - own[[axis]]), 0),
    numeric(nrow(own))
  )
  cbind(
    keepers = ifelse(lost, best$worth - own$worth, 0),
    matrix(axes, nrow(own), dimnames = list(NULL, names(weights)))
  )
}

# The take that is typical: of those that lose by the reason the one of median loss, pictures
# before failures; and among takes that can't be used, of those with the commonest fault.
telling_row <- function(parts, reason, own) {
  some <- seq_len(nrow(own))
  loss <- if (reason == "none") rowSums(parts, na.rm = TRUE) else parts[, reason]
  if (reason != "none") {
    some <- some[loss[some] > 0]
  }

  if (reason == "keepers") {
    fault <- paste(own$state, own$flaws, own$missed)[some]
    counts <- table(fault)
    some <- some[fault == names(counts)[which.max(counts)]]
  }

  if (any(own$state[some] == "made")) {
    some <- some[own$state[some] == "made"]
  }

  some[order(loss[some])][(length(some) + 1) %/% 2]
}
