keep_file <- function(bytes, ending, env = parent.frame()) {
  file <- withr::local_tempfile(fileext = ending, .local_envir = env)
  writeBin(bytes, file)
  file
}

encode <- function(picture, format, ...) {
  magick::image_write(magick::image_read(picture), format = format, ...)
}

refused <- function(bytes, found, ending = ".png") {
  expect_error(read_picture(keep_file(bytes, ending)), found, class = "sprenn_error_picture")
}

# A PNG chunk put behind the header of a PNG.
with_chunk <- function(png, kind, data) {
  number <- function(n) as.raw(c(n %/% 256^3, n %/% 256^2 %% 256, n %/% 256 %% 256, n %% 256))
  body <- c(charToRaw(kind), data)
  c(png[1:33], number(length(data)), body, crc32(body), png[-(1:33)])
}

crc32 <- function(bytes) {
  # Bit by bit, as the PNG specification has it, in halves since R has no unsigned integers.
  high <- 65535
  low <- 65535
  for (byte in as.integer(bytes)) {
    low <- bitwXor(low, byte)
    for (k in 1:8) {
      odd <- low %% 2
      low <- low %/% 2 + 32768 * (high %% 2)
      high <- high %/% 2
      if (odd) {
        high <- bitwXor(high, 0xedb8)
        low <- bitwXor(low, 0x8320)
      }
    }
  }

  high <- 65535 - high
  low <- 65535 - low
  as.raw(c(high %/% 256, high %% 256, low %/% 256, low %% 256))
}

# A profile of a matrix and three curves: `matrix` has the columns rXYZ, gXYZ,
# bXYZ, `curve` is the bytes of a curve tag.
make_profile <- function(matrix, curve) {
  number <- function(n) as.raw(c(n %/% 256^3, n %/% 256^2 %% 256, n %/% 256 %% 256, n %% 256))
  fixed <- function(x) number(round(x * 65536) %% 2^32)
  tags <- c("rXYZ", "gXYZ", "bXYZ", "rTRC", "gTRC", "bTRC")
  data <- c(
    lapply(1:3, function(k) {
      c(
        charToRaw("XYZ "),
        raw(4),
        fixed(matrix[1, k]),
        fixed(matrix[2, k]),
        fixed(matrix[3, k])
      )
    }),
    rep(list(curve), 3)
  )
  at <- 132 + 12 * 6 + cumsum(c(0, lengths(data)[-6]))
  c(
    raw(12),
    charToRaw("mntrRGB XYZ "),
    raw(12),
    charToRaw("acsp"),
    raw(88),
    number(6),
    unlist(unname(
      Map(
        function(tag, at, size) c(charToRaw(tag), number(at), number(size)),
        tags,
        at,
        lengths(data)
      )
    )),
    unlist(data)
  )
}

gamma_curve <- function(power) {
  c(
    charToRaw("curv"),
    raw(4),
    as.raw(c(0, 0, 0, 1)),
    as.raw(c(power * 256) %/% 256),
    as.raw((power * 256) %% 256)
  )
}

srgb <- srgb_to_xyz

test_that("palette, interlaced, deep and grey PNGs come out as their pixels", {
  picture <- round(scene(2, 48, 32) * 255) / 255
  few <- round(picture * 2) / 2
  indexed <- encode(few, "png8")
  expect_equal(as.integer(indexed[26]), 3)
  expect_equal(read_picture(keep_file(indexed, ".png")), few, tolerance = 0.01)
  laced <- magick::image_write(
    magick::image_convert(magick::image_read(picture), format = "png", interlace = "plane"),
    format = "png"
  )
  expect_equal(as.integer(laced[29]), 1)
  expect_equal(c(read_picture(keep_file(laced, ".png"))), c(picture), tolerance = 1e-6)
  grey <- png::writePNG(picture[, , 1])
  expect_equal(read_picture(keep_file(grey, ".png"))[, , 3], picture[, , 1], tolerance = 1e-6)
})

