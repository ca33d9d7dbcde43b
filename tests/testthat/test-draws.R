# What is told from draws, against the same counted one draw after the other.
drawn_worths <- function(n = 400, names = c("a", "b", "c", "d"), seed = 3) {
  withr::with_seed(
    seed,
    matrix(
      rnorm(n * length(names), rep(seq_along(names) / 10, n), 0.2),
      length(names),
      dimnames = list(names, NULL)
    )
  )
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
    for (i in 1:4) {
      ranks[i, k] <- 1 + sum(worth[, k] > worth[i, k])
    }
  }

  expect_equal(chance_best(worth), best / ncol(worth))
  expect_equal(expected_regret(worth), regret / ncol(worth))
  found <- rank_intervals(worth)
  for (i in 1:4) {
    sorted <- sort(ranks[i, ])
    expect_equal(unname(found[i, ]), sorted[ceiling(c(0.05, 0.95) * ncol(worth))])
  }
})

test_that("who made nothing has no chance, no regret and the last rank", {
  worth <- drawn_worths()
  worth["c", ] <- NA
  expect_true(is.na(chance_best(worth)[["c"]]))
  expect_equal(sum(chance_best(worth), na.rm = TRUE), 1)
  expect_true(is.na(expected_regret(worth)[["c"]]))
  expect_equal(unname(rank_intervals(worth)["c", ]), c(4, 4))
  # Where nothing is of worth nobody is the best.
  expect_true(all(is.na(chance_best(worth - 5))))
})

test_that("Wilson's interval is the one of the score test, and stays within 0 and 1", {
  for (n in c(1, 5, 20, 300)) {
    for (kept in unique(round(n * c(0, 0.1, 0.5, 0.93, 1)))) {
      right <- suppressWarnings(stats::prop.test(
        kept,
        n,
        conf.level = 0.9,
        correct = FALSE
      ))$conf.int
      expect_equal(unname(wilson(kept / n, n)[1, ]), as.vector(right), tolerance = 1e-8)
    }
  }

  many <- wilson(c(0, 0.5, 1), c(3, 3, 3), 0.99)
  expect_true(all(many >= -1e-12 & many <= 1 + 1e-12))
  expect_equal(unname(many[1, ]), 1 - unname(rev(many[3, ])))
})

drawn_means <- function(means, units = list(seq_len(nrow(means))), draws = 4000, ...) {
  posterior_draws(means, units, draws, 1, ...)
}

# Cases x pipelines, the same luck everywhere.
met <- function(truth, cases = 10, sd = 0.1, seed = 4) {
  means <- withr::with_seed(
    seed,
    matrix(rnorm(cases * length(truth), rep(truth, each = cases), sd), cases)
  )
  colnames(means) <- letters[seq_along(truth)]
  means
}

test_that("pairs' intervals hold at once, the better one first", {
  draws <- drawn_means(met(c(0.5, 0.55, 0.9)))
  found <- pair_differences(draws)
  expect_equal(found$one, c("c", "c", "b"))
  expect_equal(found$difference, unname(rowMeans(draws[found$one, ] - draws[found$other, ])))
  inside <- draws[found$one, ] - draws[found$other, ] >= found$low &
    draws[found$one, ] - draws[found$other, ] <= found$high
  expect_equal(mean(colSums(inside) == 3), 0.9, tolerance = 0.01)
  expect_equal(found$apart, found$low > 0)
  expect_equal(nrow(pair_differences(draws["a", , drop = FALSE])), 0)
})

test_that("leads are kept where cases agree and shrunk where they don't, at any level", {
  lead <- function(sd, add = 0) {
    means <- met(c(0.4, 0.4, 0.4, 0.5), sd = sd) + add
    shrunk <- rowMeans(drawn_means(means))
    c(
      plain = diff(range(colMeans(means))),
      shrunk = diff(range(shrunk)),
      level = mean(shrunk) - mean(means)
    )
  }

  sure <- lead(0.005)
  unsure <- lead(0.4)
  expect_gt(sure[["shrunk"]] / sure[["plain"]], 0.95)
  expect_lt(unsure[["shrunk"]] / unsure[["plain"]], 0.5)
  expect_equal(unsure[["level"]], 0, tolerance = 1e-10)
  expect_equal(lead(0.4, 7)[["shrunk"]], unsure[["shrunk"]], tolerance = 1e-6)
})

