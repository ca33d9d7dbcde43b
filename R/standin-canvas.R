# Drawing for the made-up world: pictures are arrays rows x columns x 3 with
# values from 0 to 1, drawn from a seed and from nothing else.

# Evaluates `code` with R's own generator seeded, and leaves no trace of it.
with_drawing_seed <- function(seed, code) {
  withr::with_seed(
    seed,
    code,
    .rng_kind = "Mersenne-Twister",
    .rng_normal_kind = "Inversion",
    .rng_sample_kind = "Rejection"
  )
}

resize_plane <- function(m, rows, columns) draw_resize(m, rows, columns)

# Smooth noise from -1 to 1 or so, with features of the given size in pixels.
smooth_noise <- function(rows, columns, size, columns_size = size) {
  k <- max(2, round(rows / size) + 1)
  l <- max(2, round(columns / columns_size) + 1)
  resize_plane(matrix(0.7 * stats::rnorm(k * l), k), rows, columns)
}

fractal_noise <- function(rows, columns, size, octaves = 4) {
  total <- matrix(0, rows, columns)
  for (octave in seq_len(octaves)) {
    total <- total +
      smooth_noise(rows, columns, max(1, size / 2^(octave - 1))) / 1.8^(octave - 1)
  }

  total
}

# Takes off detail finer than `size` pixels, of a plane or a picture.
soften <- function(planes, size) draw_soft(planes, size)

each_channel <- function(picture, f, ...) {
  out <- lapply(1:3, function(k) f(picture[, , k], ...))
  array(unlist(out), c(dim(out[[1]]), 3))
}

clamp <- function(x) draw_clamp(x)

luminance <- function(picture) draw_luminance(picture)

# A drawing over x and y from 0 to 1 (y upwards), as a picture and how far it
# covers each pixel (rows x columns).
draw_layer <- function(rows, columns, draw) {
  capture <- ragg::agg_capture(
    columns,
    rows,
    units = "px",
    res = 72,
    background = "transparent"
  )
  device <- grDevices::dev.cur()
  on.exit(grDevices::dev.off(device))
  graphics::par(mar = c(0, 0, 0, 0), xaxs = "i", yaxs = "i")
  graphics::plot.new()
  graphics::plot.window(c(0, 1), c(0, 1))
  draw()
  draw_unpack(as.integer(capture(native = TRUE)), rows, columns)
}

lay_over <- function(picture, layer, strength = 1) {
  draw_mix(picture, layer$colour, c(layer$cover) * strength)
}

resample_picture <- function(picture, rows, columns) {
  if (all(dim(picture)[1:2] == c(rows, columns))) {
    return(picture)
  }

  draw_resize(picture, rows, columns)
}
