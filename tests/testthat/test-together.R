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
  shared <- shared_trial(seconds = 1, at_once = 3)
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
  # The last one to start may find that all slots are taken.
  expect_gte(sum(made > 0), 2)
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

test_that("machines that share no folder make one run, with its pictures on a server", {
  dav <- local_dav()
  server <- local_server()
  shared <- shared_trial(seconds = 0.5, at_once = 3)
  folder <- shared$folder
  run_trial(folder, "calm", workers = 0)
  before <- length(paid_for(shared$running, "bracken"))
  copy <- withr::local_tempdir()
  file.copy(list.files(folder, full.names = TRUE), copy, recursive = TRUE)
  unlink(file.path(copy, "runs"), recursive = TRUE)
  processes <- lapply(c(folder, copy), function(at) {
    start_run(at, "--store", server$url, "--pictures", dav$address, "--workers", "0")
  })
  for (process in processes) {
    process$wait(120000)
    expect_equal(process$get_exit_status(), 0)
  }

  expect_equal(outcome_of(folder), outcome_of(folder, "calm"))
  expect_equal(outcome_of(copy), outcome_of(folder))
  expect_equal(length(paid_for(shared$running, "bracken")) - before, 16)
  expect_length(list.files(dav$kept, recursive = TRUE), 32)
  expect_equal(nrow(check_run(copy)), 0)
  # Each has made a part, and each can show all.
  expect_equal(sum(made_by(c(events_of(folder), events_of(copy)))), 32)
  sheet <- withr::local_tempfile(fileext = ".png")
  draw_sheet(copy, file = sheet)
  expect_true(file.exists(sheet))
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
  other <- trial
  other$suite$seeds <- other$suite$seeds[1]
  expect_match(turned_away(other), "its suite, or a picture of it, is another one")
  other <- trial
  other$lineup$engines[[1]]$about$at_once <- 3
  expect_match(turned_away(other), "its pipelines or engines are others")
  carried <- carried_by(trial, plan, plan[-1, ], run_options())
  note_carried(store, lock, to_json(carried))
  expect_match(turned_away(folder), "other takes are planned")
  write_db(store, "UPDATE writers SET version = '0.0.1'")
  expect_match(turned_away(folder), "Sprenn 0.0.1 is there")
  # Nothing that is for one process alone goes on beside.
  expect_error(score_run(folder, again = TRUE), class = "sprenn_error_locked")
  expect_error(run_trial(folder, until = "decided")$takes, class = "sprenn_error_locked")
  expect_error(prune_run(folder, yes = TRUE), class = "sprenn_error_locked")
})

# A run on a server with `takes` to make and to measure, and the lock of a coordinator.
work_on_server <- function(server, env = parent.frame()) {
  folder <- small_trial(env = env)
  run_trial(folder, store = server$url, score = FALSE, workers = 0)
  store <- open_store(folder, "main")
  withr::defer(close_store(store), envir = env)
  takes <- read_takes(store)
  for (take in takes$take[1:8]) {
    record_planned(store, take)
  }

  work <- new_table(
    take = takes$take,
    kind = rep(c("make", "measure"), c(8, 4)),
    engine = "mixer",
    pipeline = takes$pipeline,
    position = takes$position,
    parent = NA_character_
  )
  # The last one to make works on the first one's picture.
  work$parent[8] <- takes$take[1]
  fill_work(store, work, new_table(engine = c("mixer", "slow"), at_once = c(4, 1), turns = c(0, 2)))
  list(
    store = store,
    takes = takes,
    one = lock_run(store, beside = TRUE),
    other = lock_run(store, beside = TRUE)
  )
}

