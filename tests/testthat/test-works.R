# The runner: chains, controls, processes beside each other, what is tried again.

yarrow_lineup <- c(
  "engines:",
  "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\", at_once: 2}",
  "pipelines:",
  "  - {id: firm, engine: yarrow, checkpoint: tide, hold: 0.9}",
  "  - {id: loose, engine: yarrow, checkpoint: tide, hold: 0.3}",
  "  - id: twice",
  "    steps:",
  "      - {engine: yarrow, checkpoint: tide, hold: 0.3}",
  "      - {engine: yarrow, checkpoint: ember, hold: 0.8}"
)

test_that("what is made and measured does not depend on the number of processes", {
  skip_on_cran()
  folder <- small_trial(
    gsub("a thing", "four kites under a pink sky", small_suite),
    c(yarrow_lineup, "controls: [blank_prompt, repeat]")
  )
  alone <- run_trial(folder, "alone", workers = 0)$takes
  beside <- run_trial(folder, "beside", workers = 3)$takes
  expect_equal(unique(alone$state), "made")
  columns <- c("take", "state", "sha256", "cost", "control")
  expect_equal(beside[columns], alone[columns])
  expect_identical(outcome_of(folder, "alone")$scores, outcome_of(folder, "beside")$scores)
  # A repeat repeats; the caller's random numbers are as they were.
  repeated <- alone[alone$control %in% "repeat", ]
  expect_true(all(repeated$sha256 %in% alone$sha256[is.na(alone$control)]))
  blank <- alone[alone$control %in% "blank_prompt", ]
  expect_false(all(blank$sha256 %in% alone$sha256[is.na(alone$control)]))
})

test_that("a chain's step works on what the one before it made, and costs with it", {
  folder <- small_trial(
    lineup = c(
      "engines:",
      "  mixer: {kind: function, file: mixer.R}",
      "pipelines:",
      "  - {id: plain, engine: mixer, hold: 0.1}",
      "  - id: kept",
      "    steps: [{engine: mixer, hold: 0.1}, {engine: mixer, hold: 1}]"
    )
  )
  takes <- run_trial(folder)$takes
  expect_equal(nrow(takes), 12)
  pixels <- function(name) lapply(takes$path[takes$pipeline == name], read_picture)
  # Held whole, the second step gives back what the first one made.
  expect_equal(pixels("kept"), pixels("plain"))
  verdict <- choose_pipeline(folder)
  costs <- tapply(verdict$table$cost, verdict$table$pipeline, unique)
  expect_equal(c(costs[["plain"]], costs[["kept"]]), c(0.5, 1))
  expect_setequal(verdict$pipelines$pipeline, c("plain", "kept"))
})

test_that("a step that failed stops its own chain alone", {
  fails <- function(request) {
    if (request$seed == 2 && request$hold == 0.3) {
      engine_failure("refused", "no")
    }
  }

  folder <- small_trial(
    lineup = c(
      "engines:",
      "  mixer: {kind: function, file: mixer.R}",
      "pipelines:",
      "  - id: sure",
      "    steps: [{engine: mixer, hold: 0.6}, {engine: mixer, hold: 0.9}]",
      "  - id: torn",
      "    steps: [{engine: mixer, hold: 0.3}, {engine: mixer, hold: 0.9}]"
    )
  )
  trial <- read_trial(folder, engines = list(mixer = mixing_engine(broken = fails)))
  takes <- run_trial(trial)$takes
  states <- table(takes$pipeline, takes$state)
  expect_equal(states["sure", "made"], 6)
  expect_equal(states["torn:1", "refused"], 3)
  expect_equal(c(states["torn", "made"], states["torn", "planned"]), c(3, 3))
  verdict <- choose_pipeline(folder)
  torn <- verdict$table[verdict$table$pipeline == "torn" & verdict$table$seed == 2, ]
  expect_equal(unique(torn$state), "refused")
  expect_match(torn$message[1], "An earlier step: no")
  expect_equal(verdict$state, "decided")
})

