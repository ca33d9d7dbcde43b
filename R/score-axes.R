# From measures to the three axes: one row a take.

# `takes` has a row for each `take` with `pipeline`, `case`, `seed`, `state`, `cost`, `seconds`;
# `scores` is the long table of measures; `structure_from` the weights of those that make up
# structure; `phrases` gives `case`, `phrase`, `weight`, `must` and `unwanted` of all phrases asked
# for. Returns `takes` with `structure`, `adherence` and `style` (0 to 1, NA without evidence),
# `coverage`, `flaws` (the serious ones, named), `slight` (the slight ones) and `missed` (the
# phrases that must be there and are not) and `unheld` (parts of structure that its case has no
# scores for, listed: the others make it up there). With `evenly` evidence counts only where all
# pipelines have it (see even_evidence()), and `counted` is the share of the prompts' weight that
# does.
axis_table <- function(
  takes,
  scores,
  phrases,
  style_aim,
  structure_from = c(structure = 1),
  evenly = FALSE
) {
  value <- function(measure) {
    rows <- scores[scores$measure == measure, ]
    rows$value[match(takes$take, rows$take)]
  }

  flaws_at <- function(level) {
    rows <- scores[scores$axis == "flaws" & scores$level %in% level, ]
    for_takes(takes, rows$take, rows$measure, listed, "")
  }

  parts <- lapply(stats::setNames(nm = names(structure_from)), value)
  takes[c("structure", "unheld")] <- structure_from_parts(takes, parts, structure_from, evenly)
  evidence <- phrase_evidence(takes, scores, phrases)
  graded <- adherence_of(takes, evidence, phrases)
  takes$coverage <- graded$coverage
  if (evenly) {
    evidence <- even_evidence(evidence, takes, phrases)
    graded <- adherence_of(takes, evidence, phrases)
    takes$counted <- graded$coverage
  }

  takes$adherence <- graded$adherence
  takes$style <- style_of(value("style_change"), value("look_match"), style_aim)
  takes$flaws <- flaws_at("serious")
  takes$slight <- flaws_at("slight")
  takes$missed <- missed_phrases(takes, evidence, phrases)
  if (evenly) {
    takes <- even_axes(takes)
  }

  as_table(takes)
}

# Structure as the weighted mean of its `parts`. Where no take of a case has a part (no face, or no
# judge that was asked), the others make it up there. With `evenly`, one that a pipeline lacks in a
# case altogether counts for none there.
structure_from_parts <- function(takes, parts, weights, evenly) {
  made <- which(takes$state == "made")
  own <- takes[made, c("case", "pipeline")]
  counts <- matrix(FALSE, nrow(takes), length(parts))
  for (k in seq_along(parts)) {
    own$value <- parts[[k]][made]
    if (evenly) {
      own <- fill_evenly(own, "value", pairs_of(own$case, own$pipeline), own$case)
    }

    counts[made, k] <- own$case %in% own$case[!is.na(own$value)]
    parts[[k]][made] <- own$value
  }

  weighed <- counts * rep(weights, each = nrow(takes))
  values <- matrix(unlist(parts), nrow(takes))
  values[!counts] <- 0
  total <- rowSums(weighed)
  unheld <- character(nrow(takes))
  some <- total > 0 & rowSums(!counts) > 0
  unheld[some] <- apply(!counts[some, , drop = FALSE], 1, function(row) listed(names(parts)[row]))
  list(
    structure = ifelse(total > 0, clamp_share(rowSums(values * weighed) / total), NA_real_),
    unheld = unheld
  )
}

# Evidence that counts for all pipelines alike. A judge that is silent on one pipeline would
# else decide: easy phrases that only one is graded on are worth as much as hard ones. So a
# phrase of a case counts where every pipeline that made something of the case has evidence
# for it, and its takes without any have the mean of its others. What one lacks is not counted
# for any, for a value in its place would be a guess.
even_evidence <- function(evidence, takes, phrases) {
  made <- which(takes$state == "made")
  own <- split(seq_len(nrow(phrases)), phrases$case)[takes$case[made]]
  wanted <- new_table(at = rep(made, lengths(own)), asked = unlist(own, use.names = FALSE))
  if (nrow(wanted) == nrow(evidence)) {
    return(evidence)
  }

  key <- function(rows) rows$at * (nrow(phrases) + 1) + rows$asked
  found <- match(key(wanted), key(evidence))
  for (column in c("value", "sources", "apart")) {
    wanted[[column]] <- evidence[[column]][found]
  }

  wanted <- fill_evenly(
    wanted,
    "value",
    pairs_of(wanted$asked, takes$pipeline[wanted$at]),
    wanted$asked
  )
  wanted <- wanted[!is.na(wanted$value), ]
  wanted$sources[is.na(wanted$sources)] <- 0L
  wanted$apart[is.na(wanted$apart)] <- 0
  wanted[names(evidence)]
}

