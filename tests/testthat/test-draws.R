# What is told from draws, against the same counted one draw after the other.
drawn_worths <- function(n = 400, names = c("a", "b", "c", "d"), seed = 3) {
  withr::with_seed(seed, matrix(rnorm(n * length(names), rep(seq_along(names) / 10, n), 0.2), length(names), dimnames = list(names, NULL)))
}

test_that("chance, regret and ranks are what counting draw by draw gives", {
  worth <- drawn_worths()
  worth[, 5] <- 1
  best <- regret <- setNames(numeric(4), rownames(worth))
  ranks <- matrix(0, 4, ncol(worth))
  for (k in seq_len(ncol(worth))) {
    top <- max(worth[, k])
    winners <- which(worth[, k] == top)
    best[winners] <- best[winners] + 1 / length(winners)
    regret <- regret + top - worth[, k]
    for (i in 1:4) ranks[i, k] <- 1 + sum(worth[, k] > worth[i, k])
  }
  expect_equal(internal("chance_best")(worth), best / ncol(worth))
  expect_equal(internal("expected_regret")(worth), regret / ncol(worth))
  found <- internal("rank_intervals")(worth)
  for (i in 1:4) {
    sorted <- sort(ranks[i, ])
    expect_equal(unname(found[i, ]), sorted[ceiling(c(0.05, 0.95) * ncol(worth))])
  }
})

test_that("who made nothing has no chance, no regret and the last rank", {
  worth <- drawn_worths()
  worth["c", ] <- NA
  expect_true(is.na(internal("chance_best")(worth)[["c"]]))
  expect_equal(sum(internal("chance_best")(worth), na.rm = TRUE), 1)
  expect_true(is.na(internal("expected_regret")(worth)[["c"]]))
  expect_equal(unname(internal("rank_intervals")(worth)["c", ]), c(4, 4))
  # Where nothing is of worth nobody is the best.
  expect_true(all(is.na(internal("chance_best")(worth - 5))))
})

test_that("Wilson's interval is the one of the score test, and stays within 0 and 1", {
  wilson <- internal("wilson")
  for (n in c(1, 5, 20, 300)) for (kept in unique(round(n * c(0, 0.1, 0.5, 0.93, 1)))) {
    right <- suppressWarnings(stats::prop.test(kept, n, conf.level = 0.9, correct = FALSE))$conf.int
    expect_equal(unname(wilson(kept / n, n)[1, ]), as.vector(right), tolerance = 1e-8)
  }
  many <- wilson(c(0, 0.5, 1), c(3, 3, 3), 0.99)
  expect_true(all(many >= -1e-12 & many <= 1 + 1e-12))
  expect_equal(unname(many[1, ]), 1 - unname(rev(many[3, ])))
})

test_that("pairs' intervals are Student's of the differences within cases, wide enough for all at once", {
  means <- withr::with_seed(1, matrix(rnorm(36, rep(c(0.5, 0.6, 0.9), each = 12), 0.1), 12, dimnames = list(NULL, c("x", "y", "z"))))
  found <- internal("pair_differences")(means)
  expect_equal(found$one, c("y", "z", "z"))
  for (i in 1:3) {
    right <- stats::t.test(means[, found$one[i]], means[, found$other[i]], paired = TRUE, conf.level = 1 - 0.1 / 3)
    expect_equal(found$difference[i], unname(right$estimate))
    expect_equal(c(found$low[i], found$high[i]), as.vector(right$conf.int), tolerance = 1e-6)
    expect_equal(found$apart[i], right$conf.int[1] > 0)
  }
  # A pipeline that some cases lack is compared in those that both have.
  means[1:6, "x"] <- NA
  some <- internal("pair_differences")(means)
  right <- stats::t.test(means[7:12, "z"], means[7:12, "x"], paired = TRUE, conf.level = 1 - 0.1 / 3)
  expect_equal(c(some$low, some$high)[some$other == "x" & some$one == "z"], as.vector(right$conf.int), tolerance = 1e-6)
  expect_equal(nrow(internal("pair_differences")(means[, "x", drop = FALSE])), 0)
})

test_that("leads are kept where cases agree and shrunk where they don't, whatever the level of all", {
  likely <- internal("likely_worth")
  mean_lead <- function(sd, add = 0) {
    means <- withr::with_seed(4, matrix(rnorm(40, rep(c(0.4, 0.4, 0.4, 0.5), each = 10), sd), 10, dimnames = list(NULL, letters[1:4]))) + add
    draws <- withr::with_seed(5, colMeans(means) + matrix(rnorm(4000, 0, sd / sqrt(10)), 4))
    rownames(draws) <- letters[1:4]
    shrunk <- rowMeans(likely(draws, means))
    c(plain = diff(range(colMeans(means))), shrunk = diff(range(shrunk)), level = mean(shrunk) - mean(means))
  }
  sure <- mean_lead(0.005)
  unsure <- mean_lead(0.4)
  expect_gt(sure[["shrunk"]] / sure[["plain"]], 0.95)
  expect_lt(unsure[["shrunk"]] / unsure[["plain"]], 0.7)
  expect_equal(unsure[["level"]], 0, tolerance = 0.02)
  expect_equal(mean_lead(0.4, 7)[["shrunk"]], unsure[["shrunk"]], tolerance = 1e-6)
})
