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

# Fractal noise about 0, of a standard deviation near 0.5.
fractal <- function(rows, columns, coarsest, octaves = 4) {
  total <- matrix(0, rows, columns)
  for (k in seq_len(octaves)) {
    total <- total + smooth_noise(rows, columns, max(1.5, coarsest / 2^(k - 1))) * 0.6^(k - 1)
  }

  total / 1.6
}

colours_of <- function(...) lapply(list(...), function(hex) c(grDevices::col2rgb(hex)) / 255)

between <- function(from, to, share) {
  rep(from, each = length(share)) * (1 - c(share)) +
    rep(to, each = length(share)) * c(share)
}

# As a camera would have it: a vignette, a little blur, and grain that grows with light.
as_photo <- function(p, softness = 0.7, grain = 0.015) {
  rows <- dim(p)[1]
  columns <- dim(p)[2]
  away <- ((row(p[, , 1]) / rows - 0.5)^2 +
    (col(p[, , 1]) / columns - 0.5)^2) *
    2
  p <- p * c(1 - 0.35 * away)
  p <- each_channel(p, function(plane) core("core_blur")(plane, softness))
  clamp(p + grain * sqrt(pmax(p, 0.05)) * rnorm(length(p)))
}

# Ridges behind each other in haze, lit from one side, under clouds.
landscape <- function(w, h) {
  x <- matrix(seq(0, 1, length.out = w), h, w, byrow = TRUE)
  y <- matrix(seq(0, 1, length.out = h), h, w)
  sky <- colours_of("#6f9fd0", "#dfe6e6", "#f3d9b0")
  clouds <- clamp(fractal(h, w, w / 3, 5) + 0.1)
  p <- array(
    between(sky[[1]], sky[[2 + (runif(1) < 0.4)]], clamp(y * 1.6)),
    c(h, w, 3)
  )
  p <- p * (1 - 0.6 * c(clouds)) + 0.6 * c(clouds) * 0.95
  side <- sample(c(-1, 1), 1)
  for (k in 1:4) {
    line <- 0.3 + 0.13 * k + (0.16 - 0.025 * k) * c(fractal(1, w, w / (1.5 + k), 5))
    land <- y > rep(line, each = h)
    relief <- fractal(h, w, w / (3 + 3 * k), 6)
    light <- clamp(0.5 + side * 4 * (relief - relief[, c(2:w, w)]) + 0.25 * relief)
    ground <- colours_of("#4c5b3a", "#7d7350", "#5d6b4c", "#8a7a5c", "#47563f")[[sample(5, 1)]]
    haze <- c(0.55, 0.35, 0.15, 0)[k]
    shade <- array(rep(ground, each = h * w), c(h, w, 3)) * c(0.35 + 1.1 * light)
    shade <- shade * (1 - haze) + rep(sky[[2]], each = h * w) * haze
    p[rep(land, 3)] <- shade[rep(land, 3)]
  }

  as_photo(clamp(p))
}

# Balls and boxes on a table before a wall, with shadows and shine.
still_life <- function(w, h) {
  y <- row(matrix(0, h, w)) / h
  x <- col(matrix(0, h, w)) / h
  edge <- runif(1, 0.45, 0.62)
  wall <- array(rep(runif(3, 0.25, 0.75), each = h * w), c(h, w, 3)) *
    c(0.75 + 0.3 * x / max(x) + 0.06 * fractal(h, w, 30, 4))
  grain <- fractal(h, w, 8, 3)[, rep(seq_len(ceiling(w / 6)), each = 6)[seq_len(w)]]
  table <- array(
    rep(c(0.45, 0.3, 0.19) * runif(1, 0.7, 1.4), each = h * w),
    c(h, w, 3)
  ) *
    c(0.8 + 0.25 * grain + 0.3 * (y - edge))
  p <- wall
  p[rep(y > edge, 3)] <- table[rep(y > edge, 3)]
  n <- sample(4:8, 1)
  base <- sort(runif(n, edge + 0.06, 0.95))
  sun <- c(-0.5, -0.65, 0.57) * c(sample(c(-1, 1), 1), 1, 1)
  for (k in seq_len(n)) {
    r <- runif(1, 0.05, 0.13) * (0.6 + base[k])
    cx <- runif(1, 0.08, max(x) - 0.08)
    cy <- base[k] - r
    fall <- ((x - cx + sun[1] * r * 1.6)^2 / (1.7 * r)^2 +
      (y - base[k])^2 / (0.45 * r)^2)
    p <- p * c(1 - 0.55 * exp(-fall^2))
    colour <- c(
      grDevices::col2rgb(
        grDevices::hcl(runif(1, 0, 360), runif(1, 20, 70), runif(1, 40, 75))
      )
    ) /
      255
    if (runif(1) < 0.6) {
      dx <- (x - cx) / r
      dy <- (y - cy) / r
      inside <- dx^2 + dy^2 < 1
      dz <- sqrt(pmax(0, 1 - dx^2 - dy^2))
      light <- pmax(0, dx * sun[1] + dy * sun[2] + dz * sun[3])
      lit <- 0.22 + 0.85 * light
      shine <- 0.7 * pmax(0, light)^24
    } else {
      inside <- abs(x - cx) < r & abs(y - cy) < r * 1.2
      lit <- ifelse(x - cx < 0.35 * r * sign(sun[1]), 0.9, 0.5) +
        0.1 * fractal(h, w, 12, 3)
      shine <- 0
    }

    body <- array(rep(colour, each = h * w), c(h, w, 3)) *
      c(lit * (1 + 0.12 * fractal(h, w, 10, 3))) +
      c(shine + 0 * lit)
    p[rep(inside, 3)] <- body[rep(inside, 3)]
  }

  as_photo(clamp(p), runif(1, 0.6, 1.1))
}

