# What a run survives: processes that are killed, servers that go, disks that are
# full, clocks that jump. Real processes on real files; after each the same command
# completes the run, and its takes and its bill are those of one that was left alone.

test_that("killed at random moments, a run loses nothing and pays nothing twice", {
  skip_on_cran()
  skip_on_os("windows")
  running <- start_standins("bracken")
  withr::defer(stop_standins(running))
  folder <- served_trial(running$addresses)
  calm <- run_trial(folder, "calm")$takes
  expect_equal(unique(calm$state), "made")
  withr::local_seed(4)
  # A run of 16 takes takes about as long to make as R takes to start. SPRENN_KILLS=30
  # is the longer check, of about a minute.
  kills <- as.integer(Sys.getenv("SPRENN_KILLS", "12"))
  run <- 0
  killed <- 0
  bills <- numeric()
  while (killed < kills) {
    run <- run + 1
    name <- paste0("torn-", run)
    before <- length(paid_for(running, "bracken"))
    repeat {
      process <- start_run(folder, "--run", name, "--workers", sample(0:2, 1))
      process$wait(1000 * stats::runif(1, 0.7, 2.2))
      ended <- !process$is_alive()
      # Its workers are left to notice by themselves.
      process$kill()
      if (ended) {
        break
      }

      killed <- killed + 1
      if (killed >= kills) {
        expect_equal(
          processx::run(
            file.path(R.home("bin"), "Rscript"),
            c("-e", "quit(status = sprenn::sprenn_command())", "run", folder, "--run", name),
            error_on_status = FALSE
          )$status,
          0
        )
        break
      }
    }

    bills[run] <- length(paid_for(running, "bracken")) - before
    expect_equal(outcome_of(folder, name), outcome_of(folder, "calm"))
    expect_equal(nrow(check_run(folder, name)), 0)
  }

  # As many payments as takes, in every run.
  expect_equal(bills, rep(8, run))
  expect_equal(killed, kills)
})

test_that("killed workers have their work done by others", {
  skip_on_cran()
  skip_on_os("windows")
  running <- start_standins("quince")
  withr::defer(stop_standins(running))
  folder <- served_trial(running$addresses, seeds = 1:4)
  process <- start_run(folder, "--workers", "2")
  withr::defer(process$kill_tree())
  killed <- 0
  while (process$is_alive()) {
    # One that ends while it is asked for is no worker any more.
    children <- tryCatch(
      ps::ps_children(process$as_ps_handle(), recursive = TRUE),
      error = function(e) list()
    )
    workers <- Filter(
      function(child) {
        any(grepl("mirai::daemon", tryCatch(ps::ps_cmdline(child), error = function(e) "")))
      },
      children
    )
    if (length(workers) && killed < 6) {
      # The younger one, so that no take meets this every time.
      try(ps::ps_kill(workers[[length(workers)]]), silent = TRUE)
      killed <- killed + 1
    }

    process$wait(700)
  }

  expect_equal(process$get_exit_status(), 0)
  expect_gte(killed, 3)
  expect_equal(unique(outcome_of(folder)$takes$state), "made")
  expect_equal(length(unique(outcome_of(folder)$scores$take)), 32)
  expect_equal(length(paid_for(running)), 16)
  expect_true(
    any(
      grepl(
        "worker (lost|replaced)",
        readLines(file.path(folder, "runs", "main", "events.jsonl"))
      )
    )
  )
})

