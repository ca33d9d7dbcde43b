# The core against plain definitions written out in R, and against itself on pictures that
# were turned: what it does fast it must do as the slow way would.
lightness_of <- function(picture) {
  core_view_oklab(view_picture(picture)$handle)[, , 1]
}

turned <- function(picture) aperm(picture, c(2, 1, 3))

noisy <- function(index, width, height, sd = 0.02) {
  picture <- scene(index, width, height)
  withr::with_seed(
    index,
    pmin(pmax(picture + array(rnorm(length(picture), sd = sd), dim(picture)), 0), 1)
  )
}

shifted <- function(m, down, right) {
  out <- matrix(0, nrow(m), ncol(m))
  rows <- seq_len(nrow(m)) + down
  columns <- seq_len(ncol(m)) + right
  inside_rows <- rows >= 1 & rows <= nrow(m)
  inside_columns <- columns >= 1 & columns <= ncol(m)
  out[inside_rows, inside_columns] <- m[rows[inside_rows], columns[inside_columns]]
  out
}

# Gradient, crests, and what hangs on to a strong one, one step after the other.
edges_by_hand <- function(lightness) {
  smooth <- core_blur(lightness, 1.2)
  h <- nrow(smooth)
  w <- ncol(smooth)
  across <- (smooth[, pmin(seq_len(w) + 1, w)] - smooth[, pmax(seq_len(w) - 1, 1)]) /
    2
  down <- (smooth[pmin(seq_len(h) + 1, h), ] - smooth[pmax(seq_len(h) - 1, 1), ]) /
    2
  strength <- sqrt(across^2 + down^2)
  sorted <- sort(strength)
  high <- max(0.012, sorted[floor(0.9 * (length(sorted) - 1)) + 1])
  side <- ifelse(abs(down) > 2.414 * abs(across), 0, 1)
  drop <- ifelse(
    abs(down) > 2.414 * abs(across),
    1,
    ifelse(abs(down) > 0.414 * abs(across), ifelse(across * down > 0, 1, -1), 0)
  )
  crest <- matrix(FALSE, h, w)
  for (way in list(c(1, 0), c(1, 1), c(1, -1), c(0, 1))) {
    here <- side == way[1] & drop == way[2]
    crest[here] <- (strength > shifted(strength, -way[2], -way[1]) &
      strength >= shifted(strength, way[2], way[1]))[here]
  }

  crest <- crest & strength >= 0.4 * high
  kept <- crest & strength >= high
  repeat {
    grown <- kept
    for (dy in -1:1) {
      for (dx in -1:1) {
        grown <- grown | shifted(kept + 0, dy, dx) > 0
      }
    }

    grown <- grown & crest
    if (identical(grown, kept)) {
      return(kept)
    }

    kept <- grown
  }
}

test_that("outlines are those of Canny's steps done one by one", {
  for (picture in list(
    scene(1, 120, 80),
    noisy(2, 97, 61),
    noisy(5, 64, 64, 0.1),
    scene(7, 33, 150)
  )) {
    fast <- core_thin_edges(picture) > 0.5
    slow <- edges_by_hand(lightness_of(picture))
    # Where two neighbours are as strong as each other, the last digit decides.
    expect_lt(mean(fast != slow), 0.002)
    expect_gt(sum(slow), 50)
  }
})

test_that("the largest regions without a counterpart are boxed as connected parts", {
  plain <- array(0.6, c(192, 288, 3))
  plain[150:154, 20 + 25 * rep(0:7, each = 12) + rep(1:12, 8), ] <- 0.2
  more <- plain
  boxes <- list(
    c(30, 30, 60, 60),
    c(200, 20, 260, 90),
    c(120, 40, 150, 60)
  )
  for (box in boxes) {
    more[box[2]:box[4], box[1]:box[3], ] <- 0.15
  }

  found <- core_unmatched(
    view_picture(more)$handle,
    view_picture(plain)$handle,
    NULL
  )$boxes
  expect_equal(nrow(found), 3)
  # The heaviest first, each around its own.
  expect_false(is.unsorted(-found[, "weight"]))
  expect_lte(sum(found[, "weight"]), 1)
  around <- function(box) {
    any(
      found[, "left"] <= box[1] / 288 &
        found[, "top"] <= box[2] / 192 &
        found[, "right"] >= box[3] / 288 &
        found[, "bottom"] >= box[4] / 192
    )
  }

  for (box in boxes) {
    expect_true(around(box))
  }

  # A weight says what counts.
  kept <- matrix(1, 192, 288)
  kept[, 1:160] <- 0
  right <- core_unmatched(
    view_picture(more)$handle,
    view_picture(plain)$handle,
    kept
  )$boxes
  expect_equal(nrow(right), 1)
  expect_gt(right[1, "left"], 0.5)
})

test_that("bytes and R's arrays are seen alike, in colour and grey, at odd sizes", {
  for (size in list(
    c(64, 48),
    c(61, 47),
    c(700, 33),
    c(3, 300),
    c(1, 1),
    c(17, 1)
  )) {
    picture <- round(scene(4, size[1], size[2]) * 255) / 255
    bytes <- as.raw(round(aperm(picture, c(3, 2, 1)) * 255))
    a <- view_picture(picture, size)
    b <- view_bytes(bytes, size, size)
    facts <- setdiff(names(a), c("handle", "held"))
    expect_equal(a[facts], b[facts], tolerance = 1e-5, info = paste(size, collapse = " x "))
    expect_equal(view_oklab(a), view_oklab(b), tolerance = 1e-5)
  }

  grey <- round(scene(4, 50, 40)[, , 2] * 255)
  a <- view_bytes(as.raw(t(grey)), c(50, 40), c(50, 40))
  b <- view_picture(array(grey / 255, c(40, 50, 3)), c(50, 40))
  expect_equal(view_oklab(a), view_oklab(b), tolerance = 1e-5)
  expect_error(
    core_view_bytes(as.raw(1:7), 2L, 2L, c(2L, 2L), c(2L, 2L), "take"),
    "another amount of pixels"
  )
})

