# From ballots to strengths: which pipeline people prefer, with what certainty, and which pairs to
# show next.

# A paired-comparison model (Bradley and Terry 1952): the log odds that `one` is preferred to
# `other` are the difference of their strengths. `ballots` has `one` and `other` (names) and
# `share`: 1 if `one` was preferred, 0 if `other` was, 0.5 if neither. Strengths add up to 0; a
# weak normal prior with the standard deviation `reach` keeps them finite for pipelines that
# always won or lost. `weight` is the weight of each ballot. Returns `strength` and `covariance`,
# named.
fit_strengths <- function(
  ballots,
  names = sort(unique(c(ballots$one, ballots$other))),
  reach = 2
) {
  n <- length(names)
  one <- match(ballots$one, names)
  other <- match(ballots$other, names)
  strength <- rep(0, n)
  weight <- ballot_weights(ballots)
  for (step in 1:50) {
    p <- 1 / (1 + exp(strength[other] - strength[one]))
    off <- weight * (ballots$share - p)
    gradient <- tabulate_by(one, off, n) - tabulate_by(other, off, n) - strength / reach^2
    curve <- curvature(one, other, weight * p * (1 - p), n) + diag(1 / reach^2, n)
    change <- solve(curve, gradient)
    strength <- strength + change
    if (max(abs(change)) < 1e-9) {
      break
    }
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

ballot_weights <- function(ballots) ballots[["weight"]] %||% rep(1, nrow(ballots))

# The strengths as a table, the strongest first: with 90 % intervals for other cases and other
# people like these, and how often each was shown and preferred.
strength_table <- function(ballots, names = sort(unique(c(ballots$one, ballots$other)))) {
  fit <- fit_strengths(ballots, names)
  scatter <- scatter_of_ballots(ballots, fit)
  half <- stats::qt(0.95, scatter$free) * sqrt(diag(fit$covariance) * scatter$times)
  shown <- table(factor(c(ballots$one, ballots$other), names))
  won <- tapply(
    c(ballots$share, 1 - ballots$share),
    factor(c(ballots$one, ballots$other), names),
    sum
  )
  table <- new_table(
    pipeline = names,
    strength = unname(fit$strength),
    low = unname(fit$strength - half),
    high = unname(fit$strength + half),
    shown = as.integer(shown),
    preferred = as.numeric(won)
  )
  table$preferred[is.na(table$preferred)] <- 0
  table[order(-table$strength), ]
}

# Ballots are not independent: a case suits one pipeline more than another, takes vary, and
# people's tastes differ. Returns the factor by which this increases the variance of strengths
# (`times`; design effect, Kish 1965), from the correlation of ballots within cases and within
# people (Cameron, Gelbach and Miller 2011), with its degrees of freedom (`free`; Satterthwaite
# 1946). A single person does not represent others, and a single case no other cases.
scatter_of_ballots <- function(ballots, fit) {
  names <- names(fit$strength)
  one <- match(ballots$one, names)
  other <- match(ballots$other, names)
  p <- 1 / (1 + exp(fit$strength[other] - fit$strength[one]))
  off <- ballot_weights(ballots) * (ballots$share - p)
  pull <- matrix(0, nrow(ballots), length(names))
  pull[cbind(seq_along(one), one)] <- off
  pull[cbind(seq_along(other), other)] <- -off
  units <- Filter(
    function(unit) length(unique(unit)) > 1,
    list(ballots[["case"]], ballots[["person"]])
  )
  size <- function(unit) {
    sums <- rowsum(pull, unit)
    sum((sums %*% fit$covariance)^2) * nrow(sums) / (nrow(sums) - 1)
  }

  alone <- sum(diag(fit$covariance))
  if (length(units) == 0 || alone <= 0) {
    return(list(times = 1, free = Inf))
  }

  sizes <- vapply(units, size, 0)
  free <- vapply(units, function(unit) length(unique(unit)) - 1, 0) *
    min(most_contrasts, length(names) - 1)
  both <- if (length(units) == 2) sum(sizes) - size(do.call(paste, units)) else sizes
  all <- max(both, sizes)
  if (all <= alone) {
    return(list(times = 1, free = Inf))
  }

  list(times = all / alone, free = sum(sizes)^2 / sum(sizes^2 / free))
}

# The information in a ballot on each pair: what it is expected to add on the difference of the
# two, given how little is known of that. A row for each pair of pipelines.
pair_worth <- function(ballots, names) {
  fit <- fit_strengths(ballots, names)
  pairs <- utils::combn(names, 2)
  one <- pairs[1, ]
  other <- pairs[2, ]
  p <- 1 / (1 + exp(fit$strength[other] - fit$strength[one]))
  variance <- diag(fit$covariance)[one] +
    diag(fit$covariance)[other] -
    2 * fit$covariance[cbind(one, other)]
  new_table(one = one, other = other, worth = unname(p * (1 - p) * variance))
}

# Agreement between people: with themselves if a pair was shown twice (in reverse order), and
# between two people who saw the same pair. `ballots` has `person`, `pair` (the two takes in
# either order), `choice` (the take preferred, or NA for neither).
agreement_table <- function(ballots) {
  same <- function(a, b) {
    mean(
      ifelse(is.na(a) | is.na(b), ifelse(is.na(a) & is.na(b), 1, 0.5), a == b)
    )
  }

  people <- sort(unique(ballots$person))
  own <- lapply(people, function(person) {
    mine <- ballots[ballots$person == person, ]
    again <- which(duplicated(mine$pair))
    new_table(
      one = person,
      other = person,
      both = length(again),
      agreement = if (length(again)) {
        same(mine$choice[again], mine$choice[match(mine$pair[again], mine$pair)])
      } else {
        NA_real_
      }
    )
  })
  first <- ballots[!duplicated(ballots[c("person", "pair")]), ]
  pairs <- if (length(people) > 1) utils::combn(people, 2) else matrix("", 2, 0)
  between <- lapply(seq_len(ncol(pairs)), function(k) {
    a <- first[first$person == pairs[1, k], ]
    b <- first[first$person == pairs[2, k], ]
    at <- match(a$pair, b$pair)
    met <- !is.na(at)
    new_table(
      one = pairs[1, k],
      other = pairs[2, k],
      both = sum(met),
      agreement = if (any(met)) same(a$choice[met], b$choice[at[met]]) else NA_real_
    )
  })
  do.call(rbind, c(own, between))
}

# How often measures agree with people: among the pairs in which one take was preferred and the
# measure differs, the share in which the better take by the measure was preferred (0.5 is
# chance). `values` is a matrix takes x measures, higher is better, with the takes as row names. A
# row for each measure: `pairs`, `agreement`, and `beyond_luck`, whether it agrees (or disagrees)
# more than the luckiest of as many random measures would. For a meaningless measure, the takes of
# a case might as well have swapped values (a permutation test; Westfall and Young 1993).
siding_table <- function(ballots, values, level = 0.95, seed = 1L) {
  decided <- ballots[ballots$share != 0.5, ]
  one <- match(decided$one_take, rownames(values))
  other <- match(decided$other_take, rownames(values))
  won <- sign(decided$share - 0.5)
  sides_of <- function(values) {
    sign(values[one, , drop = FALSE] - values[other, , drop = FALSE]) * won
  }

  sides <- sides_of(values)
  known <- colSums(!is.na(sides))
  strength <- function(sides) {
    abs(colSums(sides, na.rm = TRUE)) / sqrt(pmax(1, colSums(sides != 0, na.rm = TRUE)))
  }

  case <- c(decided[["case"]], decided[["case"]])[match(
    rownames(values),
    c(decided$one_take, decided$other_take)
  )]
  case <- if (is.null(case)) rep(1L, nrow(values)) else match(case, unique(case))
  largest <- vapply(
    seq_len(changed_rounds),
    function(round) {
      changed <- order(case)
      changed[changed] <- order(case, core_uniform(nrow(values), seed + round))
      max(0, strength(sides_of(values[changed, , drop = FALSE])))
    },
    0
  )
  new_table(
    measure = colnames(values),
    pairs = unname(known),
    agreement = unname(0.5 + colSums(sides, na.rm = TRUE) / known / 2),
    beyond_luck = unname(
      strength(sides) > stats::quantile(largest, level, type = 1, names = FALSE) + 1e-9
    )
  )
}

# The number of permutations.
changed_rounds <- 399L

# The weights that people's ballots imply: those that would agree with them most.

# Careful viewers, and those whose answers the others' don't predict, who always choose the same
# side, or who tire.

# Compares each person's ballots with the strengths that the others' ballots give. An answer
# either follows those or is a coin toss: `care` is the share that follow, with a prior that
# expects a high share (a beta of 4 and 1). A row a person: `answers`, `follows` (of the answers
# with a preference, the share for the stronger one), `expected` (the same for a careful person),
# `care` with its 90 % interval (`low`, `high`; 1 if nobody else has answered), `left` (the share
# of answers for the left picture), `left_odd` (whether that is unlikely by chance), `early` and
# `late` (`follows` in the first and in the second half), and `tires` (whether their difference is
# unlikely by chance).
viewer_table <- function(ballots) {
  people <- sort(unique(ballots$person))
  rows <- lapply(people, function(person) {
    mine <- ballots[ballots$person == person, ]
    others <- ballots[ballots$person != person, ]
    decided <- mine$share != 0.5
    chance <- predicted_by(others, mine)
    follows <- ifelse(decided & chance != 0.5, (mine$share > 0.5) == (chance > 0.5), NA)
    late <- seq_len(nrow(mine)) > nrow(mine) / 2
    counted <- function(x) c(sum(x, na.rm = TRUE), sum(!is.na(x)))
    halves <- tapply(follows, factor(late, c(FALSE, TRUE)), counted, simplify = FALSE)
    careful <- care_of(mine$share, chance)
    on_left <- sum(mine$share == 1)
    share <- function(of) if (!is.null(of) && of[2] > 0) of[1] / of[2] else NA_real_
    new_table(
      person = person,
      answers = nrow(mine),
      follows = mean(follows, na.rm = TRUE),
      expected = mean(pmax(chance, 1 - chance)[!is.na(follows)]),
      care = careful[1],
      low = careful[2],
      high = careful[3],
      left = if (any(decided)) on_left / sum(decided) else NA_real_,
      left_odd = any(decided) && stats::binom.test(on_left, sum(decided))$p.value < 0.02,
      early = share(halves[["FALSE"]]),
      late = share(halves[["TRUE"]]),
      tires = hardly_luck(halves[["FALSE"]], halves[["TRUE"]])
    )
  })
  do.call(rbind, rows)
}

# The chance, by the strengths of others' ballots, that the first of each pair is preferred.
predicted_by <- function(others, mine) {
  if (nrow(others) == 0) {
    return(rep(0.5, nrow(mine)))
  }

  names <- sort(unique(c(others$one, others$other, mine$one, mine$other)))
  strength <- fit_strengths(others, names)$strength
  unname(1 / (1 + exp(strength[mine$other] - strength[mine$one])))
}

# Mean and 90 % interval of the share of careful answers.
care_of <- function(share, chance) {
  care <- (seq_len(100) - 0.5) / 100
  if (all(chance == 0.5)) {
    return(c(1, 0, 1))
  }

  like <- vapply(
    care,
    function(careful) {
      said <- careful * chance + (1 - careful) / 2
      sum(share * log(said) + (1 - share) * log(1 - said))
    },
    0
  )
  likely <- exp(like - max(like)) * stats::dbeta(care, 4, 1)
  likely <- likely / sum(likely)
  at <- pmin(length(care), findInterval(c(0.05, 0.95), cumsum(likely)) + 1)
  c(sum(care * likely), care[at])
}

# Whether the second half follows less than the first with a probability below 1 in 50 by chance.
hardly_luck <- function(first, second) {
  if (is.null(first) || is.null(second) || min(first[2], second[2]) < 8) {
    return(FALSE)
  }

  table <- rbind(
    c(first[1], first[2] - first[1]),
    c(second[1], second[2] - second[1])
  )
  stats::fisher.test(table, alternative = "greater")$p.value < 0.02
}

# Ballots with their weights: the care of the person.
with_care <- function(ballots, viewers = viewer_table(ballots)) {
  ballots$weight <- viewers$care[match(ballots$person, viewers$person)]
  ballots
}
