# A table of takes as add_worth() leaves it; worths by pipeline, case and seed.
takes_of <- function(worth, pipelines = names(worth), cases, seeds = 1:2) {
  rows <- expand.grid(
    seed = seeds, case = cases, pipeline = pipelines, stringsAsFactors = FALSE
  )
  rows$worth <- unlist(worth)
  rows$keeper <- rows$worth > 0
  rows$state <- "made"
  rows$flaws <- ifelse(rows$keeper, "", "frame_lost")
  rows$missed <- ""
  rows$structure <- ifelse(rows$keeper, rows$worth, 0.9)
  rows$style <- ifelse(rows$keeper, rows$worth, 0.9)
  as_table(rows)
}

half <- c(structure = 0.5, style = 0.5, adherence = 0)

test_that("the cases shown are the best, the median and the worst by mean worth", {
  table <- takes_of(
    list(a = c(0.9, 0.8, 0.5, 0.6, 0.2, 0, 0.7, 0.7, 0.6, 0.6)),
    cases = c("v", "w", "x", "y", "z")
  )
  told <- telling_cases(table, "a")
  expect_equal(told$role, c("best", "typical", "worst"))
  expect_equal(told$case, c("v", "z", "x"))
  expect_equal(told$worth, c(0.85, 0.6, 0.1))
  # Of two seeds the lower one is the median.
  expect_equal(told$seed, c(2, 1, 2))
})

test_that("of an even number of cases the lower middle one is typical; two have no middle", {
  four <- takes_of(list(a = rep(c(0.8, 0.6, 0.4, 0.2), each = 2)), cases = letters[1:4])
  expect_equal(telling_cases(four, "a")$case, c("a", "c", "d"))
  two <- telling_cases(four[four$case %in% c("a", "b"), ], "a")
  expect_equal(two$role, c("best", "worst"))
  expect_equal(telling_cases(four[four$case == "b", ], "a")$role, "typical")
  expect_null(telling_cases(four[0, ], "a"))
  # Of equals the first of the suite is named.
  four$worth[four$case != "a"] <- 0
  expect_equal(telling_cases(four, "a")$case, c("a", "c", "b"))
})

test_that("a case is shown by a picture that was made, and failures count as nothing", {
  table <- takes_of(list(a = c(0.9, 0, 0, 0)), cases = c("x", "y"))
  table$state[c(2, 4)] <- "failed"
  told <- telling_cases(table, "a")
  expect_equal(told$worth, c(0.45, 0))
  expect_equal(told$seed, c(1, 1))
  table$state[3] <- "refused"
  expect_equal(telling_cases(table, "a")$seed, c(1, 1))
})

test_that("a loss is put down to what costs most worth, and shown by a take of median loss", {
  table <- takes_of(
    list(a = rep(0.9, 6), b = c(0.9, 0.5, 0.8, 0.3, 0.9, 0.9)),
    cases = c("x", "y", "z")
  )
  table$structure <- 0.9
  told <- telling_losses(table, c("a", "b"), "a", half)
  expect_equal(told$pipeline, "b")
  expect_equal(told$reason, "style")
  expect_equal(told$mean, mean(c(0.9, 0.5, 0.8, 0.3, 0.9, 0.9)))
  expect_equal(told$best_mean, 0.9)
  # The losses are 0.4, 0.1 and 0.6; the middle one is that of seed 2 of x.
  expect_equal(c(told$case, told$seed), c("x", "2"))
  expect_equal(c(told$own, told$against), c(0.5, 0.9))
})

test_that("takes that can't be used are shown by their commonest fault, pictures first", {
  table <- takes_of(
    list(a = rep(0.9, 6), b = c(0, 0, 0, 0.9, 0.9, 0.9)),
    cases = c("x", "y", "z")
  )
  own <- which(table$pipeline == "b")
  table$flaws[own[1]] <- "mirrored"
  told <- telling_losses(table, c("a", "b"), "a", half)
  expect_equal(told$reason, "keepers")
  expect_equal(c(told$mean, told$best_mean), c(0.5, 1))
  expect_false(told$case == "x" && told$seed == 1)
  table$state[own[2:3]] <- "failed"
  table$flaws[own[2:3]] <- ""
  expect_equal(telling_losses(table, c("a", "b"), "a", half)$own, 0)
})

test_that("who loses nothing is said to, and who shares no take is left out", {
  table <- takes_of(
    list(a = rep(0.6, 4), b = rep(0.9, 4), c = rep(0.3, 4)),
    cases = c("x", "y")
  )
  table$case[table$pipeline == "c"] <- "elsewhere"
  told <- telling_losses(table, c("a", "b", "c"), "a", half)
  expect_equal(told$pipeline, "b")
  expect_equal(told$reason, "none")
  expect_equal(c(told$mean, told$best_mean), c(0.9, 0.6))
})
