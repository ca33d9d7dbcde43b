# The parts of the runner, each by itself.

new_queue <- function(waiting = 1:3, at_once = 2, ...) {
  engine <- list(about = list(at_once = at_once, seconds = 2), seconds = Inf, ...)
  EngineQueue$new(engine, "mixer", waiting)
}

test_that("an engine has no more calls in flight than it takes, and takes them in order", {
  queue <- new_queue()
  begun <- integer()
  while (queue$may_begin(0)) {
    begun <- c(begun, queue$take_next())
    queue$begin_call("plain", 0)
    queue$begin_piece()
  }
  expect_equal(begun, 1:2)
  expect_equal(queue$in_flight, 2)
  end_call(list(queue = queue))
  # What is made anew, or was waiting for another step, goes first.
  queue$add(9)
  expect_true(queue$may_begin(0))
  expect_equal(queue$take_next(), 9)
  expect_true(queue$is_open())
})

test_that("takes that are asked for in one call leave the queue together", {
  queue <- new_queue(waiting = 1:6)
  others <- function(first, ready_among) {
    ready <- ready_among(1:6)
    ready[ready %% 2 == first %% 2]
  }
  expect_equal(queue$take_next(others), c(1, 3, 5))
  expect_equal(queue$take_next(others), c(2, 4, 6))
  expect_false(queue$is_open())
  # A call that has failed is one to be tried again, for all of its takes.
  queue$postpone(c(1, 3, 5), due = 10)
  expect_true(queue$may_begin(10))
  expect_equal(queue$take_next(others), c(1, 3, 5))
})

test_that("only a checkpoint's first call is a first call, and it says nothing of the pace", {
  queue <- new_queue()
  expect_true(queue$begin_call("plain", 0))
  expect_false(queue$begin_call("plain", 0))
  expect_true(queue$begin_call("other", 0))
  expect_equal(queue$seconds_each(), 2)
  queue$count_made(60, first = TRUE)
  expect_equal(queue$seconds_each(), 2)
  queue$count_made(3, first = FALSE)
  queue$count_made(5, first = FALSE)
  expect_equal(queue$seconds_each(), 4)
  expect_equal(c(queue$made, queue$left), c(3, 0))
})

test_that("what is to be tried later waits for its time, and keeps the queue open", {
  queue <- new_queue(waiting = integer())
  expect_false(queue$is_open())
  queue$postpone(5, due = 10)
  expect_true(queue$is_open())
  expect_false(queue$may_begin(9))
  expect_true(queue$may_begin(10))
  expect_equal(queue$take_next(), 5)
  expect_false(queue$is_open())
})

test_that("an engine that is away is asked by one call at a time, until it is back", {
  queue <- new_queue()
  expect_equal(queue$note_away(100), list(seconds = 0, asked = 1))
  expect_equal(queue$note_away(130), list(seconds = 30, asked = 2))
  expect_match(queue$state_words(130), "can't be reached")
  queue$wait_until(140)
  expect_false(queue$may_begin(139))
  expect_true(queue$may_begin(140))
  queue$begin_piece()
  expect_false(queue$may_begin(140))
  queue$note_back()
  expect_true(queue$may_begin(140))
  queue$park("out of credit")
  expect_false(queue$may_begin(140))
  expect_false(queue$is_open())
  expect_equal(queue$state_words(140), "left alone")
})

test_that("a worker is waited for as long as its engine's pictures may take", {
  expect_equal(new_queue()$patience(far = FALSE), 1800)
  limited <- EngineQueue$new(list(about = list(), seconds = 40), "mixer")
  expect_equal(limited$patience(far = TRUE), 45)
  measured <- new_queue()
  for (seconds in c(10, 20, 30)) {
    measured$count_made(seconds, first = FALSE)
  }
  expect_equal(measured$patience(far = TRUE), 400)
  expect_equal(measured$patience(far = FALSE), 1800)
})