test_that("a server that goes away for a while is waited for", {
  skip_on_cran()
  port <- httpuv::randomPort()
  ledger <- withr::local_tempfile(fileext = ".json")
  start <- function() serve_at("quince", port, ledger)
  server <- start()
  withr::defer(server$kill_tree())
  folder <- served_trial(paste0("http://127.0.0.1:", port))
  process <- start_run(folder, "--no-score")
  withr::defer(process$kill_tree())
  events <- file.path(folder, "runs", "main", "events.jsonl")
  wait_until(sum(grepl("\"made\".*served", readLines(events))) >= 2)
  server$kill_tree()
  wait_until(any(grepl("to be tried again.*unreachable", readLines(events))))
  Sys.sleep(3)
  server <- start()
  process$wait(60000)
  expect_equal(process$get_exit_status(), 0)
  expect_equal(unique(outcome_of(folder)$takes$state), "made")
  expect_equal(length(unlist(jsonlite::read_json(ledger))), 8)
})

test_that("one process at a time works on a run; another says who does, or waits", {
  skip_on_cran()
  skip_on_os("windows")
  running <- start_standins("bracken", seconds = 1)
  withr::defer(stop_standins(running))
  folder <- served_trial(running$addresses)
  first <- start_run(folder, "--no-score")
  withr::defer(first$kill_tree())
  wait_until(
    any(grepl("\"made\"", readLines(file.path(folder, "runs", "main", "events.jsonl"))))
  )
  error <- expect_error(
    run_trial(folder)$takes,
    "Another process is writing to run \"main\"",
    class = "sprenn_error_locked"
  )
  expect_match(error$details, paste0("process ", first$get_pid()), all = FALSE)
  # Reading goes on meanwhile, and another run is another run.
  expect_s3_class(choose_pipeline(read_trial(folder), "main"), "sprenn_verdict")
  expect_equal(nrow(check_run(folder)), 0)
  takes <- run_trial(folder, wait = 60, score = FALSE)$takes
  expect_false(first$is_alive())
  expect_equal(unique(takes$state), "made")
  expect_equal(length(paid_for(running, "bracken")), 8)
})

test_that("a lock that was left behind is recognised", {
  skip_on_os("windows")
  folder <- small_trial()
  run_trial(folder, score = FALSE)
  store <- open_store(folder, "main")
  withr::defer(close_store(store))
  leave <- function(machine, pid, started = "1") {
    DBI::dbExecute(store$db, "DELETE FROM writers")
    DBI::dbExecute(
      store$db,
      "INSERT INTO writers (id, machine, pid, started, person, since, beat, version, alone)
        VALUES ('x', ?, ?, ?, 'ana on hut', '2026-11-25T10:00:00Z', 3, '0', 1)",
      params = list(machine, pid, started)
    )
  }

  # A process of this number runs, but not since then.
  leave(machine_id(), Sys.getpid())
  expect_equal(unique(run_trial(folder, score = FALSE)$takes$state), "made")
  # What this very process no longer knows of it has not let go of, which it could not then.
  leave(machine_id(), Sys.getpid(), process_start(Sys.getpid()))
  expect_equal(unique(run_trial(folder, score = FALSE)$takes$state), "made")
  other <- processx::process$new("sleep", "60")
  withr::defer(other$kill())
  # Also where there is no /proc; asking does not end the process.
  elsewhere <- process_start(other$get_pid(), proc = "/nowhere")
  expect_match(elsewhere, "^[0-9]{12,}$")
  expect_true(process_runs(other$get_pid(), elsewhere, proc = "/nowhere"))
  expect_false(process_runs(other$get_pid(), "1", proc = "/nowhere"))
  expect_true(other$is_alive())
  leave(machine_id(), other$get_pid(), process_start(other$get_pid()))
  error <- expect_error(run_trial(folder)$takes, class = "sprenn_error_locked")
  expect_match(error$details, "ana on hut", all = FALSE)
  # On another machine only its silence tells.
  leave("elsewhere", 1)
  began <- Sys.time()
  expect_equal(unique(run_trial(folder, score = FALSE)$takes$state), "made")
  expect_gt(as.numeric(Sys.time() - began, units = "secs"), silence - 1)
  # Who was taken over from notices.
  hold <- lock_run(store)
  DBI::dbExecute(store$db, "UPDATE writers SET id = 'other'")
  expect_error(
    send_heartbeat(store, hold),
    "has taken over",
    class = "sprenn_error_locked"
  )
})

