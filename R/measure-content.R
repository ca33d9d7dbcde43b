# Defects of what is in the picture.

measure_bars <- function() {
  new_measure(
    "bars",
    "flaws",
    range = "0 none to 1 (share of height or width)",
    better = "lower",
    sees = paste0(
      "bars at the edges that the reference does not have: of any colour, shaded, grainy or ",
      "blurred"
    ),
    blind_to = paste0(
      "bars that were there before or end at a straight step of the reference, borders of less ",
      "than a hundredth"
    ),
    source = "own method: strips with little detail that end in a straight step",
    cost = "low",
    compute = function(scene) {
      found <- scene$take$bars
      # What the reference has at an added canvas is our own padding.
      if (!is.null(scene$reference) && is.null(scene$added)) {
        near <- function(depth, steps) any(abs(steps - depth) < step_tolerance)
        was_there <- mapply(near, found, scene$reference$steps)
        found <- ifelse(was_there, 0, found - scene$reference$bars)
      }

      flaw_score(max(found, 0), 0.01, 0.03, place = names(found)[which.max(found)])
    }
  )
}

# A horizon or a wall that the reference has there is no bar, however plain a look paints
# what lies beyond it. Takes move it by so much of the height or width.
step_tolerance <- 0.012

measure_wrong_size <- function() {
  new_measure(
    "wrong_size",
    "flaws",
    range = "0 the shape asked for, 0.1 a tenth wider or taller",
    better = "lower",
    sees = "another aspect than asked for",
    blind_to = "the number of pixels: pictures are compared at one size",
    source = "aspects compared",
    cost = "none",
    compute = function(scene) {
      aspect <- scene$take$own[1] / scene$take$own[2]
      asked <- scene$frame[1] / scene$frame[2]
      # A pixel too many or too few is no other shape.
      off <- max(aspect / asked, asked / aspect) - 1
      flaw_score(off, 0.02, 0.05, place = if (aspect > asked) "too wide" else "too tall")
    }
  )
}

measure_blank <- function() {
  new_measure(
    "blank",
    "flaws",
    range = "0 one colour, about 0.2 a usual picture",
    better = "higher",
    sees = "a picture with next to nothing in it",
    blind_to = "which colour it is",
    source = "root mean square OKLab distance from the mean colour",
    cost = "low",
    compute = function(scene) flaw_score(scene$take$spread, 0.03, 0.012, place = "whole")
  )
}

measure_near_copy <- function() {
  new_measure(
    "near_copy",
    "flaws",
    range = "0 the reference itself, about 0.1 and up a changed picture",
    better = "higher",
    sees = paste0(
      "that nothing was done to the reference: anywhere, or inside the mask of an edit or an ",
      "extension"
    ),
    blind_to = "grain and compression noise",
    source = paste0(
      "mean OKLab difference at a long edge of 170 px; inside a mask, the smoothed difference of ",
      "its most changed tenth"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      take <- scene$take$handle
      reference <- scene$reference$handle
      # What was mended well is the same picture in most of its parts.
      if (scene$job == "repair") {
        return(NULL)
      }

      if (scene$job %in% c("edit", "extend")) {
        if (is.null(scene$mask)) {
          return(NULL)
        }

        return(flaw_score(
          core_change_inside(take, reference, scene$mask)[["most"]],
          0.035,
          0.02,
          place = "inside the mask"
        ))
      }

      flaw_score(core_coarse_difference(take, reference), 0.03, 0.015, place = "whole")
    }
  )
}

measure_mirrored <- function() {
  new_measure(
    "mirrored",
    "flaws",
    range = "-1 to 1: how much better the mirrored reference fits",
    better = "lower",
    sees = "left and right exchanged",
    blind_to = "colours; pictures that are symmetric anyway",
    source = "orientation agreement with the reference and with its mirror picture",
    cost = "low",
    needs = "reference",
    shown_as = "mirrored",
    compute = function(scene) {
      # What resembles neither way round is lost, not mirrored.
      straight <- rescale_from_chance(scene$raw[["orientation"]], scene$chance[["orientation"]])
      lead <- scene$other_way - straight
      flaw_score(
        if (scene$other_way < 0.15) min(lead, 0) else lead,
        0.03,
        0.08,
        place = "whole"
      )
    }
  )
}

measure_local_damage <- function() {
  new_measure(
    "local_damage",
    "flaws",
    range = "0 alike all over, 0.85 and more one part has lost what the rest has kept",
    better = "lower",
    sees = paste0(
      "a part that departs from the reference more than the rest: melted, swirled, written over, ",
      "doubled, blurred"
    ),
    blind_to = paste(
      "whether a prompt asked for it; what is wrong all over; parts without contours;",
      "the further the manner has moved, the less it sees"
    ),
    source = paste0(
      "contours and sharpness of the worst part against the usual one, parts a ninth of the long ",
      "edge"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      # A worn reference has contours that a repair must lose; other jobs change parts on purpose.
      if (scene$job != "restyle") {
        return(NULL)
      }

      found <- core_worst_part(scene$settled, scene$reference$handle)
      # Another manner keeps some parts better than others by itself.
      moved <- style_distance(scene$take$style, scene$reference$style) / style_space$between
      contours <- found$drop - uneven_contours[1] - uneven_contours[2] * moved
      sharpness <- (found$uneven - uneven_sharpness[1] - uneven_sharpness[2] * moved) / 4
      reach <- 1 / 18
      place <- say_box(
        pmin(
          1,
          pmax(0, c(found$x - reach, found$y - reach, found$x + reach, found$y + reach))
        )
      )
      if (sharpness > contours) {
        place <- "sharp in some parts, soft in others"
      }

      # A prompt may have asked for another sky, and in another manner nobody can be sure.
      serious <- if (moved < near_manner) plainly_damaged else Inf
      flaw_score(max(0, contours, sharpness), 0.3, serious, place = place, raw = found$drop)
    }
  )
}

# What clean takes have at most in nine of ten, in the reference's manner and for each
# typical distance between looks that they moved (the `fit` half of bench/natural.R).
uneven_contours <- c(0.06, 0.5)
uneven_sharpness <- c(0.5, 1.2)
near_manner <- 0.35

# No clean take of the `fit` half of bench/natural.R has as much, nor do the demo's scenes
# whose skies are repainted; only a look that swirls parts itself does.
plainly_damaged <- 0.85

measure_repeated <- function() {
  new_measure(
    "repeated",
    "flaws",
    range = "0 to 1: how closely the added canvas repeats what is inside, mirrored or not",
    better = "lower",
    sees = "a canvas that was grown by mirroring or repeating the picture",
    blind_to = "skies and other parts without detail, regular patterns",
    source = paste0(
      "best correlation of tiles of the added canvas with the inside (normalised ",
      "cross-correlation)"
    ),
    cost = "high",
    needs = "reference",
    compute = function(scene) {
      if (is.null(scene$added)) {
        return(NULL)
      }

      flaw_score(
        core_repeated(scene$take$handle, scene$added),
        0.84,
        0.9,
        place = "the added canvas"
      )
    }
  )
}
