measure_look_match <- function() {
  new_measure(
    "look_match", "style",
    range = "0 as far from the look as the reference, 1 as near as pictures of one look are", better = "higher",
    sees = "how much of the way from the reference to the look was covered",
    blind_to = "what is shown and where",
    source = "style vector whitened by content, see docs/measures.md",
    cost = "none",
    compute = function(scene) {
      if (length(scene$look) == 0) {
        return(NULL)
      }
      look <- mean_style(scene$look)
      # Without a reference the way begins where another look would be.
      start <- if (is.null(scene$reference)) style_space$between else style_distance(scene$reference$style, look)
      left <- style_distance(scene$take$style, look)
      way <- start - style_space$within
      # A reference that is in the look already has no way to go.
      covered <- if (way > 0.1 * style_space$between) (start - left) / way else NA_real_
      new_scores(min(covered, 1), left)
    }
  )
}

mean_style <- function(views) Reduce(`+`, lapply(views, `[[`, "style")) / length(views)
