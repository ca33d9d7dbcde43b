measure_ringing <- function() {
  new_measure(
    "ringing", "flaws",
    range = "0 none, 0.1 plainly seen (share of a contour's rise)", better = "lower",
    sees = "halos and ripples on both sides of contours",
    blind_to = "thin lines, texture; nothing is said where the look is drawn with strokes",
    source = "how far contours swing over on both sides, of the upper third",
    cost = "low",
    compute = function(scene) {
      if (strokes_in(scene) > 0.25) {
        return(NULL)
      }
      flaw_score(max(0, scene$take$ringing - known_before(scene, "ringing")), 0.065, 0.1, place = "whole", raw = scene$take$ringing)
    }
  )
}
