# The core's resizing, held against plain arithmetic.
resize <- internal("core_resize_mask")
mask_of <- function(values, rows, columns) array(values, c(rows, columns, 3))

test_that("halving averages symmetrically and keeps the mean", {
  ramp <- mask_of(rep(seq(0, 1, length.out = 8), each = 4), 4, 8)
  half <- resize(ramp, 4, 2)[, , 1]
  expect_equal(dim(half), c(2, 4))
  expect_equal(mean(half), 0.5, tolerance = 1e-6)
  expect_equal(half[1, ], half[2, ])
  expect_equal(half[1, ] + rev(half[1, ]), rep(1, 4), tolerance = 1e-6)
})

test_that("enlarging lays a cubic through the middles of the cells", {
  # A cubic convolution with a = -1/2 at a quarter of the way: 0.2265625 - 0.0234375.
  two <- mask_of(rep(c(0, 1), each = 1), 1, 2)
  expect_equal(resize(two, 4, 1)[1, , 1], c(0, 0.203125, 0.796875, 1), tolerance = 1e-6)
})

test_that("shrinking takes the mean over the area of each cell", {
  five <- mask_of(c(0.1, 0.2, 0.3, 0.4, 0.5), 1, 5)
  expect_equal(resize(five, 2, 1)[1, , 1], c((0.1 + 0.2 + 0.15) / 2.5, (0.15 + 0.4 + 0.5) / 2.5), tolerance = 1e-6)
})

test_that("nothing leaves the range of what was there", {
  picture <- scene(5, 37, 23)
  for (size in list(c(1, 1), c(5, 90), c(200, 3), c(64, 64))) {
    out <- resize(picture, size[1], size[2])
    expect_equal(dim(out), c(size[2], size[1], 3))
    expect_gte(min(out), 0)
    expect_lte(max(out), 1)
  }
})

test_that("mirroring and resizing can be exchanged", {
  picture <- scene(6, 48, 30)
  expect_equal(resize(mirrored(picture), 20, 12), mirrored(resize(picture, 20, 12)), tolerance = 1e-5)
})

test_that("built-in decoys differ from each other and repeat", {
  decoys <- internal("draw_decoys")(c(96, 64))
  expect_length(decoys, internal("enough_decoys"))
  for (i in 2:6) expect_gt(mean(abs(decoys[[i]] - decoys[[1]])), 0.05)
  expect_identical(internal("draw_decoys")(c(96, 64)), decoys)
  expect_length(internal("draw_decoys")(c(96, 64), 0), 0)
})
