measure_mirrored <- function() {
  new_measure(
    "mirrored",
    "flaws",
    range = "-1 to 1: how much better the mirrored reference fits",
    better = "lower",
    sees = "left and right exchanged",
    blind_to = "colours; pictures that are symmetric anyway",
    source = "orientation agreement with the reference and with its mirror picture",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      # What resembles neither way round is lost, not mirrored.
      straight <- rescale_from_chance(scene$raw[["orientation"]], scene$chance[["orientation"]])
      lead <- scene$other_way - straight
      flaw_score(
        if (scene$other_way < 0.15) min(lead, 0) else lead,
        0.03,
        0.08,
        place = "whole"
      )
    }
  )
}
