# The pieces of the posterior, each against what can be counted by hand or simulated.

covariance_of <- function(off, units) covariance_of_mean(off, units)

test_that("independent cases give the usual variance of a mean", {
  values <- withr::with_seed(1, matrix(stats::rnorm(40), 20))
  off <- t(t(values) - colMeans(values))
  found <- covariance_of(off, list(1:20))
  expect_equal(found$covariance, stats::cov(values) / 20)
  expect_equal(found$free, 19)
})

test_that("cases of one picture give the variance of the pictures' means", {
  values <- withr::with_seed(2, matrix(stats::rnorm(24), 12))
  picture <- rep(1:4, each = 3)
  off <- t(t(values) - colMeans(values))
  by_picture <- rowsum(values, picture) / 3
  found <- covariance_of(off, list(picture))
  expect_equal(found$covariance, stats::cov(by_picture) / 4, ignore_attr = TRUE)
  expect_equal(found$free, 3)
})

test_that("crossed references and looks add up, and are never less than one of them", {
  grid <- expand.grid(reference = 1:6, look = 1:8)
  simulated <- function(seed) {
    withr::local_seed(seed)
    value <- stats::rnorm(6, 0, 0.3)[grid$reference] +
      stats::rnorm(8, 0, 0.2)[grid$look] +
      stats::rnorm(48, 0, 0.1)
    off <- matrix(value - mean(value))
    both <- covariance_of(off, list(grid$reference, grid$look))
    one <- covariance_of(off, list(grid$reference))
    other <- covariance_of(off, list(grid$look))
    expect_gte(both$covariance[1], max(one$covariance[1], other$covariance[1]) - 1e-12)
    expect_true(both$free >= 5 && both$free <= 12)
    both$covariance[1]
  }

  told <- vapply(1:200, simulated, 0)
  true <- 0.3^2 / 6 + 0.2^2 / 8 + 0.1^2 / 48
  expect_equal(mean(told), true, tolerance = 0.15)
})

test_that("where nothing varies the covariance is nothing", {
  found <- covariance_of(matrix(0, 6, 2), list(rep(1:2, 3), rep(1:3, 2)))
  expect_equal(found$covariance, matrix(0, 2, 2))
})

test_that("a pipeline's own variance is found, drawn to that of all where cases are few", {
  spreads <- c(0.02, 0.05, 0.2)
  own_of <- function(cases) {
    values <- withr::with_seed(3, t(matrix(stats::rnorm(3 * cases, 0, spreads), 3)))
    off <- t(t(values) - colMeans(values))
    own_variances(off, list(seq_len(cases)), cases - 1) * cases
  }

  many <- own_of(2000)
  expect_equal(many, spreads^2, tolerance = 0.15)
  few <- own_of(6)
  expect_lt(max(few) / min(few), 4)
})

test_that("gaps are filled by what their case and their pipeline usually have", {
  full <- outer(c(0.1, 0.4, 0.7), c(0, 0.1, 0.2), `+`)
  gaps <- full
  gaps[2, 3] <- NA
  gaps[1, 1] <- NA
  expect_equal(fill_by_sums(gaps), full, tolerance = 1e-3)
  expect_identical(fill_by_sums(full), full)
})

test_that("units that say no more than the cases, or nothing of others, are left out", {
  telling <- telling_units
  expect_equal(telling(list(rep(1, 6), 1:6)), list(1:6))
  expect_equal(telling(list(rep(1:3, 2), 1:6)), list(rep(1:3, 2)))
  expect_equal(
    telling(list(rep(1:3, 2), rep(1:2, 3))),
    list(rep(1:3, 2), rep(1:2, 3))
  )
  expect_equal(telling(list(1)), list())
})

