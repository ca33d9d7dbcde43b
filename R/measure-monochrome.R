measure_monochrome <- function() {
  new_probe(
    "monochrome",
    "0 a coloured picture, 1 greys or tints of one hue all over",
    sees = paste0(
      "whether a place is in greys, or in tints of one hue that all follow from lightness ",
      "(sepia, blueprint)"
    ),
    blind_to = "which hue that is, light and shape",
    source = "hue, and distance in OKLab (Ottosson 2020) from the median colour of pixels as light",
    look_at = function(seen, probe) {
      counted <- in_one_hue(seen$lab) & follows_lightness(seen$lab)
      # Nine tenths of a coloured photograph are near one tint often enough: only the rest tells.
      list(number = max(0, (mean(counted) - 0.9) / 0.1), counted = as.numeric(counted))
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

# Whether each pixel has the colour that others of its lightness have, to 0.02 in OKLab.
follows_lightness <- function(lab) {
  step <- factor(pmin(15L, as.integer(lab[, "L"] * 16)), 0:15)
  usual <- function(channel) as.numeric(tapply(lab[, channel], step, stats::median))[step]
  sqrt((lab[, "a"] - usual("a"))^2 + (lab[, "b"] - usual("b"))^2) < 0.02
}
