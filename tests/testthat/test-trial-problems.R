test_that("a sound trial has no problems and reads back as what was written", {
  trial <- read_trial(small_trial())
  expect_s3_class(trial, "sprenn_trial")
  expect_equal(trial$suite$seeds, c(1L, 2L))
  expect_equal(vapply(trial$suite$cases, `[[`, "", "id"), c("one", "two", "three"))
  expect_equal(
    trial$suite$cases[[1]]$prompt[[2]]$probe[[1]],
    list(measure = "brightness", where = "whole", bound = c(0, 0.9), colour = NULL, look = NULL)
  )
  expect_equal(trial$lineup$pipelines$native_hold, c(9, 1))
  expect_equal(trial$brief$purposes[[1]]$weights, c(structure = 1, adherence = 0, style = 0))
  expect_snapshot(cat(sub(" /.*", " FOLDER", format(trial)), sep = "\n"))
})

test_that("an unknown key is named with the nearest known one and its line", {
  problem <- problem_at(problems_of(suite = change(small_suite, "seeds:", "seds:")), "seds")
  expect_equal(
    problem[c("file", "line", "near")],
    list(file = "suite.yml", line = 2L, near = "seeds")
  )
  deep <- problem_at(
    problems_of(suite = change(small_suite, "probe: {brightness", "probe: {brightnes")),
    "cases[1].prompt[2].probe.brightnes"
  )
  expect_equal(deep$near, "brightness")
  expect_equal(deep$line, 5L)
})

test_that("wrong types say what was found and what is wanted", {
  wrong <- list(
    list("seeds: [1, 2]", "seeds: [1, 2.5]", "seeds[2]", "2.5", "whole number"),
    list("seeds: [1, 2]", "seeds: [1, two]", "seeds[2]", "\"two\"", "whole number"),
    list("seeds: [1, 2]", "seeds: 3", "seeds", "3", "list"),
    list("seeds: [1, 2]", "seeds: []", "seeds", "a list of 0", "at least one"),
    list("size: [96, 64]", "size: [96]", "size", "[96]", "width, height"),
    list("id: one", "id: ../one", "cases[1].id", "\"../one\"", "letters, digits"),
    list("job: restyle", "job: restile", "cases[1].job", "\"restile\"", "one of restyle"),
    list(
      "at most 0.9",
      "below 0.9",
      "cases[1].prompt[2].probe.brightness",
      "\"below 0.9\"",
      "at least"
    ),
    list(
      "prompt: [a thing, {say: dark",
      "prompt: [7, {say: dark",
      "cases[1].prompt[1]",
      "7",
      "text, or keys"
    )
  )
  for (one in wrong) {
    problem <- problem_at(
      problems_of(suite = change(small_suite, one[[1]], one[[2]])),
      one[[3]]
    )
    expect_match(problem$found, one[[4]], fixed = TRUE, info = one[[2]])
    expect_match(problem$wanted, one[[5]], info = one[[2]])
  }
})

test_that("colours and places get the nearest known word", {
  suite <- change(
    small_suite,
    "{brightness: at most 0.9}",
    "{colour: tael, where: top thrd, share: at least 0.1}"
  )
  problems <- problems_of(suite = suite)
  expect_equal(problem_at(problems, "cases[1].prompt[2].probe.colour")$near, "teal")
  expect_equal(problem_at(problems, "cases[1].prompt[2].probe.where")$near, "top third")
})

test_that("a probe checks one thing, and a colour needs its share", {
  two <- change(
    small_suite,
    "{brightness: at most 0.9}",
    "{brightness: at most 0.9, monochrome: at least 0.5}"
  )
  expect_equal(
    problem_at(problems_of(suite = two), "cases[1].prompt[2].probe.monochrome")$wanted,
    "no monochrome, as there is brightness"
  )
  bare <- change(small_suite, "{brightness: at most 0.9}", "{colour: red}")
  expect_equal(
    problem_at(problems_of(suite = bare), "cases[1].prompt[2].probe")$wanted,
    "share or patches, as there is colour"
  )
})

test_that("duplicates, unknown looks and repeated seeds are found", {
  problems <- problems_of(
    suite = change(
      change(change(small_suite, "id: two", "id: One"), "[1, 2]", "[1, 1]"),
      "references/one.png",
      "references/one.png, look: oils"
    )
  )
  expect_match(problem_at(problems, "cases[2].id")$wanted, "cases\\[1\\] has it")
  expect_equal(problem_at(problems, "seeds[2]")$found, "1")
  expect_equal(problem_at(problems, "cases[1].look")$found, "\"oils\"")
})

