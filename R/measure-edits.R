# Defects of edits and repairs: what they left, what they spoilt, where they show.

# The numbers from which a flaw is slight and serious, set on the `fit` half of bench/natural.R
# and the tuning part of bench/validity.R; docs/measures.md shows what they find elsewhere.
edit_bounds <- list(
  residual_damage = c(slight = 0.85, serious = Inf),
  seam = c(slight = 1, serious = 2.5),
  patch = c(slight = 0.6, serious = 0.5),
  leak = c(slight = 0.012, serious = 0.03),
  guide_bleed = c(slight = 0.05, serious = 0.1)
)

measure_residual_damage <- function() {
  new_measure(
    "residual_damage",
    "flaws",
    range = "0 mended, 1 all still there (share of the reference's thin marks)",
    better = "lower",
    sees = "scratches and specks that a repair left",
    blind_to = paste0(
      "broad stains and fading; measured alone, fine lines that ",
      "belong there count as marks too"
    ),
    formula = "marks of the reference that stayed / marks that count as damage",
    source = paste0(
      "marks of up to 9 px of 512 that at least a fifth of the takes of the case took away; ",
      "alone, those that stand out within 3 px"
    ),
    cost = "low",
    needs = "reference",
    shown_as = "damage",
    compute = function(scene) {
      if (scene$job != "repair") {
        return(NULL)
      }

      found <- core_residue(scene$take$handle, scene$reference$handle)
      # Too few marks say nothing; and one take alone can't say which of them are damage:
      # compare_repairs() does, with all takes of the case.
      if (found$damage < 0.0005) {
        return(new_scores(NA_real_, NA_real_, "none"))
      }

      flaw_score(found$share, edit_bounds$residual_damage, place = "whole")
    }
  )
}

measure_seam <- function() {
  new_measure(
    "seam",
    "flaws",
    range = "0 none, 1 just visible, 2.5 plainly seen",
    better = "lower",
    sees = paste(
      "an edge where the mask ends or a canvas was grown: another colour or light inside,",
      "contours that do not go on"
    ),
    blind_to = "edges that the reference has there, a step along a small part of the edge only",
    formula = paste0(
      "largest of chroma, light and contour steps across the edge, each / that of clean ",
      "edits"
    ),
    source = paste(
      "own method: mean steps of chroma and lightness all along the mask's half-way line, and",
      "differences of neighbouring pixels across it, beyond those along lines beside it"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      take <- scene$take$handle
      mask <- if (scene$job %in% c("edit", "repair")) mask_inside(scene)
      list(
        # The reference's own step there is where we padded it, and excuses nothing.
        if (!is.null(scene$added)) {
          seam_score(core_edge_steps(take, scene$added), "the canvas' edge")
        },
        if (!is.null(mask)) {
          before <- core_edge_steps(scene$reference$handle, mask)
          seam_score(core_edge_steps(take, mask), "the mask's edge", before)
        }
      )
    }
  )
}

# The mask where the reference has something: without the canvas that was added, which is
# judged for itself. NULL if nothing is left.
mask_inside <- function(scene) {
  mask <- scene$mask
  if (!is.null(mask) && !is.null(scene$added)) {
    mask <- mask * (1 - scene$added)
  }

  if (any(mask > 0.5)) {
    mask
  }
}

# `before`: the same of the reference, where it had anything there.
seam_score <- function(steps, place, before = NULL) {
  was <- function(what, least) max(least, if (!is.null(before)) before[[what]])
  beyond <- function(what) steps[[what]] - was(what, 0)
  visible <- c(
    beyond("hard_chroma") / visible_chroma,
    beyond("soft_chroma") / visible_soft_chroma,
    beyond("hard_light") / visible_light,
    min(
      beyond("jump") / visible_jump,
      (steps[["jump_ratio"]] / was("jump_ratio", 1) - 1) / visible_factor
    )
  )
  # Where nothing says what was there before, a picture's own contours may lie on the edge.
  if (is.null(before)) {
    visible <- visible / visible_alone
  }

  # And along a short one the picture's own steps do not cancel out.
  visible <- visible * min(1, sqrt(steps[["length"]] / long_edge_of_mask))
  flaw_score(max(0, visible), edit_bounds$seam, place = place)
}

# The 99th percentile of clean edits of photographs (the `fit` half of bench/natural.R): OKLab,
# and a factor.
visible_chroma <- 0.004
visible_soft_chroma <- 0.005
visible_light <- 0.01
visible_jump <- 0.005
visible_factor <- 0.15
visible_alone <- 1.5

