# Marks on references, as they are proposed and written, without a page.
marked_suite <- c(
  "suite: marked   # the name",
  "seeds: [1, 2]",
  "size: [96, 64]",
  "# What is asked.",
  "cases:",
  "  - id: one            # the first",
  "    job: edit",
  "    reference: references/one.png    # as it came",
  "    mask: masks/one.png              # drawn by Ana",
  "    # What must stay.",
  "    watch:",
  "      hull: {box: [0.1, 0.2, 0.5, 0.6], keep: 0.7}   # the boat",
  "    prompt: a thing",
  "  - {id: two, job: extend, reference: references/two.png, grow: {top: 0.5}, prompt: a thing}",
  "  - id: three",
  "    like: one",
  "    reference: {picture: references/three.png, fit: crop, focus: [0.4, 0.5]}",
  "  - id: mixed",
  "    job: blend",
  "    references: [references/one.png, {picture: references/two.png, weight: 0.5}]",
  "    prompt: a thing",
  "  - {id: last, job: repair, reference: references/two.png, prompt: a thing}   # on one line"
)

marked_trial <- function(env = parent.frame()) {
  folder <- small_trial(suite = marked_suite, env = env)
  dir.create(file.path(folder, "masks"))
  map <- matrix(0, 64, 96)
  map[10:30, 20:50] <- 1
  png::writePNG(map, file.path(folder, "masks", "one.png"))
  folder
}

suite_lines <- function(folder) readLines(file.path(folder, "suite.yml"))

# The cases as written, numbers in a row as vectors.
cases_in <- function(folder) {
  plain <- function(x) {
    if (is.list(x) && is.null(names(x)) && all(vapply(x, is.numeric, NA))) {
      as.numeric(unlist(x))
    } else if (is.list(x)) {
      lapply(x, plain)
    } else {
      x
    }
  }
  plain(yaml::read_yaml(file.path(folder, "suite.yml"))$cases)
}

# Proposes marks of one case and writes them.
mark_case <- function(folder, case, ...) {
  markable <- read_markable(normalizePath(folder))
  draft <- propose_marks(markable, list(list(case = case, parts = list(...))))
  write_marks(markable, draft)
  draft
}

png_text <- function(map) openssl::base64_encode(png::writePNG(map))

test_that("a page is told what a case has, in shares of its reference", {
  markable <- read_markable(marked_trial())
  told <- marks_of_case(markable, 1)
  expect_equal(told$watch[[1]]$name, "hull")
  expect_equal(as.numeric(told$watch[[1]]$box), c(0.1, 0.2, 0.5, 0.6))
  expect_equal(told$watch[[1]]$keep, 0.7)
  expect_true(told$mask$drawn)
  expect_null(told$pose)
  # What is taken over from another case is there too.
  third <- marks_of_case(markable, 3)
  expect_true(third$mask$drawn)
  expect_equal(as.numeric(third$crop$focus), c(0.4, 0.5))
  expect_null(marks_of_case(markable, 2)$mask)
})

test_that("a region is changed in its place; comments, order and other cases stay", {
  folder <- marked_trial()
  before <- suite_lines(folder)
  draft <- mark_case(folder, "one", watch = list(
    list(name = "hull", was = "hull", box = list(0.125, 0.25, 0.5, 0.75), keep = 0.7),
    list(name = "flag", box = list(0.6, 0, 0.7, 0.1), keep = 0.5)
  ))
  after <- suite_lines(folder)
  written <- cases_in(folder)[[1]]$watch
  expect_equal(written$hull, list(box = c(0.125, 0.25, 0.5, 0.75), keep = 0.7))
  expect_equal(written$flag, list(box = c(0.6, 0, 0.7, 0.1)))
  for (comment in regmatches(before, regexpr("#.*", before))) {
    expect_match(after, comment, fixed = TRUE, all = FALSE)
  }
  expect_equal(after[1:9], before[1:9])
  expect_equal(tail(after, 8), tail(before, 8))
  # The change was shown as it came out.
  change <- draft$changes[[1]]
  expect_equal(change$case, "one")
  expect_equal(c(before[seq_len(change$line - 1)], change$after), after[seq_len(
    change$line - 1 + length(change$after)
  )])
  expect_length(draft$files, 0)
})

test_that("a region may get another name, become a drawn one, and go", {
  folder <- marked_trial()
  mark_case(folder, "one", watch = list(
    list(name = "bow", was = "hull", box = list(0.1, 0.2, 0.5, 0.6), keep = 0.7)
  ))
  expect_named(cases_in(folder)[[1]]$watch, "bow")
  map <- matrix(0, 64, 96)
  map[5:9, 7:11] <- 1
  mark_case(folder, "one", watch = list(
    list(name = "bow", was = "bow", png = png_text(map), keep = 0.7)
  ))
  region <- cases_in(folder)[[1]]$watch$bow
  expect_equal(region, list(mask = "masks/one-bow.png", keep = 0.7))
  expect_equal(png::readPNG(file.path(folder, region$mask)), map)
  mark_case(folder, "one", watch = list())
  expect_null(cases_in(folder)[[1]]$watch)
  expect_match(suite_lines(folder), "# What must stay.", fixed = TRUE, all = FALSE)
  expect_silent(read_trial(folder))
})

