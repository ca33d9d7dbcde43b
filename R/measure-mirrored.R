measure_mirrored <- function() {
  new_measure(
    "mirrored", "flaws",
    range = "-1 to 1: how much better the mirrored reference fits", better = "lower",
    sees = "left and right exchanged",
    blind_to = "colours; pictures that are symmetric anyway",
    source = "orientation agreement with the reference and with its mirror picture",
    needs_reference = TRUE,
    compute = function(scene) {
      fit <- function(view) {
        rescale_from_chance(orientation_agreement(scene$take, view, scene$mask), scene$chance)
      }
      other_way <- fit(mirror_orientation(scene$reference))
      lead <- other_way - fit(scene$reference)
      # What resembles neither way round is lost, not mirrored.
      flaw_score(if (other_way < 0.15) min(lead, 0) else lead, 0.03, 0.08, place = "whole")
    }
  )
}
