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

# The manners in which the stand-ins paint, and how they read one off a look.

look_names <- function() c("linocut", "gouache", "blueprint", "mosaic")

# Paints a picture in a manner. The palette is a matrix of colours (rows from
# dark to light, columns red, green, blue); strength 0 leaves the picture.
paint_manner <- function(picture, manner, palette, strength = 1) {
  painted <- switch(manner,
    linocut = paint_linocut(picture, palette),
    gouache = paint_gouache(picture, palette),
    blueprint = paint_blueprint(picture, palette),
    mosaic = paint_mosaic(picture, palette)
  )
  draw_mix(picture, painted, rep(strength, length(picture) / 3))
}

home_palette <- function(manner) {
  colours <- switch(manner,
    linocut = c("#1d1a17", "#6b3a2a", "#c9793f", "#efe3c8"),
    gouache = c("#2a3550", "#5b6f5a", "#c88d5d", "#e9cfa0", "#f6eeda"),
    blueprint = c("#0e2a52", "#14407a", "#3b74b4", "#eaf2fb"),
    mosaic = c("#23323d", "#2f7f86", "#b4543a", "#e0b04c", "#f2ead6")
  )
  t(grDevices::col2rgb(colours)) / 255
}

# Colours for the values 0 to 1, between the palette's steps or in flat steps.
colour_by <- function(values, palette, steps = Inf) {
  if (is.finite(steps)) {
    values <- pmin(floor(values * steps), steps - 1) / (steps - 1)
  }

  draw_colours(values, palette)
}

# Tones stretched so that they fill 0 to 1.
even_tones <- function(light) {
  some <- light[seq(1, length(light), by = 23)]
  ends <- stats::quantile(some, c(0.02, 0.98), names = FALSE)
  clamp((light - ends[1]) / max(0.05, diff(ends)))
}

slope <- function(plane) draw_slope(plane)

paint_linocut <- function(picture, palette) {
  light <- even_tones(soften(luminance(picture), 2))
  rows <- nrow(light)
  columns <- ncol(light)
  wander <- 4 * smooth_noise(rows, columns, columns / 6)
  cuts <- sin((row(light) * 0.9 + col(light) * 0.35) * 0.9 + wander)
  carved <- light + 0.16 * cuts * (1 - abs(2 * light - 1))
  ink <- 1 - clamp(7 * slope(light) - 0.5)
  out <- colour_by(carved, palette, steps = nrow(palette))
  out * (0.15 + 0.85 * c(ink))
}

paint_gouache <- function(picture, palette) {
  broad <- soften(picture, 5)
  light <- even_tones(luminance(broad))
  rows <- nrow(light)
  columns <- ncol(light)
  strokes <- 1.4 * smooth_noise(rows, columns, 3, 22)
  toned <- colour_by(round(light * 7) / 7 + 0.03 * strokes, palette)
  draw_sum(list(broad, toned, strokes), c(0.35, 0.65, 0.025))
}

paint_blueprint <- function(picture, palette) {
  light <- even_tones(soften(luminance(picture), 2))
  lines <- clamp(9 * slope(light) - 0.35)
  grid <- ((row(light) %% 24) == 0 | (col(light) %% 24) == 0) * 0.16
  paper <- 0.2 + 0.22 * (1 - light) + 0.02 * smooth_noise(nrow(light), ncol(light), 3)
  colour_by(paper + grid + 0.9 * lines, palette)
}

paint_mosaic <- function(picture, palette) {
  rows <- dim(picture)[1]
  columns <- dim(picture)[2]
  cell <- max(5, round(columns / 64))
  shift <- cell * 0.3 * smooth_noise(rows, columns, cell * 4)
  laid <- draw_tiles(soften(picture, cell), shift, cell)
  light <- even_tones(luminance(laid$tiles)) + 0.14 * (laid$key - 0.5)
  painted <- draw_sum(
    list(laid$tiles, colour_by(clamp(light), palette, steps = 9)),
    c(0.25, 0.75)
  )
  painted * c(1 - 0.72 * laid$grout)
}

# The palette of a look: mean colours of its tones from dark to light.
read_palette <- function(looks, steps = 5) {
  pixels <- do.call(
    rbind,
    lapply(looks, function(look) {
      some <- round(seq(1, length(look) / 3, length.out = 5000))
      matrix(look, ncol = 3)[some, ]
    })
  )
  tone <- drop(pixels %*% c(0.299, 0.587, 0.114))
  group <- cut(rank(tone, ties.method = "first"), steps, labels = FALSE)
  apply(pixels, 2, function(values) tapply(values, group, mean))
}

# Which of the manners that it can paint a stand-in sees in a look, by a few
# plain statistics of its pixels.
read_manner <- function(looks) {
  distance <- colSums(
    ((known_manners() - manner_facts(looks[[1]])) / c(0.08, 0.04, 0.05, 0.1))^2
  )
  names(which.min(distance))
}

manner_facts <- function(picture) {
  picture <- resample_picture(picture, 256, 384)
  light <- luminance(picture)
  edge <- slope(light)
  c(
    blue = mean(picture[, , 3] - picture[, , 1]),
    edges = mean(edge),
    fine = mean(abs(light - soften(light, 3))),
    flat = mean(edge < 0.02)
  )
}

known_manners <- function() {
  cbind(
    linocut = c(blue = -0.24, edges = 0.133, fine = 0.066, flat = 0.45),
    gouache = c(-0.07, 0.042, 0.02, 0.38),
    blueprint = c(0.37, 0.1, 0.052, 0.52),
    mosaic = c(-0.09, 0.163, 0.108, 0.375)
  )
}

# The memory of a stand-in: looks that it was shown, scenes that it can name, and how often it was
# called.
StandinMemory <- R6::R6Class(
  "sprenn_standin_memory",
  public = list(
    calls = 0,
    looks = list(),
    scenes = NULL,

    count_call = function() {
      self$calls <- self$calls + 1
      self$calls
    }
  )
)

# Colours by their names.
paint_box <- function() {
  c(
    cream = "#f3e6c0",
    teal = "#2f8f92",
    red = "#b8392c",
    orange = "#dd8a3c",
    yellow = "#ecc846",
    green = "#4f8a3d",
    pink = "#e7a5b4",
    purple = "#71508f",
    grey = "#9a9a98",
    blue = "#3f6fb0"
  )
}
