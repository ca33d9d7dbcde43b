measure_unfinished <- function() {
  new_measure(
    "unfinished", "flaws",
    range = "0 none, 0.04 plainly seen (standard deviation of luma)", better = "lower",
    sees = "blotches in plain parts, as too few steps leave them",
    blind_to = "fine grain, texture, contours",
    source = "as noise, at a half and a quarter of the size",
    cost = "low",
    compute = function(scene) {
      # Looks made of strokes leave more of them on some contents than on others. But strokes
      # and texture are fine too: beyond four times its own grain a take's blotches are not
      # theirs, however many an example of the look has.
      grain <- scene$grain[["noise"]]
      of_look <- known_before(scene["look"], "blotches") + 0.15 * strokes_in(scene)
      excused <- max(known_before(scene["reference"], "blotches"), min(of_look, max(0.05, 4 * grain)), 0.75 * grain)
      coarse <- scene$grain[["blotches"]] - excused
      flaw_score(max(0, coarse), 0.026, 0.04, place = "whole", raw = scene$grain[["blotches"]])
    }
  )
}
