measure_guide_bleed <- function() {
  new_measure(
    "guide_bleed",
    "flaws",
    range = "0 none to 1 (share of the guide's outlines)",
    better = "lower",
    sees = "the lines of an edge guide that show in the take",
    blind_to = "nothing is said where the look draws thin lines itself",
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
        0.05,
        0.1,
        place = "whole",
        raw = shown
      )
    }
  )
}
