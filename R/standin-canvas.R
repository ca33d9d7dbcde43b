# Drawing for the made-up world: pictures are arrays rows x columns x 3 with
# values from 0 to 1, drawn from a seed and from nothing else.

# Evaluates `code` with R's own generator seeded, and leaves no trace of it.
with_drawing_seed <- function(seed, code) {
  if (exists(".Random.seed", globalenv())) {
    before <- get(".Random.seed", globalenv())
    on.exit(assign(".Random.seed", before, globalenv()))
  } else {
    on.exit(rm(".Random.seed", envir = globalenv()))
  }
  set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
  code
}

# Linear interpolation of the rows of a matrix, to n rows.
spread_rows <- function(m, n) {
  k <- nrow(m)
  if (k == 1) {
    return(m[rep(1, n), , drop = FALSE])
  }
  place <- if (n == 1) 1 else seq(1, k, length.out = n)
  below <- pmin(floor(place), k - 1)
  part <- place - below
  m[below, , drop = FALSE] * (1 - part) + m[below + 1, , drop = FALSE] * part
}

# Averages over k equal stretches of the rows of a matrix.
gather_rows <- function(m, k) {
  owner <- ceiling(seq_len(nrow(m)) * k / nrow(m))
  unname(rowsum(m, owner) / tabulate(owner, k))
}

resize_plane <- function(m, rows, columns) {
  down <- if (nrow(m) > rows) gather_rows(m, rows) else spread_rows(m, rows)
  across <- t(down)
  t(if (nrow(across) > columns) gather_rows(across, columns) else spread_rows(across, columns))
}

# Smooth noise from -1 to 1 or so, with features of the given size in pixels.
smooth_noise <- function(rows, columns, size, columns_size = size) {
  k <- max(2, round(rows / size) + 1)
  l <- max(2, round(columns / columns_size) + 1)
  resize_plane(matrix(0.7 * stats::rnorm(k * l), k), rows, columns)
}

fractal_noise <- function(rows, columns, size, octaves = 4) {
  total <- matrix(0, rows, columns)
  for (octave in seq_len(octaves)) {
    total <- total + smooth_noise(rows, columns, max(1, size / 2^(octave - 1))) / 1.8^(octave - 1)
  }
  total
}

# Takes off detail finer than `size` pixels.
soften <- function(plane, size) {
  small <- resize_plane(plane, max(2, round(nrow(plane) / size)), max(2, round(ncol(plane) / size)))
  resize_plane(small, nrow(plane), ncol(plane))
}

each_channel <- function(picture, f, ...) {
  out <- lapply(1:3, function(k) f(picture[, , k], ...))
  array(unlist(out), c(dim(out[[1]]), 3))
}

# Through abs(), which is several times faster here than indexing or pmin().
clamp <- function(x) (abs(x) - abs(x - 1) + 1) / 2

luminance <- function(picture) {
  0.299 * picture[, , 1] + 0.587 * picture[, , 2] + 0.114 * picture[, , 3]
}

# A drawing over x and y from 0 to 1 (y upwards), as a picture and how far it
# covers each pixel (rows x columns).
draw_layer <- function(rows, columns, draw) {
  capture <- ragg::agg_capture(columns, rows, units = "px", res = 72, background = "transparent")
  device <- grDevices::dev.cur()
  on.exit(grDevices::dev.off(device))
  graphics::par(mar = c(0, 0, 0, 0), xaxs = "i", yaxs = "i")
  graphics::plot.new()
  graphics::plot.window(c(0, 1), c(0, 1))
  draw()
  bits <- matrix(as.integer(capture(native = TRUE)), rows, columns, byrow = TRUE)
  channel <- function(shift) bitwAnd(bitwShiftR(bits, shift), 255L) / 255
  list(
    colour = array(c(channel(0), channel(8), channel(16)), c(rows, columns, 3)),
    cover = matrix(channel(24), rows, columns)
  )
}

lay_over <- function(picture, layer, strength = 1) {
  cover <- c(layer$cover) * strength
  picture * (1 - cover) + layer$colour * cover
}

resample_picture <- function(picture, rows, columns) {
  if (all(dim(picture)[1:2] == c(rows, columns))) {
    return(picture)
  }
  each_channel(picture, resize_plane, rows, columns)
}
