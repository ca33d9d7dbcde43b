measure_warmth <- function() {
  new_probe(
    "warmth",
    "0 blue all over, 0.5 neither, 1 orange all over",
    sees = "whether a place leans to orange or to blue",
    blind_to = "light and shape; reds and greens lean little",
    source = "OKLab (Ottosson 2020), along the hue of 60 degrees",
    look_at = function(seen, probe) {
      lean <- seen$lab[, "a"] * cos(pi / 3) + seen$lab[, "b"] * sin(pi / 3)
      # At a chroma of a tenth a pixel is as warm or cold as counts.
      list(number = 0.5 + mean(pmin(1, pmax(-1, lean / 0.1))) / 2)
    }
  )
}
