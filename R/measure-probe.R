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

# How well a number keeps to its bound: 1 within, then falling evenly to 0 over half the
# bound (at least a tenth, or one thing where things are counted).
grade_probe <- function(number, bound, where, counts = FALSE) {
  beyond <- max(bound[1] - number, number - bound[2], 0)
  limit <- if (number < bound[1]) bound[1] else bound[2]
  least <- if (counts) 1 else 0.1
  # What half of a bound is, a computer knows only nearly.
  grade <- max(0, 1 - beyond / max(least, 0.5 * limit))
  new_scores(if (grade < 1e-9) 0 else grade, number, place = place_words(where))
}

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
