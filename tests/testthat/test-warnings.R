trial_of <- function(suite, env = parent.frame()) read_trial(made_up_trial(suite, env = env))

one_case <- function(...) {
  list(
    suite = "x",
    seeds = list(1),
    size = list(96, 64),
    cases = list(c(list(id = "a"), list(...)))
  )
}

test_that("the demo has nothing to warn of, and the untidy one shows each warning once", {
  kinds <- function(...) {
    folder <- file.path(withr::local_tempdir(), "x")
    new_trial(folder, ...)
    check_trial(folder)$kind
  }

  expect_length(kinds(demo = TRUE), 0)
  untidy <- kinds(untidy = TRUE)
  expect_equal(anyDuplicated(untidy), 0)
  expect_setequal(
    untidy,
    c(
      "box beyond", "cropped hard", "stretched", "small", "shrunk", "unknown profile", "bars",
      "blank", "patchy", "far aspect", "small mask", "large mask", "extend only",
      "look against prompt", "twins"
    )
  )
})

test_that("a warning says the line, the place, what was found and what is better", {
  trial <- trial_of(
    one_case(
      job = "restyle",
      reference = list(picture = "references/one.png", box = list(0.2, 0, 1.2, 1)),
      prompt = "x"
    )
  )
  warning <- trial_warnings(trial)
  expect_equal(
    as.list(warning[c("kind", "file", "place")]),
    list(kind = "box beyond", file = "suite.yml", place = "cases[1].reference")
  )
  expect_equal(warning$line, 7L)
  expect_match(warning$found, "beyond the right edge of one")
})

test_that("bars that a box cuts off are nothing to warn of", {
  picture <- scene(1)
  picture[c(1:8, 57:64), , ] <- 0
  kinds <- function(reference) {
    folder <- made_up_trial(one_case(job = "restyle", reference = reference, prompt = "x"))
    png::writePNG(picture, file.path(folder, "references", "one.png"))
    check_trial(folder)$kind
  }

  expect_equal(kinds("references/one.png"), "bars")
  expect_length(kinds(list(picture = "references/one.png", box = list(0, 0.13, 1, 0.87))), 0)
})

test_that("words of a prompt are held against what the look's pictures show", {
  folder <- made_up_trial(
    one_case(job = "restyle", reference = "references/one.png", look = "l", prompt = "x")
  )
  grey <- array(rep(c(0.2, 0.6), each = 3072), c(64, 96, 3))
  bright <- grey
  bright[, 1:48, 1] <- 1
  bright[, 49:96, 2:3] <- 0.9
  kinds <- function(pixels, prompt) {
    png::writePNG(pixels, file.path(folder, "look.png"))
    suite <- one_case(
      job = "restyle",
      reference = "references/one.png",
      look = "l",
      prompt = prompt
    )
    suite$looks <- list(
      l = list(pictures = list("look.png")),
      linocut = list(pictures = list("references/two.png"))
    )
    writeLines(write_yaml_text(suite), file.path(folder, "suite.yml"))
    check_trial(folder)$kind
  }

  flat <- array(0.4, c(64, 96, 3)) + rep(seq(0, 0.2, length.out = 6144), 3)
  expect_length(kinds(flat, "in black and white"), 0)
  expect_equal(kinds(bright, "in black and white"), "look against prompt")
  expect_equal(kinds(flat, "in vivid colours"), "look against prompt")
  expect_length(kinds(bright, "in vivid colours"), 0)
  expect_equal(kinds(bright, "as a linocut"), "look against prompt")
  expect_length(kinds(bright, "vividly told"), 0)
})

test_that("what is prepared is written whole, shows every case, and can be made again", {
  folder <- file.path(withr::local_tempdir(), "x")
  new_trial(folder, demo = TRUE)
  trial <- read_trial(folder)
  ids <- vapply(trial$suite$cases, `[[`, "", "id")
  trial$suite$cases <- trial$suite$cases[ids %in% c(
    "windmill-linocut", "mast-worn", "windmill-night", "ferry-gulls", "mast-wide", "salt-fresh"
  )]
  made <- prepare_trial(trial, width = 900)
  expect_equal(made$case, vapply(trial$suite$cases, `[[`, "", "id"))
  expect_true(all(file.exists(made$picture)) && all(file.exists(made$sheet)))
  expect_equal(dim(read_picture(made$picture[1]))[2], 900)
  inputs <- list.files(file.path(folder, "prepared", "inputs"), recursive = TRUE)
  expect_true(
    all(
      c(
        "windmill-night/384x256/edges.png",
        "ferry-gulls/384x256/mask.png",
        "salt-fresh/384x256/depth.png"
      ) %in% inputs
    )
  )
  given <- read_picture(
    file.path(folder, "prepared", "inputs", "windmill-linocut", "384x256", "reference.png")
  )
  expect_equal(
    given,
    fitted_reference(trial$suite$cases[[1]], trial$suite),
    tolerance = 0.01
  )
  trial$suite$cases <- trial$suite$cases[1]
  again <- prepare_trial(trial, width = 900)
  expect_equal(list.files(file.path(folder, "prepared", "pictures")), "windmill-linocut.png")
  expect_equal(list.files(folder, "^prepare-"), character())
})

test_that("a folder that holds other things is left alone", {
  folder <- small_trial()
  other <- withr::local_tempdir()
  writeLines("mine", file.path(other, "keep.txt"))
  expect_error(
    prepare_trial(folder, other),
    "contains other things",
    class = "sprenn_error_prepare"
  )
  expect_equal(list.files(other), "keep.txt")
})

