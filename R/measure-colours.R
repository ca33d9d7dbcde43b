#' The colour names that probes understand
#'
#' Each name stands for a neighbourhood in OKLab, given as ranges of lightness
#' `L` (0 black to 1 white), chroma `C` (0 grey, about 0.3 the most vivid) and
#' hue `h` in degrees (red about 30, yellow 105, green 145, blue 260; a range
#' may run through 360). Neighbourhoods overlap where names do. Beyond an edge
#' membership falls evenly to nothing over 0.04 in `L`, 0.02 in `C` and 10
#' degrees of hue.
#'
#' @return A tibble with the columns `colour`, `L_from`, `L_to`, `C_from`,
#'   `C_to`, `h_from` and `h_to`.
#' @export
#' @examples
#' colour_names()
colour_names <- function() colour_ranges

colour_ranges <- tibble::tribble(
  ~colour,
  ~L_from,
  ~L_to,
  ~C_from,
  ~C_to,
  ~h_from,
  ~h_to,
  "black",
  0,
  0.25,
  0,
  0.04,
  0,
  360,
  "grey",
  0.3,
  0.85,
  0,
  0.025,
  0,
  360,
  "white",
  0.9,
  1,
  0,
  0.025,
  0,
  360,
  "cream",
  0.84,
  1,
  0.02,
  0.1,
  60,
  115,
  "beige",
  0.68,
  0.88,
  0.02,
  0.09,
  50,
  100,
  "skin",
  0.4,
  0.9,
  0.03,
  0.14,
  25,
  75,
  "brown",
  0.22,
  0.6,
  0.028,
  0.13,
  25,
  90,
  "red",
  0.35,
  0.72,
  0.1,
  0.4,
  5,
  42,
  "orange",
  0.5,
  0.88,
  0.085,
  0.4,
  38,
  76,
  "ochre",
  0.5,
  0.78,
  0.07,
  0.18,
  65,
  98,
  "yellow",
  0.72,
  1,
  0.1,
  0.4,
  82,
  118,
  "green",
  0.22,
  0.9,
  0.04,
  0.4,
  102,
  168,
  "teal",
  0.3,
  0.78,
  0.035,
  0.2,
  165,
  218,
  "sky blue",
  0.65,
  0.95,
  0.03,
  0.15,
  205,
  268,
  "blue",
  0.2,
  0.75,
  0.06,
  0.4,
  218,
  285,
  "navy",
  0.1,
  0.4,
  0.03,
  0.2,
  235,
  290,
  "purple",
  0.2,
  0.72,
  0.06,
  0.4,
  285,
  330,
  "pink",
  0.62,
  0.95,
  0.05,
  0.3,
  330,
  25
)

# Membership of every row of `lab` (columns L, a, b) in a colour, 0 to 1. A
# colour given as #rrggbb reaches 0.08 far in OKLab, and fades out by 0.12.
colour_membership <- function(lab, colour) {
  if (startsWith(colour, "#")) {
    rgb <- array(grDevices::col2rgb(colour) / 255, c(1, 1, 3))
    centre <- c(core_oklab(rgb, 1, 1))
    distance <- sqrt(rowSums(sweep(lab, 2, centre)^2))
    return(fade(distance - 0.08, 0.04))
  }

  range <- as.list(colour_names()[colour_names()$colour == colour, ])
  chroma <- sqrt(lab[, "a"]^2 + lab[, "b"]^2)
  hue <- (atan2(lab[, "b"], lab[, "a"]) * 180 / pi) %% 360
  fade(outside(lab[, "L"], range$L_from, range$L_to), 0.04) *
    fade(outside(chroma, range$C_from, range$C_to), 0.02) *
    fade(outside_hue(hue, range$h_from, range$h_to), 10)
}

outside <- function(x, from, to) pmax(from - x, x - to, 0)

outside_hue <- function(hue, from, to) {
  if (to - from >= 360) {
    return(0)
  }

  width <- (to - from) %% 360
  turned <- (hue - from) %% 360
  ifelse(turned <= width, 0, pmin(turned - width, 360 - turned))
}

fade <- function(beyond, reach) pmin(1, pmax(0, 1 - beyond / reach))