test_that("a crop is written beside the picture, and left out where it is the usual one", {
  folder <- marked_trial()
  crop <- function(case, box, focus, fit = "crop") {
    mark_case(folder, case, crop = list(fit = fit, box = as.list(box), focus = as.list(focus)))
    cases_in(folder)
  }
  cases <- crop("one", c(0.1, 0, 0.9, 1), c(0.5, 0.25))
  expect_equal(
    cases[[1]]$reference,
    list(picture = "references/one.png", focus = c(0.5, 0.25), box = c(0.1, 0, 0.9, 1))
  )
  expect_match(suite_lines(folder), "# as it came", fixed = TRUE, all = FALSE)
  expect_equal(crop("one", c(0, 0, 1, 1), c(0.5, 0.5))[[1]]$reference, "references/one.png")
  # A fit that was written out stays.
  expect_equal(
    crop("three", c(0, 0, 1, 1), c(0.5, 0.5))[[3]]$reference$fit,
    "crop"
  )
  expect_equal(
    crop("mixed", c(0, 0, 1, 1), c(0.5, 0.5), "pad")[[4]]$references,
    list(
      list(picture = "references/one.png", fit = "pad"),
      list(picture = "references/two.png", weight = 0.5)
    )
  )
})

test_that("a mask replaces the file that is edited, but none that another place uses", {
  folder <- marked_trial()
  map <- matrix(0, 64, 96)
  map[40:60, 1:30] <- 1
  mark_case(folder, "one", mask = list(png = png_text(map), invert = FALSE, feather = 0))
  expect_equal(png::readPNG(file.path(folder, "masks", "one.png")), map)
  expect_equal(cases_in(folder)[[1]]$mask, "masks/one.png")
  # The third case has the first one's mask; its own goes elsewhere.
  other <- 1 - map
  mark_case(folder, "three", mask = list(
    png = png_text(other), invert = TRUE, feather = 4, padding = 8
  ))
  cases <- cases_in(folder)
  expect_equal(
    cases[[3]]$mask,
    list(picture = "masks/three.png", invert = TRUE, feather = 4, padding = 8)
  )
  expect_equal(png::readPNG(file.path(folder, "masks", "one.png")), map)
  expect_equal(png::readPNG(file.path(folder, "masks", "three.png")), other)
  # A file of that name that nobody names is no mask of ours.
  writeBin(as.raw(1:10), file.path(folder, "masks", "last.png"))
  mark_case(folder, "last", mask = list(png = png_text(map)))
  expect_equal(cases_in(folder)[[5]]$mask, "masks/last-2.png")
  expect_equal(file.size(file.path(folder, "masks", "last.png")), 10)
  expect_match(suite_lines(folder), "# on one line", fixed = TRUE, all = FALSE)
})

test_that("boxes, canvas and poses are written as the suite has them", {
  folder <- marked_trial()
  mark_case(folder, "last", mask = list(boxes = list(list(0, 0, 0.5, 1)), feather = 2))
  mark_case(folder, "two", grow = list(left = 0.25, top = 0, right = 0, bottom = 1))
  figure <- list(nose = list(0.5, 0.25), left_hip = list(0.25, 0.5))
  mark_case(folder, "last", pose = list(figure))
  expect_equal(cases_in(folder)[[2]]$grow, list(left = 0.25, bottom = 1))
  case <- cases_in(folder)[[5]]
  expect_equal(case$mask, list(boxes = list(c(0, 0, 0.5, 1)), feather = 2))
  expect_equal(case$guides, list(pose = list(keypoints = "guides/last-pose.json")))
  read <- read_keypoints(file.path(folder, case$guides$pose$keypoints))$figures[[1]]
  expect_equal(read["nose", ], c(0.5, 0.25))
  expect_equal(read["left_hip", ], c(0.25, 0.5))
  markable <- read_markable(folder)
  expect_equal(as.numeric(marks_of_case(markable, 5)$pose[[1]]$nose), c(0.5, 0.25))
  mark_case(folder, "last", mask = NULL, pose = NULL)
  expect_named(cases_in(folder)[[5]], c("id", "job", "reference", "prompt"))
})

test_that("a job has the parts that its cases may have", {
  expect_equal(parts_of_job("restyle"), c("watch", "crop", "pose"))
  expect_true("mask" %in% parts_of_job("edit"))
  expect_equal(parts_of_job("extend"), c("watch", "crop", "grow", "pose"))
})