test_that("pictures that are missing, damaged, too large or outside the trial are found", {
  folder <- small_trial(
    suite = change(
      change(small_suite, "references/one.png", "references/on.png"),
      "references/two.png",
      "../two.png"
    )
  )
  writeLines("no picture", file.path(folder, "references", "three.png"))
  problems <- check_trial(folder)
  missing <- problem_at(problems, "cases[1].reference")
  expect_match(missing$found, "no such file")
  expect_equal(missing$near, "references/one.png")
  expect_match(problem_at(problems, "cases[2].reference")$found, "leaves the trial")
  expect_match(problem_at(problems, "cases[3].reference")$found, "not a picture")
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
    "engines:",
    "  mixer: {kind: function, file: mixer.R}",
    "  gone: {kind: function, file: gone.R}",
    "  both: {kind: function}",
    "  odd: {kind: function, call: \"base::letters\"}",
    "pipelines:",
    "  - {id: a, engine: mixr, hold: 0.5}",
    "  - {id: b, engine: mixer, checkpoint: plane, hold: 0.5}",
    "  - {id: c, engine: mixer, hold: 0.5, settings: {tint: 4, tnit: 1}}",
    "  - {id: d, engine: mixer}",
    "  - {id: e, engine: mixer, hold: 2}"
  )
  problems <- problems_of(lineup = lineup)
  expect_equal(problem_at(problems, "pipelines[5].hold")$wanted, "a number from 0 to 1")
  problems <- problems_of(lineup = lineup[-11])
  expect_equal(problem_at(problems, "pipelines[1].engine")$near, "mixer")
  expect_equal(problem_at(problems, "pipelines[2].checkpoint")$near, "plain")
  expect_equal(
    problem_at(problems, "pipelines[3].settings.tint")$wanted,
    "a number from 0 to 1"
  )
  expect_equal(problem_at(problems, "pipelines[3].settings.tnit")$near, "tint")
  expect_equal(problem_at(problems, "pipelines[4].hold")$found, "nothing")
  expect_match(problem_at(problems, "engines.gone")$found, "no such file")
  expect_equal(problem_at(problems, "engines.both")$wanted, "call or file, as kind is function")
  expect_equal(nrow(problems[problems$place == "engines.odd", ]), 1)
})

test_that("sweeps name a pipeline, a setting and values that exist, and no recipe comes twice", {
  sweep <- function(line) problems_of(lineup = c(small_lineup, "sweeps:", paste0("  - ", line)))
  expect_equal(
    problem_at(sweep("{vary: hold, of: frim, over: [0.1]}"), "sweeps[1].of")$near,
    "firm"
  )
  expect_equal(
    problem_at(sweep("{vary: hodl, of: firm, over: [0.1]}"), "sweeps[1].vary")$near,
    "hold"
  )
  expect_match(
    problem_at(sweep("{vary: hold, of: firm, over: [0.1, 1.4]}"), "sweeps[1].over[2]")$wanted,
    "0 to 1"
  )
  expect_match(
    problem_at(sweep("{vary: hold, of: firm, over: [0.1]}"), "pipelines")$found,
    "loose and firm/hold=0.1"
  )
  expect_equal(nrow(sweep("{vary: hold, of: firm, over: [0.3, 0.5, 0.9]}")), 0)
  twice <- c(
    "engines:",
    "  one: {kind: function, file: mixer.R}",
    "  two: {kind: function, file: mixer.R}",
    "pipelines:",
    "  - {id: a, engine: one, hold: 0.5}",
    "  - {id: b, engine: two, hold: 0.5}"
  )
  expect_match(problem_at(problems_of(lineup = twice), "pipelines")$found, "a and b")
})

test_that("a brief that weighs nothing, or a job that no case has, is found", {
  problems <- problems_of(
    brief = c("brief: x", "weights: {structure: 0}", "job: repair", "floors: {style: 0.2}")
  )
  expect_match(problem_at(problems, "weights")$found, "no weight")
  expect_match(problem_at(problems, "job")$wanted, "restyle")
})

test_that("all problems of all files come in one error, and nothing is written", {
  folder <- small_trial(
    suite = change(
      change(small_suite, "seeds: [1, 2]", "seeds: [1, x]"),
      "references/one.png",
      "gone.png"
    ),
    lineup = change(small_lineup, "hold: 0.9", "hold: 9"),
    brief = c("brief: x", "wieghts: {structure: 1}")
  )
  error <- expect_error(read_trial(folder), class = "sprenn_error_trial")
  expect_setequal(error$problems$file, c("suite.yml", "lineup.yml", "brief.yml"))
  expect_setequal(
    error$problems$place,
    c("seeds[2]", "cases[1].reference", "pipelines[1].hold", "wieghts", "")
  )
  expect_match(error$headline, "5 problems")
  expect_error(run_trial(folder)$takes, class = "sprenn_error_trial")
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
  expect_setequal(problems$found, c("no such file", "an empty file", "bytes that are not UTF-8"))
  only_comments <- problems_of(suite = "# nothing here")
  expect_equal(only_comments$found, "nothing")
})

