# Defects as engines leave them, at graded strength, on photographs. A picture is rows x
# columns x 3; `s` is the strength, `seed` fixes what is random. Those marked `fit` were
# looked at while bounds were set, the others were not.

pieces <- function(p, sigma) core("each_channel")(p, function(m) core("core_blur")(m, sigma))

moved_noise <- function(h, w, cell, seed) {
  core("with_drawing_seed")(seed, core("smooth_noise")(h, w, cell))
}

# Displaces by smooth noise: a strength of 0.03 moves by up to 3 % of the width.
warped_by <- function(p, s, seed, cell = 4) {
  h <- nrow(p)
  w <- ncol(p)
  dx <- s * w * moved_noise(h, w, w / cell, seed)
  dy <- s * w * moved_noise(h, w, w / cell, seed + 1)
  taken_from(p, row(dx) + dy, col(dx) + dx)
}

# Each pixel from where it is said to come, between pixels.
taken_from <- function(p, rows, columns) {
  h <- nrow(p)
  w <- ncol(p)
  y <- pmin(pmax(rows, 1), h - 0.001)
  x <- pmin(pmax(columns, 1), w - 0.001)
  y0 <- floor(y)
  x0 <- floor(x)
  a <- c(x - x0)
  b <- c(y - y0)
  core("each_channel")(p, function(plane) {
    at <- function(i, j) plane[cbind(c(pmin(y0 + i, h)), c(pmin(x0 + j, w)))]
    matrix(
      (at(0, 0) * (1 - a) + at(0, 1) * a) * (1 - b) +
        (at(1, 0) * (1 - a) + at(1, 1) * a) * b,
      h
    )
  })
}

# Turned by degrees and zoomed about the middle; what lies beyond the border is folded back.
placed <- function(p, degrees = 0, zoom = 1) {
  h <- nrow(p)
  w <- ncol(p)
  u <- col(p[, , 1]) - (w + 1) / 2
  v <- row(p[, , 1]) - (h + 1) / 2
  t <- degrees * pi / 180
  fold <- function(at, n) {
    at <- (at - 1) %% (2 * n - 2)
    pmin(at, 2 * n - 2 - at) + 1
  }

  taken_from(
    p,
    fold((h + 1) / 2 + (cos(t) * v - sin(t) * u) / zoom, h),
    fold((w + 1) / 2 + (cos(t) * u + sin(t) * v) / zoom, w)
  )
}

as_jpeg <- function(p, quality) {
  file <- tempfile(fileext = ".jpg")
  on.exit(unlink(file))
  core("write_drawing")(within01(p), file, quality = quality)
  pixels_of(file)
}

bar_of <- function(kind) {
  function(p, s, seed) {
    set.seed(seed)
    h <- nrow(p)
    w <- ncol(p)
    depth <- round(s * h)
    top <- sample(2, 1) == 1
    rows <- if (top) seq_len(depth) else h + 1 - seq_len(depth)
    # Never what the picture has there anyway: a bar that nobody can see is no flaw.
    beside <- colMeans(matrix(p[if (top) depth + 1:4 else h - depth - 1:4, , ], ncol = 3))
    colours <- matrix(stats::runif(30, 0.05, 0.95), 10)
    colour <- colours[which.max(rowSums(sweep(colours, 2, beside)^2)), ]
    fill <- array(rep(colour, each = depth * w), c(depth, w, 3))
    if (kind == "gradient") {
      fill <- fill * rep(seq(0.55, 1, length.out = w), each = depth)
    }

    if (kind == "grainy") {
      fill <- fill + 0.035 * stats::rnorm(depth * w)
    }

    if (kind == "blurred") {
      fill <- pieces(
        p[
          pmin(h, pmax(1, round(seq(0.2 * h, 0.8 * h, length.out = depth)))), , ,
          drop = FALSE
        ],
        12
      )
      fill <- within01(fill + sign(0.5 - mean(beside)) * 0.12)
    }

    p[rows, , ] <- within01(fill)
    p
  }
}

defect <- function(part, flaw, strengths, make) {
  list(part = part, flaw = flaw, strengths = strengths, make = make)
}

