measure_watch_colour <- function() {
  new_measure(
    "watch_colour",
    "structure",
    range = "1 the same colours, 0 as far apart as red and green (raw: OKLab difference)",
    better = "as asked",
    sees = "whether a watched region kept its colours",
    blind_to = "its shapes; which pixel has which colour",
    source = "difference of mean OKLab colours where the region was found",
    cost = "none",
    needs = "reference",
    compute = function(scene) {
      lapply(names(scene$watched), function(name) {
        apart <- scene$watched[[name]]$colour
        new_scores(max(0, 1 - apart / 0.4), apart, place = name)
      })
    }
  )
}
