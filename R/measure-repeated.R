measure_repeated <- function() {
  new_measure(
    "repeated",
    "flaws",
    range = "0 to 1: how closely the added canvas repeats what is inside, mirrored or not",
    better = "lower",
    sees = "a canvas that was grown by mirroring or repeating the picture",
    blind_to = "skies and other parts without detail, regular patterns",
    source = paste0(
      "best correlation of tiles of the added canvas with the inside (normalised ",
      "cross-correlation)"
    ),
    cost = "high",
    needs = "reference",
    compute = function(scene) {
      if (is.null(scene$added)) {
        return(NULL)
      }

      flaw_score(
        core_repeated(scene$take$handle, scene$added),
        0.84,
        0.9,
        place = "the added canvas"
      )
    }
  )
}