test_that("a picture and the same one turned have the same flaws", {
  stairs <- array(
    rep(round(seq(0.2, 0.6, length.out = 400) * 40) / 40, each = 300),
    c(300, 400, 3)
  )
  blocky <- noisy(3, 400, 300, 0.005)
  lifted <- (row(blocky[, , 1]) %/% 8 + col(blocky[, , 1]) %/% 8) %% 2
  blocky <- pmin(blocky + 0.04 * c(lifted), 1)
  soft <- scene(6, 400, 300)
  for (c in 1:3) {
    soft[, , c] <- core_blur(soft[, , c], 3)
  }

  for (picture in list(stairs, blocky, soft, noisy(6, 400, 300, 0.05))) {
    one <- view_picture(picture)
    other <- view_picture(turned(picture))
    for (flaw in c("blur", "noise", "blotches", "blocks")) {
      expect_equal(one[[flaw]], other[[flaw]], tolerance = 0.02, info = flaw)
    }

    expect_equal(one$tones, other$tones, tolerance = 0.05)
    expect_equal(one$burnt$number, other$burnt$number)
  }

  expect_lt(view_picture(stairs)$tones, 40)
  expect_gt(view_picture(blocky)$blocks, 0.2)
  expect_gt(view_picture(soft)$blur, 4)
})

test_that("tones are counted by the entropy of each channel, whatever their order", {
  tones <- function(values) view_picture(array(values, c(96, 120, 3)))$tones
  expect_equal(tones(0.4), 1)
  # As many of each, in every channel.
  expect_equal(tones(rep(c(0, 0.5), each = 96, length.out = 96 * 120 * 3)), 2, tolerance = 1e-3)
  some <- withr::with_seed(
    5,
    sample(c(0.1, 0.2, 0.7, 0.9), 96 * 120 * 3, TRUE, c(0.4, 0.3, 0.2, 0.1))
  )
  share <- c(0.4, 0.3, 0.2, 0.1)
  expect_equal(tones(some), exp(-sum(share * log(share))), tolerance = 0.03)
})

test_that("a mirrored picture has the style of the straight one, and so has one upside down", {
  for (index in 1:4) {
    picture <- noisy(index, 256, 192)
    style <- function(p) view_picture(p)$style
    expect_equal(style(mirrored(picture)), style(picture), tolerance = 0.02)
    expect_equal(style(picture[192:1, , ]), style(picture), tolerance = 0.02)
  }
})

test_that("mean difference of two pictures is that of their colours, place by place", {
  a <- scene(1, 170, 120)
  b <- scene(2, 170, 120)
  one <- view_picture(a)
  other <- view_picture(b)
  right <- mean(
    sqrt(apply((view_oklab(one) - view_oklab(other))^2, c(1, 2), sum))
  )
  expect_equal(
    core_coarse_difference(one$handle, other$handle),
    right,
    tolerance = 1e-4
  )
  expect_equal(core_coarse_difference(one$handle, one$handle), 0)
})

test_that("blotches are excused as far as a look has them, and grain is none", {
  blotchy <- function(picture, by) {
    h <- dim(picture)[1]
    w <- dim(picture)[2]
    waves <- withr::with_seed(2, core_blur(matrix(rnorm(h * w), h), 1.2))
    pmin(pmax(0.64 * picture + 0.18 + by * c(waves / sd(waves)), 0), 1)
  }

  plain <- array(0.5, c(200, 300, 3))
  plain[60:140, 100:200, ] <- 0.75
  see <- function(picture, part = "take") view_picture(picture, part = part)
  decoys <- lapply(
    draw_decoys(c(300, 200)),
    view_picture,
    frame = c(300, 200),
    part = "decoy"
  )
  unfinished <- function(take, look) {
    looks <- list(look_facts(see(look)))
    scene <- new_scene(
      see(take),
      see(plain, "reference"),
      look = looks,
      decoys = decoys
    )
    row <- score_scene(
      scene,
      measures = Filter(function(m) m$measure == "unfinished", all_measures())
    )
    list(level = row$level, value = row$value, raw = row$raw)
  }

  expect_equal(unfinished(plain, plain)$level, "none")
  expect_equal(unfinished(blotchy(plain, 0.15), plain)$level, "serious")
  # What the look has is no flaw, up to a point.
  expect_lt(
    unfinished(blotchy(plain, 0.04), blotchy(plain, 0.04))$value,
    unfinished(blotchy(plain, 0.04), plain)$value
  )
  expect_equal(unfinished(blotchy(plain, 0.04), blotchy(plain, 0.05))$level, "none")
  # Grain that is fine everywhere is another flaw's business.
  grainy <- withr::with_seed(3, pmin(pmax(plain + rnorm(length(plain), sd = 0.06), 0), 1))
  expect_equal(unfinished(grainy, plain)$level, "none")
})
