measure_crushed <- function() {
  new_measure(
    "crushed", "flaws",
    range = "0 none to 1 (share of the picture)", better = "lower",
    sees = "shadows without any light, beyond the reference and the look",
    blind_to = "what is black there too",
    source = "pixels with no channel above 0.01",
    cost = "none",
    compute = function(scene) {
      # Other contents in the same look may have several times as much.
      before <- 4 * known_before(scene, "crushed", "number")
      flaw_score(max(0, scene$take$crushed$number - before), 0.1, 0.18, place = worst_cell(scene$take$crushed), raw = scene$take$crushed$number)
    }
  )
}
