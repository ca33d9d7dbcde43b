# Probes: measures that a phrase asks for by a bound on one number, taken from the pixels
# of a place.

# A probe's measure. `number_is` says what the number is; `asks` is the key under which a
# phrase gives its bound, which is of a share (0 to 1) or of a count. `look_at(seen, probe)`
# is given what see_place() makes of the take, and returns `number`, and `counted` where
# some pixels of the place count and others don't (0 to 1, in the order of `seen$lab`).
new_probe <- function(
  measure,
  number_is,
  sees,
  blind_to,
  formula,
  source,
  look_at,
  asks = measure,
  counts = FALSE
) {
  probe <- new_measure(
    measure,
    "adherence",
    range = paste0("1 as asked, falling to 0 (raw: ", number_is, ")"),
    better = "as asked",
    sees = sees,
    blind_to = blind_to,
    formula = formula,
    source = source,
    compute = function(scene, probe) {
      seen <- see_place(scene, probe$where)
      found <- if (!is.null(seen)) look_at(seen, probe)
      if (!is.null(found)) {
        grade_probe(found$number, probe$bound, probe$where, counts)
      }
    }
  )
  c(probe, list(asks = asks, counts = counts, look_at = look_at))
}

# How well a number keeps to its bound: 1 within, then falling evenly to 0 over half the
# bound (at least a tenth, or one thing where things are counted).
grade_probe <- function(number, bound, where, counts = FALSE) {
  beyond <- max(bound[1] - number, number - bound[2], 0)
  limit <- if (number < bound[1]) bound[1] else bound[2]
  least <- if (counts) 1 else 0.1
  # Half of a bound is subject to rounding.
  grade <- max(0, 1 - beyond / max(least, 0.5 * limit))
  new_scores(if (grade < 1e-9) 0 else grade, number, place = place_words(where))
}

measure_colour_share <- function() {
  new_probe(
    "colour_share",
    "share of the place",
    asks = "share",
    sees = "how much of a place has a named or given colour",
    blind_to = "shape, texture, the rest of the picture",
    formula = "mean membership of the colour over the place",
    source = "OKLab (Ottosson 2020) and colour_names()",
    look_at = function(seen, probe) {
      counted <- colour_membership(seen$lab, probe$colour)
      list(number = mean(counted), counted = counted)
    }
  )
}

measure_patches <- function() {
  new_probe(
    "patches",
    "how many",
    counts = TRUE,
    sees = paste0(
      "how many separate patches of a named or given colour lie in a place, each at least a ",
      "thousandth of the picture"
    ),
    blind_to = "their shapes; patches that touch count as one",
    formula = "number of connected regions of the colour",
    source = "OKLab (Ottosson 2020), colour_names(), connected regions",
    look_at = function(seen, probe) {
      member <- matrix(0, nrow(seen$inside), ncol(seen$inside))
      member[seen$inside] <- colour_membership(seen$lab, probe$colour)
      # A speck of another colour neither makes a patch nor parts one.
      marked <- core_blur(member, 1) > 0.5 & seen$inside
      regions <- core_regions(marked + 0)
      large <- regions[regions[, "weight"] >= least_patch * length(marked), , drop = FALSE]
      list(number = nrow(large), counted = as.numeric(marked[seen$inside]), boxes = large)
    }
  )
}

least_patch <- 0.001

measure_brightness <- function() {
  new_probe(
    "brightness",
    "mean OKLab lightness, 0 black to 1 white",
    sees = "how light a place is",
    blind_to = "colour and shape",
    formula = "mean L",
    source = "OKLab (Ottosson 2020)",
    look_at = function(seen, probe) list(number = mean(seen$lab[, "L"]))
  )
}

measure_contrast <- function() {
  new_probe(
    "contrast",
    "lightness between the darkest and the lightest twentieth, 0 flat to 1 black and white",
    sees = "how far apart the lights and darks of a place are",
    blind_to = "colour, and where they are",
    formula = "95th - 5th percentile of L",
    source = "quantiles of OKLab lightness (Ottosson 2020)",
    look_at = function(seen, probe) {
      ends <- stats::quantile(seen$lab[, "L"], c(0.05, 0.95), names = FALSE)
      list(number = diff(ends))
    }
  )
}

measure_colourfulness <- function() {
  new_probe(
    "colourfulness",
    "mean OKLab chroma over 0.2, 0 grey to 1 vivid all over",
    sees = "how strong the colours of a place are",
    blind_to = "which colours they are, light and shape",
    formula = "mean chroma / 0.2",
    source = "OKLab chroma (Ottosson 2020)",
    look_at = function(seen, probe) {
      chroma <- sqrt(seen$lab[, "a"]^2 + seen$lab[, "b"]^2)
      list(number = min(1, mean(chroma) / 0.2))
    }
  )
}

measure_warmth <- function() {
  new_probe(
    "warmth",
    "0 blue all over, 0.5 neither, 1 orange all over",
    sees = "whether a place leans to orange or to blue",
    blind_to = "light and shape; reds and greens lean little",
    formula = "0.5 + mean(clamp(chroma along 60 degrees / 0.1, -1, 1)) / 2",
    source = "OKLab (Ottosson 2020), along the hue of 60 degrees",
    look_at = function(seen, probe) {
      lean <- seen$lab[, "a"] * cos(pi / 3) + seen$lab[, "b"] * sin(pi / 3)
      # At a chroma of a tenth a pixel is as warm or cold as counts.
      list(number = 0.5 + mean(pmin(1, pmax(-1, lean / 0.1))) / 2)
    }
  )
}

