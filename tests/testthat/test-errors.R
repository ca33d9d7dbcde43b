# One error of every class in its words: where it is, and what to do.
said_by <- function(code, folder = tempdir()) {
  error <- tryCatch(code, sprenn_error = identity)
  expect_s3_class(error, "sprenn_error")
  said <- c(class(error)[1], format(error, backtrace = FALSE))
  gsub(folder, "FOLDER", said, fixed = TRUE)
}

test_that("an argument that can't be used is named", {
  folder <- small_trial()
  expect_snapshot(cat(said_by(run_options(retry = "no", wait = -1)), sep = "\n"))
  expect_snapshot(cat(said_by(try_engines(folder, case = "nine"), folder), sep = "\n"))
})

test_that("a trial's problems are told with their places", {
  folder <- small_trial(suite = sub("seeds:", "sedes:", small_suite))
  expect_snapshot(cat(said_by(read_trial(folder), folder), sep = "\n"))
})

test_that("a run that is not there, has no takes or is over a limit is an error of its class", {
  folder <- small_trial(brief = c(small_brief, "limits: {takes: 3}"))
  expect_snapshot(cat(said_by(choose_pipeline(folder, "nine"), folder), sep = "\n"))
  expect_snapshot(cat(said_by(run_trial(folder), folder), sep = "\n"))
  expect_snapshot(cat(said_by(export_run(folder, "nine"), folder), sep = "\n"))
})

test_that("a run that another process writes to is an error that says who", {
  folder <- small_trial()
  run_trial(folder, score = FALSE, workers = 0)
  store <- open_store(folder, "main")
  withr::defer(close_store(store))
  lock <- lock_run(store)
  withr::defer(unlock_run(store, lock), priority = "first")
  error <- said_by(run_trial(folder), folder)
  error <- gsub("[a-z_-]+ on [^,]+, process [0-9]+, since [^ ]+ [^ ]+ UTC", "WHO", error)
  expect_snapshot(cat(error, sep = "\n"))
})

test_that("files that can't be used are named", {
  folder <- withr::local_tempdir()
  text <- file.path(folder, "notes.png")
  writeLines("words", text)
  expect_snapshot(cat(said_by(read_picture(text), folder), sep = "\n"))
  expect_snapshot(cat(said_by(read_recipe(text), folder), sep = "\n"))
  expect_snapshot(cat(said_by(new_trial(folder, demo = TRUE), folder), sep = "\n"))
  expect_snapshot(
    cat(said_by(new_trial(file.path(folder, "new"), from = text), folder), sep = "\n")
  )
  expect_snapshot(cat(said_by(run_options(workers = folder), folder), sep = "\n"))
  trial <- small_trial()
  expect_snapshot(cat(said_by(prepare_trial(trial, folder = folder), folder), sep = "\n"))
  expect_snapshot(cat(said_by(export_run(trial, as = "csv", file = text), trial), sep = "\n"))
})

test_that("probes, measures, drafts and calibrations say what they lack", {
  folder <- small_trial()
  picture <- file.path(folder, "references", "one.png")
  expect_snapshot(cat(said_by(probe_picture(picture, "colour: teel, share: 2")), sep = "\n"))
  expect_snapshot(cat(said_by(draft_prompts(folder, "mixer"), folder), sep = "\n"))
  flat <- engine(
    list(
      name = "flat",
      version = "1",
      checkpoints = list(plain = list()),
      hold = c(at_0 = 0, at_1 = 1)
    ),
    function(request) engine_result(request$reference)
  )
  trial <- read_trial(folder, engines = list(mixer = flat, twin = flat))
  expect_snapshot(cat(said_by(calibrate_engine(trial, "mixer"), folder), sep = "\n"))
})

test_that("viewings and stand-ins say what they lack", {
  folder <- small_trial()
  run_trial(folder, score = FALSE, workers = 0)
  expect_snapshot(cat(said_by(draw_agreement(read_viewing(folder)), folder), sep = "\n"))
  expect_snapshot(cat(said_by(start_standins("magpie")), sep = "\n"))
  expect_snapshot(cat(said_by(start_standins("sorrel", faults = c(sorrel = "bored"))), sep = "\n"))
})

test_that("what is typed wrongly on the command line is answered with what would be right", {
  expect_snapshot(cat(run_cli("chose", "x")$err, sep = "\n"))
  expect_snapshot(cat(run_cli("choose")$err, sep = "\n"))
  expect_snapshot(cat(run_cli("check", "x", "--repair")$err, sep = "\n"))
})