whole_defects <- list(
  flat_bar = defect("fit", "bars", c(0.05, 0.09, 0.15), bar_of("flat")),
  grainy_bar = defect("fit", "bars", c(0.05, 0.09, 0.15), bar_of("grainy")),
  gradient_bar = defect("report", "bars", c(0.05, 0.09, 0.15), bar_of("gradient")),
  blurred_bar = defect("report", "bars", c(0.05, 0.09, 0.15), bar_of("blurred")),
  blocks = defect("fit", "blocks", c(16, 10, 6), function(p, s, seed) as_jpeg(p, s)),
  resized_blocks = defect("report", "blocks", c(14, 9, 5), function(p, s, seed) {
    by <- c(0.8, 0.9, 1.15, 1.25, 1.4, 1.6)[1 + seed %% 6]
    core("resize_picture")(as_jpeg(p, s), round(dim(p)[2:1] * by))
  }),
  colour_blotches = defect("fit", "unfinished", c(0.06, 0.1, 0.16), function(p, s, seed) {
    for (k in 1:3) {
      p[, , k] <- p[, , k] +
        s * moved_noise(nrow(p), ncol(p), c(7, 9, 8)[k], seed + k)
    }

    within01(p)
  }),
  grey_blotches = defect("report", "unfinished", c(0.06, 0.1, 0.16), function(p, s, seed) {
    within01(p + s * c(moved_noise(nrow(p), ncol(p), 8, seed)))
  }),
  noise_left = defect("report", "unfinished", c(0.06, 0.1, 0.16), function(p, s, seed) {
    set.seed(seed)
    for (k in 1:3) {
      p[, , k] <- p[, , k] +
        s * 2.2 * core("core_blur")(matrix(stats::rnorm(nrow(p) * ncol(p)), nrow(p)), 1.1)
    }

    within01(p)
  }),
  few_levels = defect("fit", "banding", c(40, 20, 8), function(p, s, seed) round(p * s) / s),
  few_levels_smoothed = defect("report", "banding", c(32, 16, 10), function(p, s, seed) {
    round(pieces(p, 1.2) * s) / s
  }),
  overexposed = defect("fit", "burnt", c(1.35, 1.6, 2), function(p, s, seed) within01(p * s)),
  hard_contrast = defect("report", "burnt", c(1.5, 1.9, 2.4), function(p, s, seed) {
    within01(0.62 + s * (p - 0.45))
  }),
  underexposed = defect("fit", "crushed", c(0.08, 0.16, 0.26), function(p, s, seed) {
    within01((p - s) / (1 - s))
  }),
  sunk_shadows = defect("report", "crushed", c(1.5, 1.9, 2.4), function(p, s, seed) {
    within01(0.38 + s * (p - 0.55))
  }),
  soft = defect("fit", "blur", c(1.5, 2.5, 4), function(p, s, seed) pieces(p, s)),
  shaken = defect("report", "blur", c(5, 9, 15), function(p, s, seed) {
    offsets <- seq(-s / 2, s / 2)
    Reduce(
      `+`,
      lapply(offsets, function(d) taken_from(p, row(p[, , 1]) + d * 0.5, col(p[, , 1]) + d))
    ) /
      length(offsets)
  }),
  grain = defect("fit", "noise", c(0.06, 0.1, 0.15), function(p, s, seed) {
    set.seed(seed)
    within01(p + s * c(stats::rnorm(nrow(p) * ncol(p))))
  })
)

# What an engine may do to a part of a picture, at its middle third.
in_the_middle <- function(p) {
  h <- nrow(p)
  w <- ncol(p)
  list(
    rows = seq(round(0.33 * h), round(0.67 * h)),
    columns = seq(round(0.33 * w), round(0.67 * w))
  )
}

