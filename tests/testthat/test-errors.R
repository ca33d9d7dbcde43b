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
  error <- gsub("[a-z_-]+ on [^,]+, process [0-9]+, since [^ ]+", "WHO", error)
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
