measure_vanished <- function() {
  new_measure(
    "vanished",
    "structure",
    range = "0 none to 1 (share of the reference's outlines)",
    better = "lower",
    sees = "details of the reference that the take lost, with the largest place",
    blind_to = "colour, what has no outline",
    source = "outlines more than 4 px in 384 from any of the other picture, where most around are",
    cost = "low",
    needs = "reference",
    compute = function(scene) unmatched_score(scene$gone)
  )
}

# Value and raw are the share; the place is the largest region.
unmatched_score <- function(found) {
  place <- if (nrow(found$boxes)) say_box(found$boxes[1, 1:4]) else NA_character_
  new_scores(found$share, found$share, place = place)
}
