# Flaws that a case asks judges to look for in its takes: lettering, another number of people than
# the reference has, a face that is no longer the reference's. Numbers in, scores out.

# From which value on each is slight, and serious.
#
# Lettering is more likely read than not; it is there. People: one in two is missing or was added;
# fewer of many are often miscounts. Likeness: 1 less what the face keeps of it, so that 1 is a
# stranger's (strangers_cosine), and 0.75 lies below what one face has under most looks
# (docs/judges.md).
judged_flaw_bounds <- list(
  lettering = c(slight = 0.5, serious = 0.8),
  number = c(slight = 0.01, serious = 0.5),
  likeness = c(slight = 0.75, serious = 1)
)

# What a flaw is called as a measure, after its judge's name.
judged_flaw_names <- c(
  lettering = "lettering", number = "number_changed", likeness = "likeness_lost"
)

# The part of a finding that tells of each.
parts_of_flaws <- c(lettering = "words", number = "things", likeness = "faces")

# The score of one of these flaws, or NULL where the finding does not tell. Where it needs a
# `reference` and there is none, it does not tell either. `keeps_look` is whether the job leaves the
# look as it is.
judged_flaw <- function(kind, finding, reference, keeps_look = FALSE) {
  if (is.null(finding) || (is.null(reference) && kind != "lettering")) {
    return(NULL)
  }

  found <- switch(kind,
    lettering = lettering_flaw(finding),
    number = number_flaw(finding, reference, keeps_look),
    likeness = likeness_flaw(finding, reference)
  )
  if (!is.na(found$value)) {
    flaw_score(found$value, judged_flaw_bounds[[kind]], found$place)
  }
}

lettering_flaw <- function(finding) {
  if (is.null(finding$words)) {
    return(untold)
  }

  found <- words_found(finding$words, 0)
  surest <- found[which.max(found$sure), ]
  list(
    value = score_of_lettering(finding, "some")$value,
    place = if (nrow(surest)) say_box(unlist(surest[box_names])) else "whole"
  )
}

# Where the look may change, it may hide people: that some are not found is slight at most.
number_flaw <- function(finding, reference, keeps_look) {
  many <- c(people_in(finding), people_in(reference))
  if (anyNA(many)) {
    return(untold)
  }

  value <- if (max(many) == 0) 0 else 1 - min(many) / max(many)
  hidden <- !keeps_look && many[1] < many[2]
  list(value = if (hidden) min(value, slight_at_most) else value, place = "whole")
}

# Just below the bound of a serious one.
slight_at_most <- 0.49

# Of several faces the one that is least alike, where the reference has it. A face that the take
# does not show there says nothing: its look may hide it.
likeness_flaw <- function(finding, reference) {
  own <- faces_there(finding$faces)
  faces <- faces_there(reference$faces)
  pairs <- pair_faces(own, faces)
  near <- vapply(seq_len(NROW(pairs)), function(k) {
    is_inside(own$middle[pairs[k, 2], ], faces$box[pairs[k, 1], ])
  }, NA)
  each <- descriptors_alike(own, faces, pairs)[pairs[near, 1]]
  if (length(each) == 0 || anyNA(each)) {
    return(untold)
  }

  worst <- which.min(each)
  list(value = 1 - each[worst], place = say_box(faces$box[pairs[near, 1][worst], ]))
}

is_inside <- function(point, box) {
  all(point >= box[1:2] & point <= box[3:4])
}
