measure_structure <- function() {
  new_measure(
    "structure",
    "structure",
    range = "0 chance, 1 the same layout",
    better = "higher",
    sees = "the layout, whatever the medium: where parts are, and that they are there at all",
    blind_to = "style",
    source = "three quarters registration, one quarter agreement up to what line work has",
    cost = "none",
    needs = "reference",
    compute = function(scene) {
      # Two plain pictures have no contours to agree in, and are alike all the same.
      alike <- scene$registered == 1 &&
        core_coarse_difference(scene$take$handle, scene$reference$handle) < 1e-3
      there <- if (alike) 1 else min(1, agreement_value(scene) / agreement_of_line_work)
      new_scores(0.75 * registration_value(scene) + 0.25 * there, scene$registered)
    }
  )
}

# The agreement that line drawings have with the photograph that they were made from, on the
# `fit` half of bench/natural.R: beyond it agreement says what the medium is, not whether
# the layout was kept.
agreement_of_line_work <- 0.45