test_that("whoever has locked the database is waited for, and named where that takes too long", {
  skip_on_cran()
  folder <- small_trial()
  calm <- run_trial(folder, "calm", workers = 0)$takes
  calls <- 0
  # Before its third picture is made, somebody else has the run's database for so many seconds.
  run_locked <- function(run, seconds) {
    calls <<- 0
    other <- NULL
    withr::defer(if (!is.null(other)) other$kill())
    engine <- mixing_engine(broken = function(request) {
      calls <<- calls + 1
      if (calls != 3) {
        return()
      }

      file <- normalizePath(file.path(folder, "runs", run, "run.sqlite"))
      code <- sprintf(
        paste0(
          "db <- DBI::dbConnect(RSQLite::SQLite(), '%s'); invisible(DBI::dbExecute(db, 'BEGIN ",
          "EXCLUSIVE')); file.create('%s.held'); Sys.sleep(%d)"
        ),
        file,
        file,
        seconds
      )
      other <<- processx::process$new(file.path(R.home("bin"), "Rscript"), c("-e", code))
      wait_until(file.exists(paste0(file, ".held")))
    })
    run_trial(read_trial(folder, engines = list(mixer = engine)), run, workers = 0)
  }

  expect_equal(run_locked("main", 3)$takes$sha256, calm$sha256)
  expect_equal(calls, nrow(calm))
  error <- expect_error(
    run_locked("long", 60),
    "database can't be written",
    class = "sprenn_error_store"
  )
  expect_match(error$details, "Another process has locked it", all = FALSE)
  expect_equal(run_trial(folder, "long", workers = 0)$takes$sha256, calm$sha256)
  for (run in c("main", "long")) {
    expect_equal(outcome_of(folder, run), outcome_of(folder, "calm"))
    expect_equal(nrow(check_run(folder, run)), 0)
  }
})

test_that("a run folder may be moved, and a read-only one read", {
  skip_on_cran()
  folder <- small_trial()
  before <- run_trial(folder)$takes
  moved <- file.path(withr::local_tempdir(), "else where")
  file.rename(folder, moved)
  expect_equal(nrow(check_run(moved)), 0)
  again <- run_trial(moved)$takes
  expect_equal(again$sha256, before$sha256)
  expect_true(all(file.exists(again$path)))
  skip_if_not(mounts(), "no mounts are allowed here")
  processx::run("mount", c("--bind", moved, moved))
  withr::defer(processx::run("umount", moved))
  processx::run("mount", c("-o", "remount,ro,bind", moved))
  expect_equal(choose_pipeline(moved)$best, "firm")
  expect_equal(nrow(check_run(moved)), 0)
  error <- expect_error(run_trial(moved)$takes, class = "sprenn_error")
  expect_match(
    paste(error$headline, paste(error$details, collapse = " ")),
    "read-only|readonly|can't be written",
    ignore.case = TRUE
  )
})

test_that("a full disk stops a run with a clear error; with room again it goes on", {
  skip_on_cran()
  skip_if_not(mounts(), "no mounts are allowed here")
  folder <- small_trial(
    lineup = c(
      "engines:",
      "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
      "pipelines:",
      "  - {id: a, engine: yarrow, checkpoint: tide, hold: 0.9}",
      "  - {id: b, engine: yarrow, checkpoint: tide, hold: 0.2}"
    )
  )
  calm <- run_trial(folder, "calm")$takes
  dir.create(file.path(folder, "runs", "main"))
  place <- file.path(folder, "runs", "main")
  processx::run("mount", c("-t", "tmpfs", "-o", "size=300k", "tmpfs", place))
  withr::defer(processx::run("umount", place))
  error <- expect_error(suppressWarnings(run_trial(folder)$takes), class = "sprenn_error")
  expect_match(paste(error$headline, paste(error$details, collapse = " ")), "disk|full")
  processx::run("mount", c("-o", "remount,size=30m", place))
  expect_equal(run_trial(folder)$takes$sha256, calm$sha256)
  expect_equal(nrow(check_run(folder)), 0)
})

