measure_residual_damage <- function() {
  new_measure(
    "residual_damage",
    "flaws",
    range = "0 mended, 1 all still there (share of the reference's thin marks)",
    better = "lower",
    sees = "scratches and specks that a repair left",
    blind_to = paste0(
      "broad stains and fading; measured alone, fine lines that ",
      "belong there count as marks too"
    ),
    source = paste0(
      "marks of up to 9 px of 512 that at least a fifth of the takes of the case took away; ",
      "alone, those that stand out within 3 px"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      if (scene$job != "repair") {
        return(NULL)
      }

      found <- core_residue(scene$take$handle, scene$reference$handle)
      # Too few marks say nothing; and one take alone can't say which of them are damage:
      # compare_repairs() does, with all takes of the case.
      if (found$damage < 0.0005) {
        return(new_scores(NA_real_, NA_real_, "none"))
      }

      flaw_score(found$share, 0.85, Inf, place = "whole")
    }
  )
}
