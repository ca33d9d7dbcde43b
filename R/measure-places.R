# Where a probe looks: a name, a box of left, top, right, bottom as shares of the picture,
# or the inside or outside of the case's mask or of a region that it watches.

place_boxes <- function() {
  third <- c(1, 2) / 3
  list(
    "whole" = c(0, 0, 1, 1),
    "top half" = c(0, 0, 1, 0.5),
    "bottom half" = c(0, 0.5, 1, 1),
    "left half" = c(0, 0, 0.5, 1),
    "right half" = c(0.5, 0, 1, 1),
    "top third" = c(0, 0, 1, third[1]),
    "middle third" = c(0, third[1], 1, third[2]),
    "bottom third" = c(0, third[2], 1, 1),
    "left third" = c(0, 0, third[1], 1),
    "centre third" = c(third[1], 0, third[2], 1),
    "right third" = c(third[2], 0, 1, 1),
    "centre" = c(0.25, 0.25, 0.75, 0.75)
  )
}

# The border is what lies outside this.
inside_border <- c(0.1, 0.1, 0.9, 0.9)

place_names <- function() c(names(place_boxes()), "border")

region_pattern <- "^(inside|outside) (\\S.*)$"

place_words <- function(where) {
  if (is.numeric(where)) {
    paste0("box ", paste(format(where), collapse = " "))
  } else {
    where
  }
}

# The pixels of a place: `lab`, a matrix with columns L, a, b; `inside`, rows x columns,
# which of the picture's pixels they are; `oklab`, all of it; and the scene. NULL where
# the scene has no such place, or nothing lies in it.
see_place <- function(scene, where) {
  oklab <- scene$oklab %||% view_oklab(scene$take)
  inside <- place_map(scene, where, dim(oklab)[2:1])
  if (is.null(inside) || !any(inside)) {
    return(NULL)
  }

  lab <- matrix(oklab, ncol = 3, dimnames = list(NULL, c("L", "a", "b")))[
    inside, ,
    drop = FALSE
  ]
  list(lab = lab, inside = inside, oklab = oklab, scene = scene)
}

# Rows x columns, true inside; `size` is width and height.
place_map <- function(scene, where, size) {
  if (is.numeric(where)) {
    return(box_map(where, size))
  }

  if (where == "border") {
    return(!box_map(inside_border, size))
  }

  if (where %in% names(place_boxes())) {
    return(box_map(place_boxes()[[where]], size))
  }

  name <- sub(region_pattern, "\\2", where)
  region <- if (name == "mask") scene$mask else scene$watch[[name]]$kept
  if (is.null(region)) {
    return(NULL)
  }

  (resize_map(region, size) > 0.5) == startsWith(where, "inside")
}

box_map <- function(box, size) {
  map <- matrix(FALSE, size[2], size[1])
  map[span(box[c(2, 4)], size[2]), span(box[c(1, 3)], size[1])] <- TRUE
  map
}

span <- function(ends, n) {
  first <- min(n, floor(ends[1] * n) + 1)
  seq(first, max(first, ceiling(ends[2] * n)))
}

# The smallest box around a place, as rows and columns.
place_span <- function(inside) {
  rows <- range(which(rowSums(inside) > 0))
  columns <- range(which(colSums(inside) > 0))
  list(rows = rows[1]:rows[2], columns = columns[1]:columns[2])
}

#' Colour names for probes
#'
#' Each name stands for a neighbourhood in OKLab, given as ranges of lightness `L` (0 black to 1
#' white), chroma `C` (0 grey, about 0.3 the most vivid) and hue `h` in degrees (red about 30,
#' yellow 105, green 145, blue 260; a range may run through 360). Neighbourhoods overlap where
#' names do. Beyond an edge, membership falls linearly to 0 over 0.04 in `L`, 0.02 in `C` and 10
#' degrees of hue.
#'
#' @return A data frame with the columns `colour`, `L_from`, `L_to`, `C_from`,
#'   `C_to`, `h_from` and `h_to`.
#' @family measures and evidence
#' @export
#' @examples
#' colour_names()
colour_names <- function() colour_ranges

colour_ranges <- table_by_row(
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

  range <- colour_names()[colour_names()$colour == colour, ]
  core_membership(
    lab[, c("L", "a", "b"), drop = FALSE],
    unlist(range[c("L_from", "L_to", "C_from", "C_to", "h_from", "h_to")])
  )
}

fade <- function(beyond, reach) pmin(1, pmax(0, 1 - beyond / reach))