test_that("TIFFs of 8 and 16 bits are read, one page only", {
  picture <- scene(3, 48, 32)
  for (depth in c(8, 16)) {
    back <- read_picture(keep_file(encode(picture, "tiff", depth = depth), ".tif"))
    expect_equal(c(back), c(picture), tolerance = 2 / 2^depth)
  }

  pages <- magick::image_write(
    c(magick::image_read(picture), magick::image_read(scene(4, 48, 32))),
    format = "tiff",
    depth = 8
  )
  refused(pages, "2 pictures", ".tif")
})

test_that("a JPEG in four inks is read in colour", {
  red <- array(rep(c(0.8, 0.1, 0.1), each = 24 * 16), c(16, 24, 3))
  inks <- magick::image_write(
    magick::image_convert(magick::image_read(red), colorspace = "CMYK"),
    format = "jpeg",
    quality = 95
  )
  back <- read_picture(keep_file(inks, ".jpg"))
  expect_equal(dim(back), c(16, 24, 3))
  expect_gt(mean(back[, , 1]) - mean(back[, , 2]), 0.4)
})

test_that("transparency is laid on the backdrop that is asked for", {
  clear <- png::writePNG(
    array(c(rep(0.5, 24 * 3), rep(0, 24)), c(4, 6, 4))
  )
  file <- keep_file(clear, ".png")
  expect_equal(unique(c(read_picture(file))), 1)
  expect_equal(read_picture(file, "#ff8000")[1, 1, ], c(255, 128, 0) / 255)
  expect_error(read_picture(file, "orange-ish"), class = "sprenn_error_argument")
})

test_that("colour profiles of a matrix and curves are brought to sRGB", {
  picture <- array(rep(c(0.2, 0.5, 0.7), each = 12), c(3, 4, 3))
  jpeg_like <- function(profile) {
    bytes <- with_chunk(
      png::writePNG(picture),
      "iCCP",
      c(charToRaw("p"), as.raw(c(0, 0)), memCompress(profile, "gzip"))
    )
    to_srgb(
      picture,
      embedded_profile(encoded_picture(bytes))
    )
  }

  swapped <- jpeg_like(make_profile(srgb[, c(2, 3, 1)], gamma_curve(2.2)))
  light <- c(0.2, 0.5, 0.7)^2.2
  expected <- ifelse(light <= 0.0031308, 12.92 * light, 1.055 * light^(1 / 2.4) - 0.055)
  expect_equal(swapped[1, 1, c(2, 3, 1)], expected, tolerance = 2e-3)
  linear <- jpeg_like(make_profile(srgb, c(charToRaw("curv"), raw(8))))
  expect_equal(
    linear[1, 1, ],
    ifelse(c(0.2, 0.5, 0.7) <= 0.0031308, 0, 1.055 * c(0.2, 0.5, 0.7)^(1 / 2.4) - 0.055),
    tolerance = 2e-3
  )
  expect_equal(attr(jpeg_like(make_profile(srgb, charToRaw("mystery!"))), "profile"), "unknown")
  expect_equal(attr(jpeg_like(as.raw(1:200)), "profile"), "unknown")
})

test_that("a PNG with a gamma and nothing else is brought to sRGB's", {
  picture <- array(0.5, c(3, 4, 3))
  dark <- read_picture(
    keep_file(with_chunk(png::writePNG(picture), "gAMA", as.raw(c(0, 1, 0x86, 0xa0))), ".png")
  )
  expect_equal(dark[1, 1, 1], 1.055 * (128 / 255)^(1 / 2.4) - 0.055, tolerance = 1e-3)
  usual <- read_picture(
    keep_file(with_chunk(png::writePNG(picture), "gAMA", as.raw(c(0, 0, 0xb1, 0x8f))), ".png")
  )
  expect_equal(usual[1, 1, 1], 128 / 255)
})

