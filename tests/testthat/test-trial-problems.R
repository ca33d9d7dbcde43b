change <- function(lines, from, to) {
  expect_true(any(grepl(from, lines, fixed = TRUE)))
  sub(from, to, lines, fixed = TRUE)
}

test_that("a sound trial has no problems and reads back as what was written", {
  trial <- read_trial(small_trial())
  expect_s3_class(trial, "sprenn_trial")
  expect_equal(trial$suite$seeds, c(1L, 2L))
  expect_equal(vapply(trial$suite$cases, `[[`, "", "id"), c("one", "two", "three"))
  expect_equal(trial$suite$cases[[1]]$prompt[[2]]$probe, list(measure = "brightness", where = "whole", brightness = c(0, 0.9)))
  expect_equal(trial$lineup$pipelines$native_hold, c(9, 1))
  expect_equal(trial$brief$weights, c(structure = 1, adherence = 0, style = 0))
  expect_snapshot(cat(sub(" /.*", " FOLDER", format(trial)), sep = "\n"))
})

test_that("an unknown key is named with the nearest known one and its line", {
  problem <- problem_at(problems_of(suite = change(small_suite, "seeds:", "seds:")), "seds")
  expect_equal(problem[c("file", "line", "near")], list(file = "suite.yml", line = 2L, near = "seeds"))
  deep <- problem_at(problems_of(suite = change(small_suite, "probe: {brightness", "probe: {brightnes")), "cases[1].prompt[2].probe.brightnes")
  expect_equal(deep$near, "brightness")
  expect_equal(deep$line, 5L)
})

test_that("wrong types say what was found and what is wanted", {
  wrong <- list(
    list("seeds: [1, 2]", "seeds: [1, 2.5]", "seeds[2]", "2.5", "whole number"),
    list("seeds: [1, 2]", "seeds: [1, two]", "seeds[2]", "\"two\"", "whole number"),
    list("seeds: [1, 2]", "seeds: 3", "seeds", "3", "list"),
    list("seeds: [1, 2]", "seeds: []", "seeds", "a list of 0", "at least one"),
    list("size: [96, 64]", "size: [96]", "size", "a list of 1", "width, height"),
    list("id: one", "id: ../one", "cases[1].id", "\"../one\"", "letters, digits"),
    list("job: restyle", "job: restile", "cases[1].job", "\"restile\"", "one of restyle"),
    list("at most 0.9", "below 0.9", "cases[1].prompt[2].probe.brightness", "\"below 0.9\"", "at least"),
    list("prompt: [a thing, {say: dark", "prompt: [7, {say: dark", "cases[1].prompt[1]", "7", "text, or keys")
  )
  for (one in wrong) {
    problem <- problem_at(problems_of(suite = change(small_suite, one[[1]], one[[2]])), one[[3]])
    expect_match(problem$found, one[[4]], fixed = TRUE, info = one[[2]])
    expect_match(problem$wanted, one[[5]], info = one[[2]])
  }
})

test_that("colours and places get the nearest known word", {
  suite <- change(small_suite, "{brightness: at most 0.9}", "{colour: tael, where: top thrd, share: at least 0.1}")
  problems <- problems_of(suite = suite)
  expect_equal(problem_at(problems, "cases[1].prompt[2].probe.colour")$near, "teal")
  expect_equal(problem_at(problems, "cases[1].prompt[2].probe.where")$near, "top third")
})

test_that("a probe checks one thing, and a colour needs its share", {
  two <- change(small_suite, "{brightness: at most 0.9}", "{brightness: at most 0.9, monochrome: at least 0.5}")
  expect_match(problem_at(problems_of(suite = two), "cases[1].prompt[2].probe")$found, "brightness and monochrome")
  bare <- change(small_suite, "{brightness: at most 0.9}", "{colour: red}")
  expect_match(problem_at(problems_of(suite = bare), "cases[1].prompt[2].probe")$found, "without a share")
})

