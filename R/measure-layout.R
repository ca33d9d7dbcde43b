# Layout: whether the parts of the reference are where they were.

measure_structure <- function() {
  new_measure(
    "structure",
    "structure",
    range = "0 chance, 1 the same layout",
    better = "higher",
    sees = "the layout, whatever the medium: where parts are, and that they are there at all",
    blind_to = "style",
    formula = "0.75 registration + 0.25 min(1, agreement / 0.45)",
    source = "three quarters registration, one quarter agreement up to what line work has",
    cost = "none",
    needs = "reference",
    compute = function(scene) {
      # Two plain pictures have no contours to agree in, and are alike all the same.
      alike <- scene$registered == 1 &&
        core_coarse_difference(scene$take$handle, scene$reference$handle) < 1e-3
      there <- if (alike) 1 else min(1, agreement_value(scene) / agreement_of_line_work)
      new_scores(0.75 * registration_value(scene) + 0.25 * there, scene$registered)
    }
  )
}

# The agreement that line drawings have with the photograph that they were made from, on the
# `fit` half of bench/natural.R: beyond it agreement says what the medium is, not whether
# the layout was kept.
agreement_of_line_work <- 0.45

measure_registration <- function() {
  new_measure(
    "registration",
    "structure",
    range = "0 chance, 1 every part where it was",
    better = "higher",
    sees = "whether the parts of the reference are found where they were",
    blind_to = "medium and style: how well a part is found, contrast, colours",
    formula = paste0(
      "(m - 0.2) / 0.8, m the mean over parts of the match at its place by the best match near ",
      "it"
    ),
    source = paste0(
      "orientation fields of parts, each sought within 6 % of ",
      "the long edge (block matching)"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) new_scores(registration_value(scene), scene$registered)
  )
}

# The value for unrelated pictures, on the `fit` half of bench/natural.R.
registered_by_chance <- 0.2

registration_value <- function(scene) {
  rescale_from_chance(scene$registered, registered_by_chance)
}

measure_agreement <- function() {
  new_measure(
    "agreement",
    "structure",
    range = "0 chance, 1 the same layout in the same manner",
    better = "higher",
    sees = "how well layouts agree place by place: the stated weighting of the four measures below",
    blind_to = "palette; another medium lowers it",
    formula = "0.55 orientation + 0.20 local_correlation + 0.15 layout + 0.10 shared_information",
    source = "weights in docs/measures.md",
    cost = "none",
    needs = "reference",
    compute = function(scene) {
      new_scores(agreement_value(scene), weighted_mean(scene$raw, agreement_weights))
    }
  )
}

# Found on the tuning part of bench/validity.R.
agreement_weights <- c(
  orientation = 0.55,
  layout = 0.15,
  local_correlation = 0.2,
  shared_information = 0.1
)

agreement_value <- function(scene) {
  weighted_mean(rescale_from_chance(scene$raw, scene$chance), agreement_weights)
}

weighted_mean <- function(values, weights) sum(values[names(weights)] * weights) / sum(weights)

measure_orientation <- function() {
  new_measure(
    "orientation",
    "structure",
    range = "0 chance, 1 the same layout",
    better = "higher",
    sees = "where contours run and which way they point",
    blind_to = "contrast and its sign, colours, texture finer than about 2 px in 384",
    formula = paste0(
      "(r - chance) / (1 - chance), r the weighted mean of cos 2(a - b), a and b the ",
      "directions"
    ),
    source = "structure tensor of OKLab (Bigun and Granlund 1987), locally normalised",
    cost = "high",
    needs = "reference",
    compute = function(scene) from_chance(scene, "orientation")
  )
}

measure_layout <- function() {
  new_measure(
    "layout",
    "structure",
    range = "0 chance, 1 the same layout",
    better = "higher",
    sees = "what resembles what inside the picture, in 16 x 16 patches",
    blind_to = "the palette, outlines, what is smaller than a patch",
    formula = paste0(
      "(r - chance) / (1 - chance), r the rank correlation of both matrices of patch ",
      "distances"
    ),
    source = "Spearman's correlation of patch-to-patch OKLab distances",
    cost = "low",
    needs = "reference",
    compute = function(scene) from_chance(scene, "layout")
  )
}

