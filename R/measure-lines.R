measure_lines <- function() {
  new_measure(
    "lines",
    "structure",
    range = "0 none of them, 1 the same (raw: cosine)",
    better = "higher",
    sees = "the directions in which straight lines run",
    blind_to = "where they are, curves, colour",
    source = "outline pixels voting for lines at their own angle (Hough 1962; Duda and Hart 1972)",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      ours <- spread_directions(scene$take$directions)
      theirs <- spread_directions(scene$reference$directions)
      if (sum(theirs) == 0) {
        return(NULL)
      }

      agreed <- if (sum(ours) > 0) sum(ours * theirs) / sqrt(sum(ours^2) * sum(theirs^2)) else 0
      new_scores(agreed, agreed)
    }
  )
}

# Each direction (steps of 3 degrees, round and round) reaches into those beside it.
spread_directions <- function(directions) {
  turned <- function(by) directions[(seq_along(directions) - 1 + by) %% length(directions) + 1]
  0.5 * directions + 0.25 * (turned(1) + turned(-1))
}
