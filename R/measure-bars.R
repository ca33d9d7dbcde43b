measure_bars <- function() {
  new_measure(
    "bars", "flaws",
    range = "0 none to 1 (share of height or width)", better = "lower",
    sees = "plain black, grey or white bars at the edges that the reference does not have",
    blind_to = "coloured borders, bars that were there before",
    source = "own method: runs of plain lines that end in a straight step",
    cost = "low",
    compute = function(scene) {
      before <- if (is.null(scene$reference)) 0 else scene$reference$bars
      added <- scene$take$bars - before
      flaw_score(max(added, 0), 0.01, 0.03, place = names(added)[which.max(added)])
    }
  )
}
