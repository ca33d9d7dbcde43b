verdict_of <- function(folder, ...) {
  trial <- read_trial(folder, ...)
  run_trial(trial)
  score_run(trial)
  choose_pipeline(trial)
}

test_that("a decided verdict says which, how sure, why, and how to use it", {
  verdict <- verdict_of(small_trial())
  text <- format(verdict)
  expect_equal(verdict$state, "decided")
  expect_equal(text[1], "Use firm.")
  expect_true(all(nchar(text) <= 100))
  expect_match(text, "hold: 0.9", all = FALSE)
  expect_match(text, "^Why$", all = FALSE)
  expect_snapshot(print(verdict))
})

test_that("the recipe that it ends with is a pipeline that the reader takes", {
  verdict <- verdict_of(small_trial())
  recipe <- internal("recipe_words")(verdict)
  expect_equal(nrow(problems_of(lineup = c(small_lineup[1:3], paste0("  ", recipe)))), 0)
})

test_that("a floor that nobody clears is told with the numbers below it", {
  verdict <- verdict_of(small_trial(brief = c("brief: x", "weights: {structure: 1}", "floors: {structure: 0.999}", "style: stay")))
  expect_equal(verdict$state, "no keepers")
  text <- paste(format(verdict), collapse = " ")
  expect_match(text, "No pipeline can be used")
  expect_match(text, "takes are below the floor of structure \\(1.00\\)")
  expect_no_match(text, "To use it")
})

test_that("refused takes are told with the engine's reason", {
  broken <- function(request) engine_failure("refused", "not this text")
  verdict <- verdict_of(small_trial(), engines = list(mixer = mixing_engine(broken = broken)))
  text <- paste(format(verdict), collapse = " ")
  expect_match(text, "12 takes failed or were refused: not this text")
})

test_that("a run of few cases says that it can't speak for other pictures", {
  verdict <- verdict_of(small_trial(suite = small_suite[1:6]))
  expect_match(format(verdict)[1], "2 cases can't speak")
})

test_that("without takes or scores the next step is named", {
  folder <- small_trial()
  expect_error(choose_pipeline(folder), "no run", class = "sprenn_error_run")
  run_trial(folder)
  error <- expect_error(choose_pipeline(folder), "not been measured", class = "sprenn_error_run")
  expect_match(error$details, "sprenn score", all = FALSE)
})

test_that("numbers are written plainly", {
  expect_equal(internal("percent")(c(0, 0.004, 0.5, 0.999, 1, NA)), c("0 %", "<1 %", "50 %", ">99 %", "100 %", "-"))
  expect_equal(internal("two")(c(-0.001, 1, NA)), c("-0.00", "1.00", "-"))
  expect_equal(internal("text_table")(list(name = c("a", "bcd"), n = c("1", "20"))), c("name   n", "a      1", "bcd   20"))
})
