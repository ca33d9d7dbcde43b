measure_contrast <- function() {
  new_probe(
    "contrast",
    "lightness between the darkest and the lightest twentieth, 0 flat to 1 black and white",
    sees = "how far apart the lights and darks of a place are",
    blind_to = "colour, and where they are",
    source = "quantiles of OKLab lightness (Ottosson 2020)",
    look_at = function(seen, probe) {
      ends <- stats::quantile(seen$lab[, "L"], c(0.05, 0.95), names = FALSE)
      list(number = diff(ends))
    }
  )
}
