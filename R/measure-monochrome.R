measure_monochrome <- function() {
  new_measure(
    "monochrome", "adherence",
    range = "0 to 1 (raw: share in one hue or grey)", better = "as asked",
    sees = "whether a place is in greys or tints of a single hue",
    blind_to = "which hue that is, light and shape",
    source = "OKLab (Ottosson 2020)",
    cost = "low",
    compute = function(scene, probe) {
      lab <- in_place(view_oklab(scene$take), probe$where)
      grade_probe(share_in_one_hue(lab), probe$monochrome, probe$where)
    }
  )
}

# Greys count as any hue; the main hue is the chroma-weighted mean direction of
# the coloured pixels, and 30 degrees to either side belong to it.
share_in_one_hue <- function(lab) {
  a <- lab[, "a"]
  b <- lab[, "b"]
  coloured <- sqrt(a^2 + b^2) > 0.03
  main <- atan2(sum(b[coloured]), sum(a[coloured]))
  turn <- abs((atan2(b, a) - main + pi) %% (2 * pi) - pi)
  mean(!coloured | turn <= pi / 6)
}
