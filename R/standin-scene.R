# The tiles of Brackwater, drawn: sky, sea and land, one thing standing there,
# light from one side, and grain.

tile_names <- function() {
  c(
    "windmill", "lighthouse", "ferry", "greenhouse", "tower", "kites", "salt", "mast"
  )
}

# A tile as a picture of the given size. The seed moves everything a little:
# horizon, clouds, where the thing stands, how large it is.
draw_tile <- function(name, width, height, seed) {
  with_drawing_seed(seed, {
    horizon <- stats::runif(1, 0.34, 0.46)
    picture <- draw_land(
      height,
      width,
      horizon,
      land = name %in% c("windmill", "kites", "greenhouse", "tower", "mast")
    )
    place <- list(
      x = stats::runif(1, 0.4, 0.62),
      y = horizon - stats::runif(1, 0.06, 0.14),
      size = stats::runif(1, 0.92, 1.12),
      flip = if (stats::runif(1) < 0.5) -1 else 1,
      aspect = height / width
    )
    things <- draw_layer(height, width, function() {
      scatter_bushes(horizon)
      draw_thing(name, place)
    })
    light_scene(lay_over(picture, things))
  })
}

draw_land <- function(rows, columns, horizon, land) {
  y <- rep(seq(1, 0, length.out = rows), times = columns)
  x <- rep(seq(0, 1, length.out = columns), each = rows)
  clouds <- c(fractal_noise(rows, columns, columns / 5))
  haze <- pmin(1, pmax(0, (y - horizon) / (1 - horizon)))
  white <- pmin(1, pmax(0, clouds * 0.9 - 0.15))
  sky <- cbind(0.78 - 0.36 * haze, 0.86 - 0.24 * haze, 0.92 - 0.08 * haze)
  sky <- sky * (1 - 0.8 * white) + 0.96 * 0.8 * white
  ripple <- sin(220 * (horizon - y)^0.7 + 3 * c(fractal_noise(rows, columns, columns / 8)))
  sea <- cbind(0.18, 0.38, 0.46)[rep(1, length(y)), ] + 0.05 * ifelse(is.nan(ripple), 0, ripple)
  hill <- c(fractal_noise(rows, columns, columns / 3, 2))[1]
  edge <- horizon - 0.04 + 0.1 * sin(2.4 * x + 4 * hill) + 0.05 * sin(7 * x + hill)
  if (!land) {
    edge <- edge - 0.24 + 0.2 * x
  }

  grass <- fractal_noise(rows, columns, 14, 3)
  field <- cbind(0.42, 0.5, 0.26)[rep(1, length(y)), ] +
    0.09 * c(grass) +
    0.16 * (edge - y)
  furrow <- 0.05 * sin(60 * (x - 0.5) / (0.15 + pmax(0, edge - y)))
  all <- ifelse(matrix(y > horizon, length(y), 3), sky, sea)
  ground <- y < edge
  all[ground, ] <- (field + furrow)[ground, ]
  clamp(array(all, c(rows, columns, 3)))
}

# Side light that wanders a little, darker corners, and grain.
light_scene <- function(picture) {
  rows <- dim(picture)[1]
  columns <- dim(picture)[2]
  x <- rep(seq(-1, 1, length.out = columns), each = rows)
  y <- rep(seq(-1, 1, length.out = rows), times = columns)
  light <- 1.04 -
    0.09 * x -
    0.13 * (x^2 + y^2) / 2 +
    0.05 * c(smooth_noise(rows, columns, columns / 4))
  clamp(picture * light + stats::rnorm(length(picture), sd = 0.016))
}

fill_polygon <- function(x, y, colour, line = NA) {
  graphics::polygon(x, y, col = colour, border = line)
}

scatter_bushes <- function(horizon) {
  for (i in seq_len(14)) {
    x <- stats::runif(1)
    y <- stats::runif(1, 0.02, horizon - 0.1)
    r <- 0.012 + 0.05 * (horizon - y)
    turn <- seq(0, 2 * pi, length.out = 17)
    bumpy <- r * (1 + 0.25 * sin(5 * turn + i))
    fill_polygon(
      x + bumpy * cos(turn),
      y + bumpy * sin(turn),
      sprintf("#%02x%02x28", 40L + 3L * i, 66L + 3L * i)
    )
  }
}

# Points in the thing's own measures (x to the side, y up, 1 its height) to
# points on the drawing.
stand_at <- function(place) {
  function(x, y, colour, line = NA) {
    fill_polygon(
      place$x + place$flip * x * place$size * place$aspect * 0.55,
      place$y + y * place$size * 0.55,
      colour,
      line
    )
  }
}

draw_thing <- function(name, place) {
  thing_drawings[[name]](pen_at(place))
}

