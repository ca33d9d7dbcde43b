# Steps that enlarge: what they are asked for, what is kept, and what is measured.

# An engine that enlarges what it is given in a way of its own.
enlarging_engine <- function(way, most = 4) {
  engine(
    about = list(
      name = "lens",
      version = "1",
      checkpoints = list(plain = list()),
      hold = c(at_0 = 0, at_1 = 1),
      takes = "mask",
      enlarge = most
    ),
    make = function(request) {
      engine_result(way(request$reference, request$size * (request$enlarge %||% 1)), cost = 0)
    }
  )
}

# A picture with fine texture and contours, at a size of its own.
rich_picture <- function(seed, width, height) {
  picture <- core_dead_leaves(width, height, seed)
  with_drawing_seed(seed, {
    ripple <- 0.06 * sin(col(picture[, , 1]) * 2.1) * sin(row(picture[, , 1]) * 1.9)
    clamp(picture + c(ripple))
  })
}

enlarged_trial <- function(way, times = 2, most = 4, chain = TRUE, env = parent.frame()) {
  assign("enlarging_way", way, globalenv())
  withr::defer(suppressWarnings(rm("enlarging_way", envir = globalenv())), envir = env)
  assign("enlarging_engine", function() enlarging_engine(way, most), globalenv())
  withr::defer(suppressWarnings(rm("enlarging_engine", envir = globalenv())), envir = env)
  lineup <- c(
    "engines:",
    "  mixer: {kind: function, file: mixer.R}",
    "  lens: {kind: function, file: lens.R}",
    "pipelines:",
    if (chain) {
      c(
        "  - id: grown",
        "    steps:",
        "      - {engine: mixer, hold: 0.9}",
        paste0("      - {engine: lens, hold: 0.9, enlarge: ", times, "}")
      )
    } else {
      paste0("  - {id: grown, engine: lens, hold: 0.9, enlarge: ", times, "}")
    }
  )
  folder <- small_trial(lineup = lineup, env = env)
  writeLines("get('enlarging_engine', globalenv())()", file.path(folder, "lens.R"))
  folder
}

plainly <- function(picture, size) resize_picture(picture, size)

test_that("an enlarged take is kept at its size, and compared in the frame", {
  folder <- enlarged_trial(plainly, 3)
  run_trial(folder, workers = 0)
  store <- open_store(folder, "main")
  withr::defer(close_store(store))
  takes <- read_takes(store)
  grown <- takes[takes$pipeline == "grown", ]
  frame <- case_frame(case_named(read_trial(folder)$suite, grown$case[1]), read_trial(folder)$suite)
  expect_equal(unique(grown$width), 3 * frame[1])
  expect_equal(unique(grown$height), 3 * frame[2])
  scores <- score_run(folder)$scores
  own <- scores[scores$pipeline == "grown", ]
  expect_true(all(c("detail_gained", "invented", "halos", "enlarged_blocks") %in% own$measure))
  # The step before it is no enlarged picture.
  before <- scores[scores$pipeline == "grown:1", ]
  expect_false("detail_gained" %in% before$measure)
  expect_true(all(own$value[own$measure == "structure"] > 0.5))
})

