measure_framing <- function() {
  new_measure(
    "framing",
    "structure",
    range = "1 nothing moved, 0 by a tenth of the long edge (raw: mean way, in long edges)",
    better = "higher",
    sees = "contents that were shifted, zoomed or turned as a whole",
    blind_to = "style, parts that moved by themselves",
    source = "contour fields aligned by correlation, then by Gauss and Newton steps",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      framing <- scene$framing
      # Two pictures with nothing in common lie no way in each other.
      if (framing$lost) {
        return(new_scores(NA_real_, NA_real_))
      }

      new_scores(
        max(0, 1 - framing$moved / 0.1),
        framing$moved,
        place = if (framing$found) framing_words(framing$place)
      )
    }
  )
}

# Where the take's contents lie, as a person would say it.
framing_words <- function(place) {
  share_words <- function(x) paste0(format(round(100 * abs(x), 1), nsmall = 1), " %")
  parts <- c(
    if (abs(place[1]) >= 0.002) {
      paste(share_words(place[1]), if (place[1] > 0) "right" else "left")
    },
    if (abs(place[2]) >= 0.002) {
      paste(share_words(place[2]), if (place[2] > 0) "down" else "up")
    },
    if (abs(place[3] - 1) >= 0.005) {
      paste("zoomed", format(round(place[3], 2), nsmall = 2))
    },
    if (abs(place[4]) >= 0.005) {
      paste("turned", format(round(place[4] * 180 / pi, 1), nsmall = 1), "degrees")
    }
  )
  paste(parts, collapse = ", ")
}
