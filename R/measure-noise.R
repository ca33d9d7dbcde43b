measure_noise <- function() {
  new_measure(
    "noise",
    "flaws",
    range = "0 none, 0.04 plainly seen (standard deviation of luma)",
    better = "lower",
    sees = "fine grain in plain parts, beyond the reference and the look",
    blind_to = "texture, contours",
    source = "residual of Immerkaer (1996) in the blocks where the reference is plainest",
    cost = "low",
    compute = function(scene) {
      # Other contents in the same look may have half as much again as its examples.
      before <- max(
        known_before(scene["reference"], "noise"),
        1.5 * known_before(scene["look"], "noise")
      )
      flaw_score(max(0, scene$grain - before), 0.025, 0.045, place = "whole", raw = scene$grain)
    }
  )
}
