measure_blocks <- function() {
  new_measure(
    "blocks",
    "flaws",
    range = "0 none, 1 steps on a grid as strong as all others",
    better = "lower",
    sees = "a grid as strong compression leaves it, resized or not: any pitch of 5 to 17 px",
    blind_to = "light compression (JPEG 75 and better), regular patterns that run one way",
    source = "periodogram of lonely steps with its harmonics; the lesser of both ways",
    cost = "low",
    compute = function(scene) {
      flaw_score(
        max(0, scene$take$blocks - known_before(scene, "blocks")),
        0.42,
        0.8,
        place = "whole",
        raw = scene$take$blocks
      )
    }
  )
}
