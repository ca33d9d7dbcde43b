read_text <- read_yaml_text
write_text <- write_yaml_text
fingerprint <- function(folder) fingerprint_suite(read_suite(folder))

test_that("what is written is read back the same", {
  for (seed in 1:120) {
    value <- some_suite(seed)
    text <- paste(write_text(value), collapse = "\n")
    expect_identical(read_text(text, "suite.yml")$value, value, info = text)
    expect_identical(
      write_text(read_text(text, "suite.yml")$value),
      write_text(value),
      info = seed
    )
  }

  for (seed in 1:40) {
    for (value in list(some_lineup(seed), some_brief(seed))) {
      expect_identical(read_text(paste(write_text(value), collapse = "\n"), "x")$value, value)
    }
  }

  odd <- list(
    a = 0.1 + 0.2,
    b = 1e-9,
    c = 2147483647,
    d = "\u007f\u0085\u2028",
    e = "\U0001F600",
    f = "",
    g = list(),
    h = FALSE,
    "key: odd" = "x"
  )
  expect_identical(read_text(paste(write_text(odd), collapse = "\n"), "x")$value, odd)
})

test_that("no line of a written file is longer than it need be", {
  lines <- write_text(some_suite(3, 12))
  expect_lt(mean(nchar(lines) > 100), 0.02)
  expect_match(lines, "^  - id: case-1$", all = FALSE)
})

# Edits that mean something, each by a function of the nested list.
meaningful <- list(
  "a phrase" = function(s) modify_case(s, prompt = list("something else")),
  "a weight" = function(s) modify_case(s, prompt = list(list(say = "a thing", weight = 1.5))),
  "what a judge is asked" = function(s) {
    modify_case(s, prompt = list(list(say = "a thing", ask = "there is a thing")))
  },
  "a must" = function(s) modify_case(s, prompt = list(list(say = "a thing", must = TRUE))),
  "a probe" = function(s) {
    modify_case(
      s,
      prompt = list(list(say = "a thing", probe = list(brightness = "at most 0.4")))
    )
  },
  "neutral" = function(s) modify_case(s, prompt = "neutral"),
  "something unwanted" = function(s) modify_case(s, negative = list("a frame")),
  "the reference" = function(s) modify_case(s, reference = "references/three.png"),
  "the fit" = function(s) {
    modify_case(s, reference = list(picture = "references/one.png", fit = "pad"))
  },
  "the focus" = function(s) {
    modify_case(s, reference = list(picture = "references/one.png", focus = list(0.5, 0.4)))
  },
  "the box" = function(s) {
    modify_case(s, reference = list(picture = "references/one.png", box = list(0, 0, 1, 0.9)))
  },
  "the fill" = function(s) {
    modify_case(s, reference = list(picture = "references/one.png", fill = "black"))
  },
  "the look" = function(s) modify_case(s, look = "oils"),
  "the look's weight" = function(s) modify_case(s, look = list(name = "oils", weight = 0.5)),
  "a guide" = function(s) modify_case(s, guides = list(edges = 1)),
  "a guide's release" = function(s) {
    modify_case(s, guides = list(edges = list(weight = 1, release = 0.5)))
  },
  "a watched region" = function(s) {
    modify_case(s, watch = list(x = list(box = list(0, 0, 0.5, 0.5))))
  },
  "the job" = function(s) modify_case(s, job = "swap"),
  "the id" = function(s) modify_case(s, id = "other"),
  "a seed" = function(s) set_keys(s, list(seeds = list(1, 3))),
  "the size" = function(s) set_keys(s, list(size = list(96, 96))),
  "the suite's name" = function(s) set_keys(s, list(suite = "other")),
  "the look's pictures" = function(s) {
    set_keys(s, list(looks = list(oils = list(pictures = list("references/two.png")))))
  },
  "a case more" = function(s) {
    set_keys(s, list(cases = c(s$cases, list(list(id = "more", job = "fresh", prompt = "x")))))
  },
  "a case less" = function(s) set_keys(s, list(cases = s$cases[1]))
)

set_keys <- function(suite, values) {
  suite[names(values)] <- values
  suite
}

modify_case <- function(suite, ...) {
  for (name in names(list(...))) {
    suite$cases[[1]][[name]] <- list(...)[[name]]
  }

  suite
}

