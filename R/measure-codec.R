# Defects of the pixels, as an encoder, a sampler or a tone curve leaves them.

# The numbers from which a flaw is slight and serious, set on the `fit` half of bench/natural.R
# and the tuning part of bench/validity.R; docs/measures.md shows what they find elsewhere.
codec_bounds <- list(
  blur = c(slight = 1.5, serious = 2),
  noise = c(slight = 0.025, serious = 0.045),
  unfinished = c(slight = 0.003, serious = 0.006),
  blocks = c(slight = 0.42, serious = 0.8),
  banding = c(slight = 45, serious = 20),
  clipping = c(slight = 0.03, serious = 0.14)
)

measure_blur <- function() {
  new_measure(
    "blur",
    "flaws",
    range = paste0(
      "1 as sharp as what it was made from, 3 contours three ",
      "times as wide (raw: width in px)"
    ),
    better = "lower",
    sees = "contours that are all soft or shaken, beyond the reference and the look",
    blind_to = "which parts are in focus; soft parts beside sharp ones",
    formula = paste0(
      "w / max(w of reference or look, 1.7 px), w the contour width; 2.5 px without a ",
      "reference"
    ),
    source = paste0(
      "width of the sharpest twentieth of contours, across or ",
      "down (after Marziliano et al. 2002)"
    ),
    cost = "low",
    compute = function(scene) {
      width <- scene$take$blur
      sharp <- if (is.null(scene$reference)) sharp_enough else sharp_beside_reference
      allowed <- max(sharp, known_before(scene, "blur"))
      flaw_score(width / allowed, codec_bounds$blur, place = "whole", raw = width)
    }
  )
}

# Widths in pixels below which nothing is soft. Of photographs alone two in a hundred lie
# above 1.4 times the first (the `fit` half of bench/natural.R).
sharp_enough <- 2.5
sharp_beside_reference <- 1.7

measure_noise <- function() {
  new_measure(
    "noise",
    "flaws",
    range = "0 none, 0.04 plainly seen (standard deviation of luma)",
    better = "lower",
    sees = "fine grain in plain parts, beyond the reference and the look",
    blind_to = "texture, contours",
    formula = paste0(
      "s - max(s of the reference, 1.5 s of the look), s the standard deviation of the ",
      "residual"
    ),
    source = "residual of Immerkaer (1996) in the blocks where the reference is plainest",
    cost = "low",
    compute = function(scene) {
      # Other contents in the same look may have half as much again as its examples.
      before <- max(
        known_before(scene["reference"], "noise"),
        1.5 * known_before(scene["look"], "noise")
      )
      flaw_score(
        max(0, scene$grain - before),
        codec_bounds$noise,
        place = "whole",
        raw = scene$grain
      )
    }
  )
}

measure_unfinished <- function() {
  new_measure(
    "unfinished",
    "flaws",
    range = "0 none, 0.006 plainly seen (sway of OKLab)",
    better = "lower",
    sees = paste0(
      "blotches in light and colours where the reference is ",
      "plain, as too few steps leave them"
    ),
    blind_to = "fine grain, contours, what the look has of it",
    formula = "max(half the light's sway, the colours' sway), each less the look's",
    source = paste0(
      "what lies between a blur of 2 px and one of 7 px of 512, in the plainest fifth of the ",
      "reference"
    ),
    cost = "low",
    compute = function(scene) {
      plain <- plainest_in(scene$take, scene$reference, scene$added)
      sway <- core_blotches(scene$take$handle, plain$handle)
      excused <- c(
        known_before(scene["look"], "light_sway"),
        known_before(scene["look"], "colour_sway")
      )
      # White noise passes as so much of its deviation.
      excused <- excused + 0.14 * scene$grain
      # Light sways with every stroke; colours hardly do.
      number <- max(0, 0.5 * (sway[["light"]] - excused[1]), sway[["colour"]] - excused[2])
      flaw_score(number, codec_bounds$unfinished, place = "whole", raw = sway[["colour"]])
    }
  )
}

measure_blocks <- function() {
  new_measure(
    "blocks",
    "flaws",
    range = "0 none, 1 steps on a grid as strong as all others",
    better = "lower",
    sees = "a grid as strong compression leaves it, resized or not: any pitch of 5 to 17 px",
    blind_to = "light compression (JPEG 75 and better), regular patterns that run one way",
    formula = "b - max(b of reference or look), b the strength of the grid",
    source = "periodogram of lonely steps with its harmonics; the lesser of both ways",
    cost = "low",
    compute = function(scene) {
      flaw_score(
        max(0, scene$take$blocks - known_before(scene, "blocks")),
        codec_bounds$blocks,
        place = "whole",
        raw = scene$take$blocks
      )
    }
  )
}

measure_banding <- function() {
  new_measure(
    "banding",
    "flaws",
    range = "how many of 256 tones a channel really has: about 100 a photograph, 8 eight levels",
    better = "higher",
    sees = "tones in few steps where the reference has many",
    blind_to = "steps that were smoothed or compressed over; few tones that the look has too",
    formula = "exp(H), H the entropy of the tones of a channel",
    source = "exponential of the entropy of each channel's tones",
    cost = "none",
    compute = function(scene) {
      tones <- scene$take$tones
      # Of a reference with few tones as few are no flaw, nor in a look that has few itself.
      few_before <- !is.null(scene$reference) && tones > 0.6 * scene$reference$tones
      few <- codec_bounds$banding[["slight"]]
      few_in_look <- any(vapply(scene$look, `[[`, 0, "tones") < 1.5 * few)
      excused <- few_before || few_in_look
      level <- if (excused) "none" else flaw_score(tones, codec_bounds$banding)$level
      new_scores(tones, tones, level, if (level == "none") NA_character_ else "whole")
    }
  )
}

measure_burnt <- function() {
  new_measure(
    "burnt",
    "flaws",
    range = "0 none to 1 (share of the picture)",
    better = "lower",
    sees = "colours and lights at their ceiling, beyond the reference and the look",
    blind_to = "what is burnt there too",
    formula = "s - max(1.5 s of the reference, 4 s of the look), s the share of pixels",
    source = "pixels with a channel of 0.995 and more",
    cost = "none",
    compute = function(scene) {
      clipping_score(scene, "burnt")
    }
  )
}

# Pixels at an end of the scale beyond what was there: other contents in the same look
# may have several times as much as its examples, the same contents only a little more.
clipping_score <- function(scene, what) {
  spot <- scene$take[[what]]
  in_look <- known_before(scene["look"], what, "number")
  # A look that is made of flat black or of white paper makes whatever is dark or light so.
  if (in_look >= made_of_clipped) {
    in_look <- 1
  }

  before <- max(1.5 * known_before(scene["reference"], what, "number"), 4 * in_look)
  flaw_score(
    max(0, spot$number - before),
    codec_bounds$clipping,
    place = worst_cell(spot),
    raw = spot$number
  )
}

made_of_clipped <- 0.05

measure_crushed <- function() {
  new_measure(
    "crushed",
    "flaws",
    range = "0 none to 1 (share of the picture)",
    better = "lower",
    sees = "shadows without any light, beyond the reference and the look",
    blind_to = "what is black there too",
    formula = "s - max(1.5 s of the reference, 4 s of the look), s the share of pixels",
    source = "pixels with no channel above 0.01",
    cost = "none",
    compute = function(scene) {
      clipping_score(scene, "crushed")
    }
  )
}