test_that("a profile found in a JPEG, a WebP or a TIFF is the one that was put there", {
  profile <- make_profile(srgb, gamma_curve(1.8))
  jpg <- encode(scene(1, 24, 16), "jpeg")
  segment <- c(
    as.raw(c(0xff, 0xe2)),
    as.raw(c((length(profile) + 16) %/% 256, (length(profile) + 16) %% 256)),
    charToRaw("ICC_PROFILE"),
    as.raw(c(0, 1, 1)),
    profile
  )
  profile_in <- function(bytes) {
    embedded_profile(list(bytes = bytes, facts = picture_facts(bytes)))
  }

  expect_identical(profile_in(c(jpg[1:2], segment, jpg[-(1:2)])), profile)
  expect_null(profile_in(jpg))
  webp <- c(
    charToRaw("RIFF"),
    raw(4),
    charToRaw("WEBPICCP"),
    as.raw(c(length(profile) %% 256, length(profile) %/% 256, 0, 0)),
    profile
  )
  expect_identical(webp_profile(webp), profile)
})

test_that("animations, other formats and scripts are refused by what they are", {
  frames <- c(magick::image_read(scene(1, 24, 16)), magick::image_read(scene(2, 24, 16)))
  refused(magick::image_write(frames, format = "gif"), "a GIF file", ".png")
  refused(
    with_chunk(
      png::writePNG(scene(1, 24, 16)),
      "acTL",
      as.raw(c(0, 0, 0, 3, 0, 0, 0, 0))
    ),
    "3 pictures"
  )
  refused(charToRaw("<?xml version='1.0'?><svg xmlns='http://www.w3.org/2000/svg'/>"), "SVG")
  refused(charToRaw("%!PS-Adobe-3.0\nshowpage"), "PostScript", ".jpg")
  refused(charToRaw("push graphic-context\nimage over 0,0 0,0 'msl:x'"), "not a picture", ".png")
  refused(charToRaw("#!/bin/sh\necho hello"), "not a picture", ".webp")
  refused(as.raw(1:200), "not a picture")
  refused(
    c(
      charToRaw("RIFF"),
      as.raw(c(22, 0, 0, 0)),
      charToRaw("WEBPVP8X"),
      as.raw(c(10, 0, 0, 0, 2, 0, 0, 0, 9, 0, 0, 9, 0, 0))
    ),
    "animation",
    ".webp"
  )
})

test_that("names don't reach the image library: signs that it would act on are just names", {
  for (name in c(
    "png:x.png",
    "x.png[0]",
    "|echo.png",
    "*.png",
    "x%d.png",
    "\u00fcn\u00ef\u4e2d.png",
    "a b'c\".png"
  )) {
    folder <- withr::local_tempdir()
    file <- file.path(folder, name)
    if (!suppressWarnings(tryCatch(
      {
        writeBin(png::writePNG(scene(1, 24, 16)), file)
        TRUE
      },
      error = function(e) FALSE
    ))) {
      next
    }

    expect_equal(dim(read_picture(file)), c(16, 24, 3), info = name)
  }
})

test_that("a picture over 16 million pixels is shrunk as it is read, and says so", {
  file <- keep_file(
    encode(array(rep(c(0.2, 0.8), each = 5000), c(100, 100, 3)), "jpeg"),
    ".jpg"
  )
  magick::image_write(
    magick::image_resize(magick::image_read(file), "4200x4000!"),
    file,
    format = "jpeg"
  )
  large <- read_picture(file)
  expect_equal(dim(large), c(3901, 4096, 3), tolerance = 1e-3)
  expect_equal(attr(large, "shrunk_from"), c(4200, 4000))
})

test_that("one reading of a plain picture says what two do: pixels, bytes and a quick look", {
  picture <- round(scene(5, 90, 60) * 255) / 255
  for (bytes in list(
    png::writePNG(picture),
    encode(picture, "jpeg"),
    encode(picture, "png", depth = 16),
    png::writePNG(picture[, , 1])
  )) {
    encoded <- encoded_picture(bytes)
    summary <- summarise_picture(encoded)
    pixels <- decode_picture(encoded)
    expect_equal(summary$hash, pixel_hash(pixels))
    expect_equal(summary$size, dim(pixels)[2:1])
    expect_equal(summary$white, mean(rowMeans(pixels, dims = 2) > 0.5))
  }
})
