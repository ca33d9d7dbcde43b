measure_blur <- function() {
  new_measure(
    "blur", "flaws",
    range = "1 as sharp as what it was made from, 3 contours three times as wide (raw: width in px)", better = "lower",
    sees = "contours that are all soft, beyond the reference and the look",
    blind_to = "which parts are in focus; soft parts beside sharp ones",
    source = "width of the sharpest fifth of contours (after Marziliano et al. 2002)",
    cost = "low",
    compute = function(scene) {
      width <- scene$take$blur
      allowed <- max(2.5, known_before(scene, "blur"))
      flaw_score(width / allowed, 1.5, 2, place = "whole", raw = width)
    }
  )
}