# The same for whole axes: one counts in a case where every pipeline has it there.
even_axes <- function(table) {
  made <- which(table$state == "made")
  own <- table[made, ]
  for (axis in axes) {
    own <- fill_evenly(own, axis, pairs_of(own$case, own$pipeline), own$case)
  }

  table[made, axes] <- own[axes]
  table
}

# A number for each two values that go together.
pairs_of <- function(one, other) {
  match(one, unique(one)) * (length(other) + 1) + match(other, unique(other))
}

# Gaps of a column get the mean of their group's other rows. Where a group of `together` has
# nothing but gaps, all rows of `together` become gaps.
fill_evenly <- function(rows, column, group, together) {
  values <- rows[[column]]
  gaps <- is.na(values)
  if (!any(gaps)) {
    return(rows)
  }

  group <- match(group, unique(group[gaps]))
  others <- which(!gaps & !is.na(group))
  sums <- rowsum(cbind(values[others], rep(1, length(others))), group[others])
  at <- match(group[gaps], as.integer(rownames(sums)))
  values[gaps] <- sums[at, 1] / sums[at, 2]
  values[together %in% together[is.na(values)]] <- NA
  rows[[column]] <- values
  rows
}

# The evidence for each phrase of each take: `at` (which of `takes`), `asked` (which of
# `phrases`), `value`, the mean of all sources that spoke, how many those were
# (`sources`), and `apart`, by how much they differ at most.
phrase_evidence <- function(takes, scores, phrases) {
  graded <- scores[scores$axis == "adherence" &
    !is.na(scores$value) &
    scores$take %in% takes$take, ]
  at <- match(graded$take, takes$take)
  asked <- match(paste(takes$case[at], graded$phrase), paste(phrases$case, phrases$phrase))
  known <- !is.na(asked)
  found <- new_table(
    at = at,
    asked = asked,
    value = graded$value,
    sources = 1L,
    apart = 0
  )[
    known,
  ]
  key <- found$at * (nrow(phrases) + 1) + found$asked
  if (!anyDuplicated(key)) {
    return(found)
  }

  # Sorted, the least of each group stands first and the most last.
  sorted <- order(key, found$value)
  first <- which(!duplicated(key[sorted]))
  last <- c(first[-1] - 1, length(sorted))
  value <- found$value[sorted]
  merged <- found[sorted[first], ]
  merged$sources <- last - first + 1L
  merged$value <- rowsum(value, rep(seq_along(first), merged$sources), reorder = FALSE)[, 1] /
    merged$sources
  merged$apart <- value[last] - value[first]
  merged
}

# Phrases that must be there and were found to be more absent than present.
missed_phrases <- function(takes, evidence, phrases) {
  rows <- evidence[evidence$value < 0.5 & phrases$must[evidence$asked], ]
  for_takes(takes, takes$take[rows$at], phrases$phrase[rows$asked], listed, "")
}

# Applies `f` to each take's `values`, for all takes in their order; `none` where a take has none.
for_takes <- function(takes, of, values, f, none) {
  out <- rep(none, nrow(takes))
  each <- vapply(split(values, of), f, none)
  at <- match(names(each), takes$take)
  out[at[!is.na(at)]] <- each[!is.na(at)]
  out
}

# Mean of the graded phrases by weight, and the share of all weight that has evidence:
# what has none is never guessed. What is not wanted weighs as much as it is present, so
# that its absence makes up for nothing.
adherence_of <- function(takes, evidence, phrases) {
  at <- evidence$at
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

  weight <- phrases$weight[evidence$asked]
  unwanted <- phrases$unwanted[evidence$asked]
  wanted_seen <- by_take(weight * !unwanted)
  fulfilled <- by_take(weight * evidence$value * !unwanted)
  present <- by_take(weight * (1 - evidence$value) * unwanted)
  seen <- by_take(weight)
  all_asked <- as.vector(tapply(phrases$weight, phrases$case, sum)[takes$case])
  adherence <- ifelse(wanted_seen > 0, fulfilled / (wanted_seen + present), 1 - present / seen)
  new_table(
    adherence = ifelse(seen > 0, adherence, NA_real_),
    coverage = ifelse(takes$state == "made", seen / all_asked, NA_real_)
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