test_that("duplicates, unknown looks and repeated seeds are found", {
  problems <- problems_of(suite = change(change(change(small_suite, "id: two", "id: One"), "[1, 2]", "[1, 1]"), "references/one.png", "references/one.png, look: oils"))
  expect_match(problem_at(problems, "cases[2].id")$wanted, "cases\\[1\\] has it")
  expect_equal(problem_at(problems, "seeds[2]")$found, "1")
  expect_equal(problem_at(problems, "cases[1].look")$found, "\"oils\"")
})

test_that("pictures that are missing, damaged, too large or outside the trial are found", {
  folder <- small_trial(suite = change(change(small_suite, "references/one.png", "references/on.png"), "references/two.png", "../two.png"))
  writeLines("no picture", file.path(folder, "references", "three.png"))
  problems <- check_trial(folder)
  missing <- problem_at(problems, "cases[1].reference")
  expect_match(missing$found, "no such file")
  expect_equal(missing$near, "references/one.png")
  expect_match(problem_at(problems, "cases[2].reference")$found, "leaves the trial")
  expect_match(problem_at(problems, "cases[3].reference")$found, "no PNG, JPEG or WebP")
  absolute <- problems_of(suite = change(small_suite, "references/one.png", "/etc/one.png"))
  expect_match(problem_at(absolute, "cases[1].reference")$found, "absolute path")
})

test_that("a link that leads out of the trial is refused", {
  skip_on_os("windows")
  folder <- small_trial()
  outside <- picture_file(scene(9))
  unlink(file.path(folder, "references", "one.png"))
  file.symlink(outside, file.path(folder, "references", "one.png"))
  expect_match(problem_at(check_trial(folder), "cases[1].reference")$found, "leaves the trial")
})

test_that("engines, checkpoints, settings and sweeps are checked against what the engine says", {
  lineup <- c(
    "engines:", "  mixer: {kind: function, file: mixer.R}", "  gone: {kind: function, file: gone.R}", "  both: {kind: function}",
    "  odd: {kind: function, call: \"base::letters\"}", "pipelines:",
    "  - {id: a, engine: mixr, hold: 0.5}", "  - {id: b, engine: mixer, checkpoint: plane, hold: 0.5}",
    "  - {id: c, engine: mixer, hold: 0.5, settings: {tint: 4, tnit: 1}}", "  - {id: d, engine: mixer}",
    "  - {id: e, engine: mixer, hold: 2}"
  )
  problems <- problems_of(lineup = lineup)
  expect_equal(problem_at(problems, "pipelines[5].hold")$wanted, "a number from 0 to 1")
  problems <- problems_of(lineup = lineup[-11])
  expect_equal(problem_at(problems, "pipelines[1].engine")$near, "mixer")
  expect_equal(problem_at(problems, "pipelines[2].checkpoint")$near, "plain")
  expect_equal(problem_at(problems, "pipelines[3].settings.tint")$wanted, "a number from 0 to 1")
  expect_equal(problem_at(problems, "pipelines[3].settings.tnit")$near, "tint")
  expect_equal(problem_at(problems, "pipelines[4].hold")$found, "nothing")
  expect_match(problem_at(problems, "engines.gone")$found, "no such file")
  expect_match(problem_at(problems, "engines.both")$found, "neither call nor file")
  expect_equal(nrow(problems[problems$place == "engines.odd", ]), 1)
})

