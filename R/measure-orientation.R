measure_orientation <- function() {
  new_measure(
    "orientation",
    "structure",
    range = "0 chance, 1 the same layout",
    better = "higher",
    sees = "where contours run and which way they point",
    blind_to = "contrast and its sign, colours, texture finer than about 2 px in 384",
    source = "structure tensor of OKLab (Bigun and Granlund 1987), locally normalised",
    cost = "high",
    needs = "reference",
    compute = function(scene) from_chance(scene, "orientation")
  )
}
