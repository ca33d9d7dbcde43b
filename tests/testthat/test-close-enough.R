# A pipeline that is all but the best will do, where the brief says so.
close_brief <- function(...) utils::modifyList(core_brief, list(...))

near_ties <- function() {
  table <- scored_table(
    means_of(
      a = c(0.8, 0.5, 0.5),
      b = c(0.795, 0.5, 0.5),
      c = c(0.79, 0.5, 0.5),
      d = c(0.5, 0.5, 0.5)
    ),
    cases = 12,
    by_case = 0.02,
    by_seed = 0.02
  )
  table$cost[table$pipeline == "c"] <- 0.02
  table$seconds[table$pipeline == "b"] <- 0.1
  table
}

verdict_of <- function(...) verdict_from(near_ties(), close_brief(...))

words_of <- function(verdict) {
  paste(
    c(headline_words(verdict), standing_words(verdict)),
    collapse = " "
  )
}

test_that("who is within reach of the best is counted draw by draw", {
  worth <- rbind(
    a = c(1, 0.5, 0.7),
    b = c(0.98, 0.6, 0.1),
    c = c(NA, NA, NA)
  )
  close <- chance_close(worth, 0.05)
  expect_equal(close, c(a = 2 / 3, b = 2 / 3, c = NA))
  expect_equal(chance_close(worth, 0), chance_best(worth))
  expect_silent(unknown <- chance_close(worth + NA, 0.05))
  expect_true(all(is.na(unknown)))
})

test_that("near ties are decided where being close is enough, and all of them are named", {
  strict <- verdict_of()
  expect_equal(strict$state, "too close")
  expect_equal(strict$close, character())
  verdict <- verdict_of(close_enough = 0.05)
  expect_equal(verdict$state, "decided")
  expect_setequal(verdict$close, c("a", "b", "c"))
  expect_equal(verdict$best, verdict$pipelines$pipeline[1])
  expect_gt(verdict$confidence, strict$confidence)
  expect_match(words_of(verdict), "within 0.05 of the best of 4")
  expect_match(words_of(verdict), "Equally close, with the same certainty: ")
  # What is far is not close.
  expect_lt(verdict$pipelines$chance_close[verdict$pipelines$pipeline == "d"], 0.01)
})

test_that("of those that are close the cheaper or the faster is taken where it is asked for", {
  cheaper <- verdict_of(close_enough = 0.05, prefer = "cheaper")
  expect_equal(cheaper$best, "c")
  expect_match(words_of(cheaper), "c is the cheapest of them")
  faster <- verdict_of(close_enough = 0.05, prefer = "faster")
  expect_equal(faster$best, "b")
  # Nothing is preferred among those of whom it is not sure.
  expect_equal(verdict_of(prefer = "cheaper")$best, verdict_of()$best)
  # One that does not lead says by how much.
  behind <- cheaper
  behind$margin <- c(-0.01, -0.02, 0.002)
  expect_match(words_of(behind), "It is worth 0.010 of a take less than", fixed = TRUE)
})

test_that("settings of one engine don't take its chances from each other", {
  pipelines <- tibble::tibble(pipeline = c("x-1", "x-2", "y"), chance_best = c(0.4, 0.35, 0.25))
  recipes <- tibble::tibble(pipeline = c("y", "x-1", "x-2"), engine = c("y", "x", "x"))
  expect_equal(chance_by_engine(pipelines, recipes), c(x = 0.75, y = 0.25))
  expect_null(chance_by_engine(pipelines[c(1, 3), ], recipes))
})

test_that("a race stops as soon as one is surely close enough", {
  table <- near_ties()
  step <- function(...) {
    race_step(table, close_brief(...), list(cases = 8, seeds = 4, looks = 4))$state
  }

  expect_false(step() == "decided")
  expect_equal(step(close_enough = 0.08), "decided")
})

test_that("the brief's file says it", {
  brief <- c(small_brief, "close_enough: 0.02", "prefer: faster")
  read <- read_trial(small_trial(brief = brief))$brief
  expect_equal(read$close_enough, 0.02)
  expect_equal(read$prefer, "faster")
  expect_error(
    read_trial(small_trial(brief = c(small_brief, "prefer: prettier"))),
    class = "sprenn_error_trial"
  )
})
