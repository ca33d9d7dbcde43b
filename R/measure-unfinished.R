measure_unfinished <- function() {
  new_measure(
    "unfinished", "flaws",
    range = "0 none, 0.04 plainly seen (standard deviation of luma)", better = "lower",
    sees = "blotches in plain parts, as too few steps leave them",
    blind_to = "fine grain, texture, contours",
    source = "as noise, at a half and a quarter of the size",
    cost = "low",
    compute = function(scene) {
      # Fine grain leaves half of itself at half the size.
      # Looks made of strokes leave more of them on some contents than on others.
      coarse <- scene$grain[["blotches"]] - max(known_before(scene, "blotches") + 0.15 * strokes_in(scene), 0.75 * scene$grain[["noise"]])
      flaw_score(max(0, coarse), 0.026, 0.04, place = "whole", raw = scene$grain[["blotches"]])
    }
  )
}
