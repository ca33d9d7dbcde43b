# Which phrases have evidence, from whom, and whether those agree.

# `takes`, `scores` and `phrases` as axis_table() has them. A row for each phrase of each
# case: `case`, `phrase`, `weight`, `sources` (their names), `takes` (how many were made),
# `covered` (the share of them with evidence), `value` (its mean), `apart` (by how much
# sources differ on one take, on average; NA with fewer than two) and `conflict` (the share
# of takes on which one says it is there and another that it is not).
evidence_table <- function(takes, scores, phrases) {
  made <- takes[takes$state == "made", ]
  scores <- scores[scores$axis == "adherence" &
    !is.na(scores$value) &
    scores$take %in% made$take, ]
  scores$case <- made$case[match(scores$take, made$take)]
  evidence <- phrase_evidence(made, scores, phrases)
  rows <- lapply(seq_len(nrow(phrases)), function(i) {
    own <- scores[scores$case == phrases$case[i] & scores$phrase == phrases$phrase[i], ]
    merged <- evidence[evidence$asked == i, ]
    several <- merged$sources > 1
    many <- sum(made$case == phrases$case[i])
    tibble::tibble(
      case = phrases$case[i],
      phrase = phrases$phrase[i],
      weight = phrases$weight[i],
      sources = listed(unique(own$measure)),
      takes = many,
      covered = if (many > 0) nrow(merged) / many else 0,
      value = if (nrow(merged)) mean(merged$value) else NA_real_,
      apart = if (any(several)) mean(merged$apart[several]) else NA_real_,
      conflict = if (any(several)) mean(merged$apart[several] > 0.5) else NA_real_
    )
  })
  do.call(rbind, rows)
}

# How far two sources agree on the phrases that both spoke on: how many those were, the
# rank correlation of what they said, and how often they were on different sides.
source_agreement <- function(scores) {
  scores <- scores[scores$axis == "adherence" & !is.na(scores$value), ]
  names <- unique(scores$measure)
  if (length(names) < 2) {
    return(tibble::tibble(
      one = character(),
      other = character(),
      both = integer(),
      agreement = numeric(),
      opposed = numeric()
    ))
  }

  key <- paste(scores$take, scores$phrase, sep = "\r")
  pairs <- utils::combn(sort(names), 2)
  rows <- lapply(seq_len(ncol(pairs)), function(k) {
    a <- scores$measure == pairs[1, k]
    b <- scores$measure == pairs[2, k]
    at <- match(key[a], key[b])
    x <- scores$value[a][!is.na(at)]
    y <- scores$value[b][at[!is.na(at)]]
    varied <- length(x) > 2 && stats::sd(x) > 0 && stats::sd(y) > 0
    tibble::tibble(
      one = pairs[1, k],
      other = pairs[2, k],
      both = length(x),
      agreement = if (varied) stats::cor(x, y, method = "spearman") else NA_real_,
      opposed = if (length(x)) mean((x > 0.5) != (y > 0.5)) else NA_real_
    )
  })
  table <- do.call(rbind, rows)
  table[table$both > 0, ]
}
