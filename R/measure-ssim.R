measure_ssim <- function() {
  new_measure(
    "ssim",
    "structure",
    range = "-1 to 1, 1 the same picture",
    better = "higher",
    sees = "luma, contrast and detail, place by place",
    blind_to = paste0(
      "nothing of a restyle: a new look alone brings it down; ",
      "reported since people ask for it"
    ),
    source = "SSIM (Wang, Bovik, Sheikh and Simoncelli 2004)",
    cost = "low",
    needs = "reference",
    compute = function(scene) new_scores(scene$similarity[["ssim"]], scene$similarity[["ssim"]])
  )
}
