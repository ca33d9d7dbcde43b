test_that("an engine is checked when it is made, all at once", {
  error <- expect_error(
    engine(
      list(name = "", version = 1, checkpoints = list(), hold = c(at_0 = 1, at_1 = 1)),
      function(request) NULL
    ),
    class = "sprenn_error_argument"
  )
  for (name in c("about\\$name", "about\\$version", "about\\$checkpoints", "about\\$hold")) {
    expect_match(conditionMessage(error), name)
  }

  expect_error(
    engine(list(name = "a"), "no function"),
    "`make`",
    class = "sprenn_error_argument"
  )
  expect_snapshot(print(mixing_engine()))
})

test_that("hold goes onto the engine's own knob in its own direction", {
  native <- to_native_hold
  expect_equal(native(c(0, 0.25, 1)[2], standin_yarrow()$about), 0.75)
  expect_equal(native(0, standin_bracken()$about), 1)
  expect_equal(native(1, standin_bracken()$about), 100)
  expect_true(is.na(native(0.5, list(hold = NULL))))
})

test_that("a failure has the class of its kind", {
  expect_error(
    engine_failure("refused", "not that"),
    "not that",
    class = "sprenn_failure_refused"
  )
  expect_error(engine_failure("bored", "x"), class = "sprenn_error_argument")
})

verify <- function(picture, size = c(6, 4)) {
  verify_result(picture, list(size = size))
}

test_that("what comes back counts only if it is the picture that was asked for", {
  good <- scene(1, 6, 4)
  expect_equal(verify(engine_result(good))$width, 6)
  expect_error(verify("a picture"), "object of class", class = "sprenn_failure_bad_answer")
  expect_error(verify(engine_result("no")), "not an array", class = "sprenn_failure_bad_answer")
  expect_error(
    verify(engine_result(good), c(4, 6)),
    "6 x 4 and not 4 x 6",
    class = "sprenn_failure_bad_answer"
  )
  expect_error(
    verify(engine_result(array(0.5, c(4, 6, 3)))),
    "one colour",
    class = "sprenn_failure_bad_answer"
  )
  broken <- good
  broken[1] <- NaN
  expect_error(verify(engine_result(broken)), class = "sprenn_failure_bad_answer")
  expect_error(
    verify(engine_result(charToRaw("<html>"))),
    "not a PNG",
    class = "sprenn_failure_bad_answer"
  )
  bytes <- png::writePNG(good)
  expect_error(verify(engine_result(bytes[1:60])), "damaged", class = "sprenn_failure_bad_answer")
})

test_that("bytes are kept as they came, and values beyond 0 and 1 are cut", {
  bytes <- png::writePNG(scene(1, 6, 4))
  expect_identical(verify(engine_result(bytes))$bytes, bytes)
  loud <- scene(1, 6, 4) * 3 - 1
  expect_equal(range(png::readPNG(verify(engine_result(loud))$bytes)), c(0, 1))
})

test_that("the example of an own engine works in a trial, refusals included", {
  example <- testthat::test_path("..", "..", "examples", "own-engine.R")
  skip_if_not(file.exists(example), "the examples are not part of the built package")
  folder <- small_trial(
    suite = sub(
      "id: two, job: restyle, reference: references/two.png, prompt: a thing",
      "id: two, job: restyle, reference: references/two.png, prompt: forbidden",
      small_suite,
      fixed = TRUE
    ),
    lineup = c(
      "engines:",
      "  mine: {kind: function, file: own-engine.R}",
      "pipelines:",
      "  - {id: mine, engine: mine, hold: 0.4}"
    )
  )
  file.copy(example, folder)
  takes <- run_trial(folder)$takes
  expect_equal(takes$state, ifelse(takes$case == "two", "refused", "made"))
  expect_equal(unique(takes$message[takes$case == "two"]), "the text was refused")
  expect_equal(sum(takes$cost, na.rm = TRUE), 0.04)
})

test_that("what an engine says of itself beyond the contract is an error with the nearest word", {
  about <- list(name = "x", checkpoints = list(plain = list()))
  expect_error(
    engine(c(about, takess = "look"), function(request) NULL),
    "did you mean \"takes\"",
    class = "sprenn_error_argument"
  )
  expect_error(
    engine(c(about, list(takes = "looks")), function(request) NULL),
    "takes",
    class = "sprenn_error_argument"
  )
  expect_error(
    engine(about, function(request) NULL, caption = "no function"),
    "caption",
    class = "sprenn_error_argument"
  )
  expect_match(
    format(engine(about, function(request) NULL, caption = function(picture) "x")),
    "captions     yes",
    all = FALSE
  )
})
