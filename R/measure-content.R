# Defects of what is in the picture.

# The numbers from which a flaw is slight and serious, set on the `fit` half of bench/natural.R
# and the tuning part of bench/validity.R; docs/measures.md shows what they find elsewhere.
content_bounds <- list(
  bars = c(slight = 0.01, serious = 0.03),
  wrong_size = c(slight = 0.02, serious = 0.05),
  blank = c(slight = 0.03, serious = 0.012),
  near_copy = c(slight = 0.03, serious = 0.015),
  unchanged_edit = c(slight = 0.035, serious = 0.02),
  mirrored = c(slight = 0.03, serious = 0.08),
  local_damage = c(slight = 0.3, serious = 0.85),
  repeated = c(slight = 0.84, serious = 0.9)
)

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
    formula = "largest depth of a bar - the reference's there",
    source = "own method: strips with little detail that end in a straight step",
    cost = "low",
    compute = function(scene) {
      found <- scene$take$bars
      # Where canvas was added, the reference holds our own padding.
      if (!is.null(scene$reference) && is.null(scene$added)) {
        near <- function(depth, steps) any(abs(steps - depth) < step_tolerance)
        was_there <- mapply(near, found, scene$reference$steps)
        found <- ifelse(was_there, 0, found - scene$reference$bars)
      }

      flaw_score(
        max(found, 0),
        content_bounds$bars,
        place = names(found)[which.max(found)]
      )
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
    formula = "max(a / b, b / a) - 1, a and b the aspect ratios of take and frame",
    source = "aspects compared",
    cost = "none",
    compute = function(scene) {
      aspect <- scene$take$own[1] / scene$take$own[2]
      asked <- scene$frame[1] / scene$frame[2]
      # A pixel too many or too few is no other shape.
      off <- max(aspect / asked, asked / aspect) - 1
      flaw_score(
        off,
        content_bounds$wrong_size,
        place = if (aspect > asked) "too wide" else "too tall"
      )
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
    formula = "sqrt(mean |c - mean c|^2), c the colours in OKLab",
    source = "root mean square OKLab distance from the mean colour",
    cost = "low",
    compute = function(scene) {
      flaw_score(scene$take$spread, content_bounds$blank, place = "whole")
    }
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
    formula = "mean |take - reference| in OKLab; for edits of the most changed tenth of the mask",
    source = paste0(
      "mean OKLab difference at a long edge of 170 px; inside a mask, the smoothed difference of ",
      "its most changed tenth"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      take <- scene$take$handle
      reference <- scene$reference$handle
      # A good repair is the same picture in most of its parts.
      if (scene$job == "repair") {
        return(NULL)
      }

      if (scene$job %in% c("edit", "extend")) {
        if (is.null(scene$mask)) {
          return(NULL)
        }

        return(flaw_score(
          core_change_inside(take, reference, scene$mask)[["most"]],
          content_bounds$unchanged_edit,
          place = "inside the mask"
        ))
      }

      flaw_score(
        core_coarse_difference(take, reference),
        content_bounds$near_copy,
        place = "whole"
      )
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
    formula = "orientation against the mirrored reference - orientation against the reference",
    source = "orientation agreement with the reference and with its mirror picture",
    cost = "low",
    needs = "reference",
    shown_as = "mirrored",
    compute = function(scene) {
      # A take that resembles the reference neither way round is lost, not mirrored.
      straight <- rescale_from_chance(scene$raw[["orientation"]], scene$chance[["orientation"]])
      lead <- scene$other_way - straight
      flaw_score(
        if (scene$other_way < 0.15) min(lead, 0) else lead,
        content_bounds$mirrored,
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
    formula = "(median - 1st percentile of local agreement) - 0.06 - 0.5 style_change",
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
      bounds <- content_bounds$local_damage
      if (moved >= near_manner) {
        bounds[["serious"]] <- Inf
      }

      flaw_score(max(0, contours, sharpness), bounds, place = place, raw = found$drop)
    }
  )
}

# The 90th percentile of clean takes, in the reference's medium and for each typical distance
# between looks that they moved (the `fit` half of bench/natural.R).
uneven_contours <- c(0.06, 0.5)
uneven_sharpness <- c(0.5, 1.2)
near_manner <- 0.35

measure_repeated <- function() {
  new_measure(
    "repeated",
    "flaws",
    range = "0 to 1: how closely the added canvas repeats what is inside, mirrored or not",
    better = "lower",
    sees = "a canvas that was grown by mirroring or repeating the picture",
    blind_to = "skies and other parts without detail, regular patterns",
    formula = "max over tiles of the normalised cross-correlation with the inside",
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
        content_bounds$repeated,
        place = "the added canvas"
      )
    }
  )
}
