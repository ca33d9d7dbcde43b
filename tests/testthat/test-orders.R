# What people ask of a run while it is made, and how it stands, all through its records.

# A trial whose takes take so many seconds each, made in this process.
slow_trial <- function(seconds = 0.6, lineup = small_lineup, brief = small_brief,
                       env = parent.frame()) {
  folder <- small_trial(lineup = lineup, brief = brief, env = env)
  slow <- mixing_engine(broken = function(request) Sys.sleep(seconds))
  read_trial(folder, engines = list(mixer = slow))
}

# Runs it; what `asked` does with the trial's folder happens once `made` takes are made.
run_asked <- function(trial, made, asked, ...) {
  done_before <- 0
  run_trial(
    trial,
    workers = 0,
    ...,
    progress = function(done, ...) {
      if (done >= made && done_before < made) {
        asked(trial)
      }

      done_before <<- done
    }
  )
}

test_that("a queue sends none of the takes that are left out, and counts without them", {
  engine <- list(about = list(at_once = 2, seconds = 2), seconds = Inf)
  queue <- EngineQueue$new(engine, "mixer", waiting = 1:4, own = 1:6)
  queue$leave_out(c(1, 3, 6, 9))
  expect_equal(c(queue$total, queue$left, queue$left_out), c(3, 3, 3))
  expect_equal(queue$take_next(), 2)
  queue$begin_call("plain", 0)
  queue$end_call()
  queue$count_made(1, first = FALSE)
  expect_equal(queue$take_next(function(first, ready_among) ready_among(1:6)), 4)
  expect_false(queue$is_open())
  expect_false(queue$may_begin(0))
  # A take that comes back from its engine is left out too; 6 still waits for another step.
  queue$leave_out(c(1, 3, 4, 6))
  queue$postpone(4, due = 0)
  expect_false(queue$may_begin(1))
  expect_equal(c(queue$total, queue$left_out), c(2, 4))
  # Taken back in, they are sent in their order.
  queue$leave_out(integer())
  expect_true(queue$is_open())
  expect_true(queue$may_begin(1))
  expect_equal(c(queue$total, queue$take_next(), queue$take_next()), c(6, 4, 1))
})

test_that("steps that lead to another pipeline stay in", {
  lineup <- list(
    pipelines = data.frame(pipeline = c("a", "b", "c"), follows = c("a:1", "b:1", NA)),
    stages = data.frame(pipeline = c("a:1", "b:1"), follows = c(NA, "a:1"))
  )
  expect_setequal(steps_towards(lineup, "b"), c("b", "b:1", "a:1"))
  expect_setequal(steps_towards(lineup, c("a", "c")), c("a", "c", "a:1"))
})

test_that("what is left out of a chain counts with the steps that lead to no other", {
  lineup <- c(
    small_lineup,
    "  - {id: chain, steps: [{engine: mixer, hold: 0.3}, {engine: mixer, hold: 0.8}]}"
  )
  trial <- slow_trial(0, lineup = lineup)
  expect_setequal(steps_left_out(trial$lineup, "chain"), c("chain", "chain:1"))
  expect_equal(steps_left_out(trial$lineup, character()), character())
  store <- open_store(trial$folder, "main", create = TRUE)
  write_left_out(store, "chain")
  close_store(store)
  made <- run_trial(trial, workers = 0)
  expect_setequal(made$takes$pipeline[made$takes$state == "planned"], c("chain", "chain:1"))
  state <- read_run(trial)
  expect_equal(state$state, "complete")
  expect_equal(state$takes[["left_out"]], state$takes[["planned"]])
  expect_equal(state$engines$total, 12)
  expect_equal(state$cost_left, 0)
  # Nothing that is asked for is missing.
  expect_equal(run_cli("run", trial$folder, "--workers", "0")$status, 0L)
})

test_that("a run leaves a pipeline out while it is made, keeps it out, and takes it back in", {
  trial <- slow_trial()
  left <- run_asked(trial, 2, function(trial) leave_out(trial, "loose"))
  states <- table(left$takes$pipeline, left$takes$state)
  expect_equal(left$left_out, "loose")
  expect_equal(unname(states["firm", "made"]), 6)
  expect_gt(states["loose", "planned"], 0)
  # Resumed, it is still out; and it is not compared.
  again <- run_trial(trial, workers = 0)
  expect_equal(again$takes$state, left$takes$state)
  verdict <- choose_pipeline(trial)
  expect_equal(verdict$pipelines$pipeline, "firm")
  expect_match(format(verdict), "loose was left out while the run was made", all = FALSE)
  expect_error(explain_pipeline(trial, "loose"), "was left out", class = "sprenn_error_argument")
  state <- read_run(trial)
  expect_equal(state$state, "complete")
  expect_equal(state$pipelines$left_out, c(FALSE, TRUE))
  expect_equal(state$takes[["left_out"]], unname(states["loose", "planned"]))
  expect_match(format(state), "Left out: loose", all = FALSE)
  expect_equal(leave_out(trial, "loose", back = TRUE), character())
  expect_equal(read_run(trial)$state, "open")
  expect_equal(unique(run_trial(trial, workers = 0)$takes$state), "made")
  expect_length(choose_pipeline(trial)$pipelines$pipeline, 2)
})

