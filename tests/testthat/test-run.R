takes_of <- function(folder, ...) run_trial(read_trial(folder), ...)$takes

test_that("the plan has every take once, breadth first over pipelines, with steady ids", {
  folder <- small_trial()
  planned <- plan_run(folder)
  plan <- planned$takes
  expect_equal(nrow(plan), 3 * 2 * 2)
  expect_false(any(duplicated(plan$take)))
  expect_equal(plan$pipeline[1:4], c("firm", "loose", "firm", "loose"))
  expect_equal(plan$seed[1:6], rep(1L, 6))
  expect_identical(plan_run(folder)$takes$take, plan$take)
  expect_equal(sum(plan$price), 6)
  expect_equal(summary(planned)$takes, c(6L, 6L))
})

test_that("an id changes with all that determines the picture, and with nothing else", {
  id <- function(...) plan_run(small_trial(..., env = parent.frame()))$takes$take[1]
  same <- id()
  expect_equal(
    id(suite = c("# a comment", sub("suite: small", "suite:   small", small_suite))),
    same
  )
  expect_equal(id(suite = sub("at most 0.9", "at most 0.5", small_suite)), same)
  expect_equal(id(lineup = sub("id: firm", "id: tight", small_lineup)), same)
  expect_false(
    id(suite = sub("[a thing,", "[another thing,", small_suite, fixed = TRUE)) == same
  )
  expect_false(
    id(suite = sub("seeds: [1, 2]", "seeds: [3, 2]", small_suite, fixed = TRUE)) == same
  )
  expect_false(id(lineup = sub("hold: 0.9", "hold: 0.8", small_lineup)) == same)
  expect_false(id(suite = sub("[96, 64]", "[64, 64]", small_suite, fixed = TRUE)) == same)
})

test_that("takes are files named by their hash, with what was asked and answered beside them", {
  folder <- small_trial()
  takes <- takes_of(folder)
  expect_true(all(takes$state == "made"))
  hashes <- vapply(
    takes$path,
    function(path) paste(unclass(openssl::sha256(file(path))), collapse = ""),
    ""
  )
  expect_equal(unname(hashes), takes$sha256)
  expect_equal(sub("\\.png$", "", basename(takes$path)), takes$sha256)
  db <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "runs", "main", "run.sqlite"))
  withr::defer(DBI::dbDisconnect(db))
  one <- DBI::dbGetQuery(
    db,
    "SELECT * FROM takes WHERE pipeline = 'firm' AND case_id = 'one' AND seed = 2"
  )
  request <- jsonlite::fromJSON(one$request)
  expect_equal(
    request[c("hold", "native_hold", "seed", "checkpoint")],
    list(hold = 0.9, native_hold = 9, seed = 2L, checkpoint = "plain")
  )
  expect_equal(request$prompt$say, c("a thing", "dark"))
  expect_equal(one$cost, 0.5)
})

test_that("running again makes nothing twice, and a deleted picture is made again, the same", {
  made <- 0
  count <- function(request) made <<- made + 1
  folder <- small_trial()
  trial <- read_trial(folder, engines = list(mixer = mixing_engine(broken = count)))
  first <- run_trial(trial)$takes
  expect_equal(made, 12)
  expect_identical(run_trial(trial)$takes$sha256, first$sha256)
  expect_equal(made, 12)
  unlink(first$path[5])
  again <- run_trial(trial)$takes
  expect_equal(made, 13)
  expect_identical(again$sha256, first$sha256)
  expect_true(file.exists(first$path[5]))
})

test_that("a failed take is recorded, the rest goes on, and retry mends it", {
  broken <- TRUE
  faults <- function(request) {
    if (!broken) {
      return()
    }

    if (request$seed == 1 && request$hold > 0.5) {
      engine_failure("timed_out", "no answer in 30 s")
    }

    if (request$seed == 2 && request$hold < 0.5) {
      stop("a bug in the adapter")
    }
  }

  folder <- small_trial()
  trial <- read_trial(folder, engines = list(mixer = mixing_engine(broken = faults)))
  takes <- run_trial(trial)$takes
  expect_equal(sum(takes$state == "made"), 6)
  expect_setequal(stats::na.omit(takes$failure), c("timed_out", "engine_error"))
  expect_true("no answer in 30 s" %in% takes$message)
  expect_equal(sum(run_trial(trial)$takes$state == "failed"), 6)
  broken <- FALSE
  expect_equal(sum(run_trial(trial)$takes$state == "failed"), 6)
  mended <- run_trial(trial, retry = TRUE)$takes
  expect_true(all(mended$state == "made"))
  expect_true(all(is.na(mended$message)))
})