test_that("a pause ends in time though the clock is set back meanwhile", {
  skip_on_cran()
  said <- withr::local_tempfile(lines = "+0")
  began <- withr::local_tempfile()
  result <- withr::local_tempfile()
  code <- paste(
    "before <- sprenn:::clock();",
    "file.create('%s');",
    "sprenn:::steady_sleep(1.5);",
    "cat(sprenn:::clock() - before, as.numeric(Sys.Date()), file = '%s')"
  )
  process <- processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("-e", sprintf(code, began, result)),
    env = c("current", fake_clock(said))
  )
  withr::defer(process$kill())
  wait_until(file.exists(began))
  writeLines("-40d", said)
  process$wait(20000)
  took <- scan(result, quiet = TRUE)
  expect_gte(took[1], 1.5)
  expect_lt(took[1], 10)
  expect_lt(took[2], as.numeric(Sys.Date()) - 30)
})

test_that("a clock that jumps hurries and stops nothing", {
  skip_on_cran()
  running <- start_standins("bracken", seconds = 1)
  withr::defer(stop_standins(running))
  folder <- served_trial(running$addresses)
  said <- withr::local_tempfile(lines = "+0")
  process <- start_run(folder, "--no-score", "--workers", "0", env = fake_clock(said))
  withr::defer(process$kill_tree())
  events <- file.path(folder, "runs", "main", "events.jsonl")
  wait_until(any(grepl("\"made\"", readLines(events))))
  writeLines("+40d", said)
  wait_until(sum(grepl("\"made\"", readLines(events))) >= 8)
  writeLines("-40d", said)
  process$wait(60000)
  expect_equal(process$get_exit_status(), 0)
  expect_equal(unique(outcome_of(folder)$takes$state), "made")
  expect_equal(length(paid_for(running, "bracken")), 8)
  expect_false(any(grepl("\"event\":\"(to be tried again|failed)", readLines(events))))
  days <- as.Date(substr(sub(".*\"at\":\"", "", readLines(events)), 1, 10))
  expect_gt(as.numeric(diff(range(days))), 30)
})

test_that("a run whose folder is moved or deleted ends and says so", {
  skip_on_cran()
  skip_on_os("windows")
  running <- start_standins("quince", seconds = 0.5)
  withr::defer(stop_standins(running))
  folder <- served_trial(running$addresses, cases = 8)
  run <- function() file.path(folder, "runs", "main")
  words <- function() paste(readLines(file.path(folder, "err.log")), collapse = " ")
  begin <- function() {
    process <- start_run(folder, "--no-score", "--workers", "0")
    wait_until(length(list.files(file.path(run(), "takes"), recursive = TRUE)) >= 2)
    process
  }

  process <- begin()
  away <- paste0(run(), "-elsewhere")
  file.rename(run(), away)
  process$wait(30000)
  expect_equal(process$get_exit_status(), 2)
  expect_match(words(), "no longer in")
  expect_match(words(), "moved to .*main-elsewhere")
  # Nothing is at the old place, and nothing is lost.
  expect_false(dir.exists(run()))
  file.rename(away, run())
  expect_equal(nrow(check_run(folder)), 0)
  made <- run_trial(folder, score = FALSE, workers = 0)$takes
  expect_equal(unique(made$state), "made")
  expect_equal(length(paid_for(running)), 16)
  unlink(run(), recursive = TRUE)

  process <- begin()
  unlink(run(), recursive = TRUE)
  process$wait(30000)
  expect_equal(process$get_exit_status(), 2)
  expect_match(words(), "deleted")
  expect_false(dir.exists(run()))
})
