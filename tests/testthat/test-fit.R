edges <- function(pixels, side) {
  switch(side,
    left = pixels[, 1, ],
    right = pixels[, dim(pixels)[2], ]
  )
}

test_that("a crop keeps the focus and never leaves the picture", {
  picture <- array(0, c(40, 100, 3))
  picture[, 81:100, 1] <- 1
  right <- prepare_reference(picture, c(40, 40), focus = c(0.9, 0.5))
  left <- prepare_reference(picture, c(40, 40), focus = c(0, 0.5))
  expect_equal(dim(right$picture), c(40, 40, 3))
  expect_equal(mean(right$picture[, , 1]), 0.5)
  expect_equal(right$source, c(0.6, 0, 1, 1))
  expect_equal(mean(left$picture[, , 1]), 0)
  expect_null(left$mask)
})

test_that("stretch keeps everything and pad keeps the aspect", {
  picture <- array(1, c(20, 80, 3))
  expect_equal(
    c(prepare_reference(picture, c(40, 40), "stretch")$picture),
    rep(1, 4800),
    tolerance = 1e-6
  )
  padded <- prepare_reference(picture, c(40, 40), "pad", fill = "black")
  expect_equal(mean(padded$picture), 0.25, tolerance = 1e-6)
  expect_equal(padded$target, c(0, 15, 40, 25))
  expect_true(all(padded$picture[1:15, , ] == 0) && all(padded$picture[16:25, , ] > 0.999))
  expect_equal(prepare_reference(picture, c(40, 40), "pad")$picture[1, 1, ], rep(128 / 255, 3))
})

test_that("extend pads and says what is to be filled", {
  wide <- prepare_reference(array(1, c(20, 80, 3)), c(40, 40), "extend", fill = "#ff0000")
  expect_equal(which(rowMeans(wide$mask) == 1), c(1:15, 26:40))
  expect_equal(wide$picture[1, 1, ], c(1, 0, 0))
  expect_equal(mean(wide$mask), 0.75)
})

test_that("a box cuts before it is fitted, and takes the fill where it leaves the picture", {
  picture <- array(0.2, c(60, 60, 3))
  picture[, 31:60, ] <- 0.8
  half <- prepare_reference(picture, c(30, 60), box = c(0.5, 0, 1, 1))
  expect_equal(unique(c(half$picture)), 0.8, tolerance = 1e-6)
  beyond <- prepare_reference(picture, c(60, 60), box = c(0.5, 0, 1.5, 1), fill = "black")
  expect_equal(edges(beyond$picture, "left")[, 1], rep(0.8, 60), tolerance = 1e-6)
  expect_equal(unique(c(beyond$picture[, 32:60, ])), 0)
  filled <- prepare_reference(picture, c(60, 60), "extend", box = c(0.5, 0, 1.5, 1))
  expect_equal(colMeans(filled$mask), rep(0:1, each = 30))
})

test_that("arguments that can't be used are refused together", {
  error <- expect_error(
    prepare_reference(array(2, c(4, 4, 3)), c(0, 10), "squash", focus = c(2, 0)),
    class = "sprenn_error_argument"
  )
  expect_length(error$details, 4)
  expect_error(
    prepare_reference(
      array(0.5, c(4, 4, 3)),
      c(8, 8),
      box = c(0.6, 0, 0.4, 1)
    ),
    "left to right",
    class = "sprenn_error_argument"
  )
  expect_error(prepare_reference("gone.png", c(8, 8)), class = "sprenn_error_picture")
})

test_that("the working size is the nearest good one by aspect and area", {
  size <- working_size
  listed <- list(sizes = list(c(512, 512), c(768, 512), c(384, 256)))
  expect_equal(size(c(400, 266), listed), c(384L, 256L))
  expect_equal(size(c(900, 600), listed), c(768L, 512L))
  expect_equal(size(c(300, 310), listed), c(512L, 512L))
  expect_equal(size(c(400, 266), list(multiple_of = 64)), c(384L, 256L))
  expect_equal(size(c(20, 266), list(multiple_of = 64)), c(64L, 448L))
  expect_equal(size(c(576, 480), list(multiple_of = 64)), c(640L, 512L))
  expect_equal(size(c(401, 267), list()), c(401L, 267L))
})

test_that("a frame is the suite's size, or the picture's aspect at its long edge, grown", {
  frame <- function(size, own, grow = rep(0, 4), box = c(0, 0, 1, 1)) {
    case_frame(
      list(reference = list(path = "a", box = box), grow = grow),
      list(size = size, files = list(a = list(size = own)))
    )
  }

  expect_equal(frame(c(768L, 512L), c(10, 10)), c(768L, 512L))
  expect_equal(frame(576L, c(600, 400)), c(576L, 384L))
  expect_equal(frame(576L, c(100, 3000)), c(64L, 576L))
  expect_equal(frame(576L, c(600, 400), box = c(0, 0, 0.5, 1)), c(432L, 576L))
  expect_equal(
    frame(c(100L, 100L), c(10, 10), grow = c(0.25, 0, 0.25, 0.5)),
    c(150L, 150L)
  )
})

test_that("what an engine makes at another aspect comes back to the frame, pixel for pixel", {
  picture <- scene(3, 120, 60)
  for (size in list(c(120, 120), c(240, 60), c(121, 61), c(120, 60))) {
    place <- frame_inside(size, c(120, 60))
    inner <- resize_picture(picture, place[3:4])
    canvas <- reflect_into(inner, place, size)
    expect_equal(dim(canvas), c(size[2:1], 3))
    expect_identical(
      bring_back(canvas, c(120, 60)),
      inner,
      info = paste(size, collapse = "x")
    )
  }

  # The rest is the picture's own edges, mirrored: no bars.
  tall <- reflect_into(picture, c(0, 30, 120, 60), c(120, 120))
  expect_identical(tall[30, , ], picture[1, , ])
  expect_identical(tall[91, , ], picture[60, , ])
})
