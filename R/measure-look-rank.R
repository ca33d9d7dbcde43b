measure_look_rank <- function() {
  new_measure(
    "look_rank",
    "style",
    range = paste0(
      "1 nearer to its look than to any other, 0 the farthest of ",
      "all (raw: its place among them)"
    ),
    better = "higher",
    sees = "whether the look can be told among the looks of the suite",
    blind_to = "what is shown and where",
    source = "distances in the style space",
    cost = "none",
    compute = function(scene) {
      if (length(scene$look) == 0 || length(scene$other_looks) == 0) {
        return(NULL)
      }

      own <- distance_from_look(scene$take, scene$look, scene$reference)
      others <- vapply(
        scene$other_looks,
        function(look) distance_from_look(scene$take, look, scene$reference),
        0
      )
      nearer <- sum(others < own)
      new_scores(1 - nearer / length(others), 1 + nearer)
    }
  )
}
