# Looks, each with its medium. What is fitted to has the part `fit`; what is reported on,
# `report`. Most are made by general image processors (G'MIC, GEGL, ImageMagick); the rest
# by a few lines here. All leave everything where it was.

from_gmic <- function(...) {
  steps <- c(...)
  function(from, to) {
    system2(
      "gmic",
      c("-v", "0", shQuote(from), steps, "to_rgb", "cut", "0,255", "-o", shQuote(to)),
      stdout = FALSE,
      stderr = FALSE
    )
  }
}

from_gegl <- function(...) {
  steps <- c(...)
  function(from, to) {
    system2(
      "gegl",
      c(shQuote(from), "-o", shQuote(to), "--", steps),
      stdout = FALSE,
      stderr = FALSE
    )
  }
}

from_pixels <- function(change) {
  function(from, to) write_pixels(change(pixels_of(from)), to)
}

from_magick <- function(change) {
  function(from, to) magick::image_write(change(magick::image_read(from)), to, format = "png")
}

# What pixel changes are made of. Pictures are rows x columns x 3.
blurred <- function(plane, sigma) core("core_blur")(plane, sigma)
light_of <- function(p) 0.299 * p[, , 1] + 0.587 * p[, , 2] + 0.114 * p[, , 3]
as_grey <- function(plane) array(rep(plane, 3), c(dim(plane), 3))
within01 <- function(x) pmin(pmax(x, 0), 1)

curve_of <- function(x, points) {
  array(
    stats::splinefun(seq(0, 1, length.out = length(points)), points, "monoH.FC")(within01(x)),
    dim(x)
  )
}

two_inks <- function(share, paper, ink) {
  paper <- c(grDevices::col2rgb(paper)) / 255
  ink <- c(grDevices::col2rgb(ink)) / 255
  array(
    rep(paper, each = length(share)) * (1 - c(share)) +
      rep(ink, each = length(share)) * c(share),
    c(dim(share), 3)
  )
}

saturate <- function(p, by) {
  grey <- c(light_of(p))
  within01(grey + by * (p - grey))
}

grain_of_film <- function(p, by, seed) {
  set.seed(seed)
  noise <- blurred(matrix(stats::rnorm(length(p) / 3), nrow(p)), 0.6) * 2
  within01(p + by * c(noise))
}

# Dots on a turned grid, larger where it is darker.
dots_of <- function(plane, pitch, turn) {
  u <- (col(plane) * cos(turn) + row(plane) * sin(turn)) * 2 * pi / pitch
  v <- (row(plane) * cos(turn) - col(plane) * sin(turn)) * 2 * pi / pitch
  screen <- 0.5 + 0.25 * (cos(u) + cos(v))
  within01(0.5 + 4 * (screen - plane))
}

outline_of <- function(p, sigma, gain) {
  light <- light_of(p)
  within01(gain * pmax(blurred(light, 1.6 * sigma) - blurred(light, sigma), 0))
}

dodge <- function(plane, sigma) within01(plane / pmax(blurred(plane, sigma), 0.02))

paper_of <- function(plane, by, seed) {
  set.seed(seed)
  1 + by * (blurred(matrix(stats::rnorm(length(plane)), nrow(plane)), 1.2) * 3)
}

pixelated <- function(p, by, levels) {
  rows <- ((row(p[, , 1]) - 1) %/% by) * by + 1 + by %/% 2
  columns <- ((col(p[, , 1]) - 1) %/% by) * by + 1 + by %/% 2
  at <- cbind(pmin(c(rows), nrow(p)), pmin(c(columns), ncol(p)))
  for (k in 1:3) {
    p[, , k] <- blurred(p[, , k], by / 3)[at]
  }

  round(p * (levels - 1)) / (levels - 1)
}

look <- function(part, medium, make) list(part = part, medium = medium, make = make)

