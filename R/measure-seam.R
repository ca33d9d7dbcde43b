measure_seam <- function() {
  new_measure(
    "seam", "flaws",
    range = "0 none, 1 just visible, 2.5 plainly seen", better = "lower",
    sees = "an edge where the mask ends or a canvas was grown: another colour or light inside, contours that do not go on",
    blind_to = "edges that the reference has there, a step that is there along a small part of the edge only",
    source = paste(
      "own method: mean steps of chroma and lightness all along the mask's half-way line, and",
      "differences of neighbouring pixels across it, beyond those along lines beside it"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      take <- scene$take$handle
      # The reference's own step at an added canvas is where we padded it, and excuses nothing.
      if (!is.null(scene$added)) {
        return(seam_score(core_edge_steps(take, scene$added), "the canvas' edge"))
      }
      if (is.null(scene$mask) || !scene$job %in% c("edit", "repair")) {
        return(NULL)
      }
      before <- core_edge_steps(scene$reference$handle, scene$mask)
      seam_score(core_edge_steps(take, scene$mask), "the mask's edge", before)
    }
  )
}

seam_score <- function(steps, place, before = NULL) {
  beyond <- function(what, from) {
    if (!is.null(before)) from <- max(from, before[[what]])
    steps[[what]] - from
  }
  # How often a neighbour's difference is that of the lines beside it.
  factor <- steps[["jump_ratio"]] / max(1, if (!is.null(before)) before[["jump_ratio"]])
  visible <- c(
    beyond("hard_chroma", 0) / visible_chroma, beyond("soft_chroma", 0) / visible_soft_chroma,
    beyond("hard_light", 0) / visible_light,
    min(beyond("jump", 0) / visible_jump, (factor - 1) / visible_factor)
  )
  # Where nothing says what was there before, a picture's own contours may lie on the edge.
  if (is.null(before)) visible <- visible / visible_alone
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
