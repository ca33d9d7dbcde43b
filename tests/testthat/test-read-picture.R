write_bytes <- function(bytes, ending = ".png") {
  file <- withr::local_tempfile(fileext = ending, .local_envir = parent.frame())
  writeBin(bytes, file)
  file
}

bytes_of <- function(file) readBin(file, "raw", file.size(file))

test_that("PNG, JPEG and WebP come back as rows x columns x 3", {
  picture <- scene(1)
  for (ending in c(".png", ".jpg", ".webp")) {
    back <- read_picture(picture_file(picture, ending))
    expect_equal(dim(back), c(64, 96, 3), info = ending)
    expect_lt(mean(abs(back - picture)), 0.03, label = ending)
  }
})

test_that("16 bits, grey, palette and transparency are read", {
  deep <- withr::local_tempfile(fileext = ".png")
  write_drawing(scene(1), deep, depth = 16)
  expect_equal(as.integer(bytes_of(deep)[25]), 16)
  expect_equal(read_picture(deep), scene(1), tolerance = 0.01)
  grey <- withr::local_tempfile(fileext = ".png")
  png::writePNG(matrix(0.25, 4, 6), grey)
  expect_equal(dim(read_picture(grey)), c(4, 6, 3))
  clear <- withr::local_tempfile(fileext = ".png")
  png::writePNG(
    array(c(rep(0, 24 * 3), rep(0.25, 24)), c(4, 6, 4)),
    clear
  )
  expect_equal(c(read_picture(clear)), rep(0.75, 72), tolerance = 0.01)
})

test_that("EXIF orientation is applied", {
  skip_if_not(capabilities("jpeg"))
  upright <- scene(1)
  file <- picture_file(upright, ".jpg")
  bytes <- bytes_of(file)
  # An APP1 segment that says: turn a quarter to the right.
  exif <- as.raw(c(
    0xff, 0xe1, 0x00, 0x22, 0x45, 0x78, 0x69, 0x66, 0x00, 0x00, 0x4d, 0x4d, 0x00, 0x2a, 0x00,
    0x00, 0x00, 0x08, 0x00, 0x01, 0x01, 0x12, 0x00, 0x03, 0x00, 0x00, 0x00, 0x01, 0x00, 0x06,
    0x00, 0x00, 0x00, 0x00, 0x00, 0x00
  ))
  turned <- write_bytes(c(bytes[1:2], exif, bytes[-(1:2)]), ".jpg")
  expect_equal(dim(read_picture(turned)), c(96, 64, 3))
})

test_that("the type is told by the content and not by the name", {
  file <- write_bytes(bytes_of(picture_file(scene(1), ".jpg")), ".png")
  expect_equal(dim(read_picture(file)), c(64, 96, 3))
  facts <- picture_facts
  expect_equal(
    facts(bytes_of(picture_file(scene(1), ".webp")))[c("width", "height")],
    list(width = 96, height = 64)
  )
  expect_equal(facts(bytes_of(picture_file(scene(1), ".jpg")))$format, "jpeg")
  expect_null(facts(charToRaw("<svg xmlns='x'/>")))
})

test_that("damaged files are refused with the reason, whatever their ending", {
  png <- bytes_of(picture_file(scene(1)))
  jpg <- bytes_of(picture_file(scene(1), ".jpg"))
  expect_error(read_picture(write_bytes(raw())), "empty file", class = "sprenn_error_picture")
  half <- jpg[seq_len(length(jpg) %/% 3)]
  expect_error(
    read_picture(write_bytes(half, ".jpg")),
    "JPEG file that ends too early",
    class = "sprenn_error_picture"
  )
  webp <- bytes_of(picture_file(scene(1), ".webp"))
  expect_error(
    read_picture(write_bytes(webp[seq_len(length(webp) - 40)], ".webp")),
    "WEBP file that ends too early",
    class = "sprenn_error_picture"
  )
  expect_error(read_picture(write_bytes(png[1:20])), "damaged", class = "sprenn_error_picture")
  expect_error(
    read_picture(write_bytes(png[seq_len(length(png) %/% 2)])),
    "ends too early",
    class = "sprenn_error_picture"
  )
  expect_error(read_picture(write_bytes(jpg[1:8], ".jpg")), class = "sprenn_error_picture")
  expect_error(
    read_picture(write_bytes(charToRaw("<svg/>"), ".png")),
    "SVG or XML",
    class = "sprenn_error_picture"
  )
})