takes_of_chain <- function() {
  takes <- tibble::tibble(
    take = c("a", "b", "c", "d"),
    pipeline = c("first", "second", "first", "first"),
    case = c("one", "one", "two", "three"),
    parent = c(NA, "a", NA, NA),
    state = c("planned", "planned", "made", "planned"),
    file = NA_character_,
    sha256 = c(NA, NA, "x", NA),
    bytes = c(NA, NA, 7, NA),
    attempt = 1L
  )
  steps <- tibble::tibble(pipeline = c("first", "second"), engine = c("mixer", "server"))
  RunTakes$new(takes, wanted = takes$state == "planned", steps)
}

test_that("a chain's step waits for the one before it", {
  takes <- takes_of_chain()
  expect_equal(takes$ready_of("mixer"), c(1, 4))
  expect_equal(takes$ready_of("server"), integer())
  expect_equal(takes$wanted_of("server"), 2)
  expect_equal(takes$children_of(1), 2)
  expect_null(takes$children_of(4))
  expect_equal(takes$engine_of(2), "server")
})

test_that("twins are pictures of other cases, and what a step has worked on stays", {
  takes <- takes_of_chain()
  expect_equal(takes$twins_of(1, "x"), 3)
  expect_equal(takes$twins_of(3, "x"), integer())
  takes$note_made(1, list(file = "y.png", sha256 = "y"), 9)
  takes$note_made(4, list(file = "z.png", sha256 = "z"), 9)
  # The third was there before this run, and the second works on the first.
  expect_equal(vapply(1:4, takes$can_be_unmade, NA), c(FALSE, FALSE, FALSE, TRUE))
  expect_equal(takes$are_still(c(1, 4), c("y", "other")), c(TRUE, FALSE))
  takes$note_unmade(4)
  expect_equal(takes$are_still(4, "z"), FALSE)
  expect_equal(takes$of_same_case(1, 1:4), 1:2)
  expect_equal(takes$row(4)$file, "z.png")
})

test_that("tries, losses and money are counted take by take", {
  takes <- takes_of_chain()
  expect_equal(takes$begin_try(1), 1)
  expect_equal(takes$begin_try(1), 2)
  takes$forget_try(1)
  expect_equal(takes$begin_try(1), 2)
  expect_equal(takes$begin_try(2), 1)
  expect_equal(takes$count_loss(1), 1)
  expect_equal(takes$count_loss(1), 2)
  engine <- list(kind = "function")
  expect_equal(takes$add_spent(1, engine, list(cost = 0.5)), 0.5)
  expect_equal(takes$add_spent(1, engine, list(cost = NA)), 0.5)
  expect_equal(takes$add_spent(1, engine, list(cost = 0.25)), 0.75)
  # By our own contract a key is paid once, however often it is sent.
  expect_equal(takes$add_spent(2, list(kind = "http"), list(cost = 0.5)), 0)
})

failure_of_kind <- function(kind, ...) {
  rlang::error_cnd(c("sprenn_failure", kind), message = kind, kind = kind, ...)
}

test_that("what may pass is tried again a few times, after growing pauses", {
  pause <- retry_pause
  busy <- failure_of_kind("busy")
  pauses <- vapply(1:3, function(tries) pause(busy, tries, "key"), 0)
  expect_true(all(diff(pauses) > 0))
  expect_null(pause(busy, most_tries, "key"))
  expect_null(pause(failure_of_kind("refused"), 1, "key"))
  expect_equal(pause(failure_of_kind("busy", retry_after = 7), 1, "key"), 7)
  expect_null(pause(failure_of_kind("busy", retry_after = 61), 1, "key"))
  # Takes don't all come back at once.
  expect_false(pause(busy, 1, "key") == pause(busy, 1, "another"))
})

