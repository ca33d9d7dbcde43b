measure_local_correlation <- function() {
  new_measure(
    "local_correlation",
    "structure",
    range = "0 chance, 1 the same layout",
    better = "higher",
    sees = "whether lightness rises and falls at the same places",
    blind_to = "which of the two it does, contrast, colour",
    source = "magnitude of local correlation in windows of 8 px over three octaves",
    cost = "low",
    needs = "reference",
    compute = function(scene) from_chance(scene, "local_correlation")
  )
}
