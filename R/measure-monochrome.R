measure_monochrome <- function() {
  new_probe(
    "monochrome", "share in one hue or grey",
    sees = "whether a place is in greys or tints of a single hue",
    blind_to = "which hue that is, light and shape",
    source = "OKLab (Ottosson 2020)",
    look_at = function(seen, probe) {
      counted <- in_one_hue(seen$lab)
      list(number = mean(counted), counted = as.numeric(counted))
    }
  )
}

# Greys count as any hue; the main hue is the chroma-weighted mean direction of
# the coloured pixels, and 30 degrees to either side belong to it.
in_one_hue <- function(lab) {
  a <- lab[, "a"]
  b <- lab[, "b"]
  coloured <- sqrt(a^2 + b^2) > 0.03
  main <- atan2(sum(b[coloured]), sum(a[coloured]))
  turn <- abs((atan2(b, a) - main + pi) %% (2 * pi) - pi)
  !coloured | turn <= pi / 6
}