# A street in perspective: walls with windows to both sides, a road and a sky.
street <- function(w, h) {
  x <- col(matrix(0, h, w)) / w
  y <- row(matrix(0, h, w)) / h
  vx <- runif(1, 0.35, 0.65)
  vy <- runif(1, 0.38, 0.55)
  p <- array(
    between(c(0.45, 0.6, 0.8), c(0.9, 0.9, 0.85), clamp(y / vy)),
    c(h, w, 3)
  )
  road <- y > vy & abs(x - vx) < (y - vy) * 0.9
  ground <- y > vy
  p[rep(ground, 3)] <- rep(c(0.42, 0.41, 0.4), each = sum(ground)) *
    (0.85 + 0.2 * fractal(h, w, 14, 4)[ground])
  p[rep(road, 3)] <- rep(c(0.28, 0.28, 0.3), each = sum(road)) *
    (0.85 + 0.25 * fractal(h, w, 6, 3)[road])
  depth <- 1 / pmax(0.02, abs(x - vx))
  for (side in c(-1, 1)) {
    for (block in 1:5) {
      near <- 0.1 + 0.42 * (1 - (block - 1) / 5)
      far <- 0.1 + 0.42 * (1 - block / 5)
      reach <- abs(x - vx)
      top <- runif(1, 0.7, 1.5)
      wall <- sign(x - vx) == side &
        reach <= near &
        reach > far &
        y < vy + reach * 0.75 &
        y > vy - reach * top
      if (!any(wall)) {
        next
      }

      u <- depth * 3 + block
      v <- (y - vy) / pmax(0.02, reach) * 5
      window <- (u %% 1) > 0.35 &
        (u %% 1) < 0.75 &
        (v %% 1) > 0.3 &
        (v %% 1) < 0.8 &
        v < 2
      colour <- c(
        grDevices::col2rgb(
          grDevices::hcl(runif(1, 10, 100), runif(1, 10, 45), runif(1, 45, 80))
        )
      ) /
        255
      lit <- (if (side < 0) 1.1 else 0.6) *
        (0.9 + 0.15 * fractal(h, w, 9, 4)) *
        ifelse(window, 0.35, 1)
      shade <- array(rep(colour, each = h * w), c(h, w, 3)) * c(lit)
      p[rep(wall, 3)] <- shade[rep(wall, 3)]
    }
  }

  as_photo(clamp(p))
}

