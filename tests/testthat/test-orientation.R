view <- view_picture
agreement <- contours_agree

test_that("a picture agrees fully with itself and hardly with a stranger", {
  a <- view(scene(1, 384, 256))
  b <- view(scene(2, 384, 256))
  expect_equal(agreement(a, a), 1, tolerance = 1e-6)
  expect_lt(abs(agreement(a, b)), 0.25)
})

test_that("agreement does not see the sign, the strength or the colour of contours", {
  picture <- scene(3, 384, 256)
  a <- view(picture)
  expect_gt(agreement(a, view(1 - picture)), 0.95)
  expect_gt(agreement(a, view(0.4 + 0.2 * picture)), 0.9)
  expect_gt(agreement(a, view(picture[, , c(3, 1, 2)])), 0.9)
})

test_that("agreement falls as a picture is shifted away", {
  picture <- scene(4, 384, 256)
  shifted <- function(by) view(picture[, c((by + 1):384, seq_len(by)), ])
  scores <- vapply(c(1, 4, 12, 40), function(by) agreement(view(picture), shifted(by)), 0)
  expect_true(all(diff(scores) < 0))
})

test_that("a contour's angle is held doubled: upright and level stripes are opposites", {
  stripes <- function(direction) {
    x <- if (direction == "upright") col(matrix(0, 96, 96)) else row(matrix(0, 96, 96))
    view(array(0.5 + 0.4 * sin(x / 3), c(96, 96, 3)))
  }

  expect_equal(agreement(stripes("upright"), stripes("level")), -1, tolerance = 0.05)
})

test_that("a mirrored picture agrees with the mirrored reference", {
  picture <- scene(5, 384, 256)
  expect_gt(
    core_mirrored(view(mirrored(picture))$handle, view(picture)$handle, NULL),
    0.999
  )
  expect_lt(core_mirrored(view(picture)$handle, view(picture)$handle, NULL), 0.3)
})

test_that("a masked part does not count", {
  picture <- scene(6, 128, 128)
  changed <- picture
  changed[, 65:128, ] <- scene(7, 128, 128)[, 65:128, ]
  mask <- matrix(0, 128, 128)
  mask[, 60:128] <- 1
  open <- agreement(view(picture), view(changed))
  masked <- agreement(view(picture), view(changed), mask)
  expect_lt(open, 0.8)
  expect_gt(masked, 0.97)
})

test_that("pictures without any contour agree with nothing, and no size breaks it", {
  flat <- view(array(0.5, c(20, 30, 3)))
  expect_equal(agreement(flat, flat), 0)
  for (size in list(c(1, 1), c(1, 40), c(40, 1), c(3, 2))) {
    tiny <- view(array(seq(0, 1, length.out = prod(size) * 3), c(size, 3)))
    expect_true(is.finite(agreement(tiny, tiny)))
    expect_true(all(is.finite(tiny$style)))
  }
})

test_that("zero is chance and one is the same picture", {
  rescale <- rescale_from_chance
  expect_equal(rescale(c(0.2, 0.6, 1), 0.2), c(0, 0.5, 1))
})