test_that("sweeps name a pipeline, a setting and values that exist, and no recipe comes twice", {
  sweep <- function(line) problems_of(lineup = c(small_lineup, "sweeps:", paste0("  - ", line)))
  expect_equal(problem_at(sweep("{vary: hold, of: frim, over: [0.1]}"), "sweeps[1].of")$near, "firm")
  expect_equal(problem_at(sweep("{vary: hodl, of: firm, over: [0.1]}"), "sweeps[1].vary")$near, "hold")
  expect_match(problem_at(sweep("{vary: hold, of: firm, over: [0.1, 1.4]}"), "sweeps[1].over[2]")$wanted, "0 to 1")
  expect_match(problem_at(sweep("{vary: hold, of: firm, over: [0.1]}"), "pipelines")$found, "loose and firm/hold=0.1")
  expect_equal(nrow(sweep("{vary: hold, of: firm, over: [0.3, 0.5, 0.9]}")), 0)
  twice <- c("engines:", "  one: {kind: function, file: mixer.R}", "  two: {kind: function, file: mixer.R}", "pipelines:", "  - {id: a, engine: one, hold: 0.5}", "  - {id: b, engine: two, hold: 0.5}")
  expect_match(problem_at(problems_of(lineup = twice), "pipelines")$found, "a and b")
})

test_that("a brief that weighs nothing, or a job that no case has, is found", {
  problems <- problems_of(brief = c("brief: x", "weights: {structure: 0}", "job: repair", "floors: {style: 0.2}"))
  expect_match(problem_at(problems, "weights")$found, "no weight")
  expect_match(problem_at(problems, "job")$wanted, "restyle")
})

test_that("all problems of all files come in one error, and nothing is written", {
  folder <- small_trial(
    suite = change(change(small_suite, "seeds: [1, 2]", "seeds: [1, x]"), "references/one.png", "gone.png"),
    lineup = change(small_lineup, "hold: 0.9", "hold: 9"), brief = c("brief: x", "wieghts: {structure: 1}")
  )
  error <- expect_error(read_trial(folder), class = "sprenn_error_trial")
  expect_setequal(error$problems$file, c("suite.yml", "lineup.yml", "brief.yml"))
  expect_setequal(error$problems$place, c("seeds[2]", "cases[1].reference", "pipelines[1].hold", "wieghts", "weights"))
  expect_match(error$headline, "5 problems")
  expect_error(run_trial(folder), class = "sprenn_error_trial")
  expect_false(dir.exists(file.path(folder, "runs")))
  expect_snapshot(cat(error$details, sep = "\n"))
})

test_that("missing and empty files, folders and other encodings are problems too", {
  expect_match(check_trial(file.path(tempdir(), "nowhere"))$found, "no such folder")
  folder <- small_trial()
  unlink(file.path(folder, "brief.yml"))
  writeLines(character(), file.path(folder, "lineup.yml"))
  writeBin(as.raw(c(0x61, 0x3a, 0x20, 0xff, 0xfe)), file.path(folder, "suite.yml"))
  problems <- check_trial(folder)
  expect_setequal(problems$found, c("no such file", "an empty file", "bytes that are no UTF-8"))
  only_comments <- problems_of(suite = "# nothing here")
  expect_equal(only_comments$found, "nothing")
})

test_that("R code in a tag is a problem with its place", {
  problem <- problem_at(problems_of(suite = change(small_suite, "suite: small", "suite: !expr quit()")), "suite")
  expect_equal(problem$found, "R code in a tag")
})

test_that("Windows line ends and a byte order mark don't matter", {
  folder <- small_trial()
  text <- paste0("\ufeff", paste(small_suite, collapse = "\r\n"), "\r\n")
  writeBin(charToRaw(enc2utf8(text)), file.path(folder, "suite.yml"))
  expect_equal(nrow(check_trial(folder)), 0)
})

test_that("what entries say of each other is told together with what is wrong in them", {
  problems <- problems_of(
    suite = change(change(small_suite, "seeds: [1, 2]", "seeds: [1, 1.5, 1]"), "id: two", "id: one"),
    lineup = c(small_lineup, "  - {id: third, engine: mixr, hold: 0.5}", "  - {id: fourth, engine: mixer, hold: high}"),
    brief = c("brief: x", "weights: {structure: 0}")
  )
  expect_setequal(problems$place, c("seeds[2]", "seeds[3]", "cases[2].id", "pipelines[3].engine", "pipelines[4].hold", "weights"))
})