test_that("R code in a tag is a problem with its place", {
  problem <- problem_at(
    problems_of(suite = change(small_suite, "suite: small", "suite: !expr quit()")),
    "suite"
  )
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
    suite = change(
      change(small_suite, "seeds: [1, 2]", "seeds: [1, 1.5, 1]"),
      "id: two",
      "id: one"
    ),
    lineup = c(
      small_lineup,
      "  - {id: third, engine: mixr, hold: 0.5}",
      "  - {id: fourth, engine: mixer, hold: high}"
    ),
    brief = c("brief: x", "weights: {structure: 0}")
  )
  expect_setequal(
    problems$place,
    c(
      "seeds[2]", "seeds[3]", "cases[2].id", "pipelines[3].engine", "pipelines[4].hold",
      "weights"
    )
  )
})

test_that("what a job needs and what it has no use for is told with the reason", {
  case <- function(text) {
    problems_of(suite = c(small_suite[1:4], paste0("  - {id: one, prompt: x, ", text, "}")))
  }

  expect_equal(
    problem_at(case("job: edit, reference: references/one.png"), "cases[1].mask")$wanted,
    "mask, as job is edit"
  )
  expect_equal(
    problem_at(case("job: fresh, reference: references/one.png"), "cases[1].reference")$wanted,
    "no reference, as job is fresh"
  )
  expect_equal(
    problem_at(
      case("job: blend, references: [references/one.png]"),
      "cases[1].references"
    )$wanted,
    "a list with at least 2 entries"
  )
  expect_equal(
    problem_at(
      case("job: extend, reference: references/one.png, grow: {}"),
      "cases[1].grow"
    )$wanted,
    "left or top or right or bottom"
  )
  expect_match(problem_at(case("job: vary"), "cases[1]")$wanted, "reference or references")
  expect_match(
    problem_at(
      case(paste0(
        "job: repair, reference: references/one.png, mask: {picture: references/two.png, ",
        "boxes: [[0, 0, 1, 1]]}"
      )),
      "cases[1].mask.boxes"
    )$wanted,
    "as there is picture"
  )
  expect_match(
    problem_at(
      case("job: restyle, reference: references/one.png, watch: {x: {keep: 0.2}}"),
      "cases[1].watch.x"
    )$wanted,
    "box or mask"
  )
})

test_that("masks and maps must be of the reference's shape and show something", {
  folder <- small_trial(
    suite = c(
      small_suite[1:4],
      paste0(
        "  - {id: one, job: edit, reference: references/one.png, prompt: x, mask: black.png, ",
        "guides: {depth: {picture: tall.png}}}"
      ),
      paste0(
        "  - {id: two, job: edit, reference: references/one.png, prompt: x, mask: {picture: ",
        "white.png, invert: true}}"
      )
    )
  )
  png::writePNG(matrix(0, 64, 96), file.path(folder, "black.png"))
  png::writePNG(matrix(1, 128, 192), file.path(folder, "white.png"))
  png::writePNG(matrix(0.5, 96, 64), file.path(folder, "tall.png"))
  problems <- check_trial(folder)
  expect_match(problem_at(problems, "cases[1].mask")$found, "black all over")
  expect_match(
    problem_at(problems, "cases[2].mask.picture")$found,
    "white all over and inverted"
  )
  expect_match(problem_at(problems, "cases[1].guides.depth.picture")$wanted, "96 x 64")
})

test_that("a box off the picture, and one that runs backwards, are found", {
  at <- function(box) {
    problems_of(
      suite = sub(
        "reference: references/one.png",
        paste0("reference: {picture: references/one.png, box: ", box, "}"),
        small_suite,
        fixed = TRUE
      )
    )
  }

  expect_match(
    problem_at(at("[1.2, 0, 1.5, 1]"), "cases[1].reference.box")$wanted,
    "covers some of the picture"
  )
  expect_match(
    problem_at(at("[0.8, 0, 0.2, 1]"), "cases[1].reference.box")$wanted,
    "a box [left, top, right, bottom]",
    fixed = TRUE
  )
})