test_that("a single pipeline's mean is drawn as Student's t has it", {
  scores <- matrix(withr::with_seed(5, stats::rnorm(6)), dimnames = list(NULL, "a"))
  ends <- interval(drawn_means(scores, draws = 60000)["a", ])
  expect_equal(
    ends,
    as.vector(stats::t.test(scores[, 1], conf.level = 0.9)$conf.int),
    tolerance = 0.03
  )
})

test_that("where the spread of the truth is beyond doubt, means shrink by the textbook's factor", {
  truth <- withr::with_seed(2, stats::rnorm(200, 0.5, 0.1))
  many <- withr::with_seed(3, t(replicate(50, truth + stats::rnorm(200, 0, 0.5))))
  colnames(many) <- paste0("p", 1:200)
  found <- rowMeans(drawn_means(many, draws = 400)) - mean(many)
  plain <- colMeans(many) - mean(many)
  kept <- stats::coef(stats::lm(found ~ 0 + plain))[[1]]
  expect_equal(kept, 0.1^2 / (0.1^2 + 0.5^2 / 50), tolerance = 0.1)
  expect_lt(
    mean((found - (truth - mean(truth)))^2),
    mean((plain - (truth - mean(truth)))^2)
  )
})

test_that("cases that share a reference are one witness, and a gap says less", {
  means <- met(c(0.5, 0.5), cases = 24, sd = 0.02)
  reference <- rep(1:4, 6)
  # Each reference suits one of both.
  means[, "a"] <- means[, "a"] + c(0.1, -0.1, 0.05, -0.03)[reference]
  width <- function(...) {
    diff(interval(drawn_means(...)["a", ] - drawn_means(...)["b", ]))
  }

  alone <- width(means)
  shared <- width(means, list(reference))
  expect_gt(shared, 1.5 * alone)
  crossed <- width(means, list(reference, rep(1:6, each = 4)))
  expect_equal(crossed, shared, tolerance = 0.35)
  # One picture for all says nothing of others; it is the cases that do.
  expect_equal(width(means, list(rep(1, 24))), alone)
  gappy <- means
  gappy[1:18, "b"] <- NA
  expect_gt(width(gappy), alone)
  expect_true(all(is.na(drawn_means(means[1, , drop = FALSE]))))
})

test_that("what is the same in all it made shares its chance, and the unknown has none", {
  means <- met(c(0.5, 0.6, 0.4))
  means[, "c"] <- means[, "b"]
  draws <- drawn_means(means)
  expect_identical(draws["b", ], draws["c", ])
  means[, "a"] <- NA
  draws <- drawn_means(means)
  expect_true(all(is.na(draws["a", ])))
  expect_equal(unname(chance_best(draws)), c(NA, 0.5, 0.5))
})

test_that("a leader that met no case with the others decides nothing", {
  table <- scored_table(
    means_of(a = c(0.9, 0.9, 0.9), b = c(0.5, 0.5, 0.5)),
    cases = 4,
    seeds = 1
  )
  apart <- table[(table$pipeline == "a") == (table$case == "c04"), ]
  expect_gt(length(unique(apart$case)), 3)
  expect_true(is.finite(peeking_stretch(0.9, 0, 12)))
  step <- race_step(apart, core_brief, list(cases = 12, seeds = 2, looks = 12))
  expect_equal(step$state, "open")
  expect_equal(step$information, 0)
  told <- verdict_from(apart, core_brief, list(cases = 12, seeds = 2, looks = 12))
  expect_false(told$state == "decided")
})
