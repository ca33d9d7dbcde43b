# Engines that are shown only the masked part of a picture.

# The take of a pipeline of these fields, as pixels, and the reference that it works on.
part_made <- function(more, ..., env = parent.frame()) {
  case <- "one"
  folder <- given_trial(pipeline_line("p", more), ..., env = env)
  run_trial(folder, workers = 0, score = FALSE)
  trial <- read_trial(folder)
  store <- open_store(trial$folder, "main")
  on.exit(close_store(store))
  takes <- read_takes(store)
  take <- takes[takes$case == case & takes$pipeline == "p", ]
  list(
    take = take,
    picture = png::readPNG(take_bytes(store, take)),
    inputs = prepare_inputs(case_named(trial$suite, case), trial$suite),
    request = witnessed[[paste("p", case, 1)]]
  )
}

test_that("a part is shown at the working size, and what is around it stays as it was", {
  made <- part_made("mask: {show: part, padding: 8}")
  # The mask's box of 24 to 72 and 16 to 48, its soft edge of 2 and 8 around that, of 96 x 64.
  expect_equal(made$request$part, c(14, 6, 82, 58) / c(96, 64, 96, 64), tolerance = 0.06)
  shape <- made$request$size
  expect_equal(prod(shape), 96 * 64, tolerance = 0.05)
  expect_equal(dim(made$request$reference)[2:1], shape)
  expect_equal(dim(made$request$mask), rev(shape))
  expect_equal(dim(made$request$guides$edges$picture)[2:1], shape)
  box <- round(made$request$part * c(96, 64, 96, 64))
  inside <- made$inputs$references[[1]][(box[2] + 1):box[4], (box[1] + 1):box[3], ]
  expect_equal(made$request$reference, resize_picture(inside, shape), tolerance = 0.02)

  # The take is whole again.
  expect_equal(c(made$take$width, made$take$height), c(96, 64))
  kept <- made$inputs$mask == 0
  expect_equal(
    made$picture[rep(kept, 3)],
    made$inputs$references[[1]][rep(kept, 3)],
    tolerance = 1 / 255
  )
  painted <- core_dead_leaves(shape[1], shape[2], 1)
  back <- resize_picture(painted, box[3:4] - box[1:2])
  middle <- back[(28:36) - box[2], (40:56) - box[1], ]
  expect_equal(made$picture[28:36, 40:56, ], middle, tolerance = 0.02)
})

test_that("without a padding there is a quarter of the part's edge around it", {
  request <- part_made("mask: {show: part}")$request
  edges <- diff(matrix(request$part * c(96, 64, 96, 64), 2)[1, ])
  # 52 with its soft edge, and a quarter of that on both sides.
  expect_equal(edges, 52 + 2 * 13, tolerance = 0.06)
})

test_that("a working size, a filling and figures of a pose follow the part", {
  made <- part_made("mask: {show: part, fill: '#ff0000', padding: 4}, size: [128, 128]")
  expect_equal(made$request$size, c(128, 128))
  middle <- made$request$reference[56:72, 56:72, ]
  expect_equal(c(middle), rep(c(1, 0, 0), each = 17^2), tolerance = 0.02)
  # What is around the red is the picture's own, not its filling.
  kept <- made$inputs$mask == 0
  expect_equal(
    made$picture[rep(kept, 3)],
    made$inputs$references[[1]][rep(kept, 3)],
    tolerance = 1 / 255
  )

  figure <- rbind(neck = c(48, 32))
  prepared <- list(
    references = list(array(0.5, c(64, 96, 3))),
    mask = matrix(1, 64, 96),
    guides = list(pose = list(figures = list(figure), picture = NULL))
  )
  part <- part_of_inputs(prepared, c(24, 16, 72, 48), c(96, 64))
  expect_equal(part$guides$pose$figures[[1]], rbind(neck = c(48, 32)))
  part <- part_of_inputs(prepared, c(0, 0, 48, 32), c(96, 64))
  expect_equal(part$guides$pose$figures[[1]], rbind(neck = c(96, 64)))
})

test_that("a later step works on the part of the picture before it", {
  folder <- given_trial(
    "  - id: chain",
    "    jobs: [swap]",
    "    steps:",
    "      - {engine: witness, checkpoint: any, hold: 0.5}",
    "      - {engine: witness, checkpoint: any, hold: 0.9, mask: {show: part, padding: 4}}"
  )
  run_trial(folder, workers = 0, score = FALSE)
  trial <- read_trial(folder)
  store <- open_store(trial$folder, "main")
  withr::defer(close_store(store))
  takes <- read_takes(store)
  first <- png::readPNG(take_bytes(store, takes[takes$pipeline == "chain:1", ]))
  last <- png::readPNG(take_bytes(store, takes[takes$pipeline == "chain", ]))
  kept <- prepare_inputs(case_named(trial$suite, "one"), trial$suite)$mask == 0
  expect_equal(last[rep(kept, 3)], first[rep(kept, 3)], tolerance = 1 / 255)
  expect_gt(mean(abs(last - first)[28:36, 40:56, ]), 0.05)
})

test_that("a case without a mask is shown whole, and the inputs say what is shown", {
  suite <- given_suite
  suite[grepl("mask:", suite)] <- sub(", mask:.*}", "}", suite[grepl("mask:", suite)])
  made <- part_made("mask: {show: part}", suite = suite)
  expect_null(made$request$part)
  expect_equal(made$request$size, c(96, 64))
  folder <- given_trial(pipeline_line("p", "mask: {show: part}"))
  expect_match(list_inputs(folder)$mask, "shown by itself")
  problems <- check_trial(given_trial(pipeline_line("p", "mask: {show: half}")))
  expect_match(problem_at(problems, "pipelines[1].mask.show")$wanted, "whole, part")
})

test_that("a stand-in that sees only a part loses the perspective of the whole", {
  # Level lines: they stay level where it sees everything, and lean where it does not.
  size <- c(192, 128)
  lines <- array(0.3 + 0.4 * (seq_len(size[2]) %/% 8 %% 2), c(size[2], size[1], 3))
  yarrow <- standin_yarrow()
  lean <- function(part) {
    request <- engine_request(
      yarrow,
      "neutral",
      lines,
      hold = 0.9,
      size = size,
      mask = matrix(1, size[2], size[1])
    )
    request$part <- part
    picture <- make_picture(yarrow, request)
    light <- rowMeans(png::readPNG(picture$bytes)[, , 1:3], dims = 2)
    # How far the left half lies above the right one.
    sides <- list(rowMeans(light[, 20:40]), rowMeans(light[, 150:170]))
    shifts <- -7:7
    fits <- vapply(
      shifts,
      function(shift) cor(sides[[1]][20:108], sides[[2]][(20:108) + shift]),
      0
    )
    abs(shifts[which.max(fits)])
  }
  expect_equal(lean(NULL), 0)
  expect_gt(lean(c(0.2, 0.2, 0.6, 0.6)), 2)
})