test_that("entries take over from others, and circles and gaps are named", {
  liked <- c(
    small_suite[1:4],
    "  - {id: one, job: restyle, reference: references/one.png, prompt: x, negative: [y]}",
    "  - {id: two, like: one, reference: references/two.png}",
    "  - {id: three, like: two, prompt: z}"
  )
  trial <- read_trial(small_trial(suite = liked))
  expect_equal(trial$suite$cases[[3]]$prompt[[1]]$say, "z")
  expect_equal(basename(trial$suite$cases[[3]]$reference$path), "two.png")
  expect_equal(trial$suite$cases[[3]]$negative, "y")
  other <- c(
    small_suite[1:4],
    "  - {id: one, job: restyle, reference: references/one.png, prompt: x}",
    "  - {id: two, like: one, job: edit, mask: references/three.png}",
    "  - {id: three, like: one, job: fresh}"
  )
  cases <- read_trial(small_trial(suite = other))$suite$cases
  expect_null(cases[[3]]$reference)
  expect_false(is.null(cases[[2]]$mask))
  circle <- c(
    small_suite[1:4],
    "  - {id: one, like: two}",
    "  - {id: two, like: one}",
    "  - {id: three, like: tree}"
  )
  problems <- problems_of(suite = circle)
  expect_match(problem_at(problems, "cases[1].like")$found, "one like two like one")
  expect_equal(problem_at(problems, "cases[3].like")$near, "three")
})

test_that("grids unfold to every combination, each named by what it sets", {
  trial <- read_trial(
    small_trial(
      lineup = c(
        small_lineup,
        "sweeps:",
        "  - {of: firm, grid: {hold: [0.5, 0.9], tint: [0, 0.5, 1]}}"
      )
    )
  )
  expect_equal(nrow(trial$lineup$pipelines), 2 + 6)
  expect_true("firm/hold=0.5,tint=0.5" %in% trial$lineup$pipelines$pipeline)
})

test_that("YAML that is a trap is refused: a bomb of anchors, tabs, a key twice", {
  bomb <- c(
    "a: &a [x, x, x, x, x, x, x, x, x, x]",
    sprintf(
      "%s: &%s [*%s, *%s, *%s, *%s, *%s, *%s, *%s, *%s, *%s]",
      letters[2:9],
      letters[2:9],
      letters[1:8],
      letters[1:8],
      letters[1:8],
      letters[1:8],
      letters[1:8],
      letters[1:8],
      letters[1:8],
      letters[1:8],
      letters[1:8]
    )
  )
  expect_match(problems_of(suite = c(bomb, small_suite))$wanted, "aliases")
  expect_match(
    problems_of(suite = sub("seeds", "\tseeds", small_suite))$wanted,
    "tab",
    all = FALSE
  )
  deep <- paste0("deep: ", strrep("[", 3000), strrep("]", 3000))
  expect_match(problems_of(suite = c(small_suite, deep))$found, "50 deep")
  expect_match(
    problems_of(suite = c(small_suite, "suite: twice"))$wanted,
    "Duplicate",
    all = FALSE
  )
})

# A value with the part at a place (numbers of entries, from outside in) replaced.
with_part <- function(value, at, part) {
  if (length(at) == 0) {
    return(part)
  }

  value[at[1]] <- list(with_part(value[[at[1]]], at[-1], part))
  value
}

places_in <- function(value, at = integer()) {
  below <- if (is.list(value)) {
    lapply(seq_along(value), function(i) places_in(value[[i]], c(at, i)))
  }
  c(list(at), unlist(below, recursive = FALSE))
}

test_that("anything in place of anything is a problem, and never an error of R", {
  odd <- list(
    NULL, 3, -1, 0.7, 1e300, "text", "", TRUE, list(), list(1), list("a", "b"),
    stats::setNames(list(), character()), list(a = 1), list(list(list())), list(NULL),
    list(id = "x")
  )
  files <- list(
    suite.yml = small_suite,
    lineup.yml = c(small_lineup, "sweeps:", "  - {vary: hold, of: firm, over: [0.3, 0.6]}"),
    brief.yml = c("brief: x", "purposes:", "  restyle: {weights: {structure: 1}, style: stay}")
  )
  folder <- small_trial()
  withr::local_seed(25)
  for (i in 1:150) {
    file <- sample(names(files), 1)
    value <- read_yaml_text(paste(files[[file]], collapse = "\n"), file)$value
    places <- places_in(value)
    value <- with_part(value, places[[sample(length(places), 1)]], odd[[sample(length(odd), 1)]])
    text <- jsonlite::toJSON(value, auto_unbox = TRUE, null = "null", digits = NA, force = TRUE)
    for (other in names(files)) {
      writeLines(if (other == file) text else files[[other]], file.path(folder, other))
    }

    found <- tryCatch(check_trial(folder), error = identity)
    expect_s3_class(found, "data.frame")
    if (!is.data.frame(found)) {
      fail(paste(file, text, conditionMessage(found)))
    }
  }
})
