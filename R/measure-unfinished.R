measure_unfinished <- function() {
  new_measure(
    "unfinished",
    "flaws",
    range = "0 none, 0.006 plainly seen (sway of OKLab)",
    better = "lower",
    sees = paste0(
      "blotches in light and colours where the reference is ",
      "plain, as too few steps leave them"
    ),
    blind_to = "fine grain, contours, what the look has of it",
    source = paste0(
      "what lies between a blur of 2 px and one of 7 px of 512, in the plainest fifth of the ",
      "reference"
    ),
    cost = "low",
    compute = function(scene) {
      plain <- plainest_in(scene$take, scene$reference, scene$added)
      sway <- core_blotches(scene$take$handle, plain$handle)
      excused <- c(
        known_before(scene["look"], "light_sway"),
        known_before(scene["look"], "colour_sway")
      )
      # White noise passes as so much of its deviation.
      excused <- excused + 0.14 * scene$grain
      # Light sways with every stroke; colours hardly do.
      number <- max(0, 0.5 * (sway[["light"]] - excused[1]), sway[["colour"]] - excused[2])
      flaw_score(number, 0.003, 0.006, place = "whole", raw = sway[["colour"]])
    }
  )
}
