# Which pictures decide.

# Worths by case (rows) and pipeline (columns), one seed each, all keepers.
cases_of <- function(worths, ...) {
  grid <- expand.grid(
    case = rownames(worths),
    pipeline = colnames(worths),
    stringsAsFactors = FALSE
  )
  own <- worths[cbind(grid$case, grid$pipeline)]
  tibble::tibble(grid, seed = 1L, worth = own, keeper = TRUE, ...)
}

worths <- rbind(
  hard = c(a = 0.9, b = 0.3, c = 0.2, d = 0.4, e = 0.5),
  same = c(0.9, 0.31, 0.2, 0.4, 0.5),
  easy = c(0.8, 0.8, 0.79, 0.8, 0.8),
  against = c(0.5, 0.6, 0.55, 0.5, 0.5)
)

test_that("cases that tell pipelines apart come first, those that tell nothing last", {
  found <- case_table(cases_of(worths))
  expect_equal(found$case[4], "easy")
  expect_setequal(found$case[1:2], c("hard", "same"))
  expect_equal(sum(found$share), 1)
  expect_equal(found$twin[found$case == "same"], "hard")
  expect_true(is.na(found$twin[found$case == "hard"]))
  expect_lt(found$agrees[found$case == "against"], 0)
  expect_true(is.na(found$agrees[found$case == "easy"]))
  expect_true(all(is.na(found$leads)))
})

test_that("who would lead without a case is told where it is another", {
  one <- worths[c("hard", "against", "easy"), ]
  one["against", ] <- c(0.5, 0.7, 0.5, 0.4, 0.4)
  found <- case_table(cases_of(one))
  expect_equal(found$leads[found$case == "hard"], "b")
  expect_true(is.na(found$leads[found$case == "against"]))
})

test_that("with one case or one pipeline there is nothing to tell", {
  expect_null(case_table(cases_of(worths[1, , drop = FALSE])))
  expect_null(case_table(cases_of(worths[, 1, drop = FALSE])))
})

test_that("what leads turn with is wanted more of: other looks, or other references", {
  grid <- expand.grid(
    reference = paste0("r", 1:4),
    look = paste0("l", 1:4),
    stringsAsFactors = FALSE
  )
  made <- function(by) {
    own <- withr::with_seed(2, matrix(stats::rnorm(12, 0, 0.2), 4))
    luck <- withr::with_seed(3, matrix(stats::rnorm(48, 0, 0.01), 16))
    worths <- own[as.integer(factor(grid[[by]])), ] + luck
    dimnames(worths) <- list(sprintf("c%02d", 1:16), c("a", "b", "c"))
    table <- cases_of(worths)
    at <- match(table$case, rownames(worths))
    table$reference <- grid$reference[at]
    table$look <- grid$look[at]
    table
  }

  expect_equal(most_useful(made("look")), "look")
  expect_equal(most_useful(made("reference")), "reference")
  bare <- made("look")[c("case", "pipeline", "seed", "worth", "keeper")]
  expect_null(most_useful(bare))
})

test_that("the verdict says which pictures decide", {
  means <- means_of(
    a = c(0.8, 0.5, 0.5),
    b = c(0.7, 0.5, 0.5),
    c = c(0.6, 0.5, 0.5)
  )
  table <- scored_table(means, cases = 9, by_case = 0.001, by_seed = 0.001)
  first <- table$case %in% c("c01", "c02")
  table$structure[first & table$pipeline == "c"] <- 0.1
  table[table$case == "c05", c("structure", "adherence", "style")] <- 0.9
  verdict <- verdict_from(table, core_brief)
  words <- case_words(verdict)
  half <- "Half of the information comes from c0[12] and c0[12]"
  expect_match(words, half, all = FALSE)
  expect_match(words, "No information comes from c05 \\(all keepers\\)", all = FALSE)
  # Cases that agree are no twins: they turn nothing.
  expect_no_match(words, "The same information comes from")
})