test_that("patience returns what came in the end, success or failure", {
  attempts <- function(...) {
    outcomes <- list(...)
    count <- 0
    between <- 0
    made <- try_patiently(
      function() {
        count <<- count + 1
        if (inherits(outcomes[[count]], "condition")) stop(outcomes[[count]])
        outcomes[[count]]
      },
      "key",
      between = function() between <<- between + 1
    )
    list(made = made, count = count, between = between)
  }
  soon <- failure_of_kind("busy", retry_after = 0)
  expect_equal(attempts(soon, soon, "done"), list(made = "done", count = 3, between = 2))
  refused <- attempts(soon, failure_of_kind("refused"), "never")
  expect_equal(refused$made$kind, "refused")
  expect_equal(refused$count, 2)
  expect_equal(attempts(soon, soon, soon, soon)$made$kind, "busy")
  expect_error(attempts(simpleError("no failure of ours")), "no failure of ours")
})

test_that("each of many conversations gets its own answer, at once or after a pause", {
  skip_on_cran()
  server <- httpuv::startServer("127.0.0.1", port <- httpuv::randomPort(), list(
    call = function(request) {
      list(
        status = 200L,
        headers = list("Content-Type" = "text/plain"),
        body = sub("^/", "", request$PATH_INFO)
      )
    }
  ))
  withr::defer(server$stop())
  call <- function(word) {
    new_call("GET", paste0("http://127.0.0.1:", port, "/", word))
  }
  said <- function(answer) rawToChar(answer$body)
  talks <- Conversations$new(at_once = 4)
  answers <- character()
  for (word in c("a", "b", "c", "d")) {
    local({
      asked <- word
      # Two turns each; the second waits.
      second <- function(answer) {
        list(call = call(paste0(said(answer), asked)), wait = 0.05, then = said)
      }
      turn <- list(call = call(asked), then = second)
      talks$begin(turn, function(outcome) answers[[asked]] <<- outcome)
    })
  }
  withr::local_envvar(R_USER_CACHE_DIR = withr::local_tempdir())
  broken <- list(call = call("x"), then = function(answer) stop("it makes no sense"))
  failed <- NULL
  talks$begin(broken, function(outcome) failed <<- outcome)
  expect_equal(talks$count, 5)
  until <- Sys.time() + 20
  while (talks$count > 0 && Sys.time() < until) {
    later::run_now(0.01)
    talks$step(0.01)
  }
  expect_equal(answers[c("a", "b", "c", "d")], c(a = "aa", b = "bb", c = "cc", d = "dd"))
  expect_s3_class(failed, "sprenn_failure")
  expect_match(conditionMessage(failed), "Sprenn stumbled over its answer")
  # What is no conversation is an outcome at once.
  now <- NULL
  talks$begin("at once", function(outcome) now <<- outcome)
  expect_equal(c(now, talks$count), c("at once", "0"))
})

test_that("the event log is a line of JSON for each event", {
  folder <- withr::local_tempdir()
  log <- EventLog$new(folder)
  take <- tibble::tibble(take = "t1", pipeline = "p", case = "caf\u00e9", seed = 3L, other = 1)
  log$note("run began", message = "1 takes to make")
  log$note("made", list(queue = new_queue(), try = 2, take = take), seconds = 0.12345, cost = NA)
  # A piece of measuring has no engine, a call may be for several takes.
  log$note("worker lost", list(take = take), message = "it took \"too\" long")
  pair <- list(queue = new_queue(), try = 1, take = rbind(take, take))
  log$note_all("made", list(pair, pair), seconds = c(1, 2))
  log$close()
  lines <- lapply(readLines(file.path(folder, "events.jsonl")), jsonlite::parse_json)
  expect_equal(lines[[1]][c("event", "message")], list(
    event = "run began",
    message = "1 takes to make"
  ))
  expect_match(lines[[2]]$at, "^\\d{4}-\\d\\d-\\d\\dT[0-9:.]+Z$")
  expect_equal(lines[[2]][-1], list(
    event = "made", engine = "mixer", try = 2L, take = "t1", pipeline = "p",
    case = "caf\u00e9", seed = 3L, seconds = 0.123
  ))
  expect_equal(lines[[3]][-(1:2)], list(
    take = "t1", pipeline = "p", case = "caf\u00e9", seed = 3L, message = "it took \"too\" long"
  ))
  expect_equal(vapply(lines[4:7], `[[`, 0, "seconds"), c(1, 1, 2, 2))
  expect_length(lines, 7)
  expect_error(
    EventLog$new(file.path(folder, "none")),
    class = "sprenn_error_store"
  )
})