# Draws at a place, in the object's own coordinates.
pen_at <- function(place) {
  put <- stand_at(place)
  list(
    put = put,
    disc = function(x, y, r, colour, line = NA) {
      turn <- seq(0, 2 * pi, length.out = 33)
      put(x + r * cos(turn), y + r * sin(turn), colour, line)
    },
    bar = function(x0, y0, x1, y1, w, colour) {
      length <- sqrt((x1 - x0)^2 + (y1 - y0)^2)
      nx <- -(y1 - y0) / length * w / 2
      ny <- (x1 - x0) / length * w / 2
      put(
        c(x0 + nx, x1 + nx, x1 - nx, x0 - nx),
        c(y0 + ny, y1 + ny, y1 - ny, y0 - ny),
        colour
      )
    },
    box = function(x0, y0, x1, y1, colour, line = NA) {
      put(c(x0, x1, x1, x0), c(y0, y0, y1, y1), colour, line)
    }
  )
}

draw_windmill <- function(pen) {
  pen$put(c(-0.2, 0.2, 0.12, -0.12), c(0, 0, 0.7, 0.7), "#cdbfa6")
  pen$put(c(0.02, 0.2, 0.12, 0.02), c(0, 0, 0.7, 0.7), "#a8977c")
  pen$put(c(-0.15, 0.15, 0), c(0.7, 0.7, 0.88), "#7b3b2e")
  pen$box(-0.05, 0, 0.05, 0.16, "#4c3325")
  pen$box(-0.03, 0.4, 0.04, 0.5, "#35424c")
  for (turn in c(0.4, 0.4 + pi / 2, 0.4 + pi, 0.4 + 3 * pi / 2)) {
    pen$bar(0, 0.74, 0.55 * cos(turn), 0.74 + 0.55 * sin(turn), 0.02, "#4a3a2c")
    for (k in 1:5) {
      at <- 0.12 + 0.08 * k
      pen$bar(
        at * cos(turn),
        0.74 + at * sin(turn),
        at * cos(turn) - 0.1 * sin(turn),
        0.74 + at * sin(turn) + 0.1 * cos(turn),
        0.055,
        "#e3dcc8"
      )
    }
  }

  pen$disc(0, 0.74, 0.03, "#2e2722")
}

draw_lighthouse <- function(pen) {
  pen$put(
    c(-0.5, -0.35, -0.1, 0.2, 0.45, 0.6),
    c(-0.08, 0.06, 0.1, 0.09, 0.05, -0.08),
    "#5d5a55"
  )
  for (k in 0:5) {
    w <- 0.16 - 0.014 * k
    pen$box(
      -w,
      0.08 + k * 0.13,
      w,
      0.08 + (k + 1) * 0.13,
      c("#b8402f", "#ece6da")[k %% 2 + 1]
    )
    pen$box(
      w * 0.4,
      0.08 + k * 0.13,
      w,
      0.08 + (k + 1) * 0.13,
      c("#8e2f22", "#c9c1b1")[k %% 2 + 1]
    )
  }

  pen$box(-0.13, 0.86, 0.13, 0.89, "#2f3336")
  pen$box(-0.07, 0.89, 0.07, 1, "#f2d98a", "#2f3336")
  pen$put(c(-0.1, 0.1, 0), c(1, 1, 1.1), "#8e2f22")
  pen$box(0.22, 0.07, 0.5, 0.22, "#e2dccd")
  pen$put(c(0.18, 0.54, 0.36), c(0.22, 0.22, 0.34), "#6d3a30")
}

draw_ferry <- function(pen) {
  for (k in 0:6) {
    pen$bar(-0.95 + 0.12 * k, -0.1, -0.95 + 0.12 * k, 0.06, 0.03, "#4b3a2b")
  }

  pen$box(-1.05, 0.05, -0.18, 0.09, "#7d6246")
  pen$put(c(-0.1, 0.8, 0.7, 0), c(0.02, 0.02, -0.12, -0.12), "#27465c")
  pen$box(0.02, 0.02, 0.66, 0.07, "#e9e4d8")
  pen$box(0.1, 0.07, 0.5, 0.24, "#efe9dc")
  for (k in 0:3) {
    pen$box(0.14 + 0.09 * k, 0.13, 0.2 + 0.09 * k, 0.19, "#3b5566")
  }

  pen$box(0.34, 0.24, 0.42, 0.42, "#c25a35")
  pen$bar(-0.05, 0.02, -0.05, 0.5, 0.015, "#3c342c")
}

