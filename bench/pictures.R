# Pictures and known changes for the benches, drawn by seeded code. Sourced by
# bench/validity.R and data-raw/style-space.R; needs the package installed.

core <- function(name) getFromNamespace(name, "sprenn")
draw_tile <- core("draw_tile")
tile_names <- core("tile_names")
paint_manner <- core("paint_manner")
home_palette <- core("home_palette")
soften <- core("soften")
slope <- core("slope")
luminance <- core("luminance")
clamp <- core("clamp")
each_channel <- core("each_channel")
smooth_noise <- core("smooth_noise")
seeded <- core("with_drawing_seed")
colour_by <- core("colour_by")
even_tones <- core("even_tones")

palette_of <- function(...) t(grDevices::col2rgb(c(...))) / 255

# Scenes: the drawn tiles, cluttered heaps, and lit, textured, noisy mixtures
# of both, which come nearest to photographs.
draw_scene <- function(i, width = 384, height = 256) {
  kind <- i %% 3
  if (kind == 0) {
    return(core("core_dead_leaves")(width, height, 100 + i))
  }
  tile <- draw_tile(tile_names()[1 + i %% 8], width, height, 500 + i)
  if (kind == 1) {
    return(tile)
  }
  leaves <- core("core_dead_leaves")(width, height, 900 + i)
  seeded(i, {
    cover <- clamp(3 * smooth_noise(height, width, width / 3) + 0.3)
    mixed <- tile * (1 - c(cover)) + leaves * c(cover)
    light <- 1 + 0.35 * c(smooth_noise(height, width, width / 3))
    clamp(mixed^1.2 * light + rnorm(length(mixed), sd = 0.02))
  })
}

# Restyles: same layout, other look. Those in `tuning` made the shipped style
# space; `held_out` were never used for it.
restyles <- function() {
  list(
    tuning = list(
      linocut = function(p) paint_manner(p, "linocut", home_palette("linocut")),
      linocut_green = function(p) paint_manner(p, "linocut", palette_of("#10231c", "#2f6b4f", "#9cc59a", "#f4f6e6")),
      gouache = function(p) paint_manner(p, "gouache", home_palette("gouache")),
      blueprint = function(p) paint_manner(p, "blueprint", home_palette("blueprint")),
      mosaic = function(p) paint_manner(p, "mosaic", home_palette("mosaic")),
      negative = function(p) 1 - p,
      sepia = function(p) colour_by(luminance(p), palette_of("#20140c", "#8a6a48", "#f3e6cf")),
      high_contrast = function(p) clamp(0.5 + 2.6 * (p - 0.5)),
      pale = function(p) 0.72 + 0.28 * p,
      night = function(p) clamp(p^1.7 * rep(c(0.35, 0.45, 0.8), each = length(p) / 3)),
      grainy_mono = function(p) {
        m <- array(luminance(p), dim(p))
        clamp(m + 0.12 * c(rnorm(length(p) / 3)))
      },
      outline = function(p) array(clamp(1 - 8 * slope(soften(luminance(p), 2))), dim(p)),
      vivid = function(p) clamp(array(luminance(p), dim(p)) + 2.2 * (p - array(luminance(p), dim(p)))),
      soft_focus = function(p) clamp(0.15 + 0.85 * each_channel(p, soften, size = 4))
    ),
    held_out = list(
      poster = function(p) round(p * 3) / 3,
      duotone = function(p) colour_by(even_tones(luminance(p)), palette_of("#3a0f4a", "#f2a65a", "#fff3d6")),
      solarised = function(p) ifelse(p > 0.5, 2 * (1 - p), 2 * p),
      heat = function(p) colour_by(luminance(p), palette_of("#0b0b3b", "#a0226b", "#f08a24", "#fff7b0")),
      halftone = function(p) {
        l <- luminance(p)
        dots <- 0.5 + 0.25 * (sin(row(l) * 1.2) + sin(col(l) * 1.2))
        array(clamp((l - dots) * 6 + 0.5), dim(p))
      },
      chalk = function(p) {
        e <- clamp(7 * slope(soften(luminance(p), 2)))
        array(clamp(0.12 + 0.8 * e * (0.6 + 0.4 * runif(length(e)))), dim(p))
      },
      channel_swap = function(p) p[, , c(3, 1, 2)],
      blue_mosaic = function(p) paint_manner(p, "mosaic", palette_of("#101c3a", "#31508f", "#9fb9e8", "#f5f1e0")),
      dry_gouache = function(p) paint_manner(p, "gouache", palette_of("#3b1f2b", "#8f3b3b", "#d98c5f", "#f2d9a0")),
      faded = function(p) clamp(0.35 + 0.4 * p + 0.12 * rep(c(1, 0.6, 0.1), each = length(p) / 3)),
      inked = function(p) {
        l <- even_tones(luminance(p))
        array(clamp((l > 0.42) - clamp(6 * slope(l) - 0.4)), dim(p))
      },
      embossed = function(p) {
        l <- soften(luminance(p), 2)
        n <- ncol(l)
        array(clamp(0.5 + 4 * (l - l[, c(3:n, n, n)])), dim(p))
      }
    )
  )
}

restyle <- function(picture, f, seed) seeded(seed, array(f(picture), dim(picture)))

# Layout changes of rising strength; 0 leaves the picture.
warped <- function(picture, strength, seed) {
  seeded(seed, {
    h <- dim(picture)[1]
    w <- dim(picture)[2]
    dx <- strength * w * smooth_noise(h, w, w / 4)
    dy <- strength * w * smooth_noise(h, w, w / 4)
    at <- pmin(h, pmax(1, round(row(dx) + dy))) + (pmin(w, pmax(1, round(col(dx) + dx))) - 1) * h
    each_channel(picture, function(plane) matrix(plane[c(at)], h))
  })
}

mirror <- function(picture) picture[, rev(seq_len(dim(picture)[2])), ]