plain_suite <- list(
  suite = "plain",
  seeds = list(1, 2),
  size = list(96, 64),
  looks = list(oils = list(pictures = list("references/two.png", "references/three.png"))),
  cases = list(
    list(id = "a", job = "restyle", reference = "references/one.png", prompt = "a thing"),
    list(id = "b", job = "vary", reference = "references/two.png", prompt = "another thing")
  )
)

test_that("the fingerprint changes with every edit that means something", {
  before <- fingerprint(made_up_trial(plain_suite))
  prints <- vapply(meaningful, function(edit) fingerprint(made_up_trial(edit(plain_suite))), "")
  expect_false(any(prints == before), info = names(prints)[prints == before])
  expect_equal(anyDuplicated(prints), 0)
})

test_that("the fingerprint changes with no edit that is only for the eye", {
  before <- fingerprint(made_up_trial(plain_suite))
  cosmetic <- list(
    title = set_keys(plain_suite, list(title = "A title")),
    order = set_keys(plain_suite, list(seeds = list(2, 1), cases = rev(plain_suite$cases))),
    keys = set_keys(plain_suite, list(cases = lapply(plain_suite$cases, rev))),
    spelt = modify_case(
      plain_suite,
      reference = list(
        picture = "./references/../references/one.png",
        fit = "crop",
        focus = list(0.5, 0.5),
        fill = "grey"
      ),
      prompt = list(list(
        say = "a thing",
        weight = 1,
        must = FALSE,
        drafted = draft_mark("a thing")
      ))
    )
  )
  for (name in names(cosmetic)) {
    expect_equal(fingerprint(made_up_trial(cosmetic[[name]])), before, info = name)
  }

  folder <- made_up_trial(plain_suite)
  lines <- readLines(file.path(folder, "suite.yml"))
  writeLines(
    c("# a comment", "", gsub(": ", ":   ", lines, fixed = TRUE), "# the end"),
    file.path(folder, "suite.yml"),
    sep = "\r\n"
  )
  expect_equal(fingerprint(folder), before, info = "layout and line ends")
  liked <- c(
    "suite: plain",
    "seeds: [1, 2]",
    "size: [96, 64]",
    "looks: {oils: {pictures: [references/two.png, references/three.png]}}",
    "cases:",
    "  - {id: a, like: b, job: restyle, reference: references/one.png, prompt: a thing}",
    "  - {id: b, job: vary, reference: references/two.png, prompt: another thing}"
  )
  writeLines(liked, file.path(folder, "suite.yml"))
  expect_equal(fingerprint(folder), before, info = "like")
  # The same pixels, packed another way and under another name.
  magick::image_write(
    magick::image_read(png::readPNG(file.path(folder, "references", "one.png"))),
    file.path(folder, "references", "ONE.tif"),
    format = "tiff",
    depth = 16
  )
  writeLines(
    sub("references/one.png", "references/ONE.tif", liked),
    file.path(folder, "suite.yml")
  )
  expect_equal(fingerprint(folder), before, info = "packing and name")
})

test_that("a run says what has changed since it was planned", {
  folder <- made_up_trial(plain_suite)
  run_trial(folder)
  edited <- modify_case(plain_suite, prompt = "something else")
  edited$cases <- c(edited$cases[1], list(list(id = "more", job = "fresh", prompt = "x")))
  writeLines(write_text(edited), file.path(folder, "suite.yml"))
  error <- expect_error(run_trial(folder)$takes, class = "sprenn_error_run")
  expect_setequal(error$changed, c("cases.a.prompt", "cases.b (gone)", "cases.more (new)"))
  expect_match(error$details, "cases.a.prompt", all = FALSE)
  writeLines(write_text(plain_suite), file.path(folder, "suite.yml"))
  expect_silent(run_trial(folder)$takes)
})

test_that("a file that can't be written whole is an error and not a short file", {
  write <- write_lines
  file <- withr::local_tempfile()
  write(c("one", "\u00dcber"), file)
  expect_equal(readLines(file, encoding = "UTF-8"), c("one", "\u00dcber"))
  expect_error(write("x", file.path(tempdir(), "no", "such", "x.yml")), "There is no folder")
})