draw_greenhouse <- function(pen) {
  pen$box(-0.6, 0, 0.6, 0.34, "#a9c9c4")
  pen$put(c(-0.66, 0.66, 0), c(0.34, 0.34, 0.66), "#c3dcd6")
  for (k in -3:3) {
    pen$disc(0.17 * k, 0.09, 0.075, c("#3f6b35", "#5c8a3f")[k %% 2 + 1])
  }

  for (k in -4:4) {
    pen$bar(0.15 * k, 0, 0.15 * k, 0.34, 0.014, "#f3f1ea")
  }

  for (k in -4:4) {
    pen$bar(0.15 * k, 0.34, 0, 0.66, 0.012, "#f3f1ea")
  }

  for (h in c(0, 0.17, 0.34)) {
    pen$bar(-0.62, h, 0.62, h, 0.016, "#f3f1ea")
  }

  pen$box(-0.08, 0, 0.08, 0.26, "#5b7f86", "#f3f1ea")
}

draw_tower <- function(pen) {
  for (k in c(-0.26, -0.09, 0.09, 0.26)) {
    pen$bar(k * 1.25, 0, k, 0.55, 0.03, "#5a4636")
  }

  for (h in c(0.1, 0.3)) {
    pen$bar(-0.3, h, 0.28, h + 0.16, 0.016, "#6b5443")
    pen$bar(0.3, h, -0.28, h + 0.16, 0.016, "#6b5443")
  }

  pen$box(-0.32, 0.55, 0.32, 0.9, "#8f9aa0")
  pen$box(0.1, 0.55, 0.32, 0.9, "#6f7a81")
  for (h in c(0.62, 0.72, 0.82)) {
    pen$bar(-0.32, h, 0.32, h, 0.014, "#4d565c")
  }

  pen$put(c(-0.36, 0.36, 0), c(0.9, 0.9, 1.08), "#97453a")
}

draw_kites <- function(pen) {
  for (k in 1:3) {
    x <- c(-0.55, 0.05, 0.6)[k]
    y <- c(0.7, 0.95, 0.62)[k]
    pen$put(
      x + c(-0.1, 0, 0.1, 0),
      y + c(0, 0.13, 0, -0.17),
      c("#c8452f", "#e0a92e", "#2f6f9e")[k]
    )
    pen$bar(x - 0.1, y, x + 0.1, y, 0.01, "#33302c")
    pen$bar(x, y - 0.17, x * 0.3, 0.1, 0.006, "#44403a")
    for (j in 1:3) {
      pen$put(
        x + 0.04 * c(-1, 1, 0) + 0.03 * j,
        y - 0.17 - 0.06 * j + c(0, 0, 0.03),
        "#e8e0cc"
      )
    }
  }

  pen$bar(0.02, -0.05, 0.02, 0.1, 0.05, "#3a3f58")
  pen$disc(0.02, 0.13, 0.04, "#d9b48f")
  pen$bar(-0.75, -0.05, -0.75, 0.2, 0.04, "#4a3826")
  pen$disc(-0.75, 0.3, 0.16, "#44602f")
}

draw_salt <- function(pen) {
  for (k in 1:4) {
    x <- c(-0.7, -0.3, 0.15, 0.55)[k]
    pen$put(x + c(-0.22, 0.22, 0), c(-0.04, -0.04, 0.3 + 0.04 * k), "#f1efe9")
    pen$put(x + c(0.02, 0.22, 0), c(-0.04, -0.04, 0.3 + 0.04 * k), "#cbc8c2")
  }

  pen$box(0.75, -0.04, 1.15, 0.2, "#8a6c4f")
  pen$put(c(0.7, 1.2, 0.95), c(0.2, 0.2, 0.36), "#5a3a2c")
  for (k in 0:3) {
    pen$box(-0.9 + 0.45 * k, -0.34, -0.55 + 0.45 * k, -0.16, "#9fb9c2", "#6d5a45")
  }
}

draw_mast <- function(pen) {
  pen$bar(0, 0, 0, 1.1, 0.035, "#5b4a3a")
  pen$bar(-0.4, 0.82, 0.4, 0.82, 0.022, "#5b4a3a")
  for (x in c(-0.4, 0.4)) {
    pen$bar(x, 0.82, 0, 0.05, 0.007, "#3d352d")
  }

  for (k in 1:4) {
    x <- c(-0.36, -0.16, 0.14, 0.34)[k]
    pen$box(x - 0.07, 0.58, x + 0.07, 0.76, c("#c0392b", "#e5c13c", "#2d6ca2", "#efece4")[k])
    pen$bar(
      x - 0.06,
      0.66,
      x + 0.06,
      0.67,
      0.03,
      c("#efece4", "#2d6ca2", "#efece4", "#c0392b")[k]
    )
  }

  pen$box(-0.28, 0, -0.02, 0.2, "#b7a98f")
  pen$put(c(-0.32, 0.02, -0.15), c(0.2, 0.2, 0.32), "#55453a")
}

thing_drawings <- list(
  windmill = draw_windmill,
  lighthouse = draw_lighthouse,
  ferry = draw_ferry,
  greenhouse = draw_greenhouse,
  tower = draw_tower,
  kites = draw_kites,
  salt = draw_salt,
  mast = draw_mast
)
