measure_consistency <- function() {
  new_measure(
    "consistency",
    "style",
    range = "1 the same hand, 0 as far apart as two looks are",
    better = "as asked",
    sees = "how near a take's manner is to the middle of its pipeline's takes for the same look",
    blind_to = "what is shown and where; which look was asked for",
    source = "distance from the mean of the pipeline's other takes in the style space",
    cost = "none",
    compute = function(prints) {
      positions <- prints$position
      if (nrow(positions) < 2) {
        return(rep(NA_real_, nrow(positions)))
      }

      others <- sweep(-positions, 2, colSums(positions), `+`) / (nrow(positions) - 1)
      1 - sqrt(rowSums((positions - others)^2)) / style_space$between
    }
  )
}
