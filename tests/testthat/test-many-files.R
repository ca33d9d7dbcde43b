many_pictures <- function(count, env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  paths <- sprintf("p%03d.png", seq_len(count))
  for (i in seq_len(count)) {
    png::writePNG(scene(i, 24, 16), file.path(folder, paths[i]))
  }

  writeLines("no picture", file.path(folder, paths[7]))
  list(folder = normalizePath(folder), paths = paths)
}

examine <- function(given, ...) {
  suite <- list(cases = lapply(given$paths, function(path) list(reference = path)))
  examine_pictures(suite, given$folder, ...)$find(named_files(suite))
}

test_that("what is found in many files does not depend on how many processes look", {
  given <- many_pictures(110)
  alone <- examine(given, progress = NULL, workers = 1)
  expect_length(alone, 110)
  expect_match(alone[[7]]$wrong, "not a picture")
  expect_false(any(vapply(alone[-7], function(one) is.null(one$facts$hash), NA)))
  skip_on_cran()
  withr::local_seed(1)
  drawn <- .Random.seed
  expect_identical(examine(given, progress = NULL, workers = 2), alone)
  expect_identical(.Random.seed, drawn)
})

test_that("many files are counted as they are read, and few are not", {
  told <- list()
  note <- function(...) told[[length(told) + 1]] <<- list(...)
  examine(many_pictures(110), progress = note, workers = 1)
  expect_equal(vapply(told, `[[`, 0, "done"), c(25, 50, 75, 100, 110))
  expect_equal(unique(vapply(told, `[[`, 0, "total")), 110)
  told <- list()
  examine(many_pictures(20), progress = note)
  expect_length(told, 0)
})

test_that("a trial is packed as it was read, with the engines that it was read with", {
  folder <- small_trial()
  writeLines("stop('not to be run')", file.path(folder, "mixer.R"))
  trial <- read_trial(folder, engines = list(mixer = mixing_engine()))
  zip <- pack_trial(trial, withr::local_tempfile(fileext = ".zip"))
  expect_true("small/data/mixer.R" %in% zip::zip_list(zip)$filename)
  expect_error(
    pack_trial(folder, withr::local_tempfile(fileext = ".zip")),
    "not to be run",
    class = "sprenn_error_trial"
  )
})

test_that("what was found in pictures is remembered to the bit, until a picture changes", {
  folder <- small_trial()
  kept <- file.path(folder, "runs", "files.json")
  first <- read_trial(folder)
  # A trial that has no runs is left as it is.
  expect_false(dir.exists(file.path(folder, "runs")))
  dir.create(file.path(folder, "runs"))
  pictures <- list.files(folder, "[.]png$", recursive = TRUE, full.names = TRUE)
  Sys.setFileTime(pictures, Sys.time() - 60)
  expect_identical(read_trial(folder)$suite$files, first$suite$files)
  known <- jsonlite::read_json(kept)$files
  expect_length(known, length(first$suite$files))
  expect_identical(read_trial(folder)$suite$files, first$suite$files)

  # Another picture under the same name is looked at.
  png::writePNG(scene(9, 96, 64), pictures[1])
  hash_of_first <- function(trial) trial$suite$files[[normalizePath(pictures[1])]]$hash
  changed <- read_trial(folder)
  expect_false(hash_of_first(changed) == hash_of_first(first))
  # It has only just changed, and may change again within the same tick.
  expect_length(jsonlite::read_json(kept)$files, length(known))
  writeLines("{\"version\": 1, \"files\": [\"no\"", kept)
  expect_identical(read_trial(folder)$suite$files, changed$suite$files)
})

test_that("what is remembered never lets a path out of the trial, nor a change go unseen", {
  folder <- small_trial()
  dir.create(file.path(folder, "runs"))
  outside <- file.path(dirname(folder), "outside.png")
  withr::defer(unlink(outside))
  png::writePNG(scene(3, 24, 16), outside)
  Sys.setFileTime(outside, Sys.time() - 60)
  named <- data.frame(path = c("../outside.png", "gone.png"), role = "picture")
  states <- file_states(named, folder)
  expect_equal(states, c(NA_character_, NA_character_))

  picture <- list.files(folder, "[.]png$", recursive = TRUE)[1]
  Sys.setFileTime(file.path(folder, picture), Sys.time() - 60)
  suite <- list(cases = list(list(reference = picture)))
  examiner <- examine_pictures(suite, normalizePath(folder))
  found <- examiner$find(named_files(suite))[[1]]$facts$hash
  # While files are looked at, one is replaced.
  examiner <- examine_pictures(suite, normalizePath(folder))
  unlink(file.path(folder, "runs", "files.json"))
  png::writePNG(scene(8, 30, 20), file.path(folder, picture))
  Sys.setFileTime(file.path(folder, picture), Sys.time() - 30)
  examiner$find(named_files(suite))
  again <- examine_pictures(suite, normalizePath(folder))
  expect_false(again$find(named_files(suite))[[1]]$facts$hash == found)
})
