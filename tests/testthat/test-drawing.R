# The stand-ins' loops in C++ against the same in a few lines of R.

larger <- function(m, n) {
  place <- if (nrow(m) == 1) rep(1, n) else seq(1, nrow(m), length.out = n)
  below <- pmin(floor(place), max(1, nrow(m) - 1))
  above <- pmin(below + 1, nrow(m))
  m[below, , drop = FALSE] * (1 - (place - below)) +
    m[above, , drop = FALSE] * (place - below)
}

smaller <- function(m, n) {
  owner <- ceiling(seq_len(nrow(m)) * n / nrow(m))
  unname(rowsum(m, owner) / tabulate(owner, n))
}

resized <- function(m, rows, columns) {
  one <- function(m, n) if (nrow(m) > n) smaller(m, n) else larger(m, n)
  t(one(t(one(m, rows)), columns))
}

plane <- function(rows, columns, seed = 1) {
  withr::with_seed(seed, matrix(runif(rows * columns), rows))
}

test_that("planes are resized by means and straight lines", {
  for (to in list(
    c(7, 5),
    c(20, 30),
    c(7, 30),
    c(40, 5),
    c(12, 17),
    c(1, 1),
    c(2, 50)
  )) {
    m <- plane(12, 17)
    expect_equal(
      draw_resize(m, to[1], to[2]),
      resized(m, to[1], to[2]),
      info = paste(to, collapse = " x ")
    )
  }

  expect_equal(draw_resize(matrix(0.3, 1, 1), 4, 5), matrix(0.3, 4, 5))
  picture <- scene(2, 16, 12)
  both <- draw_resize(picture, 5, 9)
  for (k in 1:3) {
    expect_equal(both[, , k], resized(picture[, , k], 5, 9))
  }
})

test_that("softening is going small and back", {
  m <- plane(24, 36)
  expect_equal(draw_soft(m, 4), resized(resized(m, 6, 9), 24, 36))
  flat <- matrix(0.4, 10, 10)
  expect_equal(draw_soft(flat, 3), flat)
})

test_that("sums, mixes, clamps and luminance are what they say", {
  a <- scene(1, 12, 8)
  b <- scene(2, 12, 8)
  cover <- plane(8, 12)
  expect_equal(draw_mix(a, b, cover), a * (1 - c(cover)) + b * c(cover))
  expect_equal(
    draw_sum(list(a, b, cover), c(0.5, 0.7, -0.2)),
    pmin(pmax(a * 0.5 + b * 0.7 - 0.2 * c(cover), 0), 1)
  )
  expect_equal(
    draw_clamp(matrix(c(-1, 0.5, 2, 1), 2)),
    matrix(c(0, 0.5, 1, 1), 2)
  )
  expect_equal(draw_clamp(c(-1, 3)), c(0, 1))
  expect_equal(
    draw_luminance(a),
    0.299 * a[, , 1] + 0.587 * a[, , 2] + 0.114 * a[, , 3]
  )
})

test_that("colours lie between the steps of a palette", {
  palette <- rbind(c(0, 0, 0), c(1, 0, 0.5), c(1, 1, 1))
  drawn <- draw_colours(matrix(c(0, 0.25, 0.5, 1, -3, 9), 2), palette)
  expect_equal(dim(drawn), c(2, 3, 3))
  expect_equal(drawn[2, 1, ], c(0.5, 0, 0.25))
  expect_equal(drawn[1, 2, ], c(1, 0, 0.5))
  expect_equal(drawn[2, 3, ], c(1, 1, 1))
  expect_equal(drawn[1, 3, ], c(0, 0, 0))
  expect_equal(
    c(draw_colours(matrix(0.7), matrix(c(0.1, 0.2, 0.3), 1))),
    c(0.1, 0.2, 0.3)
  )
})

test_that("a warp fetches pixels from where it is told, and stops at the edges", {
  picture <- scene(3, 10, 6)
  still <- matrix(0, 6, 10)
  expect_equal(draw_warp(picture, still, still), picture)
  moved <- draw_warp(picture, still + 1, still - 2)
  expect_equal(moved[1:5, 3:10, ], picture[2:6, 1:8, ])
  expect_equal(moved[6, 1, ], picture[6, 1, ])
})

test_that("slopes are central differences", {
  ramp <- matrix(seq(0, 1, length.out = 9), 9, 5)
  expect_equal(draw_slope(ramp)[2:8, 3], rep(0.25, 7))
})

test_that("tiles have one colour each, and grout between them", {
  picture <- scene(4, 40, 30)
  laid <- draw_tiles(picture, matrix(0, 30, 40), 10L)
  # Pixels count from one: the first tile ends before the tenth.
  inside <- laid$tiles[2:8, 2:8, ]
  expect_equal(inside, array(rep(inside[1, 1, ], each = 49), c(7, 7, 3)))
  expect_equal(sum(laid$grout[2:8, 2:8]), 0)
  expect_true(all(laid$grout[, 9] == 1))
  expect_true(all(laid$key >= 0 & laid$key < 1))
})

test_that("windows show every step-th cell, from the first on", {
  planes <- list(plane(9, 8), plane(9, 8, 2))
  top <- c(1, 3, 5)
  left <- c(4, 1, 2)
  shown <- function(step, from) {
    t(mapply(
      function(down, right) {
        unlist(lapply(planes, function(plane) {
          window <- plane[down - 1 + 1:5, right - 1 + 1:4]
          c(window[seq(from, 5, step), seq(from, 4, step)])
        }))
      },
      top,
      left
    ))
  }

  expect_equal(draw_windows(planes, top, left, 5, 4, 1, 1, FALSE), shown(1, 1))
  expect_equal(draw_windows(planes, top, left, 5, 4, 2, 2, FALSE), shown(2, 2))
  every <- draw_windows(planes[1], top, left, 5, 4, 1, 1, TRUE)
  expect_equal(every, shown(1, 1)[, 1:20] - rowMeans(shown(1, 1)[, 1:20]))
})