test_that("a pipeline that is taken back in while the run goes on is made after all", {
  trial <- slow_trial()
  leave_back <- function(trial) {
    leave_out(trial, "firm", back = TRUE)
  }
  store <- open_store(trial$folder, "main", create = TRUE)
  write_left_out(store, "firm")
  close_store(store)
  made <- run_asked(trial, 2, leave_back)
  expect_equal(unique(made$takes$state), "made")
  expect_equal(made$left_out, character())
})

test_that("a run is stopped from elsewhere as by Ctrl-C, and resumes", {
  trial <- slow_trial()
  stopped <- FALSE
  tryCatch(
    run_asked(trial, 2, function(trial) expect_true(stop_run(trial))),
    interrupt = function(e) stopped <<- TRUE
  )
  expect_true(stopped)
  state <- read_run(trial)
  expect_gte(state$takes[["made"]], 2)
  expect_lt(state$takes[["made"]], 12)
  expect_equal(state$state, "open")
  events <- readLines(file.path(trial$folder, "runs", "main", "events.jsonl"))
  expect_match(events, "asked by somebody who watches", all = FALSE)
  # The next process was not asked.
  expect_equal(unique(run_trial(trial, workers = 0)$takes$state), "made")
  expect_false(stop_run(trial))
})

test_that("judges are stopped too while they are asked", {
  folder <- small_trial(
    brief = c(small_brief, "judges:", "  owl: {kind: answering, file: owl.R, batch: 1}")
  )
  asked <- 0
  assign("owl_answers", envir = globalenv(), function(pictures, statements) {
    asked <<- asked + 1
    Sys.sleep(1.1)
    stop_run(folder)
    matrix(0.5, length(pictures), length(statements))
  })
  withr::defer(rm("owl_answers", envir = globalenv()))
  writeLines(
    "judge('owl', '1', answer = get('owl_answers', globalenv()))",
    file.path(folder, "owl.R")
  )
  stopped <- FALSE
  tryCatch(run_trial(folder, workers = 0), interrupt = function(e) stopped <<- TRUE)
  expect_true(stopped)
  expect_gte(asked, 2)
  expect_lt(asked, 6)
})

test_that("a race counts whoever is left out as dropped", {
  trial <- slow_trial()
  raced <- run_asked(trial, 2, function(trial) leave_out(trial, "loose"), until = "decided")
  expect_equal(raced$race$jobs$all$dropped, "loose")
  expect_gt(sum(raced$takes$state == "planned" & raced$takes$pipeline == "loose"), 0)
})

test_that("what can't be left out is refused, and nothing is changed", {
  trial <- slow_trial(0)
  expect_error(stop_run(trial), class = "sprenn_error_run")
  run_trial(trial, workers = 0)
  expect_error(leave_out(trial, "lose"), "Did you mean .loose", class = "sprenn_error_argument")
  expect_error(leave_out(trial, "mixer"), "Nothing is left", class = "sprenn_error_argument")
  expect_error(leave_out(trial, character()), class = "sprenn_error_argument")
  leave_out(trial, "loose")
  expect_error(leave_out(trial, "firm"), "Nothing is left", class = "sprenn_error_argument")
  expect_equal(read_run(trial)$pipelines$left_out, c(FALSE, TRUE))
  # An engine's name stands for all of its pipelines.
  expect_equal(leave_out(trial, "mixer", back = TRUE), character())
})

test_that("how a run stands is told while another process makes it", {
  seen <- list()
  trial <- slow_trial(brief = c(small_brief, "limits: {cost: 40}"))
  run_asked(trial, 9, function(trial) seen <<- read_run(trial))
  expect_equal(seen$state, "running")
  expect_match(seen$holder, paste0("process ", Sys.getpid(), ", since 20..-..-.. ..:.. UTC"))
  takes <- seen$takes
  expect_equal(sum(takes[c("planned", "made")]), 12)
  expect_gte(takes[["made"]], 8)
  expect_equal(seen$cost, 0.5 * takes[["made"]])
  # What is planned costs what the takes made so far have cost.
  expect_equal(seen$cost + seen$cost_left, 6)
  expect_equal(seen$cost_limit, 40)
  expect_equal(seen$engines$total, 12)
  # Nothing is measured yet, so nothing is known about how long that will take.
  expect_true(is.na(seen$left))
  expect_equal(nrow(seen$newest), takes[["made"]])
  expect_true(all(diff(match(seen$newest$made_at, sort(seen$newest$made_at))) <= 0))
  text <- paste(format(seen), collapse = "\n")
  expect_match(text, "of 12 takes made, 0 failed or refused")
  expect_match(text, "about 6.00 in all (limit 40.00)", fixed = TRUE)
  expect_output(print(seen), "<run> main")
  # Afterwards, what that process has noted last says nothing any more.
  after <- read_run(trial)
  expect_equal(after$state, "complete")
  expect_true(all(is.na(c(after$left, after$holder))))
  expect_equal(after$takes[["measured"]], 12)
})

