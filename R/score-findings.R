# From what a judge found in a picture to evidence and to scores against a reference: numbers in,
# numbers out. A finding is a list of `things`, `words` (data frames with `said`, the box `left`,
# `top`, `right` and `bottom` as shares of the picture, and how `sure`), `faces` (a list of the same
# columns without `said`, and of matrices with a row a face: `expression`, `turn`, `descriptor`) and
# `figures` (joints, as prep-pose.R has them). What the judge does not tell is NULL.

box_names <- c("left", "top", "right", "bottom")
expression_names <- c("angry", "disgust", "fear", "happy", "neutral", "sad", "surprise")
turn_names <- c("yaw", "pitch", "roll")

# How sure a judge must be of a thing for it to be there: the confidence at which it is as likely
# right as wrong, and the spread of the logistic curve around it. Of the nets of the judge `people`
# (docs/judges.md).
even_confidence <- 0.3
confidence_spread <- 0.06

# A face that is less sure than this counts as none, and one that shares more than this with a surer
# one is the same: nets box a face that fills the picture several times.
sure_face <- 0.5
most_shared <- 0.5

# The same of words, for lettering there is: what is read in leaves and bricks is short and unsure.
# A word to be read counts from less on.
even_word <- 0.7
word_spread <- 0.05
sure_word <- 0.5

# What a finding says of `wanted` (see build_find()): `value`, from 0 (it is not so) to 1 (it is),
# and `raw`: how many there are, or how strongly. NA where it does not tell.
score_of_find <- function(finding, wanted) {
  switch(wanted$kind,
    thing = score_of_count(finding, wanted),
    face = score_of_face(finding, wanted$of),
    lettering = score_of_lettering(finding, wanted$of),
    text = score_of_text(finding, wanted$of)
  )
}

untold <- list(value = NA_real_, raw = NA_real_)

# Each thing is there with the probability of its confidence, and independently of the others: the
# value is the probability that as many are there as are wanted.
score_of_count <- function(finding, wanted) {
  if (is.null(finding$things)) {
    return(untold)
  }

  there <- finding$things$sure[finding$things$said == wanted$of]
  believed <- stats::plogis((there - even_confidence) / confidence_spread)
  if (wanted$of == "person") {
    believed <- with_faces(believed, finding$faces)
  }

  many <- chance_of_counts(believed)
  fits <- seq_along(many) - 1 >= wanted$bound[1] & seq_along(many) - 1 <= wanted$bound[2]
  list(value = min(1, sum(many[fits])), raw = sum(believed > 0.5))
}

# People are counted by their bodies or by their faces, whichever are more: of portraits the nets
# for things often say nothing.
with_faces <- function(believed, faces) {
  seen <- faces$sure[sure_faces(faces)]
  if (sum(seen) > sum(believed)) seen else believed
}

# The probabilities of 0, 1, 2, ... of things that are there with given probabilities.
chance_of_counts <- function(believed) {
  Reduce(
    function(many, one) c(many * (1 - one), 0) + c(0, many * one),
    believed,
    accumulate = FALSE,
    1
  )
}

# Of several faces the largest is the one that is spoken of.
score_of_face <- function(finding, of) {
  if (of == "full figure") {
    return(score_of_full_figure(finding))
  }

  face <- largest_face(finding$faces)
  if (is.null(face)) {
    return(untold)
  }

  yaw <- face$turn[1]
  raw <- switch(of,
    smiling = face$expression[match("happy", expression_names)],
    frowning = sum(face$expression[match(c("angry", "sad", "disgust"), expression_names)]),
    "facing left" = -yaw,
    "facing right" = yaw,
    "facing front" = abs(yaw),
    portrait = face$height
  )
  if (length(raw) == 0 || is.na(raw)) {
    return(untold)
  }

  value <- switch(of,
    smiling = ,
    frowning = raw,
    "facing left" = ,
    "facing right" = ramp(raw, turned_from),
    "facing front" = 1 - ramp(raw, turned_from),
    portrait = ramp(raw, portrait_from)
  )
  list(value = min(1, max(0, value)), raw = raw)
}

