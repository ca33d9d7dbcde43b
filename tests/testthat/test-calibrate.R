# An engine whose structure has a cliff: it keeps nothing up to 60 on its own
# knob, and all from 80 on.
cliff_engine <- function() {
  engine(
    list(
      name = "cliff",
      version = "3",
      checkpoints = list(plain = list()),
      hold = c(at_0 = 0, at_1 = 100),
      price = 0.5,
      seconds = 0.01
    ),
    function(request) {
      keep <- min(1, max(0, (request$native_hold - 60) / 20))
      noise <- core_dead_leaves(
        request$size[1],
        request$size[2],
        500 + request$seed
      )
      engine_result(request$reference * keep + noise * (1 - keep), cost = 0.5)
    }
  )
}

calibrate <- function(folder, ..., engines = list(mixer = cliff_engine())) {
  calibrate_engine(read_trial(folder, engines = engines), "mixer", ...)
}

test_that("a calibrated hold is the share of structure kept, cliffs or not", {
  folder <- small_trial()
  found <- calibrate(folder, rungs = 12)
  expect_s3_class(found, "sprenn_calibration")
  expect_equal(nrow(found$rungs), 12)
  expect_equal(nrow(found$ladder), 12 * 2 * 2)
  # The rungs gather where structure changes.
  expect_gte(sum(found$rungs$knob >= 50 & found$rungs$knob <= 85), 7)
  expect_false(is.unsorted(found$rungs$structure))
  expect_false(is.unsorted(found$curve$knob))
  trial <- read_trial(folder, engines = list(mixer = cliff_engine()))
  expect_equal(trial$lineup$engines$mixer$about$curve$hold, found$curve$hold)
  for (hold in c(0.3, 0.5, 0.8)) {
    request <- engine_request(
      trial$lineup$engines$mixer,
      "x",
      read_picture(file.path(folder, "references", "three.png")),
      hold = hold,
      seed = 7L
    )
    made <- make_picture(trial$lineup$engines$mixer, request)
    expect_lt(
      abs(structure_of(made$bytes, request, "three", Cache$new()) - hold),
      0.15
    )
  }

  # Another curve is another recipe.
  expect_false(
    any(
      plan_run(trial)$takes$take %in%
        plan_run(read_trial(small_trial(), engines = list(mixer = cliff_engine())))$takes$take
    )
  )
})

test_that("the curve is written beside what a person wrote, and replaced by the next one", {
  folder <- small_trial(
    lineup = c(
      "# my lineup",
      small_lineup[1:2],
      "# pipelines follow",
      small_lineup[-(1:2)],
      "  # the last word"
    )
  )
  before <- readLines(file.path(folder, "lineup.yml"))
  calibrate(folder, rungs = 5)
  once <- readLines(file.path(folder, "lineup.yml"))
  expect_equal(once[seq_along(before)], before)
  expect_match(once, "^calibrations:", all = FALSE)
  calibrate(folder, rungs = 5)
  expect_equal(readLines(file.path(folder, "lineup.yml")), once)
  expect_equal(nrow(check_trial(folder, engines = list(mixer = cliff_engine()))), 0)
  expect_match(
    list_engines(read_trial(folder, engines = list(mixer = cliff_engine())))$hold,
    "calibrated on 20"
  )
  calibrate(folder, rungs = 5, save = FALSE)
  expect_equal(list.files(folder, "^lineup"), "lineup.yml")
  lines <- sub("knob: \\[0", "knob: [200", once)
  writeLines(lines, file.path(folder, "lineup.yml"))
  expect_match(
    check_trial(folder, engines = list(mixer = cliff_engine()))$found,
    "does not fit its knob",
    all = FALSE
  )
})

