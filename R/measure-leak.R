measure_leak <- function() {
  new_measure(
    "leak", "flaws",
    range = "0 none, 0.05 plainly seen (mean OKLab difference)", better = "lower",
    sees = "changes outside the mask of an edit",
    blind_to = "grain, changes inside",
    source = "mean difference from the reference, smoothed, where the mask is below 0.02",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      if (is.null(scene$mask) || scene$job != "edit") {
        return(NULL)
      }
      found <- core_leak(scene$take$handle, scene$reference$handle, scene$mask)
      flaw_score(found$difference, 0.012, 0.03, place = map_box(found$map))
    }
  )
}
