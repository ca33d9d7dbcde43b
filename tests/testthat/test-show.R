scored_trial <- function(env = parent.frame(), ...) {
  folder <- small_trial(
    lineup = c(small_lineup, "sweeps:", "  - {vary: hold, of: firm, over: [0.3, 0.6]}"),
    brief = c("brief: keep the layout", "weights: {structure: 2, style: 1}", "floors: {structure: 0.2}", "style: {change: [0.1, 0.9]}"),
    env = env, ...
  )
  run_trial(folder)
  score_run(folder)
  folder
}

test_that("the sheet is a PNG of the width asked for, with every take of the seed", {
  folder <- scored_trial()
  file <- draw_sheet(folder, width = 900)
  picture <- read_picture(file)
  expect_equal(dim(picture)[2], 900)
  expect_equal(file, file.path(normalizePath(folder), "runs", "main", "sheet.png"))
  other <- read_picture(draw_sheet(folder, width = 900, seed = 2, file = withr::local_tempfile(fileext = ".png")))
  expect_gt(mean(abs(picture - other)), 0.001)
  expect_error(draw_sheet(folder, seed = 99), "no seed 99", class = "sprenn_error_argument")
})

test_that("cells say scores, flaws, floors and failures", {
  one <- tibble::tibble(state = "made", structure = 0.5, adherence = NA, style = 0.25, flaws = "near_copy", slight = "bars", missed = "", keeper = FALSE, failure = NA)
  expect_equal(internal("cell_scores")(one), "0.50  -  0.25")
  expect_equal(internal("cell_notes")(one), "near copy, slightly bars")
  one$flaws <- one$slight <- ""
  expect_equal(internal("cell_notes")(one), "below floor")
  one$missed <- "a boat"
  expect_equal(internal("cell_notes")(one), "without \"a boat\"")
  one$state <- "failed"
  one$failure <- "timed_out"
  expect_equal(internal("cell_notes")(one), "failed: timed out")
  expect_equal(internal("cell_notes")(one[0, ]), "not in this run")
})

test_that("figures show every pipeline, keep a family's colour and draw intervals", {
  verdict <- choose_pipeline(scored_trial())
  tradeoff <- draw_tradeoff(verdict)
  curve <- draw_curve(verdict)
  expect_s3_class(tradeoff, "ggplot")
  expect_equal(nrow(tradeoff$data), 4)
  expect_equal(sort(unique(curve$data$value)), c(0.3, 0.6, 0.9))
  expect_equal(internal("family_colours")(verdict$recipes), c(firm = "#0072B2", loose = "#D55E00"))
  expect_null(draw_curve(verdict, "tint"))
  built <- ggplot2::ggplot_build(tradeoff)
  expect_gte(length(built$data), 5)
  for (ending in c(".png", ".svg")) {
    if (ending == ".svg") skip_if_not_installed("svglite")
    file <- withr::local_tempfile(fileext = ending)
    internal("save_figure")(curve, file)
    expect_gt(file.size(file), 5000)
  }
})

test_that("labels of the trade-off do not lie on each other", {
  placed <- internal("place_labels")(c(0.5, 0.51, 0.52), c(0.5, 0.5, 0.52), rep("a pipeline, 100 %", 3))
  expect_gt(min(dist(placed[c("x", "y")])), 0.04)
})

test_that("the report holds everything and asks for nothing", {
  file <- write_report(scored_trial())
  html <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
  page <- xml2::read_html(html)
  expect_match(xml2::xml_text(xml2::xml_find_first(page, "//h1")), "^Use |^Not decided")
  expect_length(xml2::xml_find_all(page, "//script"), 0)
  addresses <- xml2::xml_text(xml2::xml_find_all(page, "//@src | //@href"))
  expect_true(all(startsWith(addresses, "data:")))
  images <- xml2::xml_find_all(page, "//img")
  expect_length(images, 3 * (1 + 4 * 2) + 2)
  expect_true(all(nchar(xml2::xml_attr(images, "alt")) > 5))
  expect_match(html, "Content-Security-Policy")
  expect_match(html, "fingerprint [0-9a-f]{64}")
  expect_match(html, "prefers-color-scheme: dark")
})

test_that("text of a trial stays text in the report", {
  nasty <- "<script>alert(1)</script> & \u202eright-to-left"
  suite <- sub("prompt: a thing}", paste0("prompt: '", nasty, "'}"), small_suite, fixed = TRUE)
  suite <- c(suite[1], "title: '<img src=x onerror=alert(2)>'", suite[-1])
  html <- paste(readLines(write_report(scored_trial(suite = suite)), encoding = "UTF-8"), collapse = "\n")
  page <- xml2::read_html(html)
  expect_length(xml2::xml_find_all(page, "//script | //img[@src='x']"), 0)
  expect_match(xml2::xml_text(page), "<script>alert(1)</script>", fixed = TRUE)
})

test_that("a report of failed takes shows why, and of nothing says so", {
  folder <- small_trial()
  broken <- function(request) if (request$hold < 0.5) engine_failure("out_of_credit", "the account is empty")
  trial <- read_trial(folder, engines = list(mixer = mixing_engine(broken = broken)))
  run_trial(trial)
  score_run(trial)
  expect_match(paste(readLines(write_report(trial)), collapse = ""), "the account is empty")
  nothing <- read_trial(small_trial(), engines = list(mixer = mixing_engine(broken = function(request) stop("x"))))
  run_trial(nothing)
  score_run(nothing)
  expect_equal(choose_pipeline(nothing)$state, "no keepers")
  expect_silent(write_report(nothing))
})

test_that("the drawings look as they did", {
  skip_if_not_installed("vdiffr")
  skip_if(packageVersion("ggplot2") >= "3.5.0", "drawn with Debian's ggplot2; newer ones space text otherwise")
  verdict <- choose_pipeline(scored_trial())
  vdiffr::expect_doppelganger("trade-off", draw_tradeoff(verdict))
  vdiffr::expect_doppelganger("curve", draw_curve(verdict))
})
