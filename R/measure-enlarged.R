# What enlarging did: takes that are to be delivered at a multiple of the size that was given.

# The numbers from which a flaw is slight and serious, set on the `fit` half of
# bench/enlarged.R (plain enlargements gain up to 1.03 there, photographs from 1.05 on);
# docs/measures.md shows what they find elsewhere.
enlarging_bounds <- list(
  detail_gained = c(slight = 1.05, serious = -1),
  invented = c(slight = 0.04, serious = 0.15),
  halos = c(slight = 0.02, serious = 0.05),
  blocks = c(slight = 0.6, serious = 1)
)

measure_detail_gained <- function() {
  new_measure(
    "detail_gained",
    "flaws",
    range = "1 as much as plain enlarging gives, 1.5 to 5 photographs of that size",
    better = "higher",
    sees = "whether an enlarged take has more detail than plain enlarging gives",
    blind_to = "whether the detail is true; grain",
    formula = paste(
      "d / d of the picture before enlarged plainly (in a first step, of the take itself brought",
      "to that size); d = sqrt((f - g) / c), f and c the energy of the finest octaves and the",
      "next, g of grain"
    ),
    source = paste(
      "own method: luma that is lost at 1.5 times the size before, in the richest quarter of the",
      "picture, less the same in its plainest quarter"
    ),
    cost = "high",
    compute = function(scene) {
      if (is.null(scene$enlarged)) {
        return(NULL)
      }

      flaw_score(scene$enlarged$gained, enlarging_bounds$detail_gained, place = "whole")
    }
  )
}

measure_invented <- function() {
  new_measure(
    "invented",
    "flaws",
    range = "0 none to 1 (share of the take's outlines)",
    better = "lower",
    sees = "outlines that an enlarging step put where there were none, with the largest place",
    blind_to = "detail finer than the picture before could show",
    formula = "as new_details, against the picture that the step was given",
    source = "as new_details",
    cost = "low",
    compute = function(scene) {
      found <- scene$enlarged$invented
      if (is.null(found)) {
        return(NULL)
      }

      place <- if (nrow(found$boxes)) say_box(found$boxes[1, 1:4]) else "whole"
      flaw_score(found$share, enlarging_bounds$invented, place = place)
    }
  )
}

measure_halos <- function() {
  new_measure(
    "halos",
    "flaws",
    range = "0 none, 0.05 plainly seen (share of the contours' contrast)",
    better = "lower",
    sees = "light and dark fringes beside contours of an enlarged take",
    blind_to = "fringes that the picture before had; those narrower than half of its pixels",
    formula = "mean(o) / mean(c), o beyond the range around before, c that range's width",
    source = paste(
      "own method: the take at the size before, against the lowest and highest luma within 2 px",
      "of the same place, where these are more than 0.2 apart"
    ),
    cost = "low",
    compute = function(scene) {
      if (is.null(scene$enlarged$halos)) {
        return(NULL)
      }

      flaw_score(scene$enlarged$halos, enlarging_bounds$halos, place = "whole")
    }
  )
}

measure_enlarged_blocks <- function() {
  new_measure(
    "enlarged_blocks",
    "flaws",
    range = "0 none, 1 steps on a grid as strong as all others",
    better = "lower",
    sees = "a grid in an enlarged take at its own size",
    blind_to = "as blocks",
    formula = "as blocks, at the take's own size",
    source = "as blocks",
    cost = "low",
    compute = function(scene) {
      if (is.null(scene$enlarged)) {
        return(NULL)
      }

      flaw_score(scene$enlarged$blocks, enlarging_bounds$blocks, place = "whole")
    }
  )
}
