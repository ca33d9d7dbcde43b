# From ballots to strengths: which pipeline people prefer, how sure that is, and which pairs
# to show next.

# A paired-comparison model (Bradley and Terry 1952): the log odds that `one` is preferred to
# `other` are the difference of their strengths. `ballots` has `one` and `other` (names) and
# `share`, 1 where `one` was preferred, 0 where `other` was, 0.5 where neither. Strengths add
# up to 0; a faint pull to 0 (a normal with the standard deviation `reach`) keeps them finite
# where somebody has won, or lost, throughout. Returns `strength` and `covariance`, named.
fit_strengths <- function(ballots, names = sort(unique(c(ballots$one, ballots$other))), reach = 2) {
  n <- length(names)
  one <- match(ballots$one, names)
  other <- match(ballots$other, names)
  strength <- rep(0, n)
  for (step in 1:50) {
    p <- 1 / (1 + exp(strength[other] - strength[one]))
    gradient <- -strength / reach^2
    gradient <- gradient + tabulate_by(one, ballots$share - p, n) - tabulate_by(other, ballots$share - p, n)
    curve <- curvature(one, other, p * (1 - p), n) + diag(1 / reach^2, n)
    change <- solve(curve, gradient)
    strength <- strength + change
    if (max(abs(change)) < 1e-9) break
  }
  middle <- diag(n) - 1 / n
  list(
    strength = stats::setNames(strength - mean(strength), names),
    covariance = structure(middle %*% solve(curve) %*% middle, dimnames = list(names, names))
  )
}

tabulate_by <- function(at, values, n) {
  sums <- numeric(n)
  found <- rowsum(values, at)
  sums[as.integer(rownames(found))] <- found
  sums
}

curvature <- function(one, other, weight, n) {
  curve <- matrix(0, n, n)
  for (k in seq_along(one)) {
    i <- one[k]
    j <- other[k]
    curve[i, i] <- curve[i, i] + weight[k]
    curve[j, j] <- curve[j, j] + weight[k]
    curve[i, j] <- curve[i, j] - weight[k]
    curve[j, i] <- curve[j, i] - weight[k]
  }
  curve
}

# The strengths as a table, the strongest first: with 90 % intervals, and how often each was
# shown and preferred. What people do with pairs of the same two differs from case to case, so
# intervals are widened by how far the ballots are more scattered than the model has it.
strength_table <- function(ballots, names = sort(unique(c(ballots$one, ballots$other)))) {
  fit <- fit_strengths(ballots, names)
  spread <- sqrt(diag(fit$covariance)) * scatter_of(ballots, fit$strength)
  shown <- table(factor(c(ballots$one, ballots$other), names))
  won <- tapply(c(ballots$share, 1 - ballots$share), factor(c(ballots$one, ballots$other), names), sum)
  table <- tibble::tibble(
    pipeline = names, strength = unname(fit$strength), low = unname(fit$strength - 1.645 * spread), high = unname(fit$strength + 1.645 * spread),
    shown = as.integer(shown), preferred = as.numeric(won)
  )
  table$preferred[is.na(table$preferred)] <- 0
  table[order(-table$strength), ]
}

scatter_of <- function(ballots, strength) {
  key <- paste(ballots$one, ballots$other)
  p <- 1 / (1 + exp(strength[ballots$other] - strength[ballots$one]))
  many <- table(key)
  often <- names(many)[many > 1]
  if (length(often) < 3) {
    return(1)
  }
  residual <- tapply(ballots$share - p, key, sum)[often]
  expected <- tapply(p * (1 - p), key, sum)[often]
  sqrt(max(1, mean(residual^2 / pmax(expected, 1e-6))))
}

# How much a ballot on each pair would say: the information that it is expected to bring on
# the difference of the two, by how little is known of that. A row a pair of pipelines.
pair_worth <- function(ballots, names) {
  fit <- fit_strengths(ballots, names)
  pairs <- utils::combn(names, 2)
  one <- pairs[1, ]
  other <- pairs[2, ]
  p <- 1 / (1 + exp(fit$strength[other] - fit$strength[one]))
  variance <- diag(fit$covariance)[one] + diag(fit$covariance)[other] - 2 * fit$covariance[cbind(one, other)]
  tibble::tibble(one = one, other = other, worth = unname(p * (1 - p) * variance))
}

# How far people agree: with themselves, where a pair was shown twice (the other way round),
# and each two of them where both saw a pair. `ballots` has `person`, `pair` (the two takes,
# whichever way round), `choice` (the take preferred, or NA for neither).
agreement_table <- function(ballots) {
  same <- function(a, b) mean(ifelse(is.na(a) | is.na(b), ifelse(is.na(a) & is.na(b), 1, 0.5), a == b))
  people <- sort(unique(ballots$person))
  own <- lapply(people, function(person) {
    mine <- ballots[ballots$person == person, ]
    again <- which(duplicated(mine$pair))
    tibble::tibble(one = person, other = person, both = length(again), agreement = if (length(again)) same(mine$choice[again], mine$choice[match(mine$pair[again], mine$pair)]) else NA_real_)
  })
  first <- ballots[!duplicated(ballots[c("person", "pair")]), ]
  pairs <- if (length(people) > 1) utils::combn(people, 2) else matrix("", 2, 0)
  between <- lapply(seq_len(ncol(pairs)), function(k) {
    a <- first[first$person == pairs[1, k], ]
    b <- first[first$person == pairs[2, k], ]
    at <- match(a$pair, b$pair)
    met <- !is.na(at)
    tibble::tibble(one = pairs[1, k], other = pairs[2, k], both = sum(met), agreement = if (any(met)) same(a$choice[met], b$choice[at[met]]) else NA_real_)
  })
  do.call(rbind, c(own, between))
}

# How often a number sides with people: of the pairs in which one take was preferred and the
# number differs, the share in which it is the better by the number too (a half is chance).
# `values` are the number by take.
siding <- function(ballots, values) {
  decided <- ballots[ballots$share != 0.5, ]
  difference <- (values[decided$one_take] - values[decided$other_take]) * sign(decided$share - 0.5)
  known <- !is.na(difference)
  list(pairs = sum(known), agreement = if (any(known)) mean((difference[known] > 0) + 0.5 * (difference[known] == 0)) else NA_real_)
}
