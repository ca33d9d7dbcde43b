view <- view_picture

change <- function(a, b) {
  style_distance(view(a)$style, view(b)$style) / style_space$between
}

test_that("the same picture has no style change, and a new palette has much", {
  picture <- scene(1, 384, 256)
  sepia <- array(rowMeans(picture, dims = 2), dim(picture)) *
    rep(c(1, 0.8, 0.55), each = 384 * 256)
  expect_equal(change(picture, picture), 0)
  expect_gt(change(picture, sepia), 0.25)
  expect_gt(change(picture, 1 - picture), 0.15)
})

test_that("moving the contents changes the style far less than repainting does", {
  picture <- scene(2, 384, 256)
  turned <- mirrored(picture)
  moved <- picture[c(101:256, 1:100), , ]
  coarse <- each_channel(picture, soften, size = 6)
  expect_lt(change(picture, turned), 0.1)
  expect_lt(change(picture, moved), 0.2)
  expect_gt(change(picture, coarse), 2 * change(picture, moved))
})

test_that("the style vector is named, finite and of the style space's length", {
  style <- view(scene(3))$style
  expect_named(style, names(style_space$centre))
  expect_true(all(is.finite(style)))
  expect_equal(dim(style_space$whitening), rep(length(style), 2))
})

test_that("the look match is 0 at the reference and near 1 at another picture in the look", {
  paint <- function(picture) {
    with_drawing_seed(
      1,
      paint_manner(picture, "linocut", home_palette("linocut"))
    )
  }

  tile <- function(name, seed) draw_tile(name, 384, 256, seed)
  reference <- view(tile("lighthouse", 1), part = "reference")
  look <- list(view(paint(tile("salt", 2))), view(paint(tile("mast", 3))))
  match <- function(take) {
    measure_look_match()$compute(list(
      take = take,
      reference = reference,
      look = look
    ))$value
  }

  expect_equal(match(reference), 0)
  expect_gt(match(view(paint(tile("lighthouse", 1)))), 0.75)
  expect_lt(match(view(1 - tile("lighthouse", 1))), 0.4)
})

test_that("without a look there is no look match, and a reference in the look has no way to go", {
  compute <- measure_look_match()$compute
  a <- view(scene(4))
  expect_null(compute(list(take = a, reference = a, look = list())))
  expect_true(is.na(compute(list(take = a, reference = a, look = list(a)))$value))
})