# What becomes of answers, on a run of real takes that nobody has made.
outcomes_of <- function(env = parent.frame(), outage = 60, kind = "http") {
  run <- planned_run(env)
  trial <- run$trial
  store <- run$store
  takes <- run$takes
  parts <- list(store = store)
  parts$takes <- RunTakes$new(
    takes,
    rep(TRUE, nrow(takes)),
    all_steps(trial$lineup)
  )
  engine <- trial$lineup$engines$mixer
  engine$kind <- kind
  parts$queue <- EngineQueue$new(engine, "mixer", seq_len(nrow(takes)))
  parts$status <- RunStatus$new(nrow(takes), nrow(takes))
  shares <- RunAlone$new(store, "x")
  parts$measuring <- Measuring$new(
    store, trial$suite, parts$takes,
    workers = NULL, status = parts$status, shares = shares
  )
  parts$outcomes <- Outcomes$new(
    store, parts$takes, list(mixer = parts$queue), parts$status, parts$measuring,
    log = quiet_log, shares = shares, score = TRUE, outage = outage, alive = function() NULL,
    kept = function(take) NULL
  )
  parts$job <- function(at) {
    list(
      at = at,
      take = parts$takes$row(at),
      queue = parts$queue,
      request = list(key = paste0("key-", at)),
      described = "{}",
      try = parts$takes$begin_try(at),
      first = FALSE
    )
  }
  parts$complete <- function(job, made, ...) {
    parts$outcomes$complete(list(job), list(made), ...)
  }
  parts$states <- function() read_takes(store)$state
  parts
}

picture_of <- function(seed) {
  bytes <- png::writePNG(scene(seed, 24, 16))
  list(bytes = bytes, width = 24, height = 16, seconds = 1, cost = 0, seed = seed, says = list())
}

test_that("a picture is kept, counted and set to be measured", {
  parts <- outcomes_of()
  parts$complete(parts$job(1), picture_of(1))
  expect_equal(parts$states()[1:2], c("made", "planned"))
  expect_equal(parts$status$made, 1)
  expect_equal(parts$measuring$count, 1)
  expect_equal(parts$queue$made, 1)
})

test_that("one picture for two cases is asked for again, both times", {
  parts <- outcomes_of()
  cases <- vapply(1:4, function(at) parts$takes$row(at)$case, "")
  other <- which(cases != cases[1])[1]
  for (at in seq_len(other - 1)) {
    parts$complete(parts$job(at), picture_of(at))
  }
  before <- parts$status$made
  parts$complete(parts$job(other), picture_of(1))
  expect_equal(parts$states()[c(1, other)], c("planned", "planned"))
  expect_equal(parts$status$made, before - 1)
  # The second time it is what the engine makes of them.
  parts$complete(parts$job(1), picture_of(1))
  parts$complete(parts$job(other), picture_of(1))
  expect_equal(parts$states()[c(1, other)], c("made", "made"))
})

test_that("failures are recorded, tried again, or left with their engine", {
  parts <- outcomes_of()
  fail <- function(at, kind, ...) {
    failure <- failure_of_kind(kind, seconds = 0, cost = NA_real_)
    parts$complete(parts$job(at), failure, ...)
  }
  fail(1, "refused")
  expect_equal(parts$states()[1], "refused")
  expect_equal(parts$status$failed, 1)
  fail(2, "busy")
  expect_equal(parts$states()[2], "planned")
  expect_equal(parts$status$failed, 1)
  expect_false(parts$queue$may_begin(clock()))
  fail(3, "unreachable")
  expect_null(parts$queue$parked)
  fail(4, "out_of_credit")
  expect_equal(parts$queue$parked, "out_of_credit")
  expect_equal(parts$states()[3:4], c("planned", "planned"))
})