local_defects <- list(
  swirled = defect("fit", "local_damage", c(0.8, 1.5, 2.5), function(p, s, seed) {
    h <- nrow(p)
    w <- ncol(p)
    u <- col(p[, , 1]) - 0.5 * w
    v <- row(p[, , 1]) - 0.45 * h
    turn <- s * pmax(0, 1 - sqrt(u^2 + v^2) / (0.18 * max(h, w)))^1.2
    taken_from(
      p,
      0.45 * h + sin(turn) * u + cos(turn) * v,
      0.5 * w + cos(turn) * u - sin(turn) * v
    )
  }),
  melted_part = defect("report", "local_damage", c(0.016, 0.03, 0.05), function(p, s, seed) {
    at <- in_the_middle(p)
    p[at$rows, at$columns, ] <- warped_by(p, s * 2, seed, 20)[at$rows, at$columns, ]
    p
  }),
  half_blurred = defect("fit", "local_damage", c(3, 5, 8), function(p, s, seed) {
    half <- seq_len(ncol(p) %/% 2)
    p[, half, ] <- pieces(p, s)[, half, ]
    p
  }),
  doubled = defect("report", "local_damage", c(0.18, 0.24, 0.3), function(p, s, seed) {
    set.seed(seed)
    n <- round(s * min(dim(p)[1:2]))
    from <- c(sample(nrow(p) - n, 1), sample(ncol(p) - n, 1))
    to <- c(
      (from[1] + nrow(p) %/% 2) %% (nrow(p) - n) + 1,
      (from[2] + ncol(p) %/% 2) %% (ncol(p) - n) + 1
    )
    p[to[1] + seq_len(n) - 1, to[2] + seq_len(n) - 1, ] <- p[
      from[1] + seq_len(n) - 1,
      from[2] + seq_len(n) - 1,
    ]
    p
  }),
  tiled = defect("report", "local_damage", 1, function(p, s, seed) {
    small <- core("resize_picture")(p, pmax(1, dim(p)[2:1] %/% 2))
    p[seq_len(2 * nrow(small)), seq_len(2 * ncol(small)), ] <- small[
      rep(seq_len(nrow(small)), 2),
      rep(seq_len(ncol(small)), 2),
    ]
    p
  }),
  caption = defect("fit", "local_damage", c(0.05, 0.07, 0.1), function(p, s, seed) {
    lettered(p, s, 0.88, 1)
  }),
  watermark = defect("report", "local_damage", c(0.3, 0.5, 0.7), function(p, s, seed) {
    lettered(p, 0.14, 0.5, s)
  })
)

lettered <- function(p, size, down, strength) {
  file <- tempfile(fileext = ".png")
  on.exit(unlink(file))
  grDevices::png(file, ncol(p), nrow(p), type = "cairo", bg = "black")
  graphics::par(mar = rep(0, 4))
  graphics::plot.new()
  graphics::plot.window(c(0, 1), c(0, 1), xaxs = "i", yaxs = "i")
  graphics::text(
    0.5,
    1 - down,
    "Brackwater 1897",
    col = "white",
    font = 2,
    cex = size * nrow(p) / 14
  )
  grDevices::dev.off()
  letters <- strength * c(png::readPNG(file)[, , 1])
  ink <- if (mean(p) > 0.5) 0.05 else 0.95
  p * (1 - letters) + ink * letters
}

# A disc of a tenth of the height, changed where in a row (`down`) there is most to change.
spotted <- function(p, by, down) {
  discs <- lapply(seq(0.12, 0.88, length.out = 7), function(at) {
    (row(p[, , 1]) - down * nrow(p))^2 +
      (col(p[, , 1]) - at * ncol(p))^2 <
      (0.1 * nrow(p))^2
  })
  detail <- vapply(discs, function(disc) stats::sd(rowMeans(p, dims = 2)[disc]), 0)
  ifelse(rep(discs[[which.max(detail)]], 3), by(p), p)
}

# Where an edit may change something: an ellipse in the part `fit`, two discs in `report`.
edit_mask <- function(p, part) {
  down <- row(p[, , 1]) / nrow(p)
  across <- col(p[, , 1]) / ncol(p)
  aspect <- ncol(p) / nrow(p)
  if (part == "fit") {
    return(1 * (((down - 0.58) / 0.27)^2 + ((across - 0.5) / 0.25)^2 < 1))
  }

  disc <- function(y, x, r) (down - y)^2 + ((across - x) * aspect)^2 < r^2
  1 * (disc(0.62, 0.4, 0.24) | disc(0.5, 0.62, 0.2))
}

