measure_residual_damage <- function() {
  new_measure(
    "residual_damage", "flaws",
    range = "0 mended, 1 all still there (share of the reference's thin marks)", better = "lower",
    sees = "scratches and specks that a repair left",
    blind_to = "broad stains; fine lines that belong there count as marks too",
    source = "lightness that stands out from both sides within 3 px of 512",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      if (scene$job != "repair") {
        return(NULL)
      }
      found <- core_residue(scene$take$handle, scene$reference$handle)
      # Too few marks say nothing.
      if (found$damage < 0.0005) new_scores(NA_real_, NA_real_, "none") else flaw_score(found$share, 0.7, 0.85, place = "whole")
    }
  )
}