test_that("the first call of a checkpoint is kept out of the timings", {
  calls <- 0
  slow_at_first <- function(request) {
    calls <<- calls + 1
    if (calls == 1) {
      Sys.sleep(1)
    }
  }

  folder <- small_trial()
  run_trial(read_trial(folder, engines = list(mixer = mixing_engine(broken = slow_at_first))))
  verdict <- choose_pipeline(folder)
  expect_lt(max(verdict$table$seconds), 0.5)
  store <- open_store(folder, "main")
  withr::defer(close_store(store))
  expect_equal(sum(read_takes(store)$first_call), 1)
})

test_that("the log has a line for every event, in JSON", {
  folder <- small_trial()
  faults <- 0
  once <- function(request) {
    faults <<- faults + 1
    if (faults == 3) {
      engine_failure("busy", "later", retry_after = 0)
    }

    if (request$seed == 2 && request$hold > 0.5) {
      engine_failure("refused", "no")
    }
  }

  run_trial(read_trial(folder, engines = list(mixer = mixing_engine(broken = once))))
  events <- lapply(
    readLines(file.path(folder, "runs", "main", "events.jsonl")),
    jsonlite::parse_json
  )
  kinds <- table(vapply(events, `[[`, "", "event"))
  expect_equal(
    as.list(kinds),
    list(
      made = 9L,
      refused = 3L,
      `run began` = 1L,
      `run ended` = 1L,
      sent = 13L,
      `to be tried again` = 1L
    )
  )
  made <- Filter(function(event) event$event == "made", events)[[1]]
  expect_equal(
    made[c("engine", "pipeline", "case", "seed", "try")],
    list(engine = "mixer", pipeline = "firm", case = "one", seed = 1L, try = 1L)
  )
  expect_match(made$at, "^20[0-9-]+T[0-9:.]+Z$")
})

test_that("progress is redrawn in a terminal, and said line by line in a log", {
  told <- function(live) {
    file <- withr::local_tempfile()
    stream <- file(file, "wb")
    show <- run_progress(stream, live)
    lanes <- tibble::tibble(
      engine = c("yarrow", "b"),
      made = c(3, 1),
      total = c(9, 3),
      flying = c(1, 2),
      failed = c(0, 1),
      words = c("", "asked to be left alone for 3 s")
    )
    show(
      done = 5,
      total = 12,
      failed = 1,
      seconds = 30,
      flying = 3,
      scored = 2,
      to_score = 11,
      cost = 0.4,
      left = 200,
      engines = lanes
    )
    show(
      done = 12,
      total = 12,
      failed = 1,
      seconds = 95,
      flying = 0,
      scored = 11,
      to_score = 11,
      cost = 0.9,
      left = 0,
      engines = lanes
    )
    for (asked in 1:2) {
      show(0, 0, 0, 6, asked = asked, to_ask = 2, words = "asking heron")
    }

    close(stream)
    readChar(file, 1e5, useBytes = TRUE)
  }

  log <- strsplit(told(FALSE), "\n")[[1]]
  expect_equal(
    log[1],
    paste0(
      "made 4 of 12, 1 failed, 3 in flight, measured 2 of 11, cost 0.40, about 4 min left; ",
      "yarrow 3/9 1 in flight; b 1/3 2 in flight 1 failed asked to be left alone for 3 s"
    )
  )
  expect_equal(log[2], "made 11 of 12, 1 failed, measured 11 of 11, cost 0.90, 2 min")
  expect_equal(log[3:4], paste("asking heron:", c("1 of 2 calls", "2 of 2 calls, 6 s")))
  live <- told(TRUE)
  # The line of the judges is under the last of the run, which stays.
  expect_match(live, "2 min\n(\033\\[K\n)+\033\\[2A\r\033\\[Kasking heron: 1 of 2 calls")
  expect_match(live, "\033[3A", fixed = TRUE)
  expect_match(live, "yarrow  3/9  1 in flight", fixed = TRUE)
})

