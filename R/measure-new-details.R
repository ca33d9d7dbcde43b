measure_new_details <- function() {
  new_measure(
    "new_details",
    "structure",
    range = "0 none to 1 (share of the take's outlines)",
    better = "lower",
    sees = "details that appeared from nowhere, with the largest place",
    blind_to = "colour, what has no outline",
    source = "as vanished, the other way round",
    cost = "low",
    needs = "reference",
    compute = function(scene) unmatched_score(scene$come)
  )
}
