inputs_of_case <- function(suite_case, size = NULL, env = parent.frame()) {
  folder <- made_up_trial(
    list(suite = "x", seeds = list(1), size = list(96, 64), cases = list(suite_case)),
    env = env
  )
  suite <- read_suite(folder)
  args <- list(suite$cases[[1]], suite)
  do.call(prepare_inputs, c(args, if (!is.null(size)) list(size)))
}

edit <- function(mask, ...) {
  inputs_of_case(c(
    list(id = "a", job = "edit", reference = "references/one.png", prompt = "x", mask = mask),
    list(...)
  ))
}

test_that("a mask is white where the engine may paint, by picture or by boxes, either way round", {
  plain <- edit("masks/half.png")$mask
  expect_equal(dim(plain), c(64, 96))
  expect_equal(colMeans(plain), rep(1:0, c(40, 56)), tolerance = 1e-6)
  expect_equal(
    edit(list(picture = "masks/half.png", invert = TRUE))$mask,
    1 - plain,
    tolerance = 1e-6
  )
  boxes <- edit(list(boxes = list(list(0, 0, 0.25, 0.5), list(0.75, 0.5, 1, 1))))$mask
  expect_equal(mean(boxes), 0.25, tolerance = 0.02)
  expect_equal(
    c(boxes[5, 5], boxes[60, 90], boxes[60, 5]),
    c(1, 1, 0)
  )
})

test_that("a feather softens the edge by its width and leaves the rest", {
  soft <- edit(list(picture = "masks/half.png", feather = 8))$mask
  expect_equal(soft[32, c(10, 90)], c(1, 0), tolerance = 1e-3)
  expect_true(all(diff(soft[32, ]) <= 1e-9))
  expect_equal(sum(soft[32, ] > 0.1 & soft[32, ] < 0.9), 10, tolerance = 0.5)
})

test_that("padding says how much around the mask the engine is shown", {
  expect_equal(
    edit(list(boxes = list(list(0.5, 0.5, 0.75, 0.75)), padding = 10))$context,
    c(38, 22, 82, 58)
  )
  expect_equal(edit("masks/half.png")$context, c(0, 0, 96, 64))
})

test_that("grown canvas is to be filled, and the reference keeps its place", {
  grown <- inputs_of_case(list(
    id = "a",
    job = "extend",
    reference = "references/one.png",
    prompt = "x",
    grow = list(left = 0.5, bottom = 0.25)
  ))
  expect_equal(dim(grown$mask), c(80, 144))
  expect_equal(which(colMeans(grown$mask[1:64, ]) == 0), 49:144)
  expect_true(all(grown$mask[65:80, ] == 1))
  expect_equal(
    grown$references[[1]][1:64, 49:144, ],
    png::readPNG(picture_file(scene(1))),
    tolerance = 0.01
  )
})

test_that("masks and guides follow the reference through crops and working sizes", {
  case <- list(
    id = "a",
    job = "edit",
    reference = list(picture = "references/one.png", box = list(0, 0, 0.5, 1)),
    prompt = "x",
    mask = "masks/half.png"
  )
  cut <- inputs_of_case(case)
  expect_equal(dim(cut$mask), c(64, 96))
  expect_equal(mean(cut$mask), 40 / 48, tolerance = 0.02)
  square <- inputs_of_case(case, c(128, 128))
  expect_equal(dim(square$mask), c(128, 128))
  expect_equal(mean(square$mask), 40 / 48, tolerance = 0.03)
})

test_that("guides are computed from what the engine is given, or read", {
  guided <- inputs_of_case(list(
    id = "a",
    job = "swap",
    reference = "references/one.png",
    prompt = "x",
    guides = list(
      edges = 0.5,
      areas = list(weight = 1, release = 0.4),
      depth = list(picture = "masks/half.png", near = "dark")
    )
  ))$guides
  expect_named(guided, c("edges", "areas", "depth"))
  expect_equal(guided$edges[c("weight", "release")], list(weight = 0.5, release = 1))
  expect_equal(guided$areas$release, 0.4)
  expect_identical(
    guided$edges$picture,
    compute_guide(read_picture(picture_file(scene(1))), "edges")
  )
  expect_equal(colMeans(guided$depth$picture[, , 1]), rep(0:1, c(40, 56)), tolerance = 1e-6)
})

test_that("thin edges follow the outline of a square and nothing else", {
  picture <- array(0.2, c(40, 60, 3))
  picture[11:30, 21:40, ] <- 0.8
  edges <- compute_guide(picture, "edges")[, , 1]
  expect_setequal(unique(c(edges)), c(0, 1))
  expect_true(sum(edges) > 60 && sum(edges) < 100)
  at <- which(edges == 1, arr.ind = TRUE)
  near <- pmin(
    abs(at[, 1] - 10.5),
    abs(at[, 1] - 30.5),
    abs(at[, 2] - 20.5),
    abs(at[, 2] - 40.5)
  )
  expect_lt(max(near), 1.6)
  expect_equal(sum(compute_guide(array(0.5, c(30, 30, 3)), "edges")), 0)
})

