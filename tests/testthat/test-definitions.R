# What the core computes fast, held against its definition written down plainly.
lightness <- function(p) core_oklab(p, ncol(p), nrow(p))[, , 1]
seen_as <- function(p) view_picture(p)$handle

likeness_of <- function(a, b, kept = NULL) {
  core_likenesses(seen_as(a), list(seen_as(b)), kept)[, 1]
}

test_that("blurring is a mean weighted by the bell curve, with mirrored borders", {
  values <- scene(1, 40, 30)[, , 1]
  for (sigma in c(0.7, 1.6, 3)) {
    reach <- ceiling(3.5 * sigma)
    weight <- exp(-0.5 * (-reach:reach)^2 / sigma^2)
    weight <- weight / sum(weight)
    along <- function(m) {
      rows <- vapply(
        seq_len(nrow(m)),
        function(i) {
          at <- i + -reach:reach
          at[at < 1] <- 1 - at[at < 1]
          at[at > nrow(m)] <- 2 * nrow(m) + 1 - at[at > nrow(m)]
          colSums(weight * m[at, , drop = FALSE])
        },
        numeric(ncol(m))
      )
      rows
    }

    expect_equal(
      core_blur(values, sigma),
      along(along(values)),
      tolerance = 1e-5,
      info = paste("sigma", sigma)
    )
  }
})

test_that("edges are the crests of the gradient, followed from strong to weak", {
  picture <- scene(2, 60, 44)
  smooth <- core_blur(lightness(picture), 1.2)
  h <- nrow(smooth)
  w <- ncol(smooth)
  across <- 0.5 *
    (smooth[, pmin(2:(w + 1), w)] - smooth[, pmax(0:(w - 1), 1)])
  down <- 0.5 *
    (smooth[pmin(2:(h + 1), h), ] - smooth[pmax(0:(h - 1), 1), ])
  strength <- sqrt(across^2 + down^2)
  around <- matrix(0, h + 2, w + 2)
  around[2:(h + 1), 2:(w + 1)] <- strength
  crest <- outer(
    1:h,
    1:w,
    Vectorize(function(y, x) {
      steep <- abs(down[y, x]) / abs(across[y, x])
      way <- if (steep > 2.414) {
        c(1, 0)
      } else if (steep > 0.414) {
        c(if (across[y, x] * down[y, x] > 0) 1 else -1, 1)
      } else {
        c(0, 1)
      }
      own <- strength[y, x]
      own > around[y + 1 - way[1], x + 1 - way[2]] &&
        own >= around[y + 1 + way[1], x + 1 + way[2]]
    })
  )
  high <- max(0.012, sort(strength)[floor(0.9 * (length(strength) - 1)) + 1])
  edges <- crest & strength >= high
  repeat {
    near <- matrix(FALSE, h + 2, w + 2)
    for (dy in 0:2) {
      for (dx in 0:2) {
        near[dy + 1:h, dx + 1:w] <- near[dy + 1:h, dx + 1:w] | edges
      }
    }

    grown <- edges | (near[1 + 1:h, 1 + 1:w] & crest & strength >= 0.4 * high)
    if (identical(grown, edges)) {
      break
    }

    edges <- grown
  }

  found <- core_thin_edges(picture) > 0.5
  # A tie that single precision decides may go the other way.
  expect_lt(mean(found != edges), 0.004)
  expect_gt(sum(edges), 100)
})

test_that("a plain picture has no edges, one step has one line", {
  flat <- array(0.4, c(30, 50, 3))
  expect_equal(sum(core_thin_edges(flat)), 0)
  flat[, 26:50, ] <- 0.8
  edges <- core_thin_edges(flat)
  expect_true(all(rowSums(edges) == 1))
  expect_true(all(which(colSums(edges) > 0) %in% 25:26))
})

test_that("what has no counterpart is the share of edges far from any other", {
  a <- scene(3, 96, 64)
  b <- a
  b[20:50, 40:70, ] <- 0.5
  mine <- core_thin_edges(a) > 0.5
  far <- core_distance(core_thin_edges(b), 96)
  gone <- core_unmatched(seen_as(a), seen_as(b), NULL)$share
  # How far is far lies between two and ten pixels.
  expect_gt(gone, mean(far[mine] > 10))
  expect_lt(gone, mean(far[mine] > 2))
})

