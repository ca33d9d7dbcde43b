fit <- internal("fit_picture")

test_that("a crop keeps the focus and never leaves the picture", {
  picture <- array(0, c(40, 100, 3))
  picture[, 81:100, 1] <- 1
  right <- fit(picture, c(40, 40), "crop", c(0.9, 0.5))
  left <- fit(picture, c(40, 40), "crop", c(0, 0.5))
  expect_equal(dim(right), c(40, 40, 3))
  expect_equal(mean(right[, , 1]), 0.5)
  expect_equal(mean(left[, , 1]), 0)
})

test_that("stretch keeps everything and pad keeps the aspect", {
  picture <- array(1, c(20, 80, 3))
  expect_equal(c(fit(picture, c(40, 40), "stretch")), rep(1, 4800), tolerance = 1e-6)
  padded <- fit(picture, c(40, 40), "pad", fill = "black")
  expect_equal(mean(padded), 0.25, tolerance = 1e-6)
  expect_true(all(padded[1:15, , ] == 0) && all(padded[16:25, , ] > 0.999))
  grey <- fit(picture, c(40, 40), "pad")
  expect_equal(grey[1, 1, ], rep(128 / 255, 3))
})

test_that("the working size is the nearest good one by aspect, then area", {
  size <- internal("working_size")
  listed <- list(sizes = list(c(512, 512), c(768, 512), c(384, 256)))
  expect_equal(size(c(400, 266), listed), c(384L, 256L))
  expect_equal(size(c(900, 600), listed), c(768L, 512L))
  expect_equal(size(c(300, 310), listed), c(512L, 512L))
  expect_equal(size(c(400, 266), list(multiple_of = 64)), c(384L, 256L))
  expect_equal(size(c(20, 266), list(multiple_of = 64)), c(64L, 256L))
  expect_equal(size(c(401, 267), list()), c(401L, 267L))
})

test_that("a frame is the suite's size, or the picture's aspect at its long edge", {
  case <- list(reference = list(path = "a"))
  frame <- function(size, own) internal("case_frame")(case, list(size = size, pictures = list(a = list(size = own))))
  expect_equal(frame(c(768L, 512L), c(10, 10)), c(768L, 512L))
  expect_equal(frame(576L, c(600, 400)), c(576L, 384L))
  expect_equal(frame(576L, c(100, 3000)), c(64L, 576L))
})
