measure_crushed <- function() {
  new_measure(
    "crushed",
    "flaws",
    range = "0 none to 1 (share of the picture)",
    better = "lower",
    sees = "shadows without any light, beyond the reference and the look",
    blind_to = "what is black there too",
    source = "pixels with no channel above 0.01",
    cost = "none",
    compute = function(scene) {
      clipping_score(scene, "crushed")
    }
  )
}
