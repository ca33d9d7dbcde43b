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
  flaw_score(max(0, visible), 1, 2.5, place = place)
}

# What a clean edit reaches in one photograph of a hundred (the `fit` half of
# bench/natural.R): OKLab, and a factor.
visible_chroma <- 0.004
visible_soft_chroma <- 0.005
visible_light <- 0.01
visible_jump <- 0.005
visible_factor <- 0.15
visible_alone <- 1.5

# In pixels of 512; shorter ones are as much less sure as a mean of fewer numbers is.
long_edge_of_mask <- 400
