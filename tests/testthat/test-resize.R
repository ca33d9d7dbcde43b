# The core's resizing, held against plain arithmetic.
resize <- core_resize_mask
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
  expect_equal(
    resize(five, 2, 1)[1, , 1],
    c((0.1 + 0.2 + 0.15) / 2.5, (0.15 + 0.4 + 0.5) / 2.5),
    tolerance = 1e-6
  )
})

# The weights of one direction as a matrix, by the definition: the share of each cell that an
# output cell covers, or Keys' cubic through the four around, beyond the ends the end.
weights_of <- function(from, to) {
  scale <- from / to
  t(
    vapply(
      seq_len(to) - 1,
      function(i) {
        at <- floor((i + 0.5) * scale - 0.5) + -1:2
        if (scale >= 1) {
          at <- seq(floor(i * scale), ceiling((i + 1) * scale - 1e-9) - 1)
        }

        apart <- abs(at - ((i + 0.5) * scale - 0.5))
        weight <- if (scale >= 1) {
          pmin((i + 1) * scale, at + 1) - pmax(i * scale, at)
        } else {
          ifelse(
            apart < 1,
            (1.5 * apart - 2.5) * apart^2 + 1,
            ((2.5 - 0.5 * apart) * apart - 4) * apart + 2
          )
        }
        weight <- ifelse(apart >= 2 & scale < 1, 0, weight)
        vapply(
          seq_len(from) - 1,
          function(cell) sum(weight[pmin(pmax(at, 0), from - 1) == cell]),
          0
        ) /
          sum(weight)
      },
      numeric(from)
    )
  )
}

test_that("every size comes out as by the definition, larger, smaller, and one of each", {
  picture <- scene(9, 24, 16)
  values <- picture[, , 1]
  for (size in list(
    c(72, 48),
    c(48, 32),
    c(31, 29),
    c(12, 8),
    c(6, 4),
    c(7, 5),
    c(72, 8),
    c(5, 48),
    c(24, 33),
    c(25, 16),
    c(2, 1),
    c(100, 99)
  )) {
    right <- weights_of(16, size[2]) %*% values %*% t(weights_of(24, size[1]))
    expect_equal(
      matrix(resize(picture, size[1], size[2])[, , 1], size[2]),
      pmin(pmax(right, 0), 1),
      tolerance = 1e-5,
      info = paste(size, collapse = " x ")
    )
  }
})

test_that("a blur is the Gaussian with the border mirrored, for near and far reaches", {
  values <- scene(9, 40, 22)[, , 1]
  blurred <- function(sigma) {
    reach <- ceiling(3.5 * sigma)
    kernel <- dnorm(-reach:reach, sd = sigma)
    along <- function(n) {
      out <- matrix(0, n, n)
      for (i in seq_len(n)) {
        for (k in -reach:reach) {
          at <- (i + k - 1) %% (2 * n)
          at <- if (at < n) at + 1 else 2 * n - at
          out[i, at] <- out[i, at] + kernel[k + reach + 1] / sum(kernel)
        }
      }

      out
    }

    along(22) %*% values %*% t(along(40))
  }

  for (sigma in c(0.3, 0.7, 1, 1.5, 1.7, 2.8, 4, 9)) {
    expect_equal(
      core_blur(values, sigma),
      blurred(sigma),
      tolerance = 1e-5,
      info = sigma
    )
  }
})

test_that("pictures seen one after another leave nothing behind in each other", {
  pictures <- list(scene(1, 300, 200), scene(2, 128, 96), scene(3, 301, 207))
  facts <- function(picture) {
    view_picture(picture)[c("style", "blur", "noise", "blocks", "tones")]
  }

  once <- lapply(pictures, facts)
  for (k in c(3, 1, 2, 2, 1, 3)) {
    expect_identical(facts(pictures[[k]]), once[[k]])
  }
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

test_that("what is no picture is refused, not read beyond its end", {
  expect_error(resize(array(0, 3), 4, 4), "rows x columns x 3")
  expect_error(resize(1:9 / 9, 4, 4), "rows x columns x 3")
  expect_error(resize(array(0, c(0, 4, 3)), 4, 4), "rows x columns x 3")
  expect_error(resize(array(0.5, c(4, 4, 3)), 0, 4), "smaller than 1 x 1")
  expect_error(core_blur(matrix(0, 0, 3), 1), "at least one row")
})

test_that("mirroring and resizing can be exchanged", {
  picture <- scene(6, 48, 30)
  expect_equal(
    resize(mirrored(picture), 20, 12),
    mirrored(resize(picture, 20, 12)),
    tolerance = 1e-5
  )
})

test_that("built-in decoys differ from each other and repeat", {
  decoys <- draw_decoys(c(96, 64))
  expect_length(decoys, enough_decoys)
  for (i in 2:6) {
    expect_gt(mean(abs(decoys[[i]] - decoys[[1]])), 0.05)
  }

  expect_identical(draw_decoys(c(96, 64)), decoys)
  expect_length(draw_decoys(c(96, 64), 0), 0)
})
