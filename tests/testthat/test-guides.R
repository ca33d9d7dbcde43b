# What guides must do whatever the picture: follow it when it is turned, ignore
# what is not theirs, and stay in their range.
turned <- function(picture) aperm(picture, c(2, 1, 3))
guide_of <- function(picture, kind) compute_guide(picture, kind)[, , 1]

test_that("guides are of the picture's size, from 0 to 1, and the same every time", {
  picture <- scene(4, 90, 60)
  for (kind in c("edges", "soft_edges", "areas")) {
    guide <- compute_guide(picture, kind)
    expect_equal(dim(guide), dim(picture), info = kind)
    expect_true(all(guide >= 0 & guide <= 1), info = kind)
    expect_identical(compute_guide(picture, kind), guide, info = kind)
  }
})

test_that("guides turn and flip with the picture", {
  picture <- scene(5, 96, 96)
  near <- function(a, b) mean(abs(a - b))
  for (kind in c("edges", "soft_edges", "areas")) {
    plain <- guide_of(picture, kind)
    expect_lt(near(guide_of(mirrored(picture), kind), plain[, 96:1]), 0.03)
    expect_lt(near(guide_of(turned(picture), kind), t(plain)), 0.03)
    # A guide of another picture is no such neighbour.
    expect_gt(near(guide_of(scene(6, 96, 96), kind), plain), 0.04)
  }
})

test_that("edges stay where they are when the light changes", {
  picture <- 0.2 + 0.6 * scene(7, 120, 80)
  edges <- guide_of(picture, "edges") > 0.5
  dimmed <- guide_of(picture * 0.6, "edges") > 0.5
  agree <- sum(edges & dimmed) / sum(edges | dimmed)
  expect_gt(agree, 0.8)
  # The share of a picture that is edge is that of a drawing, not of a texture.
  expect_gt(mean(edges), 0.02)
  expect_lt(mean(edges), 0.2)
})

test_that("grain is no edge, and hides none", {
  picture <- array(0.35, c(80, 120, 3))
  picture[21:60, 31:90, ] <- 0.75
  grain <- withr::with_seed(3, array(stats::rnorm(80 * 120, sd = 0.015), c(80, 120, 3)))
  clean <- which(guide_of(picture, "edges") > 0.5)
  noisy <- which(guide_of(picture + grain, "edges") > 0.5)
  beside <- function(at) {
    unique(c(outer(at, c(0, -1, 1, -80, 80, -81, -79, 79, 81), `+`)))
  }

  expect_gt(mean(clean %in% beside(noisy)), 0.95)
  expect_gt(mean(noisy %in% beside(clean)), 0.8)
})

test_that("areas have few colours, each near what it stands for", {
  picture <- scene(8, 160, 120)
  areas <- compute_guide(picture, "areas")
  colours <- nrow(unique(round(matrix(areas, ncol = 3), 3)))
  expect_gt(colours, 4)
  expect_lt(colours, 250)
  smooth <- resize_picture(
    resize_picture(picture, c(40, 30)),
    c(160, 120)
  )
  expect_lt(mean(abs(areas - smooth)), 0.08)
  # What is flat already stays as it is.
  flat <- array(0.3, c(60, 60, 3))
  flat[, 31:60, 2] <- 0.6
  expect_lt(mean(abs(compute_guide(flat, "areas") - flat)), 0.02)
})

test_that("no area is smaller than a speck", {
  areas <- core_areas(scene(9, 160, 120), 8, 0.002)
  label <- match(
    apply(round(matrix(areas, ncol = 3), 5), 1, paste, collapse = " "),
    unique(apply(round(matrix(areas, ncol = 3), 5), 1, paste, collapse = " "))
  )
  expect_gte(min(table(label)), floor(0.002 * 160 * 120))
})

test_that("a quick look sees bars, white and small regions in the copy as in the bytes", {
  picture <- round(scene(2, 128, 96) * 255) / 255
  picture[1:12, , ] <- 0
  bytes <- core_pack(picture)
  by_bytes <- core_glance_bytes(bytes, 128, 96, 64, 48)
  by_value <- core_glance(picture, 64, 48)
  expect_equal(by_bytes, by_value, tolerance = 1e-12)
  expect_equal(by_value$white, mean(rowMeans(picture, dims = 2) > 0.5))
  seen <- core_inspect(by_value$small, 8)
  expect_equal(seen$bars[["top"]], 12 / 96, tolerance = 0.05)
  expect_equal(unname(seen$bars[c("bottom", "left", "right")]), rep(0, 3))
  expect_equal(sum(seen$regions), 1)
  speckled <- by_value$small
  speckled[cbind(rep(seq(14, 44, 6), each = 8), rep(seq(4, 60, 8), 6), 1)] <- 1
  small <- function(small) {
    sum(Filter(function(size) size < 0.003, core_inspect(small, 8)$regions))
  }

  expect_gt(small(speckled), small(by_value$small))
})