test_that("a fault of our own is told as one, without R's words, and described in a file", {
  place <- withr::local_tempdir()
  withr::local_envvar(R_USER_CACHE_DIR = place, SOME_KEY = "brackwater-key-77")
  # What it said is new each time: a fault is described once a session.
  odd <- paste("no such thing", fresh_key())
  inner <- function(x) stop(odd, " brackwater-key-77")
  ended <- function(code) {
    file <- withr::local_tempfile()
    sink <- file(file, "wt")
    base::sink(sink, type = "message")
    status <- status_of("run", code)
    base::sink(type = "message")
    close(sink)
    list(status = status, said = readLines(file))
  }

  first <- ended(inner("brackwater-key-77"))
  said <- first$said
  expect_equal(first$status, 3L)
  expect_match(said[1], "sprenn run has failed through a fault of its own")
  expect_false(any(grepl("no such thing", said)))
  file <- list.files(place, "[.]txt$", recursive = TRUE, full.names = TRUE)
  expect_length(file, 1)
  expect_match(said, file, all = FALSE, fixed = TRUE)
  kept <- readLines(file)
  expect_match(kept, odd, all = FALSE, fixed = TRUE)
  expect_match(kept, "inner", all = FALSE)
  expect_false(any(grepl("brackwater-key-77", kept)))
  # The same again needs no other file, and a failure of an engine is none.
  ended(inner(1))
  expect_equal(list.files(place, "[.]txt$", recursive = TRUE, full.names = TRUE), file)
  expect_equal(ended(stop_sprenn("usage", "Not so.")), list(status = 2L, said = "sprenn: Not so."))
  expect_length(list.files(place, "[.]txt$", recursive = TRUE), 1)
})

test_that("an answer that we stumble over is a bad answer, and none of an R engine's is", {
  withr::local_envvar(R_USER_CACHE_DIR = withr::local_tempdir())
  stumbling <- function(answer) list(1)[[2]]
  turn <- list(then = stumbling)
  failure <- next_turn(turn, list(status = 200))
  expect_equal(failure$kind, "bad_answer")
  expect_match(conditionMessage(failure), "a fault of Sprenn's. It is described in", fixed = TRUE)
  expect_false(grepl("subscript", conditionMessage(failure)))
  about <- list(name = "x", checkpoints = list(a = list()), takes = "text_alone")
  own <- engine(about, stumbling)
  failure <- tryCatch(
    make_picture(own, engine_request(own, "a hill", size = c(64, 48))),
    sprenn_failure = identity
  )
  expect_equal(failure$kind, "engine_error")
  expect_match(conditionMessage(failure), "subscript out of bounds")
})

test_that("what mutated inputs brought to light is refused in words of our own", {
  folder <- withr::local_tempdir()
  at <- function(name) file.path(folder, name)
  head <- "{'descr': '<f8', 'fortran_order': False, 'shape': (1, 1), }\n"
  bytes <- c(
    as.raw(c(0x93, utf8ToInt("NUMPY"), 1, 0)),
    writeBin(nchar(head), raw(), size = 2),
    charToRaw(head),
    writeBin(1, raw())
  )
  bytes[20] <- as.raw(0)
  writeBin(bytes, at("v.npy"))
  writeLines("one", at("v.txt"))
  expect_error(read_vectors(at("v.npy")), "v.npy has a header that is no text")
  writeBin(c(charToRaw("name,a,b\none,1,"), as.raw(255), charToRaw("2\n")), at("v.csv"))
  expect_error(read_vectors(at("v.csv")), "v.csv can't be read as a table in UTF-8")
  expect_equal(nearest_word(NA_character_, c("id", "kind")), NA_character_)
  expect_match(check_hold_curve("steep", c(0, 1)), "as many values of hold")
  expect_match(check_hold_curve(list(hold = 1, knob = "x"), c(0, 1)), "as many values of hold")
  # A picture without parts has no recipe.
  cut <- png::writePNG(scene(1, 32, 24))[1:40]
  cut[37:40] <- as.raw(255)
  writeBin(cut, at("cut.png"))
  expect_error(read_recipe(at("cut.png")), class = "sprenn_error_recipe")
})

test_that("arguments are refused without R's words and warnings", {
  folder <- small_trial()
  dashed <- run_cli("export", folder, "--out", "-named")
  expect_equal(dashed$status, 2)
  expect_match(paste(dashed$err, collapse = " "), "flag \"out\" requires an +argument")
  expect_false(any(grepl("Error in|getopt", dashed$err)))
  expect_warning(words <- run_cli("sheet", folder, "--rows", "ten"), NA)
  expect_equal(words$status, 2)
  expect_match(words$err, "rows", all = FALSE)
})

test_that("a figure of very many pipelines can be drawn", {
  file <- withr::local_tempfile(fileext = ".svg")
  figure <- ggplot2::ggplot(data.frame(x = 1, y = 1), ggplot2::aes(x, y)) +
    ggplot2::geom_point()
  save_figure(figure, file, width = 400, height = 6000)
  expect_gt(file.size(file), 0)
})
