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

