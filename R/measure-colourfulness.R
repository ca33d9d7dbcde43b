measure_colourfulness <- function() {
  new_probe(
    "colourfulness",
    "mean OKLab chroma over 0.2, 0 grey to 1 vivid all over",
    sees = "how strong the colours of a place are",
    blind_to = "which colours they are, light and shape",
    source = "OKLab chroma (Ottosson 2020)",
    look_at = function(seen, probe) {
      chroma <- sqrt(seen$lab[, "a"]^2 + seen$lab[, "b"]^2)
      list(number = min(1, mean(chroma) / 0.2))
    }
  )
}
