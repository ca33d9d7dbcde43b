# The demo's pictures, in the sizes, formats and states that people really have.

# Draws those of the demo's pictures that are `wanted`, by their paths.
draw_demo_pictures <- function(folder, wanted) {
  for (path in unique(wanted)) {
    dir.create(file.path(folder, dirname(path)), showWarnings = FALSE)
    demo_pictures()[[path]](file.path(folder, path))
  }
}

demo_pictures <- function() {
  tile <- function(name, width, height, seed, ...) {
    function(path) write_drawing(draw_tile(name, width, height, seed), path, ...)
  }

  look <- function(manner, name, seed) {
    function(path) {
      picture <- draw_tile(name, 384, 256, seed)
      write_drawing(
        with_drawing_seed(seed, paint_manner(picture, manner, home_palette(manner))),
        path
      )
    }
  }

  cut <- function(seed) {
    function(path) {
      write_drawing(
        with_drawing_seed(
          seed,
          paint_manner(
            draw_tile("salt", 384, 256, seed),
            "linocut",
            home_palette("linocut"),
            0.95
          )
        ),
        path
      )
    }
  }

  card <- function(name, seed, ...) {
    function(path) write_drawing(draw_portrait(card_people()[[name]], 320, 400, seed), path, ...)
  }

  worn <- function(name, seed, ...) {
    function(path) write_drawing(wear(draw_tile(name, 480, 320, seed), seed), path, ...)
  }

  list(
    "references/windmill.png" = tile("windmill", 576, 384, 301, depth = 16),
    "references/lighthouse.jpg" = tile("lighthouse", 600, 400, 302),
    "references/ferry.webp" = tile("ferry", 640, 360, 303),
    "references/tower.jpg" = function(path) {
      write_on_its_side(draw_tile("tower", 384, 512, 304), path)
    },
    "references/kites.png" = tile("kites", 240, 160, 305),
    "references/greenhouse.jpg" = tile("greenhouse", 540, 360, 318),
    "references/mast.png" = tile("mast", 480, 320, 319),
    "references/greenhouse-worn.jpg" = worn("greenhouse", 306, quality = 12),
    "references/salt-worn.tif" = worn("salt", 307),
    "references/mast-worn.png" = worn("mast", 308),
    "references/salt-flats.png" = tile("salt", 576, 384, 309),
    "references/sign.png" = function(path) {
      write_drawing(add_lettering(draw_tile("mast", 384, 384, 310)), path)
    },
    "references/cutout.png" = function(path) {
      png::writePNG(cut_out("kites", 360, 300, 311), path)
    },
    "references/strip.png" = tile("mast", 220, 700, 313),
    "references/stamp.png" = tile("salt", 120, 80, 314),
    "references/poster.jpg" = function(path) {
      write_poster(draw_tile("lighthouse", 600, 400, 302), path)
    },
    "references/press.jpg" = function(path) {
      write_with_profile(draw_tile("ferry", 600, 400, 315), path)
    },
    "references/barred.png" = function(path) {
      write_drawing(add_bars(draw_tile("greenhouse", 480, 320, 316)), path)
    },
    "references/shingle.png" = function(path) write_drawing(draw_shingle(480, 320, 317), path),
    "references/stencil.png" = function(path) {
      png::writePNG(whitened(cut_out("kites", 480, 320, 325)), path)
    },
    "references/ferry-again.jpg" = tile("ferry", 640, 360, 303),
    "references/ferryman.png" = card("ferryman", 321),
    "references/harbour-mistress.jpg" = card("mistress", 322),
    "references/lamplighter.png" = card("lamplighter", 323),
    "references/salt-raker.jpg" = card("raker", 324),
    "looks/linocut-a.png" = look("linocut", "salt", 41),
    "looks/linocut-b.png" = look("linocut", "mast", 42),
    "looks/gouache-a.png" = look("gouache", "mast", 43),
    "looks/gouache-b.jpg" = look("gouache", "salt", 44),
    "handmade/handmade--salt-fresh--11.png" = cut(41),
    "handmade/handmade--salt-fresh--23.png" = cut(42),
    "masks/mast-scratches.png" = function(path) {
      png::writePNG(box_mask(480, 320, c(0.25, 0.05, 0.75, 0.95)), path)
    },
    "masks/ferry-keep.png" = function(path) {
      png::writePNG(box_mask(640, 360, c(0.3, 0.45, 0.85, 0.95)), path)
    },
    "guides/salt-depth.png" = function(path) {
      write_drawing(draw_depth("salt", 384, 256, 312), path, depth = 16)
    },
    "guides/kite-flyer.json" = function(path) writeLines(kite_flyer, path)
  )
}

write_drawing <- function(picture, path, depth = 8, quality = 92) {
  format <- c(png = "png", jpg = "jpeg", webp = "webp", tif = "tiff")[[sub(".*\\.", "", path)]]
  if (format == "png" && depth == 8) {
    return(png::writePNG(picture, path))
  }

  magick::image_write(
    magick::image_read(picture),
    path,
    format = format,
    depth = depth,
    quality = quality
  )
}

# A JPEG whose pixels lie on their side, with the EXIF note that says so (a
# quarter turn to the right sets it upright: orientation 6).
write_on_its_side <- function(picture, path) {
  write_drawing(
    each_channel(picture, function(plane) t(plane)[rev(seq_len(ncol(plane))), ]),
    path
  )
  bytes <- readBin(path, "raw", file.size(path))
  note <- as.raw(c(
    0xff,
    0xe1,
    0,
    0x22,
    utf8ToInt("Exif"),
    0,
    0,
    utf8ToInt("MM"),
    0,
    0x2a,
    0,
    0,
    0,
    8,
    0,
    1,
    0x01,
    0x12,
    0,
    3,
    0,
    0,
    0,
    1,
    0,
    6,
    0,
    0,
    0,
    0,
    0,
    0
  ))
  writeBin(c(bytes[1:2], note, bytes[-(1:2)]), path)
}

