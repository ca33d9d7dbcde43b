view <- internal("view_picture")

# A picture whose top third is red and the rest dark grey.
two_parts <- function() {
  picture <- array(0.15, c(90, 60, 3))
  picture[1:30, , 1] <- 0.8
  picture[1:30, , 2:3] <- 0.15
  picture
}
probe_score <- function(probe, picture = two_parts()) {
  measure <- Find(function(m) m$measure == probe$measure, internal("all_measures")())
  measure$compute(list(take = view(picture)), probe)
}

test_that("a colour's share is taken in its place", {
  at <- function(where) probe_score(list(measure = "colour_share", where = where, colour = "red", share = c(0.3, 1)))
  expect_equal(at("top third")$raw, 1, tolerance = 0.05)
  expect_equal(at("bottom third")$raw, 0)
  expect_equal(at("whole")$raw, 1 / 3, tolerance = 0.03)
  expect_equal(at(c(0, 0, 1, 1 / 3))$raw, at("top third")$raw)
  expect_match(at(c(0, 0, 1, 0.5))$place, "^box 0")
})

test_that("a probe's grade is 1 within the bound and falls evenly to 0", {
  grade <- function(number, bound) internal("grade_probe")(number, bound, "whole")$value
  expect_equal(grade(0.4, c(0.3, 1)), 1)
  expect_equal(grade(0.225, c(0.3, 1)), 0.5)
  expect_equal(grade(0.15, c(0.3, 1)), 0)
  expect_equal(grade(0.5, c(0, 0.4)), 0.5)
  expect_equal(grade(0.05, c(0, 0)), 0.5)
  expect_equal(grade(0.7, c(0.2, 0.5)), 0.2)
})

test_that("brightness is the mean lightness of a place", {
  white_above <- array(0, c(40, 40, 3))
  white_above[1:20, , ] <- 1
  at <- function(where) probe_score(list(measure = "brightness", where = where, brightness = c(0, 1)), white_above)$raw
  expect_equal(at(c(0, 0, 1, 0.45)), 1, tolerance = 0.01)
  expect_equal(at(c(0, 0.55, 1, 1)), 0, tolerance = 0.01)
  expect_equal(at("whole"), 0.5, tolerance = 0.01)
})

test_that("greys and tints of one hue are monochrome, a rainbow is not", {
  mono <- function(picture) probe_score(list(measure = "monochrome", where = "whole", monochrome = c(0.9, 1)), picture)$raw
  ramp <- array(rep(seq(0, 1, length.out = 60), each = 40), c(40, 60, 3))
  expect_equal(mono(ramp), 1)
  expect_gt(mono(ramp * rep(c(1, 0.8, 0.6), each = 2400)), 0.98)
  rainbow <- array(0, c(40, 60, 3))
  colours <- col2rgb(hsv(rep(seq(0, 0.99, length.out = 60), each = 40))) / 255
  for (k in 1:3) rainbow[, , k] <- colours[k, ]
  expect_lt(mono(rainbow), 0.5)
})

test_that("bounds are read from words, and nothing else is a bound", {
  read <- internal("read_bound")
  expect_equal(read("at least 0.3"), c(0.3, 1))
  expect_equal(read("at most .25"), c(0, 0.25))
  expect_equal(read("between 0.2 and 0.5"), c(0.2, 0.5))
  for (wrong in list("between 0.5 and 0.2", "at least 30", "at least 1.5", "more than 0.2", "0.3", 0.3, "at least 0.3 ", NULL)) {
    expect_null(read(wrong))
  }
})
