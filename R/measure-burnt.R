measure_burnt <- function() {
  new_measure(
    "burnt",
    "flaws",
    range = "0 none to 1 (share of the picture)",
    better = "lower",
    sees = "colours and lights at their ceiling, beyond the reference and the look",
    blind_to = "what is burnt there too",
    source = "pixels with a channel of 0.995 and more",
    cost = "none",
    compute = function(scene) {
      clipping_score(scene, "burnt")
    }
  )
}
