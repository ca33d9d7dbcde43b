oklab_of <- function(r, g, b) c(core_oklab(array(c(r, g, b), c(1, 1, 3)), 1, 1))

test_that("OKLab has the values that its author published", {
  # From the conversion of XYZ D65 white and of the sRGB primaries.
  expect_equal(oklab_of(1, 1, 1), c(1, 0, 0), tolerance = 1e-3)
  expect_equal(oklab_of(1, 0, 0), c(0.628, 0.225, 0.126), tolerance = 2e-3)
  expect_equal(oklab_of(0, 1, 0), c(0.866, -0.234, 0.179), tolerance = 2e-3)
  expect_equal(oklab_of(0, 0, 1), c(0.452, -0.032, -0.312), tolerance = 2e-3)
})

test_that("resizing averages light, not code values", {
  checks <- array(rep(c(0, 1), 32), c(8, 8, 3))
  checks[] <- (row(checks[, , 1]) + col(checks[, , 1])) %% 2
  small <- core_resize(checks, 1, 1)
  # Half the light of white is 0.735 in sRGB; the mean code value would be 0.5.
  expect_equal(c(small), rep(0.735, 3), tolerance = 0.01)
})

test_that("resizing keeps a plain picture plain and leaves an equal size alone", {
  plain <- array(0.37, c(13, 29, 3))
  expect_equal(c(core_resize(plain, 7, 5)), rep(0.37, 7 * 5 * 3), tolerance = 1e-3)
  picture <- scene(1)
  expect_equal(core_resize(picture, 96, 64), picture, tolerance = 1e-6)
})

test_that("every named colour covers a typical example and not its opposite", {
  examples <- c(
    black = "#101010",
    grey = "#808080",
    white = "#fafafa",
    cream = "#f3e6c0",
    beige = "#cdbf9f",
    brown = "#6b4423",
    red = "#c0302a",
    orange = "#e8862e",
    ochre = "#b8862f",
    yellow = "#f2d02c",
    green = "#4f9a3d",
    teal = "#2f8f92",
    skin = "#d9a38a",
    `sky blue` = "#8fc3e8",
    blue = "#2f5fc0",
    navy = "#1b2a5c",
    purple = "#71408f",
    pink = "#f0a5b8"
  )
  share <- function(hex, colour) {
    lab <- matrix(
      oklab_of(col2rgb(hex)[1] / 255, col2rgb(hex)[2] / 255, col2rgb(hex)[3] / 255),
      1,
      dimnames = list(NULL, c("L", "a", "b"))
    )
    colour_membership(lab, colour)
  }

  expect_setequal(names(examples), colour_names()$colour)
  for (colour in names(examples)) {
    expect_gt(share(examples[[colour]], colour), 0.9, label = paste(colour, "in its example"))
  }

  expect_equal(share("#c0302a", "green"), 0)
  expect_equal(share("#101010", "white"), 0)
  expect_equal(share("#2f5fc0", "orange"), 0)
  expect_equal(share("#2f8f92", "#2f8f92"), 1)
  expect_equal(share("#c0302a", "#2f8f92"), 0)
})

# What people with a colour deficiency see of colours, rows of sRGB: Machado, Oliveira and Fernandes
# (2009), severity 1, in linear light.
deficient <- list(
  protan = c(
    0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882, -0.048116, 1.051998
  ),
  deutan = c(
    0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.011820, 0.042940, 0.968881
  ),
  tritan = c(
    1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733, 0.691367, 0.303900
  )
)

seen_by <- function(colours, kind) {
  rgb <- t(grDevices::col2rgb(colours)) / 255
  linear <- ifelse(rgb <= 0.04045, rgb / 12.92, ((rgb + 0.055) / 1.055)^2.4) %*% matrix(
    deficient[[kind]],
    3
  )
  linear <- pmin(pmax(linear, 0), 1)
  t(
    apply(
      ifelse(linear <= 0.0031308, 12.92 * linear, 1.055 * linear^(1 / 2.4) - 0.055),
      1,
      function(one) oklab_of(one[1], one[2], one[3])
    )
  )
}

test_that("colours of figures can be told apart whatever colours a reader sees", {
  # 0.02 is what eyes just notice; grey is turned into itself.
  expect_equal(seen_by("#808080", "deutan")[1, 2:3], c(0, 0), tolerance = 0.005)
  apart <- function(colours, kind) min(stats::dist(seen_by(colours, kind)))
  for (kind in names(deficient)) {
    # Families of pipelines; every figure names them beside their marks as well.
    expect_gt(apart(family_palette, kind), 0.07)
    # What agrees and what does not on maps; what rose and what fell (their shapes differ too).
    expect_gt(apart(c("#0072B2", "#D55E00"), kind), 0.15)
    # Keepers' edges in the report, light and dark, against the lines of others.
    expect_gt(apart(c("#17703d", "#d9dee2"), kind), 0.15)
    expect_gt(apart(c("#5ecb8d", "#363e44"), kind), 0.15)
  }

  # A red and a green that are told apart by hue alone would not pass.
  expect_lt(apart(c("#B05A00", "#6B7A00"), "deutan"), 0.07)
})