test_that("a run that has just been begun, without any take, stands too", {
  trial <- slow_trial(0)
  store <- open_store(trial$folder, "main", create = TRUE)
  close_store(store)
  state <- read_run(trial)
  expect_equal(sum(state$takes), 0)
  expect_equal(c(nrow(state$pipelines), nrow(state$engines), nrow(state$newest)), c(0, 0, 0))
  desk <- WatchDesk$new(trial, "main")
  withr::defer(desk$close())
  expect_equal(desk$state_now()$total, 0)
  expect_length(desk$state_now()$engines, 0)
  expect_match(write_site_page(with_state(watch_page(desk), desk$state_now())), "first-state")
})

test_that("failures are told with what to do, and flaws with the newest takes", {
  folder <- small_trial(suite = change(small_suite, "prompt: a thing}", "prompt: [a thing]}"))
  fails <- mixing_engine(broken = function(request) {
    if (request$seed == 2) {
      engine_failure("out_of_credit", "No credit is left.")
    }
    if (request$native_hold > 5 && identical(request$prompt[[1]], "a thing, dark")) {
      engine_failure("refused", "It is too dark.")
    }
  })
  trial <- read_trial(folder, engines = list(mixer = fails))
  run_trial(trial, workers = 0)
  state <- read_run(trial)
  refused <- state$failures[state$failures$state == "refused", ]
  credit <- state$failures[state$failures$failure == "out_of_credit", ]
  expect_match(credit$advice, "add credit")
  expect_equal(unique(credit$state), "planned")
  if (nrow(refused) > 0) {
    expect_match(refused$advice, "reword the case")
  }
  flaws <- data.frame(
    measure = c("local_damage", "blur", "blur", "bars"),
    level = c("slight", "serious", "slight", "serious")
  )
  expect_equal(flaw_words(flaws), "blur, bars, slight local damage")
  expect_equal(flaw_words(flaws[0, ]), "")
})

test_that("the command asks of a run, and tells how it stands", {
  trial <- slow_trial(0)
  folder <- trial$folder
  run_trial(trial, workers = 0)
  out <- run_cli("watch", folder, "--leave-out", "loose")
  expect_equal(out$status, 0L)
  expect_match(out$out, "Left out: loose", all = FALSE)
  told <- run_cli("watch", folder, "--run", "main", "--json")
  state <- jsonlite::fromJSON(paste(told$out, collapse = "\n"))
  expect_equal(state$takes$made, 12)
  expect_null(state$left)
  expect_equal(state$pipelines$left_out, c(FALSE, TRUE))
  # A run says what was left out, and how it comes back; that is not its failure.
  ran <- run_cli("run", folder, "--workers", "0")
  expect_equal(ran$status, 0L)
  expect_match(paste(ran$out, collapse = " "), "Left out, as asked .*: loose. .* --take-back")
  back <- run_cli("watch", folder, "--take-back", "loose", "--stop")
  expect_match(back$err, "No process is making takes", all = FALSE)
  expect_no_match(back$out, "Left out")
  expect_equal(run_cli("watch", folder, "--leave-out", "lose")$status, 2L)
  served <- run_cli("watch", folder, "--port", as.character(httpuv::randomPort()), "--for", "0.2")
  expect_match(served$out, "http://127.0.0.1:", all = FALSE)
  expect_equal(run_cli("watch", folder, "--run", "nowhere", "--for", "0.2")$status, 2L)
})

test_that("watching returns how the run stands when it ends", {
  trial <- slow_trial(0)
  run_trial(trial, workers = 0)
  address <- NULL
  state <- watch_run(trial, seconds = 0.2, ready = function(at) address <<- at)
  expect_match(address, "^http://127.0.0.1:[0-9]+/[0-9a-f]+/$")
  expect_equal(state$state, "complete")
  expect_error(watch_run(trial, "nowhere"), class = "sprenn_error_run")
  expect_error(watch_run(trial, port = 0, seconds = "x"), class = "sprenn_error_argument")
})

test_that("work that is done again keeps to its share of the time", {
  pace <- Paced$new(every = 0.1, share = 0.5)
  expect_true(pace$is_due())
  pace$begin()
  Sys.sleep(0.4)
  pace$end()
  Sys.sleep(0.15)
  expect_false(pace$is_due())
  Sys.sleep(0.8)
  expect_true(pace$is_due())
})