test_that("nothing is written of marks that are none, and all files stay as they were", {
  folder <- marked_trial()
  before <- suite_lines(folder)
  files <- list.files(folder, recursive = TRUE)
  refused <- function(..., case = "one", words = "These marks can't be taken") {
    expect_error(mark_case(folder, case, ...), words, class = "sprenn_error_marks")
  }
  box <- list(0.1, 0.1, 0.2, 0.2)
  refused(watch = list(list(name = "a", box = list(0.5, 0, 0.4, 1))))
  refused(watch = list(list(name = "a", box = list(0, 0, 2, 1))))
  refused(watch = list(list(name = "a", box = list("0", 0, 2, 1))))
  refused(watch = list(list(name = "a", box = box), list(name = "a", box = box)))
  refused(watch = list(list(name = "", box = box)))
  refused(watch = list(list(name = "a", box = box, keep = 3)))
  refused(watch = list(list(name = "never drawn")))
  refused(crop = list(fit = "squeeze", box = list(0, 0, 1, 1), focus = list(0.5, 0.5)))
  refused(crop = list(fit = "crop", box = list(0, 0, 1, 1), focus = list(0.5, 7)))
  refused(grow = list(left = -1))
  refused(grow = list(left = "1"))
  refused(pose = list(list(tail = list(0.1, 0.1))))
  refused(pose = list(list(nose = list(0.1, "x"))))
  refused(mask = list(png = "no base64 at all!"))
  refused(mask = list(png = png_text(matrix(0, 10, 10))))
  refused(mask = list(png = png_text(matrix(1, 64, 96)), feather = 1000))
  refused(mask = list(png = openssl::base64_encode(as.raw(1:100))))
  damaged <- png::writePNG(matrix(runif(64 * 96), 64))
  refused(mask = list(png = openssl::base64_encode(damaged[1:2000])))
  refused(watch = list(), case = "nobody")
  # What the suite itself would refuse.
  refused(mask = list(png = png_text(matrix(0, 64, 96))), words = "black all over")
  refused(watch = list(list(name = "mask", box = box)), words = "a region called mask")
  refused(grow = list(left = 0.5), words = "no grow, as job is edit")
  # What a case has taken over can't be taken away from it alone.
  refused(mask = NULL, case = "three", words = "taken over from one")
  expect_equal(suite_lines(folder), before)
  expect_equal(list.files(folder, recursive = TRUE), files)
})

test_that("a suite that has changed meanwhile is not overwritten", {
  folder <- marked_trial()
  markable <- read_markable(normalizePath(folder))
  marks <- list(list(case = "two", parts = list(grow = list(left = 0.5))))
  draft <- propose_marks(markable, marks)
  cat("# another hand\n", file = file.path(folder, "suite.yml"), append = TRUE)
  expect_error(write_marks(markable, draft), "has changed", class = "sprenn_error_marks")
  expect_match(tail(suite_lines(folder), 1), "another hand")
})

test_that("several cases and parts are proposed at once, in the suite's order", {
  folder <- marked_trial()
  markable <- read_markable(normalizePath(folder))
  draft <- propose_marks(markable, list(
    list(case = "three", parts = list(mask = list(boxes = list(list(0, 0, 1, 0.5))))),
    list(case = "one", parts = list(
      watch = list(),
      crop = list(fit = "pad", box = list(0, 0, 1, 1), focus = list(0.5, 0.5))
    ))
  ))
  expect_equal(vapply(draft$changes, `[[`, "", "case"), c("one", "one", "three"))
  write_marks(markable, draft)
  cases <- cases_in(folder)
  expect_equal(cases[[3]]$mask, list(boxes = list(c(0, 0, 1, 0.5))))
  expect_equal(cases[[1]]$reference$fit, "pad")
  # What is as it was is no change.
  again <- propose_marks(read_markable(normalizePath(folder)), list(
    list(case = "three", parts = list(mask = list(boxes = list(list(0, 0, 1, 0.5)))))
  ))
  expect_length(again$changes, 0)
})

test_that("a suite without prompts can be marked", {
  folder <- marked_trial()
  writeLines(
    sub("^    prompt: a thing|, prompt: a thing", "", marked_suite),
    file.path(folder, "suite.yml")
  )
  mark_case(folder, "two", grow = list(left = 0.5))
  expect_equal(cases_in(folder)[[2]]$grow$left, 0.5)
})

test_that("pictures of the page are turned, as large as Sprenn reads them, and known by number", {
  folder <- marked_trial()
  desk <- MarkDesk$new(normalizePath(folder))
  size <- function(name) {
    picture <- mark_picture(desk, name)
    facts <- picture_facts(picture$bytes)
    c(facts$width, facts$height)
  }
  expect_equal(size("reference-1"), c(96, 64))
  expect_equal(size("thumb-1"), c(96, 64))
  map <- png::readPNG(mark_picture(desk, "mask-1")$bytes)
  expect_equal(map, png::readPNG(file.path(folder, "masks", "one.png")))
  for (name in c(
    "mask-2", "mask-99", "depth-1", "watch-1-1", "watch-1-9", "reference-0", "reference-",
    "../suite.yml", "reference-1/..", "suite.yml", ""
  )) {
    expect_null(mark_picture(desk, name), info = name)
  }
})
