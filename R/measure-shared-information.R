measure_shared_information <- function() {
  new_measure(
    "shared_information",
    "structure",
    range = "0 chance, 1 the same layout",
    better = "higher",
    sees = "how well one picture tells the tones of the other",
    blind_to = "any one-to-one change of tones, colour, fine detail",
    source = "normalised mutual information (Studholme, Hill and Hawkes 1999)",
    cost = "low",
    needs = "reference",
    compute = function(scene) from_chance(scene, "shared_information")
  )
}