test_that("what enlarging adds is told apart: detail, things made up, fringes, a grid", {
  truth <- rich_picture(3, 768, 512)
  small <- resize_picture(truth, c(384, 256))
  found <- function(pixels, before = small) {
    view <- view_picture(pixels, c(384, 256))
    view_before <- if (!is.null(before)) view_picture(before, c(384, 256))
    enlarged <- enlargement_of(pixels, before, c(384, 256), 2, view, view_before)
    scores <- score_scene(
      list(enlarged = enlarged),
      measures = list(
        measure_detail_gained(),
        measure_invented(),
        measure_halos(),
        measure_enlarged_blocks()
      )
    )
    stats::setNames(scores$level, scores$measure)
  }
  plain <- resize_picture(small, c(768, 512))
  expect_equal(found(truth)[["detail_gained"]], "none")
  expect_equal(found(plain)[["detail_gained"]], "slight")
  expect_equal(unname(found(plain)[-1]), rep("none", 3))

  # Grain is no detail.
  grain <- with_drawing_seed(1, clamp(plain + rnorm(length(plain), 0, 0.05)))
  expect_equal(found(grain)[["detail_gained"]], "slight")

  fringed <- clamp(plain + 2 * (plain - each_channel(plain, function(m) core_blur(m, 3))))
  expect_equal(found(fringed)[["halos"]], "serious")

  other <- truth
  other[150:400, 250:600, ] <- rich_picture(9, 768, 512)[150:400, 250:600, ]
  expect_true(found(other)[["invented"]] %in% c("slight", "serious"))

  file <- withr::local_tempfile(fileext = ".jpg")
  write_drawing(truth, file, quality = 5)
  expect_true(found(read_picture(file))[["enlarged_blocks"]] %in% c("slight", "serious"))

  # Without a step before, only what needs no picture before is measured.
  alone <- found(truth, before = NULL)
  expect_named(alone, c("detail_gained", "enlarged_blocks"))
})

test_that("how far to enlarge can be swept, and 1 is not to enlarge", {
  folder <- enlarged_trial(plainly, 2)
  lineup <- readLines(file.path(folder, "lineup.yml"))
  writeLines(
    c(lineup, "sweeps:", "  - {of: grown, vary: steps.2.enlarge, over: [1, 2, 4]}"),
    file.path(folder, "lineup.yml")
  )
  trial <- read_trial(folder)
  steps <- all_steps(trial$lineup)
  times <- lapply(steps$gives[steps$stage == 2], `[[`, "enlarge")
  expect_equal(sort(unlist(times)), c(2, 4))
  expect_equal(sum(vapply(times, is.null, NA)), 1)
  inputs <- list_inputs(trial)
  expect_match(inputs$size, "enlarged 4 times", all = FALSE)
})

test_that("enlarging beyond what an engine can is an error before anything is made", {
  problems <- check_trial(enlarged_trial(plainly, 4, most = 2))
  problem <- problem_at(problems, "pipelines[1].steps[2].enlarge")
  expect_match(problem$wanted, "no more than 2")
  problems <- check_trial(enlarged_trial(plainly, 9))
  expect_match(problem_at(problems, "pipelines[1].steps[2].enlarge")$wanted, "1 to 4")
  lineup <- c(
    "engines: {mixer: {kind: function, file: mixer.R}}",
    "pipelines: [{id: one, engine: mixer, hold: 0.5, enlarge: 2}]"
  )
  problems <- check_trial(small_trial(lineup = lineup))
  expect_match(problem_at(problems, "pipelines[1].enlarge")$wanted, "does not enlarge")
})

test_that("a picture that is not as large as asked for is no answer", {
  folder <- enlarged_trial(function(picture, size) resize_picture(picture, size %/% 2), 2)
  run <- run_trial(folder, workers = 0, score = FALSE)
  expect_false("made" %in% run$takes$state[run$takes$pipeline == "grown"])
  expect_match(run$parked$lens, "is 96 x 64 and not 192 x 128")
})

test_that("teasel enlarges; a little change gives detail, much of it makes things up", {
  skip_on_cran()
  teasel <- standin_teasel()
  small <- resize_picture(rich_picture(5, 768, 512), c(384, 256))
  made <- function(hold) {
    request <- engine_request(teasel, "a hill", small, hold = hold, size = c(384, 256))
    request$enlarge <- 2
    picture <- make_picture(teasel, request)
    expect_equal(c(picture$width, picture$height), c(768, 512))
    pixels <- png::readPNG(picture$bytes)[, , 1:3]
    view <- view_picture(pixels, c(384, 256))
    enlargement_of(pixels, small, c(384, 256), 2, view, view_picture(small, c(384, 256)))
  }
  careful <- made(0.95)
  wild <- made(0.3)
  expect_gt(careful$gained, enlarging_bounds$detail_gained[["slight"]])
  expect_lt(careful$invented$share, 0.1)
  expect_gt(wild$invented$share, 2 * careful$invented$share + 0.1)
})