test_that("looks count as pictures only where there are enough of them", {
  table <- function(looks) {
    cases <- expand.grid(reference = c("r1", "r2"), look = paste0("l", seq_len(looks)))
    tibble::tibble(
      pipeline = "a",
      case = sprintf("c%02d", seq_len(nrow(cases))),
      seed = 1L,
      reference = as.character(cases$reference),
      look = as.character(cases$look)
    )
  }

  expect_named(independent_units(table(3)), "reference")
  expect_named(independent_units(table(4)), c("reference", "look"))
  expect_equal(independent_pictures(table(4)), 2)
  without <- table(4)
  without$look[3] <- NA
  # A case without a look is a picture of its own.
  expect_equal(independent_units(without)$look[3], "case c03")
})

# Tables of pipelines whose truth is drawn, and whether intervals hold it.
held <- function(pipelines, cases, spread, luck) {
  vapply(
    1:120,
    function(seed) {
      withr::local_seed(seed)
      truth <- stats::rnorm(pipelines, 0.5, spread)
      means <- outer(stats::rnorm(cases, 0, 0.1), truth, `+`)
      means <- means + stats::rnorm(length(means), 0, luck)
      colnames(means) <- paste0("p", seq_len(pipelines))
      draws <- posterior_draws(means, list(seq_len(cases)), 400, seed)
      leader <- which.max(rowMeans(draws))
      ends <- interval(draws[leader, ])
      apart <- interval(draws[1, ] - draws[2, ])
      c(
        leader = ends[1] <= truth[leader] && truth[leader] <= ends[2],
        pair = apart[1] <= truth[1] - truth[2] && truth[1] - truth[2] <= apart[2],
        bias = mean(draws[leader, ]) - truth[leader],
        plain = max(colMeans(means)) - truth[which.max(colMeans(means))]
      )
    },
    numeric(4)
  )
}

test_that("intervals hold the truth, the leader's too, and the leader is not flattered", {
  for (design in list(c(6, 5), c(12, 10), c(3, 30))) {
    found <- rowMeans(held(design[1], design[2], spread = 0.05, luck = 0.12))
    # 120 tables: a share of 0.9 is found between 0.82 and 0.97.
    expect_true(found[["leader"]] > 0.82 && found[["leader"]] < 0.99)
    expect_true(found[["pair"]] > 0.82 && found[["pair"]] < 0.97)
    expect_lt(found[["bias"]], 0.5 * found[["plain"]])
  }
})

test_that("a verdict ranks by worth, and who is close is who is surely enough", {
  table <- worth(
    scored_table(
      means_of(
        a = c(0.8, 0.7, 0.7),
        b = c(0.5, 0.5, 0.5),
        c = c(0.79, 0.7, 0.7)
      ),
      cases = 12,
      by_case = 0.03
    )
  )
  brief <- utils::modifyList(core_brief, list(close_enough = 0.1, draws = 500L))
  ranked <- ranked_pipelines(table, brief)
  expect_false(is.unsorted(-ranked$pipelines$worth))
  expect_setequal(ranked$close, c("a", "c"))
  expect_equal(ranked$pipelines$pipeline[3], "b")
  chance <- chance_close(ranked$draws$worth, 0.1)
  expect_equal(ranked$pipelines$chance_close, unname(chance[ranked$pipelines$pipeline]))
  # Looks on the way make the same table say less.
  peeked <- ranked_pipelines(table, brief, list(looks = 8, cases = 24, seeds = 2))
  width <- function(found) mean(found$pipelines$worth_high - found$pipelines$worth_low)
  expect_gt(width(peeked), width(ranked))
})

test_that("ranks reach as far as draws put a pipeline, and ties share the better rank", {
  draws <- rbind(
    a = rep(1, 20),
    b = rep(c(0, 2), 10),
    c = rep(1, 20),
    d = NA
  )
  found <- rank_intervals(draws)
  expect_equal(found["a", ], c(from = 1, to = 2))
  expect_equal(found["b", ], c(from = 1, to = 3))
  expect_equal(found["d", ], c(from = 4, to = 4))
})