test_that("soft edges are broad, and strongest where the colour turns", {
  picture <- array(0.3, c(40, 60, 3))
  picture[, 31:60, 1] <- 0.7
  soft <- compute_guide(picture, "soft_edges")[20, , 1]
  expect_equal(which.max(soft), 30, tolerance = 0.05)
  expect_gt(sum(soft > 0.2), 6)
  expect_lt(max(soft[c(1:15, 46:60)]), 0.1)
})

test_that("areas are flat, and specks go to what is around them", {
  picture <- array(0.2, c(200, 200, 3))
  picture[, 101:200, ] <- 0.8
  picture[10:11, 10:11, 1] <- 1
  areas <- compute_guide(picture, "areas")
  expect_lte(nrow(unique(round(matrix(areas, ncol = 3), 4))), 6)
  expect_lt(max(abs(areas[10, 10, ] - areas[100, 10, ])), 0.05)
  expect_equal(areas[5, 5, 1], 0.2, tolerance = 0.05)
  expect_error(compute_guide(picture, "lines"), class = "sprenn_error_argument")
})

keypoints <- function(text, env = parent.frame()) {
  file <- withr::local_tempfile(fileext = ".json", .local_envir = env)
  writeLines(text, file)
  read_keypoints(file)
}

test_that("poses are read as shares, follow the reference, and are drawn where they are", {
  read <- keypoints(
    '{"width": 200, "height": 100, "figures": [{"nose": [100, 50], "left_eye": [110, 40]}]}'
  )
  expect_equal(read$figures[[1]]["nose", ], c(0.5, 0.5))
  suite <- list(size = c(96L, 64L), files = list(p = list(size = c(200, 100))))
  case <- list(
    reference = list(path = "p", fit = "stretch", focus = c(0.5, 0.5), box = c(0, 0, 1, 1)),
    grow = rep(0, 4)
  )
  placed <- place_figures(read$figures, case$reference, case, suite, c(192, 128))
  expect_equal(unname(placed[[1]]["nose", ]), c(96, 64))
  drawn <- draw_figures(placed, c(192, 128))[, , 1]
  expect_equal(drawn[64, 96], 1)
  expect_equal(drawn[10, 10], 0)
  moved <- keypoints('{"width": 200, "height": 100, "figures": [{"nose": [100, 51]}]}')
  expect_false(moved$hash == read$hash)
})

test_that("keypoints that are none are refused with the reason", {
  wrong <- c(
    "no JSON" = "{",
    "no width" = '{"figures": []}',
    "no figures" = '{"width": 9, "height": 9, "figures": []}',
    "unknown joint, \"nos\"" = '{"width": 9, "height": 9, "figures": [{"nos": [1, 2]}]}',
    "not \\[x, y\\]" = '{"width": 9, "height": 9, "figures": [{"nose": [1]}]}'
  )
  for (found in names(wrong)) {
    expect_error(keypoints(wrong[[found]]), found, class = "sprenn_error_picture")
  }
})

test_that("an input that an engine does not take is refused, or dropped and said", {
  suite <- list(
    suite = "x",
    seeds = list(1),
    size = list(96, 64),
    cases = list(list(
      id = "a",
      job = "edit",
      reference = "references/one.png",
      prompt = "x",
      negative = list("y"),
      mask = "masks/half.png",
      guides = list(edges = 1)
    ))
  )
  folder <- made_up_trial(suite)
  seen <- NULL
  narrow <- engine(
    list(
      name = "narrow",
      checkpoints = list(plain = list()),
      hold = c(at_0 = 0, at_1 = 1),
      takes = c("mask")
    ),
    function(request) {
      seen <<- request
      engine_result(scene(request$seed, request$size[1], request$size[2]))
    }
  )
  problems <- check_trial(folder, engines = list(mixer = narrow))
  expect_match(problems$found, "an edges guide", all = FALSE)
  expect_match(problems$found, "unwanted things", all = FALSE)
  writeLines(
    sub("hold: ([0-9.]+)", "hold: \\1, if_missing: drop", small_lineup),
    file.path(folder, "lineup.yml")
  )
  run_trial(read_trial(folder, engines = list(mixer = narrow)))
  expect_equal(seen$notes, c("left out: unwanted things", "left out: an edges guide"))
  expect_equal(
    list(seen$negative, seen$guides),
    list(character(), stats::setNames(list(), character()))
  )
  expect_equal(dim(seen$mask), c(64, 96))
  db <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "runs", "main", "run.sqlite"))
  withr::defer(DBI::dbDisconnect(db))
  kept <- jsonlite::fromJSON(DBI::dbGetQuery(db, "SELECT request FROM takes")$request[1])
  expect_equal(kept$notes, seen$notes)
  expect_match(kept$mask, "^[0-9a-f]{64}$")
})