# Larger than anybody needs: over 16 million pixels.
write_poster <- function(picture, path) {
  large <- magick::image_resize(magick::image_read(picture), "5040x3360!")
  magick::image_write(large, path, format = "jpeg", quality = 60)
}

# A JPEG with a colour profile of the kind that printers use: a table in place of
# curves and a matrix. (Only its head is there; nobody gets further.)
write_with_profile <- function(picture, path) {
  write_drawing(picture, path)
  bytes <- readBin(path, "raw", file.size(path))
  profile <- c(
    raw(12),
    charToRaw("prtrRGB Lab "),
    raw(12),
    charToRaw("acsp"),
    raw(88),
    as.raw(c(0, 0, 0, 1)),
    charToRaw("A2B0"),
    as.raw(c(0, 0, 0, 144, 0, 0, 0, 16)),
    raw(16)
  )
  size <- length(profile) + 16L
  segment <- c(
    as.raw(c(0xff, 0xe2, size %/% 256, size %% 256)),
    charToRaw("ICC_PROFILE"),
    as.raw(c(0, 1, 1)),
    profile
  )
  writeBin(c(bytes[1:2], segment, bytes[-(1:2)]), path)
}

add_bars <- function(picture) {
  rows <- dim(picture)[1]
  picture[c(seq_len(rows %/% 12), rows + 1 - seq_len(rows %/% 12)), , ] <- 0
  picture
}

# A beach of small stones, and nothing else.
draw_shingle <- function(width, height, seed) {
  with_drawing_seed(seed, {
    layer <- draw_layer(height, width, function() {
      for (i in 1:9000) {
        x <- stats::runif(1)
        y <- stats::runif(1)
        turn <- seq(0, 2 * pi, length.out = 9)
        r <- stats::runif(1, 0.006, 0.011)
        fill_polygon(
          x + r * cos(turn) * height / width,
          y + 0.8 * r * sin(turn),
          grDevices::hcl(stats::runif(1, 0, 90), 25, stats::runif(1, 15, 95)),
          "#3a352f"
        )
      }
    })
    clamp(layer$colour + stats::rnorm(length(layer$colour), sd = 0.012))
  })
}

# Thin scratches, specks, and colours that faded.
wear <- function(picture, seed) {
  with_drawing_seed(seed, {
    marks <- draw_layer(dim(picture)[1], dim(picture)[2], function() {
      for (i in 1:9) {
        x <- stats::runif(1)
        graphics::lines(
          x + cumsum(stats::rnorm(12, 0.004, 0.008)),
          seq(stats::runif(1, 0, 0.4), stats::runif(1, 0.6, 1), length.out = 12),
          col = "#f4efe6",
          lwd = 1.2
        )
      }

      graphics::points(
        stats::runif(60),
        stats::runif(60),
        pch = 16,
        cex = 0.35,
        col = sample(c("#f4efe6", "#2a241d"), 60, TRUE)
      )
    })
    0.12 + 0.82 * lay_over(picture, marks)
  })
}

add_lettering <- function(picture, size = 2.2) {
  layer <- draw_layer(dim(picture)[1], dim(picture)[2], function() {
    fill_polygon(c(0.14, 0.86, 0.86, 0.14), c(0.06, 0.06, 0.2, 0.2), "#efe4c9", "#3a2f25")
    graphics::text(0.5, 0.13, "BRACKWATER", cex = size, col = "#3a2f25", font = 2)
  })
  lay_over(picture, layer)
}

# A thing by itself, transparent around: rows x columns x 4.
cut_out <- function(name, width, height, seed) {
  with_drawing_seed(seed, {
    layer <- draw_layer(height, width, function() {
      draw_thing(name, list(x = 0.5, y = 0.25, size = 1, flip = 1, aspect = height / width))
    })
    array(c(layer$colour, layer$cover), c(height, width, 4))
  })
}

# White wherever it is not transparent.
whitened <- function(picture) {
  picture[, , 1:3] <- 1
  picture
}

box_mask <- function(width, height, box) {
  inside <- function(n, from, to) seq_len(n) > from * n & seq_len(n) <= to * n
  outer(inside(height, box[2], box[4]), inside(width, box[1], box[3])) + 0
}

# How far away everything is: dark is near. The ground comes closer downwards,
# the thing that stands there is nearer than what is behind it.
draw_depth <- function(name, width, height, seed) {
  with_drawing_seed(seed, {
    far <- matrix(seq(1, 0.25, length.out = height), height, width)
    layer <- draw_layer(height, width, function() {
      draw_thing(name, list(x = 0.5, y = 0.3, size = 1, flip = 1, aspect = height / width))
    })
    depth <- soften(far * (1 - layer$cover) + 0.35 * layer$cover, 3)
    array(depth, c(height, width, 3))
  })
}

# Someone who stands on the hill, one arm up.
kite_flyer <- c(
  "{\"width\": 240, \"height\": 160, \"figures\": [{",
  "  \"nose\": [137, 84], \"left_shoulder\": [142, 91], \"right_shoulder\": [132, 91],",
  "  \"left_elbow\": [147, 86], \"left_wrist\": [151, 78],",
  "  \"right_elbow\": [129, 97], \"right_wrist\": [128, 103],",
  "  \"left_hip\": [140, 103], \"right_hip\": [134, 103],",
  "  \"left_knee\": [141, 109], \"right_knee\": [133, 109],",
  "  \"left_ankle\": [141, 116], \"right_ankle\": [133, 116]}]}"
)
