measure_near_copy <- function() {
  new_measure(
    "near_copy",
    "flaws",
    range = "0 the reference itself, about 0.1 and up a changed picture",
    better = "higher",
    sees = paste0(
      "that nothing was done to the reference: anywhere, or inside the mask of an edit or an ",
      "extension"
    ),
    blind_to = "grain and compression noise",
    source = paste0(
      "mean OKLab difference at a long edge of 170 px; inside a mask, the smoothed difference of ",
      "its most changed tenth"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      take <- scene$take$handle
      reference <- scene$reference$handle
      # What was mended well is the same picture in most of its parts.
      if (scene$job == "repair") {
        return(NULL)
      }

      if (scene$job %in% c("edit", "extend")) {
        if (is.null(scene$mask)) {
          return(NULL)
        }

        return(flaw_score(
          core_change_inside(take, reference, scene$mask)[["most"]],
          0.035,
          0.02,
          place = "inside the mask"
        ))
      }

      flaw_score(core_coarse_difference(take, reference), 0.03, 0.015, place = "whole")
    }
  )
}
