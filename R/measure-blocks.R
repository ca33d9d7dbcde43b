measure_blocks <- function() {
  new_measure(
    "blocks", "flaws",
    range = "0 none, 1 lonely steps on the grid twice as many as elsewhere", better = "lower",
    sees = "a grid of 8 x 8 px, as strong compression leaves it",
    blind_to = "grids of another pitch",
    source = "lonely steps by their phase, less the next, by their mean; the lesser of both ways",
    cost = "low",
    compute = function(scene) {
      flaw_score(max(0, scene$take$blocks - known_before(scene, "blocks")), 0.4, 1.2, place = "whole", raw = scene$take$blocks)
    }
  )
}
