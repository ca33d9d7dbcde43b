measure_bars <- function() {
  new_measure(
    "bars", "flaws",
    range = "0 none to 1 (share of height or width)", better = "lower",
    sees = "bars at the edges that the reference does not have: of any colour, shaded, grainy or blurred",
    blind_to = "bars that were there before, borders of less than a hundredth",
    source = "own method: strips with little detail that end in a straight step",
    cost = "low",
    compute = function(scene) {
      # What the reference has at an added canvas is our own padding.
      grown <- identical(scene$job, "extend")
      before <- if (is.null(scene$reference) || grown) 0 else scene$reference$bars
      added <- scene$take$bars - before
      flaw_score(max(added, 0), 0.01, 0.03, place = names(added)[which.max(added)])
    }
  )
}
