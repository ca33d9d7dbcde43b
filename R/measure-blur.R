measure_blur <- function() {
  new_measure(
    "blur",
    "flaws",
    range = paste0(
      "1 as sharp as what it was made from, 3 contours three ",
      "times as wide (raw: width in px)"
    ),
    better = "lower",
    sees = "contours that are all soft or shaken, beyond the reference and the look",
    blind_to = "which parts are in focus; soft parts beside sharp ones",
    source = paste0(
      "width of the sharpest twentieth of contours, across or ",
      "down (after Marziliano et al. 2002)"
    ),
    cost = "low",
    compute = function(scene) {
      width <- scene$take$blur
      sharp <- if (is.null(scene$reference)) sharp_enough else sharp_beside_reference
      allowed <- max(sharp, known_before(scene, "blur"))
      flaw_score(width / allowed, 1.5, 2, place = "whole", raw = width)
    }
  )
}

# Widths in pixels below which nothing is soft. Of photographs alone two in a hundred lie
# above 1.4 times the first (the `fit` half of bench/natural.R).
sharp_enough <- 2.5
sharp_beside_reference <- 1.7