test_that("a run's progress is told in a person's units, and only where it is known", {
  words <- function(...) {
    known <- list(
      done = 3,
      total = 12,
      failed = 0,
      seconds = 30,
      flying = 0,
      scored = 0,
      to_score = 0,
      asked = 0,
      to_ask = 0,
      cost = 0,
      left = NA,
      words = "",
      over = FALSE
    )
    do.call(run_words, utils::modifyList(known, list(...)))
  }

  expect_equal(words(), "made 3 of 12")
  expect_equal(words(left = 41.2), "made 3 of 12, about 42 s left")
  # The first two seconds tell nothing of the others.
  expect_equal(words(left = 41.2, seconds = 1), "made 3 of 12")
  expect_equal(
    words(done = 5, failed = 2, flying = 4, cost = 1.005),
    "made 3 of 12, 2 failed, 4 in flight, cost 1.00"
  )
  expect_equal(words(done = 0, total = 0, scored = 4, to_score = 9), "measured 4 of 9")
  expect_equal(words(words = "stopped"), "made 3 of 12 - stopped")
  expect_equal(words(done = 12, over = TRUE, seconds = 89.5), "made 12 of 12, 90 s")
  seconds <- show_seconds
  expect_equal(
    vapply(c(0.2, 89, 90, 600, 5399, 5400, 86400), seconds, ""),
    c("1 s", "89 s", "2 min", "10 min", "90 min", "1.5 h", "24 h")
  )
})

test_that("the time that is left counts servers beside each other, and local work in turn", {
  queue <- function(total, at_once = 1, here = FALSE, says = 9) {
    engine <- list(
      about = list(at_once = at_once, seconds = says),
      converse = if (!here) identity
    )
    EngineQueue$new(engine, "one", seq_len(total))
  }
  make <- function(queue, count, seconds) {
    for (i in seq_len(count)) {
      queue$count_made(seconds, first = FALSE)
    }
  }
  left <- function(queues, processes, scored, measured) {
    status <- RunStatus$new(total = 45, expected = 100)
    status$count_scored(scored)
    status$time_measuring(measured / 2, measured)
    status$time_left(queues, list(processes = processes))
  }
  queues <- list(served = queue(30, at_once = 4), own = queue(15, here = TRUE))
  # What an engine says of itself counts until it has shown it.
  expect_equal(left(queues["served"], 2, 100, 100), 30 * 9 / 4)
  make(queues$served, 10, 2)
  make(queues$own, 4, 1)
  queues$own$count_failed(1)
  # 20 calls of 2 s, four at a time; 10 pictures of 1 s and 60 measured in 0.5 s each, on
  # two processes or on one.
  expect_equal(left(queues, 2, 40, 40), 20)
  expect_equal(left(queues, 1, 40, 40), 40)
  expect_equal(left(queues, 2, 0, 0), NA_real_)
  # Its 20 pictures won't come, and won't be measured.
  queues$served$park("out of credit")
  expect_equal(left(queues, 1, 40, 40), 10 + 40 * 0.5)
  make(queues$own, 10, 1)
  expect_equal(left(queues, 1, 100, 100), 0)
  expect_equal(left(list(queue(3, says = NA)), 1, 100, 100), NA_real_)
})

test_that("a cache keeps what was used last, within its room", {
  cache <- Cache$new(3000)
  made <- 0
  get <- function(name) {
    cache$get(name, {
      made <<- made + 1
      numeric(100)
    })
  }

  for (name in c("a", "b", "c", "c", "a")) {
    get(name)
  }

  expect_equal(made, 3)
  get("d")
  get("d")
  expect_equal(made, 4)
  # The one that was not used for longest had to go.
  get("a")
  expect_equal(made, 4)
  get("b")
  expect_equal(made, 5)
})
