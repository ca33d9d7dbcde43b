measure_colour_share <- function() {
  new_measure(
    "colour_share", "adherence",
    range = "0 to 1 (raw: share of the place)", better = "as asked",
    sees = "how much of a place has a named or given colour",
    blind_to = "shape, texture, the rest of the picture",
    source = "OKLab (Ottosson 2020) and colour_names()",
    cost = "low",
    compute = function(scene, probe) {
      inside <- in_place(view_oklab(scene$take), probe$where)
      grade_probe(mean(colour_membership(inside, probe$colour)), probe$share, probe$where)
    }
  )
}

# How well a share, a brightness or the like keeps to its bound: 1 within, then
# falling evenly to 0 over half the bound (at least a tenth).
grade_probe <- function(number, bound, where) {
  beyond <- max(bound[1] - number, number - bound[2], 0)
  limit <- if (number < bound[1]) bound[1] else bound[2]
  new_scores(max(0, 1 - beyond / max(0.1, 0.5 * limit)), number, place = place_words(where))
}

# The pixels of a place as a matrix with columns L, a, b. A place is a name, or
# a box of left, top, right, bottom as shares of the picture.
in_place <- function(oklab, where) {
  box <- if (is.numeric(where)) where else place_boxes()[[where]]
  rows <- span(box[c(2, 4)], dim(oklab)[1])
  columns <- span(box[c(1, 3)], dim(oklab)[2])
  matrix(oklab[rows, columns, ], ncol = 3, dimnames = list(NULL, c("L", "a", "b")))
}

span <- function(ends, n) {
  first <- min(n, floor(ends[1] * n) + 1)
  seq(first, max(first, ceiling(ends[2] * n)))
}

place_boxes <- function() {
  third <- c(1, 2) / 3
  list(
    "whole" = c(0, 0, 1, 1),
    "top third" = c(0, 0, 1, third[1]),
    "middle third" = c(0, third[1], 1, third[2]),
    "bottom third" = c(0, third[2], 1, 1),
    "left third" = c(0, 0, third[1], 1),
    "centre third" = c(third[1], 0, third[2], 1),
    "right third" = c(third[2], 0, 1, 1)
  )
}

place_words <- function(where) {
  if (is.numeric(where)) paste0("box ", paste(format(where), collapse = " ")) else where
}
