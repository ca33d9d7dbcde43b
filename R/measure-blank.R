measure_blank <- function() {
  new_measure(
    "blank",
    "flaws",
    range = "0 one colour, about 0.2 a usual picture",
    better = "higher",
    sees = "a picture with next to nothing in it",
    blind_to = "which colour it is",
    source = "root mean square OKLab distance from the mean colour",
    cost = "low",
    compute = function(scene) flaw_score(scene$take$spread, 0.03, 0.012, place = "whole")
  )
}