test_that("an engine that fails in the same way again and again is left alone", {
  fail <- function(parts, at, words) {
    failure <- failure_of_kind("bad_answer", seconds = 0, cost = NA_real_)
    failure$message <- words
    parts$complete(parts$job(at), failure)
  }
  parts <- outcomes_of()
  count <- nrow(read_takes(parts$store))
  for (i in seq_len(most_alike - 1)) {
    fail(parts, 1 + i %% count, paste("It ended with status 1 after", i, "s"))
    expect_null(parts$queue$parked)
  }
  planned <- sum(parts$states() == "planned")
  fail(parts, 1, "It ended with status 1 after 99 s")
  expect_match(parts$queue$parked, "The last 8 tries failed in the same way. It ended")
  expect_equal(sum(parts$states() == "planned"), planned)
  # Nothing is concluded from one take, from different words, or across a take that was made.
  parts <- outcomes_of()
  for (i in 1:4) fail(parts, 1, "It ended")
  expect_null(parts$queue$parked)
  parts <- outcomes_of()
  for (i in 1:12) fail(parts, 1 + i %% count, paste("It ended", letters[i %% 2 + 1]))
  expect_null(parts$queue$parked)
  parts <- outcomes_of()
  for (i in 1:7) fail(parts, 1 + i %% (count - 1), "It ended")
  parts$complete(parts$job(count), picture_of(1))
  fail(parts, 1, "It ended")
  expect_null(parts$queue$parked)
})

test_that("an engine that asks to be left alone for longer than a run waits is left alone", {
  busy <- function(parts, ...) {
    failure <- failure_of_kind("busy", seconds = 0, cost = NA_real_, ...)
    parts$complete(parts$job(1), failure)
  }
  parts <- outcomes_of()
  busy(parts, retry_after = 60)
  expect_null(parts$queue$parked)
  expect_equal(parts$states()[1], "planned")
  busy(parts, retry_after = 86400)
  expect_match(parts$queue$parked, "It asks to be left alone for 24 h.", fixed = TRUE)
  expect_equal(parts$states()[1], "planned")
  # A longer outage waits longer.
  parts <- outcomes_of(outage = 1e5)
  busy(parts, retry_after = 86400)
  expect_null(parts$queue$parked)
})

test_that("a take at which a server always breaks its connection has failed, others have not", {
  parts <- outcomes_of(outage = 1e5)
  cut <- failure_of_kind("unreachable", seconds = 0, cost = NA_real_, cut = TRUE)
  for (i in seq_len(most_cuts - 1)) {
    parts$complete(parts$job(1), cut)
    parts$complete(parts$job(1 + i %% 3), failure_of_kind("unreachable"))
  }
  expect_equal(unique(parts$states()), "planned")
  parts$complete(parts$job(1), cut)
  expect_equal(parts$states()[1:2], c("failed", "planned"))
  expect_null(parts$queue$parked)
})

test_that("an engine that can't be set up is left alone at once", {
  parts <- outcomes_of(kind = "command")
  gone <- failure_of_kind("unreachable", seconds = 0, cost = NA_real_, lasting = TRUE)
  parts$complete(parts$job(1), gone)
  expect_equal(parts$queue$parked, "unreachable")
  expect_equal(unique(parts$states()), "planned")
})

test_that("an engine that nobody reaches for too long is left alone", {
  parts <- outcomes_of(outage = 0)
  gone <- failure_of_kind("unreachable", seconds = 0, cost = NA_real_)
  parts$complete(parts$job(1), gone)
  expect_equal(parts$queue$parked, "unreachable")
  expect_equal(parts$states()[1], "planned")
})
