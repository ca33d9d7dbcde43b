measure_style_change <- function() {
  new_measure(
    "style_change",
    "style",
    range = "0 no change, 1 as far as two looks are apart",
    better = "as asked",
    sees = "palette, tones, texture and line",
    blind_to = "what is shown and where",
    source = "style vector whitened by content, see docs/measures.md",
    cost = "high",
    needs = "reference",
    compute = function(scene) {
      distance <- style_distance(scene$take$style, scene$reference$style)
      new_scores(distance / style_space$between, distance)
    }
  )
}
