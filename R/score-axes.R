# From measures to the three axes: one row a take.

# `takes` has a row for each `take` with `pipeline`, `case`, `seed`, `state`,
# `cost`, `seconds`; `scores` is the long table of measures; `structure_from` the weights of
# those that make up structure; `phrases` gives `case`, `phrase`, `weight` and `must` of all phrases asked for. Returns `takes` with
# `structure`, `adherence` and `style` (0 to 1, NA without evidence),
# `coverage`, `flaws` (the serious ones, named), `slight` (the slight ones) and
# `missed` (the phrases that must be there and are not).
axis_table <- function(takes, scores, phrases, style_aim, structure_from = c(structure = 1)) {
  value <- function(measure) {
    rows <- scores[scores$measure == measure, ]
    rows$value[match(takes$take, rows$take)]
  }
  flaws_at <- function(level) {
    rows <- scores[scores$axis == "flaws" & scores$level %in% level, ]
    for_takes(takes, rows$take, rows$measure, listed, "")
  }
  parts <- matrix(vapply(names(structure_from), value, numeric(nrow(takes))), nrow(takes))
  takes$structure <- clamp_share(drop(parts %*% structure_from) / sum(structure_from))
  evidence <- adherence_of(takes, scores, phrases)
  takes$adherence <- evidence$adherence
  takes$coverage <- evidence$coverage
  takes$style <- style_of(value("style_change"), value("look_match"), style_aim)
  takes$flaws <- flaws_at("serious")
  takes$slight <- flaws_at("slight")
  takes$missed <- missed_phrases(takes, scores, phrases)
  tibble::as_tibble(takes)
}

# Phrases that must be there and were found to be more absent than present.
missed_phrases <- function(takes, scores, phrases) {
  musts <- phrases[phrases$must, ]
  rows <- scores[scores$axis == "adherence" & scores$value < 0.5, ]
  rows <- rows[paste(takes$case[match(rows$take, takes$take)], rows$phrase) %in% paste(musts$case, musts$phrase), ]
  for_takes(takes, rows$take, rows$phrase, listed, "")
}

listed <- function(words) paste(words, collapse = ", ")

# What `f` makes of each take's `values`, for all takes in their order; `none` where
# a take has none.
for_takes <- function(takes, of, values, f, none) {
  out <- rep(none, nrow(takes))
  each <- vapply(split(values, of), f, none)
  at <- match(names(each), takes$take)
  out[at[!is.na(at)]] <- each[!is.na(at)]
  out
}

# Mean of the graded phrases by weight, and the share of all weight that they
# have: what has no evidence is never guessed.
adherence_of <- function(takes, scores, phrases) {
  graded <- scores[scores$axis == "adherence" & scores$take %in% takes$take, ]
  at <- match(graded$take, takes$take)
  weight <- phrases$weight[match(paste(takes$case[at], graded$phrase), paste(phrases$case, phrases$phrase))]
  # Summed for all takes at once, their first phrases, their second ones, and so on.
  by_take <- function(x) {
    sums <- numeric(nrow(takes))
    left <- seq_along(at)
    while (length(left) > 0) {
      again <- duplicated(at[left])
      now <- left[!again]
      sums[at[now]] <- sums[at[now]] + x[now]
      left <- left[again]
    }
    sums
  }
  seen <- by_take(weight)
  asked <- as.vector(tapply(phrases$weight, phrases$case, sum)[takes$case])
  tibble::tibble(
    adherence = ifelse(seen > 0, by_take(weight * graded$value) / seen, NA_real_),
    coverage = ifelse(takes$state == "made", seen / asked, NA_real_)
  )
}

# Style as the brief wants it: towards the look, unmoved, or changed by an
# amount within a range, falling to 0 over the range's own width outside it.
style_of <- function(change, match, aim) {
  if (identical(aim, "reach the look")) {
    return(clamp_share(match))
  }
  if (identical(aim, "stay")) {
    return(clamp_share(1 - change))
  }
  clamp_share(1 - pmax(aim[1] - change, change - aim[2], 0) / diff(aim))
}

clamp_share <- function(x) pmin(1, pmax(0, x))
