# What a judge's yes is worth: its answers about pictures that nobody asked a statement of say how
# often it says yes by chance.

# Fewer of these pictures than this say nothing about chance.
fewest_unasked <- 6
fewest_asked <- 3

# How likely it may be that a judge that tells nothing is believed in any of its statements.
false_belief <- 0.05

# `asked` are the values on pictures of the cases that ask for a statement, and `unasked` on others.
# A list: `chance`, the mean of the others; `unasked`, how many those are; `p`, how likely a judge
# that tells nothing would rank the pictures asked for as high (Wilcoxon 1945), and `least`, what
# `p` can come to at best. With too few pictures `chance` and `p` are NA. (`nowhere` is for what is
# to be absent, below.)
belief_in <- function(asked, unasked) {
  asked <- asked[!is.na(asked)]
  unasked <- unasked[!is.na(unasked)]
  few <- length(unasked) < fewest_unasked || length(asked) < fewest_asked
  list(
    chance = if (few) NA_real_ else mean(unasked),
    unasked = length(unasked),
    p = if (few) NA_real_ else rank_test(asked, unasked),
    least = 1 / choose(length(asked) + length(unasked), length(asked)),
    nowhere = FALSE
  )
}

# Which of a judge's statements it tells from chance (Holm 1979, so that one that tells nothing is
# rarely believed in any): NA where a test was not possible, or where no judge could have passed it.
told_from_chance <- function(p, least, chance) {
  told <- stats::p.adjust(p, "holm") < false_belief
  told[told %in% FALSE & least >= false_belief / sum(!is.na(p))] <- NA
  told & chance < most_chance
}

# So many statements that a judge can't tell say something of the judge.
fewest_tested <- 3

# A judge that says yes to half of the pictures without it is not believed.
most_chance <- 0.5

rank_test <- function(asked, unasked) {
  if (max(asked, unasked) - min(asked, unasked) == 0) {
    return(1)
  }

  suppressWarnings(
    stats::wilcox.test(asked, unasked, alternative = "greater", exact = FALSE)$p.value
  )
}

# What is unwanted ought to be nowhere, so that pictures can't be told from others by it.
# A judge is believed that sees it `nowhere` (one that tells nothing may do so too), or that sees it
# by pipeline or case (Kruskal and Wallis 1952) rather than anywhere.
belief_in_absence <- function(asked, groups, unasked) {
  known <- !is.na(asked)
  asked <- asked[known]
  groups <- groups[known]
  unasked <- unasked[!is.na(unasked)]
  p <- if (length(asked) < fewest_asked || length(unique(groups)) < 2) {
    NA_real_
  } else if (max(asked) - min(asked) == 0) {
    1
  } else {
    stats::kruskal.test(asked, factor(groups))$p.value
  }
  list(
    chance = if (length(unasked) >= fewest_unasked) mean(unasked) else NA_real_,
    unasked = length(unasked),
    p = p,
    least = 0,
    nowhere = length(asked) > 0 && max(asked) < 0.5
  )
}

# Values between chance (0) and always (1).
above_chance <- function(value, chance) pmin(1, pmax(0, (value - chance) / (1 - chance)))
