# Several coordinators carry one run: processes of their own over a real PostgreSQL server. What
# they come to and what is paid is that of one that was left alone.

# A trial whose slow server gives several coordinators something to share.
shared_trial <- function(seconds = 0.2, cases = 8, at_once = 6, env = parent.frame()) {
  running <- start_standins("bracken", seconds = seconds, at_once = at_once)
  withr::defer(stop_standins(running), envir = env)
  list(
    folder = served_trial(running$addresses, cases, env = env),
    running = running
  )
}

events_of <- function(folder, run = "main") {
  files <- Sys.glob(file.path(folder, "runs", run, "events*.jsonl"))
  lapply(stats::setNames(files, basename(files)), function(file) {
    lapply(readLines(file), jsonlite::parse_json)
  })
}

made_by <- function(events) {
  vapply(events, function(own) sum(vapply(own, function(e) e$event == "made", NA)), 0)
}

# So many takes are in the records.
made_so_far <- function(folder, run = "main") {
  store <- open_store(folder, run)
  on.exit(close_store(store))
  length(read_made(store))
}

test_that("three coordinators make one run, and each does a part of it", {
  server <- local_server()
  shared <- shared_trial()
  folder <- shared$folder
  run_trial(folder, "calm", workers = 0)
  before <- length(paid_for(shared$running, "bracken"))
  processes <- lapply(1:3, function(i) {
    start_run(folder, "--store", server$url, "--workers", as.character(i %% 2))
  })
  for (process in processes) {
    process$wait(120000)
    expect_equal(process$get_exit_status(), 0)
  }

  expect_equal(outcome_of(folder), outcome_of(folder, "calm"))
  expect_equal(length(paid_for(shared$running, "bracken")) - before, 16)
  expect_equal(nrow(check_run(folder)), 0)
  made <- made_by(events_of(folder))
  expect_length(made, 3)
  expect_true("events.jsonl" %in% names(made))
  expect_true(all(made > 0))
  expect_equal(sum(made), 32)
  # Nothing is left of what they shared.
  store <- open_store(folder, "main")
  withr::defer(close_store(store))
  expect_equal(nrow(read_writers(store)), 0)
  expect_equal(nrow(read_db(store, "SELECT * FROM work")), 0)
  expect_true(all(is.na(read_slots(store)$writer)))
})

test_that("coordinators that are killed are replaced, and nothing is paid twice", {
  skip_on_os("windows")
  server <- local_server()
  shared <- shared_trial()
  folder <- shared$folder
  run_trial(folder, "calm", workers = 0)
  before <- length(paid_for(shared$running, "bracken"))
  start <- function() start_run(folder, "--store", server$url, "--workers", "1")
  processes <- list(start(), start(), start())
  wait_until(made_so_far(folder) >= 4)
  processes[[1]]$kill()
  wait_until(made_so_far(folder) >= 10)
  processes[[2]]$kill()
  processes <- list(processes[[3]], start())
  for (process in processes) {
    process$wait(120000)
    expect_equal(process$get_exit_status(), 0)
  }

  expect_equal(outcome_of(folder), outcome_of(folder, "calm"))
  expect_equal(length(paid_for(shared$running, "bracken")) - before, 16)
  expect_equal(nrow(check_run(folder)), 0)
})

test_that("one that was held up for too long loses what it had, and joins again", {
  skip_on_os("windows")
  skip_if_not(nzchar(Sys.getenv("SPRENN_SLOW")) || identical(Sys.getenv("NOT_CRAN"), "true"))
  server <- local_server()
  shared <- shared_trial(seconds = 1.5)
  folder <- shared$folder
  run_trial(folder, "calm", workers = 0)
  before <- length(paid_for(shared$running, "bracken"))
  start <- function() start_run(folder, "--store", server$url, "--workers", "0")
  held <- start()
  wait_until(made_so_far(folder) >= 1)
  held$suspend()
  other <- start()
  # It makes all there is, what the other one had claimed too.
  wait_until(made_so_far(folder) == 32, 90)
  held$resume()
  for (process in list(held, other)) {
    process$wait(60000)
    expect_equal(process$get_exit_status(), 0)
  }

  said <- unlist(lapply(events_of(folder), vapply, function(e) e$event, ""))
  expect_true("coordinator gone" %in% said)
  expect_equal(outcome_of(folder), outcome_of(folder, "calm"))
  expect_equal(length(paid_for(shared$running, "bracken")) - before, 16)
  expect_equal(nrow(check_run(folder)), 0)
})

test_that("a database that is restarted is waited for", {
  server <- local_server()
  shared <- shared_trial()
  folder <- shared$folder
  run_trial(folder, "calm", workers = 0)
  before <- length(paid_for(shared$running, "bracken"))
  processes <- lapply(1:2, function(i) start_run(folder, "--store", server$url, "--workers", "0"))
  wait_until(made_so_far(folder) >= 4)
  server$stop()
  Sys.sleep(2)
  server$start()
  for (process in processes) {
    process$wait(120000)
    expect_equal(process$get_exit_status(), 0)
  }

  expect_equal(outcome_of(folder), outcome_of(folder, "calm"))
  expect_equal(length(paid_for(shared$running, "bracken")) - before, 16)
  expect_equal(nrow(check_run(folder)), 0)
})

test_that("who carries something else, or is of another version, is turned away", {
  server <- local_server()
  folder <- small_trial()
  run_trial(folder, store = server$url, workers = 0)
  store <- open_store(folder, "main")
  withr::defer(close_store(store))
  trial <- read_trial(folder)
  plan <- plan_takes(trial)
  lock <- lock_run(store, beside = TRUE)
  withr::defer(unlock_run(store, lock), priority = "first")
  note_carried(store, lock, to_json(carried_by(trial, plan, plan, run_options())))
  # The same may join, and finds nothing to do.
  expect_equal(unique(run_trial(folder, workers = 0)$takes$state), "made")
  turned_away <- function(...) {
    error <- expect_error(run_trial(..., workers = 0)$takes, class = "sprenn_error_locked")
    paste(c(conditionMessage(error), error$details), collapse = "\n")
  }
  expect_match(turned_away(folder, score = FALSE), "--no-score")
  expect_match(turned_away(folder, within = "3 takes"), "other takes are planned")
  other <- trial
  other$suite$seeds <- other$suite$seeds[1]
  expect_match(turned_away(other), "its suite, or a picture of it, is another one")
  other <- trial
  other$lineup$engines[[1]]$about$at_once <- 3
  expect_match(turned_away(other), "its pipelines or engines are others")
  write_db(store, "UPDATE writers SET version = '0.0.1'")
  expect_match(turned_away(folder), "Sprenn 0.0.1 is there")
  # Nothing that is for one process alone goes on beside.
  expect_error(score_run(folder, again = TRUE), class = "sprenn_error_locked")
  expect_error(run_trial(folder, until = "decided")$takes, class = "sprenn_error_locked")
  expect_error(prune_run(folder, yes = TRUE), class = "sprenn_error_locked")
})