# Leaves over each other before a blurred ground, some in the sun.
foliage <- function(w, h) {
  x <- col(matrix(0, h, w)) / h
  y <- row(matrix(0, h, w)) / h
  ground <- fractal(h, w, w / 4, 3)
  p <- array(
    between(c(0.12, 0.2, 0.1), c(0.75, 0.8, 0.55), clamp(0.4 + ground)),
    c(h, w, 3)
  )
  for (k in 1:70) {
    cx <- runif(1, 0, max(x))
    cy <- runif(1)
    long <- runif(1, 0.04, 0.13)
    turn <- runif(1, 0, pi)
    u <- ((x - cx) * cos(turn) + (y - cy) * sin(turn)) / long
    v <- ((y - cy) * cos(turn) - (x - cx) * sin(turn)) / (0.4 * long)
    inside <- u^2 + (v / (1 - 0.6 * pmin(1, u^2)))^2 < 1
    if (!any(inside)) {
      next
    }

    vein <- 0.75 + 0.25 * pmin(1, abs(v) * 6)
    lit <- runif(1, 0.3, 1.3) * (1 + 0.25 * v) * vein
    colour <- c(
      grDevices::col2rgb(
        grDevices::hcl(runif(1, 80, 140), runif(1, 25, 60), runif(1, 40, 75))
      )
    ) /
      255
    body <- rep(colour, each = sum(inside)) * rep(lit[inside], 3)
    p[rep(inside, 3)] <- body
  }

  as_photo(clamp(p), 0.6, 0.02)
}

# Scenes of seven kinds in turn. `tuning`: half of the drawn tiles, cluttered heaps, and
# photograph-like landscapes and still lifes. `held_out`: the other tiles, lit and noisy
# mixtures of tiles and heaps, streets and foliage, which nothing was tuned on.
draw_scene <- function(i, part = "tuning", width = 384, height = 256) {
  seeded(if (part == "tuning") 3000 + i else 8000 + i, {
    tile <- function(from) draw_tile(tile_names()[from + i %/% 4 %% 4], width, height, 500 + i)
    heap <- function(seed) core("core_dead_leaves")(width, height, seed + i)
    if (part == "tuning") {
      switch(1 + i %% 4,
        tile(1),
        heap(100),
        landscape(width, height),
        still_life(width, height)
      )
    } else {
      switch(1 + i %% 4,
        tile(5),
        mixture(draw_tile(tile_names()[5 + i %/% 4 %% 4], width, height, 700 + i), heap(900)),
        street(width, height),
        foliage(width, height)
      )
    }
  })
}

mixture <- function(tile, heap) {
  h <- dim(tile)[1]
  w <- dim(tile)[2]
  cover <- clamp(3 * smooth_noise(h, w, w / 3) + 0.3)
  mixed <- tile * (1 - c(cover)) + heap * c(cover)
  light <- 1 + 0.35 * c(smooth_noise(h, w, w / 3))
  clamp(mixed^1.2 * light + rnorm(length(mixed), sd = 0.02))
}

# Restyles: same layout, other look. Those in `tuning` made the shipped style
# space; `held_out` were never used for it.
restyles <- function() {
  list(
    tuning = list(
      linocut = function(p) paint_manner(p, "linocut", home_palette("linocut")),
      linocut_green = function(p) {
        paint_manner(p, "linocut", palette_of("#10231c", "#2f6b4f", "#9cc59a", "#f4f6e6"))
      },
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
      vivid = function(p) {
        clamp(array(luminance(p), dim(p)) + 2.2 * (p - array(luminance(p), dim(p))))
      },
      soft_focus = function(p) clamp(0.15 + 0.85 * each_channel(p, soften, size = 4))
    ),
    held_out = list(
      poster = function(p) round(p * 3) / 3,
      duotone = function(p) {
        colour_by(even_tones(luminance(p)), palette_of("#3a0f4a", "#f2a65a", "#fff3d6"))
      },
      solarised = function(p) ifelse(p > 0.5, 2 * (1 - p), 2 * p),
      heat = function(p) {
        colour_by(luminance(p), palette_of("#0b0b3b", "#a0226b", "#f08a24", "#fff7b0"))
      },
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
      blue_mosaic = function(p) {
        paint_manner(p, "mosaic", palette_of("#101c3a", "#31508f", "#9fb9e8", "#f5f1e0"))
      },
      dry_gouache = function(p) {
        paint_manner(p, "gouache", palette_of("#3b1f2b", "#8f3b3b", "#d98c5f", "#f2d9a0"))
      },
      faded = function(p) {
        clamp(0.35 + 0.4 * p + 0.12 * rep(c(1, 0.6, 0.1), each = length(p) / 3))
      },
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
    at <- pmin(h, pmax(1, round(row(dx) + dy))) +
      (pmin(w, pmax(1, round(col(dx) + dx))) - 1) * h
    each_channel(picture, function(plane) matrix(plane[c(at)], h))
  })
}

mirror <- function(picture) picture[, rev(seq_len(dim(picture)[2])), ]