# From which angle on, in degrees, a face looks aside, surely so from the second on; and how much of
# the picture's height the face of a portrait takes. Choices of ours.
turned_from <- c(10, 30)
portrait_from <- c(0.1, 0.25)

ramp <- function(x, between) (x - between[1]) / diff(between)

largest_face <- function(faces) {
  there <- sure_faces(faces)
  if (length(there) == 0) {
    return(NULL)
  }

  area <- (faces$right - faces$left) * (faces$bottom - faces$top)
  at <- there[which.max(area[there])]
  list(
    at = at,
    height = faces$bottom[at] - faces$top[at],
    expression = faces$expression[at, ],
    turn = faces$turn[at, ]
  )
}

# The faces that count, by their places in the list.
sure_faces <- function(faces) {
  kept <- integer()
  for (i in order(as.numeric(faces$sure), decreasing = TRUE)) {
    if (faces$sure[i] >= sure_face && all(shared_by_boxes(faces, i, kept) <= most_shared)) {
      kept <- c(kept, i)
    }
  }

  sort(kept)
}

# How much of the smaller box the boxes `one` and each of `others` have in common.
shared_by_boxes <- function(boxes, one, others) {
  area <- (boxes$right - boxes$left) * (boxes$bottom - boxes$top)
  wide <- pmin(boxes$right[one], boxes$right[others]) - pmax(boxes$left[one], boxes$left[others])
  high <- pmin(boxes$bottom[one], boxes$bottom[others]) - pmax(boxes$top[one], boxes$top[others])
  pmax(0, wide) * pmax(0, high) / pmax(1e-9, pmin(area[one], area[others]))
}

# From head to foot: the joints of both are seen.
score_of_full_figure <- function(finding) {
  if (length(finding$figures) == 0) {
    return(untold)
  }

  seen <- vapply(finding$figures, function(figure) {
    joints <- names(figure)
    any(c("nose", "left_ear", "right_ear") %in% joints) &&
      any(c("left_ankle", "right_ankle") %in% joints)
  }, NA)
  list(value = as.numeric(any(seen)), raw = sum(seen))
}

# Words of fewer letters, or of other signs for the most part, are as often edges.
fewest_letters <- 4
least_of_letters <- 0.7

words_found <- function(words, from = even_word) {
  letters <- nchar(gsub("[^[:alnum:]]", "", words$said))
  told <- letters >= fewest_letters & letters >= least_of_letters * nchar(words$said)
  words[told & words$sure >= from, ]
}

score_of_lettering <- function(finding, of) {
  if (is.null(finding$words)) {
    return(untold)
  }

  found <- words_found(finding$words, 0)
  there <- stats::plogis((max(0, found$sure) - even_word) / word_spread)
  list(value = if (of == "none") 1 - there else there, raw = sum(found$sure >= even_word))
}

# How much of the wanted words is there, in any order of the words found: 1 less the edit distance
# as a share of the wanted length, of the best run of found words.
score_of_text <- function(finding, of) {
  if (is.null(finding$words)) {
    return(untold)
  }

  plain <- function(text) gsub("[^[:alnum:]]", "", tolower(text))
  found <- plain(finding$words$said[finding$words$sure >= sure_word])
  wanted <- plain(strsplit(of, "[[:space:]]+")[[1]])
  wanted <- wanted[nzchar(wanted)]
  if (length(wanted) == 0) {
    return(untold)
  }

  each <- vapply(wanted, function(one) {
    near <- 1 - utils::adist(one, c(found, paste(found, collapse = ""))) / nchar(one)
    max(0, near, if (grepl(one, paste(found, collapse = ""), fixed = TRUE)) 1)
  }, 0)
  value <- sum(each * nchar(wanted)) / sum(nchar(wanted))
  list(value = value, raw = value)
}