test_that("takes are claimed once, in the order of the plan, and freed with their writer", {
  server <- local_server()
  shared <- work_on_server(server)
  store <- shared$store
  first <- claim_takes(store, shared$one, "mixer", 3)
  expect_equal(first$take, shared$takes$take[1:3])
  expect_equal(first$attempt, rep(1, 3))
  more <- claim_takes(store, shared$other, "mixer", 10)
  # The last one waits for the first one.
  expect_equal(more$take, shared$takes$take[4:7])
  expect_equal(nrow(claim_takes(store, shared$other, "mixer", 10)), 0)
  expect_equal(claim_measuring(store, shared$other, 2)$take, shared$takes$take[9:10])
  counted <- count_work(store)
  expect_equal(counted$left[order(counted$kind)], c(8, 4))
  expect_equal(counted$free[order(counted$kind)], c(0, 2))
  # What others have can't be recorded.
  expect_equal(hold_takes(store, shared$one, shared$takes$take[3:4]), c(TRUE, FALSE))
  pass_on_work(store, first$take[1], shared$one)
  expect_equal(claim_takes(store, shared$other, "mixer", 10)$take, shared$takes$take[8])
  give_back_work(store, shared$one, first$take[2])
  give_back_all_but(store, shared$other, more$take[1])
  expect_equal(
    claim_takes(store, shared$one, "mixer", 10)$take,
    shared$takes$take[c(2, 5:8)]
  )
  end_writers(store, read_writers(store)[read_writers(store)$id == shared$one, ])
  expect_equal(
    claim_takes(store, shared$other, "mixer", 10, out = "firm")$take,
    with(shared$takes[c(2, 3, 5:8), ], take[pipeline != "firm"])
  )
  expect_true(is_work_left(store))
  expect_true(is_work_left(store, parked = "mixer"))
  end_work(store, shared$takes$take[c(1, 9:12)])
  expect_false(is_work_left(store, parked = "mixer"))
  expect_true(is_work_left(store, out = "loose"))
  expect_false(is_work_left(store, out = c("loose", "firm")))
})

test_that("seeds that go in one call are claimed together", {
  server <- local_server()
  shared <- work_on_server(server)
  claimed <- claim_takes(shared$store, shared$one, "mixer", 1, seeds = 4)
  first <- shared$takes[1, ]
  same <- shared$takes[1:7, ]
  same <- same[same$pipeline == first$pipeline & same$case == first$case, ]
  expect_equal(claimed$take, same$take)
  expect_gt(nrow(claimed), 1)
})

test_that("slots and turns of an engine are given once", {
  server <- local_server()
  shared <- work_on_server(server)
  store <- shared$store
  expect_equal(take_slots(store, shared$one, "mixer", 3), 3)
  expect_equal(take_slots(store, shared$other, "mixer", 3), 1)
  expect_equal(take_slots(store, shared$other, "slow", 3), 1)
  give_slots(store, shared$one, "mixer", 2)
  expect_equal(take_slots(store, shared$other, "mixer", 3), 2)
  slots <- read_slots(store)
  expect_equal(slots$slots[slots$writer %in% shared$one], 1)
  expect_equal(sort(slots$slots[slots$writer %in% shared$other]), c(1, 3))
  # Two calls in a window, by whomever.
  expect_equal(c(take_turn(store, "slow", 60), take_turn(store, "slow", 60)), c(0, 0))
  wait <- take_turn(store, "slow", 60)
  expect_true(wait > 50 && wait <= 60)
  expect_equal(nrow(read_pauses(store)), 0)
  pause_engine(store, "slow", 30)
  pause_engine(store, "slow", 10)
  expect_equal(read_pauses(store)$seconds, 30, tolerance = 0.1)
})

test_that("one at a time begins and ends a run", {
  server <- local_server()
  shared <- work_on_server(server)
  second <- open_store(dirname(dirname(shared$store$folder)), "main")
  withr::defer(close_store(second))
  expect_true(try_to_be_the_one(shared$store, "begin"))
  expect_false(try_to_be_the_one(second, "begin"))
  expect_true(try_to_be_the_one(second, "finish"))
  let_others(shared$store, "begin")
  expect_true(try_to_be_the_one(second, "begin"))
})
