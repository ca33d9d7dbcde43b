measure_watch <- function() {
  new_measure(
    "watch",
    "flaws",
    range = "0 chance, 1 the same structure in the region",
    better = "higher",
    sees = "whether a watched region survived, where it was or a little aside",
    blind_to = "its colours; the rest of the picture",
    source = "orientation agreement in the region, sought within 4 % of the long edge",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      lapply(names(scene$watch), function(name) {
        region <- scene$watch[[name]]
        found <- scene$watched[[name]]
        value <- rescale_from_chance(found$agreement, found$chance)
        level <- c("none", "slight", "serious")[1 +
          (value < region$least) +
          (value < 0.6 * region$least)]
        new_scores(value, found$agreement, level, place = name)
      })
    }
  )
}

# Each watched region looked for in the take; chance is what decoys have there.
find_watched <- function(scene) {
  lapply(scene$watch, function(region) {
    found <- core_watched(scene$settled, scene$reference$handle, region$kept, 0.04)
    by_chance <- function(decoy) {
      core_watched(decoy$handle, scene$reference$handle, region$kept, 0.04)$agreement
    }

    found$chance <- mean(vapply(scene$decoys, by_chance, 0))
    found
  })
}