compared_parts <- c("pose", "facing", "number", "likeness")

# How alike a take's finding and its reference's are: a named number for each part that both tell
# of, NA for the others.
finding_likeness <- function(take, reference) {
  faces <- faces_there(reference$faces)
  own <- faces_there(take$faces)
  pairs <- pair_faces(own, faces)
  c(
    pose = figures_alike(take, reference),
    facing = facing_alike(own, faces, pairs),
    number = numbers_alike(take, reference),
    likeness = mean(descriptors_alike(own, faces, pairs))
  )
}

figures_alike <- function(take, reference) {
  if (length(take$figures)) pose_likeness(take$figures, reference$figures) else NA_real_
}

faces_there <- function(faces) {
  if (!is.null(faces)) {
    at <- sure_faces(faces)
    middle <- cbind((faces$left + faces$right) / 2, (faces$top + faces$bottom) / 2)
    list(
      box = cbind(faces$left, faces$top, faces$right, faces$bottom)[at, , drop = FALSE],
      middle = middle[at, , drop = FALSE],
      turn = faces$turn[at, , drop = FALSE],
      descriptor = faces$descriptor[at, , drop = FALSE]
    )
  }
}

# Which face of the take stands for which of the reference: the nearest pairs first. A matrix with
# columns `reference` and `take`.
pair_faces <- function(take, reference) {
  if (NROW(take$middle) == 0 || NROW(reference$middle) == 0) {
    return(NULL)
  }

  apart <- outer(
    seq_len(nrow(reference$middle)),
    seq_len(nrow(take$middle)),
    Vectorize(function(i, j) sqrt(sum((reference$middle[i, ] - take$middle[j, ])^2)))
  )
  best_pairs(-apart)
}

# How alike each face of the reference is. Of several faces one that has gone is not alike. Where
# the take shows none at all its look may hide them, so that nothing is told.
alike_by_face <- function(reference, pairs, alike) {
  many <- NROW(reference$middle)
  if (many == 0 || NROW(pairs) == 0) {
    return(NA_real_)
  }

  each <- numeric(many)
  for (k in seq_len(NROW(pairs))) {
    each[pairs[k, 1]] <- alike(pairs[k, 1], pairs[k, 2])
  }

  each
}

# Faces that look the same way are alike; 60 degrees apart they are not.
opposed_angle <- 60

facing_alike <- function(take, reference, pairs) {
  if (is.null(take$turn) || is.null(reference$turn)) {
    return(NA_real_)
  }

  each <- alike_by_face(reference, pairs, function(i, j) {
    apart <- sqrt(sum((reference$turn[i, 1:2] - take$turn[j, 1:2])^2))
    max(0, 1 - apart / opposed_angle)
  })
  mean(each)
}

# The cosine of two faces' descriptors, between what strangers have (0) and what one face has under
# harmless changes (1): one number for each face of the reference.
descriptors_alike <- function(take, reference, pairs) {
  if (is.null(take$descriptor) || is.null(reference$descriptor)) {
    return(NA_real_)
  }

  alike_by_face(reference, pairs, function(i, j) {
    likeness <- cosine(reference$descriptor[i, , drop = FALSE], take$descriptor[j, ])
    min(1, max(0, ramp(likeness, c(strangers_cosine, same_cosine))))
  })
}

# Cosines of descriptors: the 95th percentile of strangers, and the median of one face under looks
# that only change its colours (bench/judges.R faces, docs/judges.md).
strangers_cosine <- 0.58
same_cosine <- 0.9

# The smaller number of people as a share of the larger.
numbers_alike <- function(take, reference) {
  both <- c(people_in(take), people_in(reference))
  if (anyNA(both) || both[2] == 0) NA_real_ else min(both) / max(both)
}

people_in <- function(finding) {
  score_of_count(finding, list(of = "person", bound = c(0, Inf)))$raw
}
