measure_leak <- function() {
  new_measure(
    "leak",
    "flaws",
    range = "0 none, 0.05 plainly seen (mean OKLab difference)",
    better = "lower",
    sees = "changes outside the mask of an edit",
    blind_to = "grain, changes inside",
    source = paste0(
      "mean difference from the reference, smoothed, where the mask is below 0.02; and the ",
      "strongest spot of it"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      if (is.null(scene$mask) || scene$job != "edit") {
        return(NULL)
      }

      found <- core_leak(scene$take$handle, scene$reference$handle, scene$mask)
      # A spot that was changed is as bad as a slight change all over.
      flaw_score(
        max(found$difference, found$spot - spot_of_noise),
        0.012,
        0.03,
        place = map_box(found$map)
      )
    }
  )
}

# What making a picture anew and a soft edge of the mask do to its worst spot at most.
spot_of_noise <- 0.02