natural_looks <- list(
  # Fitted to.
  grey = look("fit", "photographic", from_pixels(function(p) as_grey(light_of(p)^1.1))),
  sepia = look("fit", "photographic", from_gmic("sepia")),
  soft_glow = look("fit", "photographic", from_gegl("gegl:softglow")),
  warm = look(
    "fit",
    "photographic",
    from_pixels(function(p) {
      within01(saturate(p, 1.25) * rep(c(1.1, 1, 0.78), each = length(p) / 3))
    })
  ),
  cross = look(
    "fit",
    "photographic",
    from_pixels(function(p) {
      p[, , 1] <- curve_of(p[, , 1], c(0, 0.15, 0.55, 0.92, 1))
      p[, , 2] <- curve_of(p[, , 2], c(0.02, 0.2, 0.52, 0.82, 0.97))
      p[, , 3] <- curve_of(p[, , 3], c(0.18, 0.32, 0.48, 0.65, 0.8))
      p
    })
  ),
  oil = look("fit", "painted", from_gegl("gegl:oilify", "mask-radius=6")),
  facets = look("fit", "painted", from_gmic("kuwahara", "5")),
  whirls = look("fit", "painted", from_gmic("whirls", ",")),
  ink_wash = look(
    "fit",
    "painted",
    from_gmic("fx_ink_wash", "0.14,23,0,0.5,0.54,2.25,0,2,6,5,20,0")
  ),
  canvas = look(
    "fit",
    "painted",
    from_gegl("gegl:oilify", "mask-radius=4", "gegl:texturize-canvas")
  ),
  smear = look("fit", "painted", from_gmic("smooth", "80,0.2,0.9,2,2")),
  drawing = look("fit", "drawn", from_gmic("drawing", ",")),
  woodcut = look("fit", "drawn", from_gmic("fx_engrave", "0.5,4,0,8,40,0,0,0,10,1,0,0,0,1,0")),
  charcoal = look(
    "fit",
    "drawn",
    from_gmic("fx_charcoal", "65,70,170,0,1,0,50,70,255,255,255,0,0,0,0")
  ),
  copier = look("fit", "drawn", from_gegl("gegl:photocopy")),
  poster_edges = look("fit", "drawn", from_gmic("fx_poster_edges", "20,60,5,0,10,0,0")),
  soft_pencil = look(
    "fit",
    "drawn",
    from_pixels(function(p) as_grey(dodge(light_of(p), 6)^1.5))
  ),
  comic = look("fit", "drawn", from_gegl("gegl:cartoon", "mask-radius=7", "pct-black=0.2")),
  newsprint = look("fit", "printed", from_gegl("gegl:newsprint", "period=6")),
  dots = look(
    "fit",
    "printed",
    from_pixels(function(p) {
      inks <- vapply(
        1:3,
        function(k) dots_of(1 - blurred(p[, , k], 1), 5, c(0.26, 1.31, 0.1)[k]),
        matrix(0, nrow(p), ncol(p))
      )
      1 - within01(1 - inks) * 0.95
    })
  ),
  six_colours = look("fit", "printed", from_gmic("quantize", "6")),
  tiles = look("fit", "printed", from_gegl("gegl:mosaic", "tile-size=10")),
  dithered = look(
    "fit",
    "printed",
    from_gegl("gegl:dither", "red-levels=2", "green-levels=2", "blue-levels=2")
  ),
  patches = look("fit", "printed", from_gegl("gegl:slic", "cluster-size=12")),
  duotone = look(
    "fit",
    "printed",
    from_pixels(function(p) {
      two_inks(curve_of(1 - light_of(p), c(0, 0.1, 0.5, 0.95, 1)), "#f4e9c8", "#8a2f5b")
    })
  ),
  # Reported on.
  film = look(
    "report",
    "photographic",
    from_pixels(function(p) {
      grain_of_film(
        0.1 + 0.82 * saturate(p, 0.75) * rep(c(1.03, 1, 0.93), each = length(p) / 3),
        0.03,
        5
      )
    })
  ),
  stress = look("report", "photographic", from_gegl("gegl:stress", "iterations=6")),
  night = look(
    "report",
    "photographic",
    from_pixels(function(p) {
      within01(saturate(p, 0.55)^1.5 * rep(c(0.5, 0.68, 1.05), each = length(p) / 3))
    })
  ),
  infrared = look(
    "report",
    "photographic",
    from_pixels(function(p) {
      near <- within01(1.5 * p[, , 2] - 0.6 * p[, , 3] + 0.1)
      array(
        c(
          within01(near * 1.05),
          within01(0.55 * p[, , 1] + 0.4 * near),
          within01(0.9 * p[, , 1])
        ),
        dim(p)
      )
    })
  ),
  paint = look(
    "report",
    "painted",
    from_magick(function(m) {
      magick::image_modulate(magick::image_oilpaint(m, 3), saturation = 130)
    })
  ),
  flat_shapes = look("report", "painted", from_gmic("fx_vector_painting", "9,0")),
  watercolour = look(
    "report",
    "painted",
    from_gmic(
      "smooth", "60,0,1,3,1", "+gradient_norm", "blur.", "1", "n.", "0,60", "-", "apply_gamma.",
      "1.6"
    )
  ),
  gouache = look("report", "painted", from_gmic("kuwahara", "7", "quantize", "10")),
  light_veins = look("report", "painted", from_gmic("rodilius", ",")),
  daubs = look(
    "report",
    "painted",
    from_gegl("gegl:cubism", "tile-size=5", "tile-saturation=2")
  ),
  sketch = look("report", "drawn", from_gmic("sketchbw", ",")),
  graphite = look("report", "drawn", from_gmic("pencilbw", ",")),
  conte = look("report", "drawn", from_gmic("fx_pen_drawing", "10,0")),
  felt_pen = look("report", "drawn", from_gmic("fx_feltpen", "300,50,1,0.1,20,5,0")),
  pencil = look("report", "drawn", from_gmic("pencilbw", "1.2,60")),
  cartoon = look("report", "drawn", from_gmic("cartoon", ",")),
  ink = look(
    "report",
    "drawn",
    from_pixels(function(p) as_grey(1 - within01(outline_of(p, 1, 45) - 0.15)))
  ),
  colour_pencil = look(
    "report",
    "drawn",
    from_pixels(function(p) {
      within01(
        c(dodge(light_of(p), 5)^1.3) *
          (0.45 + 0.55 * saturate(p, 1.3)) *
          c(paper_of(p[, , 1], 0.12, 3))
      )
    })
  ),
  halftone = look("report", "printed", from_gmic("halftone", ",")),
  four_inks = look(
    "report",
    "printed",
    from_gegl(
      "gegl:newsprint", "color-model=cmyk", "period=5", "period2=5", "period3=5", "period4=5"
    )
  ),
  line_screen = look("report", "printed", from_gegl("gegl:engrave", "row-height=4")),
  poster = look("report", "printed", from_gmic("poster_hope", ",")),
  stencil = look("report", "printed", from_gmic("stencilbw", ",")),
  linocut = look(
    "report",
    "printed",
    from_pixels(function(p) {
      light <- light_of(p)
      two_inks(
        within01(0.5 + 12 * (0.5 * blurred(light, 12) + 0.22 - blurred(light, 1))),
        "#f2ead8",
        "#1d2b3a"
      )
    })
  ),
  blueprint = look(
    "report",
    "printed",
    from_pixels(function(p) {
      two_inks(within01(0.12 * light_of(p) + outline_of(p, 0.9, 30)), "#173f7a", "#eef4ff")
    })
  ),
  two_ink_print = look(
    "report",
    "printed",
    from_pixels(function(p) {
      light <- blurred(light_of(p), 0.8)
      red <- dots_of(1 - within01(light * 1.25), 6, 0.4)
      blue <- within01(0.5 + 8 * (light - 0.33))
      array(
        c(
          0.15 + 0.8 * pmin(1, blue),
          (0.3 + 0.65 * red) * (0.35 + 0.65 * blue),
          (0.35 + 0.5 * red) * (0.6 + 0.4 * blue)
        ),
        dim(p)
      )
    })
  ),
  ellipses = look("report", "printed", from_gmic("ellipsionism", ",")),
  pixel_art = look("report", "printed", from_pixels(function(p) pixelated(p, 5, 5)))
)

looks_of <- function(part) Filter(function(one) one$part == part, natural_looks)

# The path of a photograph (a PNG) in a look, made where it is not there yet.
in_look <- function(path, name) {
  to <- file.path(kept_in(), "looks", name, basename(path))
  if (!file.exists(to)) {
    dir.create(dirname(to), recursive = TRUE, showWarnings = FALSE)
    beside <- sub("[.]png$", ".part.png", to)
    natural_looks[[name]]$make(path, beside)
    if (!file.exists(beside)) {
      stop("The look ", name, " could not be made of ", path, call. = FALSE)
    }

    size <- magick::image_info(magick::image_read(path))
    made <- magick::image_read(beside)
    if (!identical(
      magick::image_info(made)[c("width", "height")],
      size[c("width", "height")]
    )) {
      made <- magick::image_resize(made, sprintf("%dx%d!", size$width, size$height))
    }

    magick::image_write(
      magick::image_convert(magick::image_background(made, "white"), type = "TrueColor"),
      beside,
      format = "png"
    )
    file.rename(beside, to)
  }

  to
}
