measure_layout <- function() {
  new_measure(
    "layout",
    "structure",
    range = "0 chance, 1 the same layout",
    better = "higher",
    sees = "what resembles what inside the picture, in 16 x 16 patches",
    blind_to = "the palette, outlines, what is smaller than a patch",
    source = "Spearman's correlation of patch-to-patch OKLab distances",
    cost = "low",
    needs = "reference",
    compute = function(scene) from_chance(scene, "layout")
  )
}
