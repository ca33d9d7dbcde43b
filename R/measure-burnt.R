measure_burnt <- function() {
  new_measure(
    "burnt", "flaws",
    range = "0 none to 1 (share of the picture)", better = "lower",
    sees = "colours and lights at their ceiling, beyond the reference and the look",
    blind_to = "what is burnt there too",
    source = "pixels with a channel of 0.995 and more",
    cost = "none",
    compute = function(scene) {
      # Other contents in the same look may have several times as much.
      before <- 4 * known_before(scene, "burnt", "number")
      flaw_score(max(0, scene$take$burnt$number - before), 0.1, 0.18, place = worst_cell(scene$take$burnt), raw = scene$take$burnt$number)
    }
  )
}