test_that("every warning has a picture of its own", {
  folder <- file.path(withr::local_tempdir(), "x")
  new_trial(folder, untidy = TRUE)
  trial <- read_trial(folder)
  warnings <- trial_warnings(trial)
  warnings <- warnings[warnings$kind != "shrunk", ]
  panels <- lapply(seq_len(nrow(warnings)), function(i) {
    warning_panel(warnings[i, ], trial$suite$cases[[warnings$case[i]]], trial)
  })
  for (panel in panels) {
    expect_true(
      length(dim(panel$pixels)) == 3 && nzchar(panel$found) && diff(range(panel$pixels)) > 0.1,
      info = panel$title
    )
  }

  twins <- panels[[which(warnings$kind == "twins")]]$pixels
  expect_lt(mean(abs(twins[, 1:300, ] - twins[, 307:606, ])), 0.03)
})

# Kinds of warning for one case; `pictures` are drawn under references/.
kinds_of <- function(..., pictures = list(), env = parent.frame()) {
  folder <- made_up_trial(one_case(...), env = env)
  for (name in names(pictures)) {
    png::writePNG(pictures[[name]], file.path(folder, "references", name))
  }

  check_trial(folder)$kind
}

restyle <- function(reference, ...) {
  kinds_of(job = "restyle", reference = reference, prompt = "x", ...)
}

test_that("warnings begin where they say, and one step before it there is none", {
  one <- "references/one.png"
  box <- function(left, top, right, bottom, ...) {
    list(picture = one, box = list(left, top, right, bottom), ...)
  }

  # A reference of a quarter of the working pixels: 48 x 32 of 96 x 64.
  expect_length(restyle(box(0, 0, 0.5, 0.5)), 0)
  expect_equal(restyle(box(0, 0, 0.48, 0.5)), "small")
  # A crop that keeps half of what the box leaves.
  expect_length(restyle(box(0, 0, 0.76, 1, fit = "crop")), 0)
  tall <- list(tall.png = scene(1, 96, 144))
  expect_equal(restyle("references/tall.png", pictures = tall), "cropped hard")
  expect_length(
    restyle("references/tall.png", pictures = list(tall.png = scene(1, 96, 120))),
    0
  )
  expect_length(restyle(list(picture = "references/tall.png", fit = "pad"), pictures = tall), 0)
  # A stretch of a seventh.
  expect_length(
    restyle(
      list(picture = "references/tall.png", fit = "stretch"),
      pictures = list(tall.png = scene(1, 96, 73))
    ),
    0
  )
  expect_equal(
    restyle(
      list(picture = "references/tall.png", fit = "stretch"),
      pictures = list(tall.png = scene(1, 96, 76))
    ),
    "stretched"
  )
})

test_that("masks are warned of when they let next to nothing or next to all change", {
  edit <- function(share, ...) {
    kinds_of(
      job = "edit",
      reference = "references/one.png",
      prompt = "x",
      mask = list(boxes = list(list(0, 0, share, 1))),
      ...
    )
  }

  expect_equal(edit(0.01), "small mask")
  expect_length(edit(0.04), 0)
  expect_length(edit(0.8), 0)
  expect_equal(edit(0.9), "large mask")
})

test_that("twins are told by what is seen and not by their names or files", {
  blend <- function(other) {
    kinds_of(
      job = "blend",
      references = list("references/one.png", "references/other.png"),
      prompt = "x",
      pictures = list(other.png = other)
    )
  }

  own <- scene(1)
  expect_equal(blend(own), "twins")
  expect_equal(blend(0.97 * own), "twins")
  expect_equal(blend(resize_picture(own, c(192, 128))), "twins")
  expect_length(blend(mirrored(own)), 0)
  expect_length(blend(scene(2)), 0)
})

test_that("a reference in which nothing can be seen is told, unless a backdrop shows it", {
  white <- array(1, c(320, 480, 4))
  white[, , 4] <- draw_shingle(480, 320, 5)[, , 1]
  pictures <- list(clear.png = white, plain.png = array(0.4, c(320, 480, 3)))
  on <- function(backdrop) {
    restyle(list(picture = "references/clear.png", backdrop = backdrop), pictures = pictures)
  }
  expect_equal(on("white"), "blank")
  expect_equal(on("#ffffff"), "blank")
  expect_length(on("black"), 0)
  expect_equal(restyle("references/plain.png", pictures = pictures), "blank")
  # References and takes are blank by one bound.
  expect_equal(too_blank, content_bounds$blank[["serious"]])
})

test_that("what only matters to a layout is not said of jobs that have none to keep", {
  pictures <- list(noise.png = draw_shingle(480, 320, 5))
  expect_equal(restyle("references/noise.png", pictures = pictures), "patchy")
  expect_length(
    kinds_of(
      job = "vary",
      reference = "references/noise.png",
      prompt = "x",
      pictures = pictures
    ),
    0
  )
  # Padding that may change is what extending is for.
  extended <- list(picture = "references/one.png", fit = "extend", box = list(-0.5, 0, 1, 1))
  expect_equal(restyle(extended), "extend only")
  expect_length(
    kinds_of(job = "extend", reference = extended, prompt = "x", grow = list(left = 0.2)),
    0
  )
})
