# The masked part of a picture by itself: what an engine is given that is to see only this, and
# how what it returns is put back into the whole.

# The box around what may change, `c(left, top, right, bottom)` in pixels of the mask, with
# `padding` around it; a quarter of its longer edge if that is NA. NULL where nothing may change.
part_box <- function(mask, padding) {
  rows <- which(rowSums(mask > least_masked) > 0)
  columns <- which(colSums(mask > least_masked) > 0)
  if (length(rows) == 0) {
    return(NULL)
  }

  edges <- c(max(columns) - min(columns), max(rows) - min(rows)) + 1
  if (is.na(padding)) {
    padding <- max(edges) / 4
  }

  box <- c(
    min(columns) - 1 - padding,
    min(rows) - 1 - padding,
    max(columns) + padding,
    max(rows) + padding
  )
  size <- dim(mask)[2:1]
  round(pmin(pmax(box, 0), rep(size, 2)))
}

# What a mask is above in the part that may change.
least_masked <- 0.02

# A box brought to the aspect of `size` inside a picture of `whole` pixels: it grows at the sides
# that are too short, and where it meets the picture's edge it moves or stays shorter.
box_of_aspect <- function(box, size, whole) {
  edges <- box[3:4] - box[1:2]
  wanted <- pmin(whole, round(size * max(edges / size)))
  start <- pmin(pmax(0, round((box[1:2] + box[3:4] - wanted) / 2)), whole - wanted)
  c(start, start + wanted)
}

cut_part <- function(picture, box, size) {
  rows <- seq(box[2] + 1, box[4])
  columns <- seq(box[1] + 1, box[3])
  if (is.matrix(picture)) {
    part <- array(picture[rows, columns], c(length(rows), length(columns), 3))
    return(pmin(pmax(resize_picture(part, size)[, , 1], 0), 1))
  }

  resize_picture(picture[rows, columns, , drop = FALSE], size)
}

# The inputs of a case (as prepare_inputs() gives them for the whole picture) for its part in `box`,
# enlarged to `size`. References after the first show something else, and are shown whole.
part_of_inputs <- function(prepared, box, size) {
  prepared$references[-1] <- lapply(prepared$references[-1], resize_picture, size)
  prepared$references[1] <- lapply(prepared$references[1], cut_part, box, size)
  whole <- dim(prepared$mask)[2:1]
  prepared$mask <- cut_part(prepared$mask, box, size)
  prepared$context <- c(0, 0, size)
  prepared$guides <- lapply(prepared$guides, function(guide) {
    if (is.null(guide$figures)) {
      guide$picture <- cut_part(guide$picture, box, size)
      return(guide)
    }

    scale <- size / (box[3:4] - box[1:2])
    guide$figures <- lapply(guide$figures, function(figure) {
      sweep(sweep(figure, 2, box[1:2]), 2, scale, `*`)
    })
    guide$picture <- draw_figures(guide$figures, size)
    guide
  })
  # Where the part lies, in shares of the whole.
  prepared$part <- box / rep(whole, 2)
  prepared
}

# The picture of a part (the bytes of a file) at its place in the whole: outside of the mask nothing
# changes. `whole` is a list of the `picture`, its `mask` and the `box`. Returns bytes of a PNG.
put_back <- function(bytes, whole) {
  box <- whole$box
  edges <- as.integer(box[3:4] - box[1:2])
  part <- resize_picture(decode_picture(encoded_picture(bytes)), edges)
  rows <- seq(box[2] + 1, box[4])
  columns <- seq(box[1] + 1, box[3])
  cover <- array(whole$mask[rows, columns], c(rev(edges), 3))
  picture <- whole$picture
  picture[rows, columns, ] <- picture[rows, columns, ] * (1 - cover) + part * cover
  png::writePNG(pmin(pmax(picture, 0), 1))
}