measure_local_correlation <- function() {
  new_measure(
    "local_correlation",
    "structure",
    range = "0 chance, 1 the same layout",
    better = "higher",
    sees = "whether lightness rises and falls at the same places",
    blind_to = "which of the two it does, contrast, colour",
    formula = "(r - chance) / (1 - chance), r the mean of |correlation| over windows",
    source = "magnitude of local correlation in windows of 8 px over three octaves",
    cost = "low",
    needs = "reference",
    compute = function(scene) from_chance(scene, "local_correlation")
  )
}

measure_shared_information <- function() {
  new_measure(
    "shared_information",
    "structure",
    range = "0 chance, 1 the same layout",
    better = "higher",
    sees = "how well one picture tells the tones of the other",
    blind_to = "any one-to-one change of tones, colour, fine detail",
    formula = "(r - chance) / (1 - chance), r the normalised mutual information",
    source = "normalised mutual information (Studholme, Hill and Hawkes 1999)",
    cost = "low",
    needs = "reference",
    compute = function(scene) from_chance(scene, "shared_information")
  )
}

measure_ssim <- function() {
  new_measure(
    "ssim",
    "structure",
    range = "-1 to 1, 1 the same picture",
    better = "higher",
    sees = "luma, contrast and detail, place by place",
    blind_to = paste0(
      "nothing of a restyle: a new look alone brings it down; ",
      "reported since people ask for it"
    ),
    formula = "mean of (2ab + c1)(2cov + c2) / ((a^2 + b^2 + c1)(var a + var b + c2)) over windows",
    source = "SSIM (Wang, Bovik, Sheikh and Simoncelli 2004)",
    cost = "low",
    needs = "reference",
    compute = function(scene) new_scores(scene$similarity[["ssim"]], scene$similarity[["ssim"]])
  )
}

measure_multi_scale_ssim <- function() {
  new_measure(
    "multi_scale_ssim",
    "structure",
    range = "0 to 1, 1 the same picture",
    better = "higher",
    sees = "the same over up to five octaves",
    blind_to = "nothing of a restyle, as ssim",
    formula = "weighted product of the contrast terms of five octaves and the last luma term",
    source = "multi-scale SSIM (Wang, Simoncelli and Bovik 2003)",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      new_scores(scene$similarity[["multi_scale_ssim"]], scene$similarity[["multi_scale_ssim"]])
    }
  )
}

measure_framing <- function() {
  new_measure(
    "framing",
    "structure",
    range = "1 nothing moved, 0 by a tenth of the long edge (raw: mean way, in long edges)",
    better = "higher",
    sees = "contents that were shifted, zoomed or turned as a whole",
    blind_to = "style, parts that moved by themselves",
    formula = "max(0, 1 - d / 0.1), d the mean displacement in long edges",
    source = "contour fields aligned by correlation, then by Gauss and Newton steps",
    cost = "low",
    needs = "reference",
    shown_as = "framing",
    compute = function(scene) {
      framing <- scene$framing
      # Two pictures with nothing in common lie no way in each other.
      if (framing$lost) {
        return(new_scores(NA_real_, NA_real_))
      }

      new_scores(
        max(0, 1 - framing$moved / 0.1),
        framing$moved,
        place = if (framing$found) framing_words(framing$place)
      )
    }
  )
}

# Where the take's contents lie, as a person would say it.
framing_words <- function(place) {
  share_words <- function(x) paste0(format(round(100 * abs(x), 1), nsmall = 1), " %")
  parts <- c(
    if (abs(place[1]) >= 0.002) {
      paste(share_words(place[1]), if (place[1] > 0) "right" else "left")
    },
    if (abs(place[2]) >= 0.002) {
      paste(share_words(place[2]), if (place[2] > 0) "down" else "up")
    },
    if (abs(place[3] - 1) >= 0.005) {
      paste("zoomed", format(round(place[3], 2), nsmall = 2))
    },
    if (abs(place[4]) >= 0.005) {
      paste("turned", format(round(place[4] * 180 / pi, 1), nsmall = 1), "degrees")
    }
  )
  paste(parts, collapse = ", ")
}
