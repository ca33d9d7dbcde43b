# Placement of a reference: the frame of its case, the canvas around it, and the size at which an
# engine works.

# The frame (width, height) of a case before any canvas is added: what the suite
# delivers, or the reference's own aspect at the suite's long edge. A case
# without a reference has a square then.
inner_frame <- function(case, suite) {
  if (length(suite$size) == 2) {
    return(as.integer(suite$size))
  }

  reference <- case$reference
  own <- if (is.null(reference)) {
    c(1, 1)
  } else {
    suite$files[[reference$path]]$size * (reference$box[3:4] - reference$box[1:2])
  }
  as.integer(pmax(64, round(own * suite$size / max(own))))
}

# The frame of a case: what its takes are delivered and compared in.
case_frame <- function(case, suite) {
  inner <- inner_frame(case, suite)
  added <- if (is.null(case$grow)) rep(0, 4) else case$grow
  inner + as.integer(round(inner * c(added[1] + added[3], added[2] + added[4])))
}

# How a picture of size `own` gets into a frame: `source`, the window taken from
# it as shares (left, top, right, bottom; beyond 0 and 1 lies nothing), and
# `target`, where that lands in the frame, in pixels.
fit_window <- function(own, frame, reference) {
  box <- reference$box %||% c(0, 0, 1, 1)
  cut <- (box[3:4] - box[1:2]) * own
  whole <- c(0, 0, frame)
  switch(reference$fit,
    stretch = list(source = box, target = whole),
    crop = {
      window <- frame * min(cut / frame) / own
      start <- pmin(pmax(reference$focus - window / 2, box[1:2]), box[3:4] - window)
      list(source = c(start, start + window), target = whole)
    },
    pad = ,
    extend = {
      inner <- pmax(1, pmin(frame, round(cut * min(frame / cut))))
      start <- (frame - inner) %/% 2
      list(source = box, target = c(start, start + inner))
    }
  )
}

# The same on the canvas: the frame moved by what is added at its left and top.
canvas_window <- function(case, suite, reference) {
  inner <- inner_frame(case, suite)
  window <- fit_window(suite$files[[reference$path]]$size, inner, reference)
  window$target <- window$target + rep(round(inner * case$grow[1:2]), 2)
  window
}

# Lays the window of a picture (rows x columns x channels) onto a canvas; what
# it does not cover takes `fill`, one value a channel.
lay_window <- function(picture, window, frame, fill) {
  size <- pmax(1L, as.integer(round(window$target[3:4] - window$target[1:2])))
  part <- resize_window(picture, window$source, size, fill)
  if (all(size == frame)) {
    return(part)
  }

  out <- array(rep(fill, each = prod(frame)), c(frame[2:1], 3))
  at <- round(window$target[1:2])
  out[at[2] + seq_len(size[2]), at[1] + seq_len(size[1]), ] <- part
  out
}

# 1 where a window leaves the canvas bare (rows x columns), 0 where the picture is.
uncovered <- function(window, frame) {
  source <- window$source
  scale <- (window$target[3:4] - window$target[1:2]) /
    (source[3:4] - source[1:2])
  there <- round(
    rep(window$target[1:2], 2) +
      (pmin(pmax(source, 0), 1) - rep(source[1:2], 2)) * rep(scale, 2)
  )
  bare <- matrix(1, frame[2], frame[1])
  bare[
    seq_len(frame[2]) > there[2] & seq_len(frame[2]) <= there[4],
    seq_len(frame[1]) > there[1] & seq_len(frame[1]) <= there[3]
  ] <- 0
  bare
}

# The part of a picture, as pixels or packed, that `source` tells in shares, at a size.
resize_window <- function(picture, source, size, fill) {
  if (is_packed(picture)) {
    window <- window_in_pixels(source, picture$size)
    if (all(window >= 0 & window <= rep(picture$size, 2))) {
      return(core_resize_bytes(picture$bytes, picture$size, window, size[1], size[2]))
    }

    picture <- unpacked(picture)
  }

  resize_picture(take_window(picture, source, fill), size)
}

