measure_near_copy <- function() {
  new_measure(
    "near_copy", "flaws",
    range = "0 the reference itself, about 0.1 and up a changed picture", better = "higher",
    sees = "that nothing was done to the reference",
    blind_to = "grain and compression noise",
    source = "mean OKLab difference at a long edge of 170 px",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      # What was mended or grown well is the same picture in most of its parts.
      if (scene$job %in% c("repair", "edit", "extend")) {
        return(NULL)
      }
      flaw_score(core_coarse_difference(scene$take$handle, scene$reference$handle), 0.03, 0.015, place = "whole")
    }
  )
}
