measure_banding <- function() {
  new_measure(
    "banding", "flaws",
    range = "0 none to 1 (share of the picture)", better = "lower",
    sees = "staircases of tones where there should be a slope",
    blind_to = "flat colours, few large steps",
    source = "runs of one tone, three or more, each a small step on in one direction",
    cost = "low",
    compute = function(scene) {
      before <- known_before(scene, "banding", "number")
      flaw_score(max(0, scene$take$banding$number - before), 0.06, 0.12, place = worst_cell(scene$take$banding), raw = scene$take$banding$number)
    }
  )
}
