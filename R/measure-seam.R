measure_seam <- function() {
  new_measure(
    "seam", "flaws",
    range = "0 none, 0.1 plainly seen (step of OKLab)", better = "lower",
    sees = "a step along a mask's edge or where a canvas was grown",
    blind_to = "steps that the reference has there",
    source = "steps across the mask's half-way line, added up along stretches of 16 px, less those beside it",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      if (is.null(scene$mask) || !scene$job %in% c("edit", "extend", "repair")) {
        return(NULL)
      }
      # The reference's own step at an added canvas is where we padded it, and excuses nothing.
      if (scene$job == "extend") {
        return(flaw_score(core_seam(scene$take$handle, NULL, scene$mask), 0.035, 0.08, place = "the canvas' edge"))
      }
      flaw_score(core_seam(scene$take$handle, scene$reference$handle, scene$mask), 0.047, 0.1, place = "the mask's edge")
    }
  )
}