test_that("a picture over the pixel limit is refused before it is decoded", {
  png <- bytes_of(picture_file(scene(1)))
  huge <- png
  huge[17:24] <- as.raw(c(0, 0, 0x9c, 0x40, 0, 0, 0x9c, 0x40))
  expect_error(
    read_picture(write_bytes(huge)),
    "40000 x 40000 pixels",
    class = "sprenn_error_picture"
  )
})

test_that("mutated files are read or refused, and nothing else", {
  withr::local_seed(7)
  sources <- lapply(c(".png", ".jpg", ".webp"), function(ending) {
    bytes_of(picture_file(scene(1, 24, 16), ending))
  })
  for (i in 1:150) {
    bytes <- sources[[1 + i %% 3]]
    at <- sample(length(bytes), 4)
    bytes[at] <- as.raw(sample(0:255, 4, replace = TRUE))
    if (i %% 5 == 0) {
      bytes <- bytes[seq_len(sample(length(bytes), 1))]
    }

    result <- tryCatch(
      suppressWarnings(read_picture(write_bytes(bytes))),
      sprenn_error_picture = function(e) "refused"
    )
    expect_true(identical(result, "refused") || length(dim(result)) == 3)
  }
})

test_that("a packed picture is brought to a frame as its pixels would be, to the last bit", {
  folder <- withr::local_tempdir()
  drawn <- scene(3, 97, 61)
  files <- file.path(folder, c("colour.png", "grey.png", "opaque.png", "photo.jpg"))
  png::writePNG(drawn, files[1])
  png::writePNG(drawn[, , 1], files[2])
  png::writePNG(array(c(drawn, rep(1, 97 * 61)), c(61, 97, 4)), files[3])
  magick::image_write(magick::image_read(drawn), files[4], "jpeg", quality = 92)
  for (file in files) {
    packed <- read_packed(file)
    pixels <- read_picture(file)
    expect_true(is_packed(packed), info = file)
    expect_equal(size_of_picture(packed), c(97, 61))
    expect_equal(unpacked(packed), pixels, tolerance = 0)
    # Within the picture, at its own size, larger, and beyond its edges.
    windows <- list(
      list(c(0.1, 0.2, 0.9, 0.7), c(30, 20)),
      list(c(0, 0, 1, 1), c(97, 61)),
      list(c(0.3, 0.3, 0.6, 0.6), c(80, 64)),
      list(c(-0.2, 0, 1.1, 1), c(40, 20))
    )
    for (one in windows) {
      expect_identical(
        resize_window(packed, one[[1]], one[[2]], c(1, 0, 0)),
        resize_window(pixels, one[[1]], one[[2]], c(1, 0, 0)),
        info = paste(basename(file), paste(unlist(one), collapse = " "))
      )
    }
  }
})

test_that("what has to be converted comes as pixels", {
  folder <- withr::local_tempdir()
  clear <- file.path(folder, "clear.png")
  png::writePNG(array(c(scene(3), rep(c(0, 1), 96 * 32)), c(64, 96, 4)), clear)
  deep <- file.path(folder, "deep.png")
  magick::image_write(magick::image_read(scene(3)), deep, "png", depth = 16)
  for (file in c(clear, deep)) {
    expect_false(is_packed(read_packed(file, "black")))
    expect_equal(read_packed(file, "black"), read_picture(file, "black"), ignore_attr = TRUE)
  }
  expect_error(read_packed(file.path(folder, "none.png")), class = "sprenn_error_picture")
  expect_null(core_without_alpha(as.raw(c(1, 2, 3, 254))))
  expect_equal(core_without_alpha(as.raw(c(1:3, 255, 4:6, 255))), as.raw(1:6))
})

test_that("a part is refused that the bytes do not have", {
  bytes <- as.raw(rep(0, 12))
  expect_error(core_resize_bytes(bytes, c(2L, 2L), c(0L, 0L, 3L, 2L), 1, 1), "not in the picture")
  expect_error(core_resize_bytes(bytes, c(3L, 3L), c(0L, 0L, 1L, 1L), 1, 1), "than stated")
})