# In pixels of 512; shorter ones are as much less sure as a mean of fewer numbers is.
long_edge_of_mask <- 400

measure_patch <- function() {
  new_measure(
    "patch",
    "flaws",
    range = paste0(
      "1 as detailed as its surroundings, 0.5 plainly flat, smeared, soft or noisy, 0 nothing ",
      "there"
    ),
    better = "higher",
    sees = paste0(
      "that what was filled in does not belong: flat, smeared, blurred, noise, or in a far ",
      "busier manner"
    ),
    blind_to = "what it shows, its colours",
    formula = "min(1, r / 2), r the smallest ratio of detail inside and outside to its bound",
    source = paste0(
      "detail just inside the mask's edge against that just outside, and against the next ",
      "octave's"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      take <- scene$take$handle
      mask <- if (scene$job == "edit") mask_inside(scene)
      list(
        if (!is.null(scene$added)) patch_of_canvas(core_fill(take, scene$added)),
        if (!is.null(mask)) {
          change <- core_change_inside(take, scene$reference$handle, mask)
          patch_of_edit(core_fill(take, mask), change)
        }
      )
    }
  )
}

# A canvas that was grown goes on as it was.
patch_of_canvas <- function(fill) {
  patch_score(
    fill,
    c(
      flat = fill[["detail"]] / least_detail,
      soft = fill[["noise"]] / softest,
      busier = far_more_detail / fill[["detail"]]
    )
  )
}

# The content of an edit may be smoother than its surroundings.
patch_of_edit <- function(fill, change) {
  both <- max(fill[["detail"]] / least_detail_of_edits, fill[["noise"]] / softest_of_edits)
  patch_score(fill, c(flat = change[["spread"]] / flattest, soft = both))
}

patch_score <- function(fill, found) {
  noisy <- max(most_detail / fill[["detail"]], noisiest / fill[["noise"]])
  found <- c(found, noisy = noisy)
  worst <- found[which.min(found)]
  flaw_score(
    min(1, worst / 2),
    edit_bounds$patch,
    place = names(worst),
    raw = fill[["detail"]]
  )
}

# Beyond these a fill is told from what a photograph itself has on both sides of a line: of
# the `fit` half of bench/natural.R, two in a hundred lie half way towards them.
least_detail <- 0.55
least_detail_of_edits <- 0.625
most_detail <- 2
far_more_detail <- 3
softest <- 0.64
softest_of_edits <- 0.74
noisiest <- 1.65
flattest <- 0.035

measure_leak <- function() {
  new_measure(
    "leak",
    "flaws",
    range = "0 none, 0.05 plainly seen (mean OKLab difference)",
    better = "lower",
    sees = "changes outside the mask of an edit",
    blind_to = "grain, changes inside",
    formula = paste0(
      "max(mean d, max d - 0.02), d = |take - reference| smoothed, outside the mask, in ",
      "OKLab"
    ),
    source = paste0(
      "mean difference from the reference, smoothed, where the mask is below 0.02; and the ",
      "strongest spot of it"
    ),
    cost = "low",
    needs = "reference",
    shown_as = "leak",
    compute = function(scene) {
      if (is.null(scene$mask) || scene$job != "edit") {
        return(NULL)
      }

      found <- core_leak(scene$take$handle, scene$reference$handle, scene$mask)
      # A spot that was changed is as bad as a slight change all over.
      flaw_score(
        max(found$difference, found$spot - spot_of_noise),
        edit_bounds$leak,
        place = map_box(found$map)
      )
    }
  )
}

# The largest local difference that re-encoding and a soft mask edge make.
spot_of_noise <- 0.02

measure_guide_bleed <- function() {
  new_measure(
    "guide_bleed",
    "flaws",
    range = "0 none to 1 (share of the guide's outlines)",
    better = "lower",
    sees = "the lines of an edge guide that show in the take",
    blind_to = "nothing is said where the look draws thin lines itself",
    formula = "share of the guide on thin lines of the take - that of the look on its own outlines",
    source = paste0(
      "thin lines on the guide, less those beside it and what ",
      "the look does on its own outlines"
    ),
    cost = "low",
    compute = function(scene) {
      # Where the look draws lines itself nobody can tell them apart.
      if (is.null(scene$guide) || strokes_in(scene) > 0.08) {
        return(NULL)
      }

      shown <- core_marked_share(scene$take$handle, scene$guide)
      flaw_score(
        max(0, shown - known_before(scene, "outlined")),
        edit_bounds$guide_bleed,
        place = "whole",
        raw = shown
      )
    }
  )
}
