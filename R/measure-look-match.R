measure_look_match <- function() {
  new_measure(
    "look_match",
    "style",
    range = "0 no nearer to the look than the reference, 1 in the look",
    better = "higher",
    sees = "how much of the way from the reference to the look was covered",
    blind_to = "what is shown and where",
    source = "style vector whitened by content, see docs/measures.md",
    cost = "none",
    compute = function(scene) {
      if (length(scene$look) == 0) {
        return(NULL)
      }

      covered <- progress_to_look(scene$take, scene$look, scene$reference)
      before <- if (is.null(scene$reference)) {
        0
      } else {
        progress_to_look(scene$reference, scene$look, scene$reference)
      }
      # A reference that is in the look already has no way to go.
      value <- if (before < 0.9) (covered - before) / (1 - before) else NA_real_
      new_scores(value, distance_from_look(scene$take, scene$look, scene$reference))
    }
  )
}