test_that("an interrupted run finishes what is in flight, and goes on where it stopped", {
  folder <- small_trial()
  calls <- 0
  stop_at_five <- function(request) {
    calls <<- calls + 1
    if (calls == 5) {
      rlang::interrupt()
    }
  }

  trial <- read_trial(folder, engines = list(mixer = mixing_engine(broken = stop_at_five)))
  ended <- tryCatch(run_trial(trial), interrupt = function(e) "interrupted")
  expect_equal(ended, "interrupted")
  expect_equal(calls, 5)
  takes <- run_trial(trial)$takes
  expect_true(all(takes$state == "made"))
  expect_equal(calls, 12)
})

test_that("a killed process loses at most the take in flight", {
  skip_on_os("windows")
  folder <- small_trial()
  script <- withr::local_tempfile(fileext = ".R")
  writeLines(
    c(
      "library(sprenn)",
      "calls <- 0",
      "core <- getFromNamespace('core_dead_leaves', 'sprenn')",
      paste0(
        "e <- engine(list(name = 'mixer', version = '1', checkpoints = list(plain = list()), ",
        "hold = c(at_0 = 0, at_1 = 10), settings = list(tint = c(0, 1)), takes = 'look'),"
      ),
      paste0(
        "  function(request) { calls <<- calls + 1; if (calls == 7) tools::pskill(Sys.getpid(), ",
        "9); engine_result(core(96, 64, request$seed + 10 * request$hold)) })"
      ),
      sprintf("run_trial(read_trial('%s', engines = list(mixer = e)))$takes", folder)
    ),
    script
  )
  system2("Rscript", script, stdout = FALSE, stderr = FALSE)
  db <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "runs", "main", "run.sqlite"))
  states <- DBI::dbGetQuery(db, "SELECT state, file FROM takes")
  DBI::dbDisconnect(db)
  expect_equal(sum(states$state == "made"), 6)
  files <- stats::na.omit(states$file)
  expect_true(all(file.exists(file.path(folder, "runs", "main", "takes", files))))
  expect_true(all(run_trial(folder)$takes$state == "made"))
})

test_that("takes of a picture that has changed are made anew", {
  folder <- small_trial()
  takes_of(folder)
  png::writePNG(scene(50), file.path(folder, "references", "two.png"))
  expect_message(score_run(folder), "cases.two", class = "sprenn_message_suite")
  # It is brought to the suite, and so are its takes.
  made <- run_trial(folder)
  expect_equal(unique(made$takes$state), "made")
  expect_equal(nrow(made$takes), 12)
  expect_equal(made$left_over, 4)
})

test_that("a lineup may grow: only the new takes are made", {
  folder <- small_trial()
  takes_of(folder)
  writeLines(
    c(small_lineup, "  - {id: middle, engine: mixer, hold: 0.5}"),
    file.path(folder, "lineup.yml")
  )
  made <- 0
  trial <- read_trial(
    folder,
    engines = list(mixer = mixing_engine(broken = function(request) made <<- made + 1))
  )
  expect_equal(nrow(run_trial(trial)$takes), 18)
  expect_equal(made, 6)
})

test_that("a folder that can't be written to is a clear error", {
  folder <- small_trial()
  dir.create(file.path(folder, "runs"))
  writeLines("in the way", file.path(folder, "runs", "main"))
  expect_error(suppressWarnings(run_trial(folder)$takes), "Can't open", class = "sprenn_error_run")
  expect_error(run_trial(folder, run = "../out")$takes, class = "sprenn_error_argument")
})

test_that("a store of another version is left alone", {
  folder <- small_trial()
  takes_of(folder)
  db <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "runs", "main", "run.sqlite"))
  DBI::dbExecute(db, "PRAGMA user_version = 99")
  DBI::dbDisconnect(db)
  expect_error(run_trial(folder)$takes, "another version", class = "sprenn_error_run")
})

test_that("progress is told after every take, with what each engine is at", {
  told <- list()
  folder <- small_trial()
  run_trial(folder, workers = 0, progress = function(...) {
    told[[length(told) + 1]] <<- list(...)
  })
  done <- vapply(told, `[[`, 0, "done")
  expect_setequal(done, 0:12)
  expect_false(is.unsorted(done))
  last <- told[[length(told)]]
  expect_equal(
    last[c("total", "failed", "flying", "scored", "to_score", "cost", "left")],
    list(total = 12, failed = 0, flying = 0, scored = 12, to_score = 12, cost = 6, left = 0)
  )
  expect_equal(
    last$engines[c("engine", "made", "total", "failed")],
    new_table(engine = "mixer", made = 12, total = 12, failed = 0)
  )
})
