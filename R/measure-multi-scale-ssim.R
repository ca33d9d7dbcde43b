measure_multi_scale_ssim <- function() {
  new_measure(
    "multi_scale_ssim",
    "structure",
    range = "0 to 1, 1 the same picture",
    better = "higher",
    sees = "the same over up to five octaves",
    blind_to = "nothing of a restyle, as ssim",
    source = "multi-scale SSIM (Wang, Simoncelli and Bovik 2003)",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      new_scores(scene$similarity[["multi_scale_ssim"]], scene$similarity[["multi_scale_ssim"]])
    }
  )
}
