measure_bars <- function() {
  new_measure(
    "bars",
    "flaws",
    range = "0 none to 1 (share of height or width)",
    better = "lower",
    sees = paste0(
      "bars at the edges that the reference does not have: of any colour, shaded, grainy or ",
      "blurred"
    ),
    blind_to = paste0(
      "bars that were there before or end at a straight step of the reference, borders of less ",
      "than a hundredth"
    ),
    source = "own method: strips with little detail that end in a straight step",
    cost = "low",
    compute = function(scene) {
      found <- scene$take$bars
      # What the reference has at an added canvas is our own padding.
      if (!is.null(scene$reference) && is.null(scene$added)) {
        near <- function(depth, steps) any(abs(steps - depth) < step_tolerance)
        was_there <- mapply(near, found, scene$reference$steps)
        found <- ifelse(was_there, 0, found - scene$reference$bars)
      }

      flaw_score(max(found, 0), 0.01, 0.03, place = names(found)[which.max(found)])
    }
  )
}

# A horizon or a wall that the reference has there is no bar, however plain a look paints
# what lies beyond it. Takes move it by so much of the height or width.
step_tolerance <- 0.012