test_that("local correlation is that of lightness in windows of three sizes, whatever its sign", {
  a <- scene(4, 256, 128)
  b <- scene(5, 256, 128)
  halved <- function(m) {
    0.25 *
      (m[c(TRUE, FALSE), c(TRUE, FALSE)] +
        m[c(FALSE, TRUE), c(TRUE, FALSE)] +
        m[c(TRUE, FALSE), c(FALSE, TRUE)] +
        m[c(FALSE, TRUE), c(FALSE, TRUE)])
  }

  at_level <- function(x, y) {
    tops <- expand.grid(
      top = seq(1, nrow(x) - 7, by = 4),
      left = seq(1, ncol(x) - 7, by = 4)
    )
    found <- vapply(
      seq_len(nrow(tops)),
      function(i) {
        rows <- tops$top[i] + 0:7
        columns <- tops$left[i] + 0:7
        p <- c(x[rows, columns])
        q <- c(y[rows, columns])
        spread <- c(mean(p^2) - mean(p)^2, mean(q^2) - mean(q)^2)
        clear <- sqrt(max(spread))
        c(
          clear / (clear + 0.02),
          min(1, abs(mean(p * q) - mean(p) * mean(q)) / sqrt(prod(spread + 1e-4)))
        )
      },
      c(0, 0)
    )
    sum(found[1, ] * found[2, ]) / sum(found[1, ])
  }

  x <- lightness(a)
  y <- lightness(b)
  levels <- numeric()
  for (k in 1:3) {
    levels <- c(levels, at_level(x, y))
    x <- halved(x)
    y <- halved(y)
  }

  expect_equal(likeness_of(a, b)[["local_correlation"]], mean(levels), tolerance = 0.003)
})

test_that("shared information is what two pictures' sixteen groups of tones tell of each other", {
  a <- scene(6, 128, 64)
  b <- 1 - 0.7 * scene(6, 128, 64)^2
  groups <- function(p) {
    cell <- floor(pmin(1, pmax(0, core_blur(lightness(p), 1))) * 1023)
    count <- tabulate(cell + 1, 1024)
    place <- (cumsum(count) - 0.5 * count) / length(cell)
    pmin(15, floor(place * 16))[cell + 1]
  }

  entropy <- function(share) -sum(share[share > 0] * log(share[share > 0]))
  both <- table(factor(groups(a), 0:15), factor(groups(b), 0:15)) / (128 * 64)
  ends <- c(entropy(rowSums(both)), entropy(colSums(both)))
  expect_equal(
    likeness_of(a, b)[["shared_information"]],
    (sum(ends) - entropy(both)) / mean(ends),
    tolerance = 0.01
  )
})

test_that("a mask leaves the rest of the picture out of every comparison", {
  a <- scene(7, 256, 128)
  b <- a
  b[, 129:256, ] <- scene(8, 128, 128)
  left <- matrix(rep(c(1, 0), each = 128), 128, 256, byrow = TRUE)
  whole <- likeness_of(a, b)
  kept <- likeness_of(a, b, left)
  # Beside the border other contents are felt by what looks at a neighbourhood.
  for (measure in c(
    "orientation", "layout", "local_correlation", "shared_information", "edges"
  )) {
    expect_gt(kept[[measure]], 0.75)
    expect_lt(whole[[measure]], kept[[measure]])
  }

  expect_lt(max(likeness_of(a, b, 1 - left)[c("layout", "shared_information")]), 0.4)
})

test_that("scores of fixed pictures change only with `measures_version`", {
  folder <- withr::local_tempdir()
  files <- file.path(folder, c("reference.png", "take.png", "look.png"))
  png::writePNG(scene(3, 192, 128), files[1])
  png::writePNG(1 - 0.8 * scene(3, 192, 128)[, , c(2, 3, 1)], files[2])
  png::writePNG(1 - 0.8 * scene(8, 192, 128)[, , c(2, 3, 1)], files[3])
  found <- score_picture(files[2], files[1], look = files[3])
  # If a number changes here, raise the version, so that old scores are never mixed with new ones.
  expect_snapshot(
    cat(
      paste("version", measures_version),
      paste(found$measure, signif(found$value, 3)),
      sep = "\n"
    )
  )
})