measure_monochrome <- function() {
  new_probe(
    "monochrome",
    "0 a coloured picture, 1 greys or tints of one hue all over",
    sees = paste0(
      "whether a place is in greys, or in tints of one hue that all follow from lightness ",
      "(sepia, blueprint)"
    ),
    blind_to = "which hue that is, light and shape",
    formula = "1 - share of pixels off the main tint / 0.1",
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

measure_busy <- function() {
  new_probe(
    "busy",
    "share of the place with detail, 0 plain to 1 detail everywhere",
    sees = paste0(
      "how much of a place has detail: lightness that changes from one pixel to the next at a ",
      "long edge of 256"
    ),
    blind_to = "what the detail is, colour, fine grain",
    formula = "share of pixels whose lightness differs from a neighbour",
    source = "lightness differences, OKLab (Ottosson 2020)",
    look_at = function(seen, probe) {
      size <- dim(seen$inside)[2:1]
      # Grain and noise are finer than this.
      small <- as.integer(pmax(1, round(size * min(1, 256 / max(size)))))
      step <- steps_of(resize_map(seen$oklab[, , 1], small))
      counted <- resize_map((step > 0.03) + 0, size)[seen$inside]
      list(number = mean(counted), counted = counted)
    }
  )
}

# By how much each value differs from its neighbours to the right and below.
steps_of <- function(values) {
  right <- values[, c(seq_len(ncol(values))[-1], ncol(values)), drop = FALSE]
  below <- values[c(seq_len(nrow(values))[-1], nrow(values)), , drop = FALSE]
  sqrt((right - values)^2 + (below - values)^2)
}

measure_symmetry <- function() {
  new_probe(
    "symmetry",
    "0 no more alike than chance, 1 the right side mirrors the left",
    sees = "whether the right side of a place mirrors its left",
    blind_to = "details, colour, other axes of symmetry",
    formula = "correlation of L with its mirror image",
    source = "correlation of lightness (OKLab, Ottosson 2020) with its mirror image, 64 cells wide",
    look_at = function(seen, probe) {
      box <- place_span(seen$inside)
      wide <- min(64, length(box$columns))
      size <- as.integer(c(wide, max(1, round(wide * length(box$rows) / length(box$columns)))))
      light <- resize_map(seen$oklab[box$rows, box$columns, 1, drop = FALSE], size)
      other <- light[, rev(seq_len(ncol(light))), drop = FALSE]
      level <- mean(light)
      # A place of one tone is the same both ways round.
      spread <- mean((light - level)^2) + 1e-4
      list(number = max(0, (mean((light - level) * (other - level)) + 1e-4) / spread))
    }
  )
}

measure_nearness <- function() {
  new_probe(
    "nearness",
    "0 as far as two looks are apart, 1 as near as pictures of one look are",
    sees = "how near the picture's manner is to that of a look of the suite",
    blind_to = "what is shown and where",
    formula = "1 - distance to the look in the style space / distance of two looks",
    source = "style vector whitened by content, see docs/measures.md",
    look_at = function(seen, probe) {
      look <- seen$scene$looks[[probe$look]]
      if (length(look) == 0) {
        return(NULL)
      }

      distance <- style_distance(seen$scene$take$style, mean_style(look))
      list(
        number = min(
          1,
          max(0, (style_space$between - distance) / (style_space$between - style_space$within))
        )
      )
    }
  )
}

all_probes <- function() {
  list(
    measure_colour_share(),
    measure_patches(),
    measure_brightness(),
    measure_contrast(),
    measure_colourfulness(),
    measure_warmth(),
    measure_monochrome(),
    measure_busy(),
    measure_symmetry(),
    measure_nearness()
  )
}

probe_named <- function(name) Find(function(one) one$measure == name, all_probes())

# A probe in words: "teal: at least 0.30 of the top third".
probe_words <- function(probe) {
  where <- place_words(probe$where)
  in_place <- function(word) {
    if (where == "whole") {
      paste(word, "the picture")
    } else if (grepl("^(inside|outside|box) ", where)) {
      sub("^box", paste(word, "box"), where)
    } else {
      paste(word, "the", where)
    }
  }

  bound <- bound_words(probe$bound, probe_named(probe$measure)$counts)
  switch(probe$measure,
    colour_share = paste0(probe$colour, ": ", bound, " ", in_place("of")),
    patches = paste0("patches of ", probe$colour, " ", in_place("in"), ": ", bound),
    nearness = paste0("nearness to ", probe$look, ": ", bound),
    paste0(gsub("_", " ", probe$measure), " ", in_place("of"), ": ", bound)
  )
}

bound_words <- function(bound, counts = FALSE) {
  ends <- if (counts) format(bound, trim = TRUE) else formatC(bound, format = "f", digits = 2)
  if (bound[1] == bound[2]) {
    ends[1]
  } else if (bound[2] == (if (counts) Inf else 1)) {
    paste("at least", ends[1])
  } else if (bound[1] == 0) {
    paste("at most", ends[2])
  } else {
    paste("between", ends[1], "and", ends[2])
  }
}
