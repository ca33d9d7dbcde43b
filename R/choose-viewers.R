# Who looks with care: people whose answers the others' don't predict, who always take the same
# side, or who tire.

# The ballots of each person held against strengths that the others' ballots give. Either an
# answer follows those, or it is a coin's: `care` is the share that follow them, thought to be
# high unless answers say otherwise (a beta of 4 and 1). A row a person: `answers`, `follows` (of
# the answers that prefer one, the share that prefers the stronger), `expected` (what care would
# have made of that), `care` with its 90 % interval (`low`, `high`; no less than all where nobody
# else has looked), `left` (the share of answers for the left picture), `left_odd` (whether luck
# hardly makes that), `early` and `late` (what `follows` is in the first and the last half), and
# `tires` (whether luck hardly makes their difference).
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
    tibble::tibble(
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

# Mean and 90 % of the share of answers that are given with care.
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

# Whether the second half follows so much less than the first that luck makes it once in fifty.
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

# Ballots with how much each counts: as much as its person answers with care.
with_care <- function(ballots, viewers = viewer_table(ballots)) {
  ballots$weight <- viewers$care[match(ballots$person, viewers$person)]
  ballots
}