# Left, top, right and bottom, at least a pixel apart.
window_in_pixels <- function(source, own) {
  from <- round(source[1:2] * own)
  c(from, pmax(from + 1, round(source[3:4] * own)))
}

take_window <- function(pixels, source, fill) {
  own <- dim(pixels)[2:1]
  window <- window_in_pixels(source, own)
  columns <- seq(window[1] + 1, window[3])
  rows <- seq(window[2] + 1, window[4])
  inside <- list(rows = rows >= 1 & rows <= own[2], columns = columns >= 1 & columns <= own[1])
  if (all(unlist(inside))) {
    return(pixels[rows, columns, , drop = FALSE])
  }

  out <- array(
    rep(fill, each = length(rows) * length(columns)),
    c(length(rows), length(columns), 3)
  )
  out[inside$rows, inside$columns, ] <- pixels[
    rows[inside$rows],
    columns[inside$columns], ,
    drop = FALSE
  ]
  out
}

paint_values <- function(paint) {
  grDevices::col2rgb(if (paint == "grey") "#808080" else paint)[, 1] / 255
}

resize_picture <- function(pixels, size) core_resize(pixels, size[1], size[2])

# The size at which a checkpoint is asked to work for a frame (width, height):
# the listed one that is nearest in aspect and area; or the nearest of the
# multiples that it needs; or the frame itself.
working_size <- function(frame, checkpoint) {
  if (length(checkpoint$sizes) > 0) {
    sizes <- do.call(rbind, checkpoint$sizes)
  } else if (is.null(checkpoint$multiple_of)) {
    return(as.integer(frame))
  } else {
    step <- checkpoint$multiple_of
    near <- lapply(frame, function(edge) {
      step * seq(max(1, floor(0.7 * edge / step)), max(1, ceiling(1.5 * edge / step)))
    })
    sizes <- as.matrix(expand.grid(near))
  }

  aspect_off <- abs(log(sizes[, 1] / sizes[, 2]) - log(frame[1] / frame[2]))
  area_off <- abs(log(sizes[, 1] * sizes[, 2]) - log(prod(frame)))
  # Aspect counts most: twice the area is as bad as a seventh more width.
  as.integer(sizes[which.min(aspect_off + 0.2 * area_off), ])
}

# Aspects that differ by less than this (as a logarithm) are stretched to each
# other; rounding to good sizes needs as much, and nobody sees it.
same_aspect <- 0.025

has_shape <- function(size, frame) {
  abs(log(size[1] / size[2]) - log(frame[1] / frame[2])) < same_aspect
}

# Where the frame lies in a picture of another aspect: as large as it can be, in
# the middle; `c(left, top, width, height)` in pixels.
frame_inside <- function(size, frame) {
  if (has_shape(size, frame)) {
    return(c(0, 0, size))
  }

  inner <- pmin(size, round(frame * min(size / frame)))
  c((size - inner) %/% 2, inner)
}

# A picture at the place of its frame, set into an engine's working size. Where
# the aspects differ the rest is filled with the picture's own mirrored edges, so
# that no engine sees bars that nobody asked for.
reflect_into <- function(inner, place, size) {
  if (all(place[3:4] == size)) {
    return(inner)
  }

  inner[
    reflect(seq_len(size[2]) - place[2], place[4]),
    reflect(seq_len(size[1]) - place[1], place[3]), ,
    drop = FALSE
  ]
}

# Numbers beyond 1 to n, folded back at the ends.
reflect <- function(at, n) {
  at <- (at - 1) %% (2 * n)
  ifelse(at < n, at, 2 * n - 1 - at) + 1
}

# Brings an engine's picture back to the frame: removes the mirrored edges.
bring_back <- function(pixels, frame) {
  place <- frame_inside(dim(pixels)[2:1], frame)
  if (all(place[3:4] == dim(pixels)[2:1])) {
    return(pixels)
  }

  pixels[place[2] + seq_len(place[4]), place[1] + seq_len(place[3]), , drop = FALSE]
}