test_that("what can't be calibrated is said, and nothing is changed", {
  folder <- small_trial()
  level <- engine(
    list(name = "level", checkpoints = list(a = list()), hold = c(at_0 = 0, at_1 = 1)),
    function(request) engine_result(request$reference)
  )
  expect_error(
    calibrate(folder, engines = list(mixer = level), rungs = 5),
    "hardly changes structure",
    class = "sprenn_error_calibration"
  )
  poor <- engine(
    list(name = "poor", checkpoints = list(a = list()), hold = c(at_0 = 0, at_1 = 1)),
    function(request) engine_failure("out_of_credit", "no money")
  )
  expect_error(
    calibrate(folder, engines = list(mixer = poor), rungs = 5),
    "no money",
    class = "sprenn_error_calibration"
  )
  knobless <- engine(list(name = "x", checkpoints = list(a = list())), identity)
  lineup <- sub(", hold: [0-9.]+", "", small_lineup)[1:4]
  expect_error(
    calibrate(small_trial(lineup = lineup), engines = list(mixer = knobless)),
    "no knob",
    class = "sprenn_error_calibration"
  )
  expect_error(calibrate(folder, cases = "four"), "four", class = "sprenn_error_calibration")
  expect_equal(readLines(file.path(folder, "lineup.yml")), small_lineup)
})

test_that("the fit rises, goes astray with no single picture, and leaves what rises as it is", {
  fit <- function(at, structure) {
    rising_fit(data.frame(at = at, structure = structure))
  }

  even <- seq(0, 1, 0.25)
  expect_equal(fit(rep(even, each = 3), rep(even^2, each = 3))$structure, even^2)
  # One of three at each knob is a picture that went astray.
  astray <- c(rbind(even^2, even^2, rev(even)))
  expect_equal(fit(rep(even, each = 3), astray)$structure, even^2)
  withr::with_seed(
    4,
    for (i in 1:20) {
      at <- sort(stats::runif(9))
      structure <- pmin(1, pmax(0, at + stats::rnorm(9, 0, 0.3)))
      found <- fit(at, structure)
      expect_equal(found$at, at)
      expect_true(all(diff(found$structure) >= 0))
      # Of all rising lines the nearest by least squares: no level of a block
      # can be moved to a better place.
      blocks <- split(structure, round(found$structure, 12))
      expect_equal(
        unname(vapply(blocks, mean, 0)),
        sort(unique(round(found$structure, 12))),
        tolerance = 1e-9
      )
    }
  )
})

test_that("a calibration that was stopped continues, and pays for no picture twice", {
  folder <- small_trial()
  made <- new.env()
  made$keys <- character()
  stopping_at <- function(number) {
    one <- cliff_engine()
    make <- one$make
    one$make <- function(request) {
      if (length(made$keys) == number) {
        stop(structure(list(message = "killed"), class = c("interrupt", "condition")))
      }

      made$keys <- c(made$keys, request$key)
      make(request)
    }
    list(mixer = one)
  }

  calm <- calibrate(small_trial(), rungs = 6)
  before <- list.files(folder, recursive = TRUE)
  stopped <- tryCatch(
    calibrate(folder, rungs = 6, engines = stopping_at(11)),
    interrupt = function(e) "stopped"
  )
  expect_equal(stopped, "stopped")
  expect_equal(readLines(file.path(folder, "lineup.yml")), small_lineup)
  found <- calibrate(folder, rungs = 6, engines = stopping_at(-1))
  expect_equal(length(made$keys), 6 * 2 * 2)
  expect_equal(anyDuplicated(made$keys), 0)
  expect_equal(found$curve, calm$curve)
  expect_equal(found$ladder, calm$ladder)
  # Nothing is left of it, and the next one starts anew.
  expect_setequal(setdiff(list.files(folder, recursive = TRUE), facts_file), before)
  expect_false(dir.exists(file.path(folder, "runs", "calibrations")))
  calibrate(folder, rungs = 6, engines = stopping_at(-1), save = FALSE)
  expect_equal(length(unique(made$keys)), 2 * 6 * 2 * 2)
})