# Edits of the part of a photograph that a mask holds: as an engine that does it well
# leaves it, and as others do. Each takes the photograph, the mask and a seed.
edits_of <- function(part) {
  tinted <- function(p, inside, by) p + c(inside) * rep(by, each = length(inside))
  replaced <- function(p, inside, by) ifelse(rep(inside > 0.5, 3), by, p)
  above_mask <- 0.14
  grain <- function(inside, seed) {
    set.seed(seed)
    matrix(stats::rnorm(length(inside)), nrow(inside))
  }

  always <- list(well_done = function(p, inside, seed) p, copied = NULL)
  own <- list(
    fit = list(
      colour = function(p, inside, seed) tinted(p, inside, c(0.09, -0.02, -0.08)),
      lighter = function(p, inside, seed) tinted(p, inside, 0.06),
      feathered = function(p, inside, seed) {
        tinted(p, core("core_blur")(inside, 5), c(-0.1, 0.03, 0.1))
      },
      displaced = function(p, inside, seed) {
        replaced(p, inside, taken_from(p, row(inside) + 5, col(inside) + 5))
      },
      blurred = function(p, inside, seed) replaced(p, inside, pieces(p, 3)),
      grainy = function(p, inside, seed) tinted(p, 0.06 * inside * grain(inside, seed), 1),
      flat = function(p, inside, seed) {
        replaced(p, inside, rep(c(0.4, 0.45, 0.5), each = length(inside)))
      },
      spot_outside = function(p, inside, seed) {
        spotted(p, function(part) 0.8 * part, above_mask)
      },
      erased_outside = function(p, inside, seed) {
        spotted(p, function(part) pieces(part, 9), above_mask)
      }
    ),
    report = list(
      colour = function(p, inside, seed) tinted(p, inside, c(-0.05, 0.07, 0.02)),
      darker = function(p, inside, seed) tinted(p, inside, -0.07),
      feathered = function(p, inside, seed) {
        tinted(p, core("core_blur")(inside, 7), c(0.09, 0, -0.09))
      },
      displaced = function(p, inside, seed) {
        replaced(p, inside, taken_from(p, row(inside) - 4, col(inside) + 7))
      },
      blurred = function(p, inside, seed) replaced(p, inside, pieces(pieces(p, 1.5), 3)),
      grainy = function(p, inside, seed) {
        tinted(p, 0.12 * inside * core("core_blur")(grain(inside, seed), 0.6), 1)
      },
      noise = function(p, inside, seed) {
        replaced(
          p,
          inside,
          within01(
            0.5 + 0.2 * c(grain(inside, seed), grain(inside, seed + 1), grain(inside, seed + 2))
          )
        )
      },
      spot_outside = function(p, inside, seed) {
        spotted(p, function(part) part[, , c(3, 1, 2)], above_mask)
      },
      erased_outside = function(p, inside, seed) {
        spotted(p, function(part) pieces(part, 14), above_mask)
      }
    )
  )
  c(always, own[[part]])
}

# Scratches, specks, folds, stains and fading, as `worn`; and repairs of it.
worn_photograph <- function(
  p,
  seed,
  kinds = c("scratches", "specks", "folds", "stains", "fading")
) {
  set.seed(seed)
  h <- nrow(p)
  w <- ncol(p)
  mark <- matrix(0, h, w)
  if ("scratches" %in% kinds) {
    for (k in 1:6) {
      rows <- seq(sample(h %/% 2, 1), min(h, sample(h, 1) + h %/% 3))
      at <- pmin(
        w,
        pmax(
          1,
          round(stats::runif(1, 0.05, 0.95) * w + cumsum(stats::rnorm(length(rows), 0, 0.4)))
        )
      )
      mark[cbind(rows, at)] <- 1
      mark[cbind(rows, pmin(w, at + 1))] <- 0.7
    }
  }

  if ("specks" %in% kinds) {
    for (k in 1:40) {
      at <- c(stats::runif(1) * h, stats::runif(1) * w)
      r <- stats::runif(1, 0.8, 2.6)
      mark[(row(mark) - at[1])^2 + (col(mark) - at[2])^2 < r^2] <- 1
    }
  }

  if ("folds" %in% kinds) {
    at <- round(stats::runif(1, 0.3, 0.7) * h + cumsum(stats::rnorm(w, 0, 0.2)))
    for (d in -1:1) {
      mark[cbind(pmin(h, pmax(1, at + d)), seq_len(w))] <- 0.9
    }
  }

  out <- p * (1 - c(mark)) + 0.93 * c(mark)
  stained <- 0
  if ("stains" %in% kinds) {
    stain <- 1 / (1 + exp(-10 * (moved_noise(h, w, w / 5, seed) - 0.55)))
    out <- out * (1 - 0.35 * c(stain) * rep(c(0.4, 0.8, 1.3), each = h * w))
  }

  if ("fading" %in% kinds) {
    out <- (0.22 + 0.66 * out) * rep(c(1.06, 1, 0.86), each = h * w)
  }

  within01(out)
}
