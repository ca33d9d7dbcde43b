# What one coordinator does about what others claim, want, leave and say: in this process, over a
# real PostgreSQL server.

# A run with nothing made, as one coordinator sees it, and a second writer who does nothing.
two_coordinators <- function(score = TRUE, env = parent.frame()) {
  server <- local_server(env)
  folder <- small_trial(env = env)
  trial <- read_trial(folder)
  plan <- plan_takes(trial)
  store <- open_store(folder, "main", create = TRUE, url = server$url, suite = "small")
  withr::defer(close_store(store), envir = env)
  record_plan(store, trial, plan)
  table <- read_takes(store)
  share_work_left(store, trial, table, rep(TRUE, nrow(table)), run_options())
  lock <- lock_run(store, beside = TRUE)
  other <- lock_run(store, beside = TRUE)
  takes <- RunTakes$new(table, rep(FALSE, nrow(table)), all_steps(trial$lineup))
  queues <- new_queues(trial$lineup$engines, takes, far = FALSE)
  status <- RunStatus$new(0, 0)
  new_shares <- function() {
    RunShared$new(
      store, lock, seq_len(nrow(table)), takes, queues, status, quiet_log, 2, score
    )
  }
  list(
    store = store,
    trial = trial,
    table = table,
    takes = takes,
    queue = queues[[1]],
    status = status,
    shares = new_shares(),
    lock = lock,
    other = other
  )
}

claims_of <- function(store, writer) {
  read_db(
    store,
    "SELECT take FROM work WHERE writer = ? ORDER BY position",
    params = list(writer)
  )$take
}

# The other writer is a process that has ended.
end_other <- function(two) {
  write_db(
    two$store, "UPDATE writers SET pid = 1, started = 'x' WHERE id = ?",
    params = list(two$other)
  )
}

test_that("a coordinator claims what it can begin, and knows how much is left of all", {
  two <- two_coordinators()
  expect_equal(two$status$total, 12)
  expect_equal(two$shares$most_pieces(two$queue), 1)
  two$shares$fill(two$queue)
  # Until it is known how long a take takes, one for each call.
  expect_equal(claims_of(two$store, two$lock), two$table$take[1])
  expect_equal(two$queue$ready, 1)
  expect_true(two$queue$may_begin(clock(), two$shares$most_pieces(two$queue)))
  two$queue$count_made(0.1, first = FALSE)
  at <- two$queue$take_next()
  expect_equal(two$takes$ids(at), two$table$take[1])
  two$shares$fill(two$queue)
  expect_gt(length(claims_of(two$store, two$lock)), 2)
  expect_false(two$shares$is_done())
  # What others do counts for the whole, and not for what is left.
  give_back_work(two$store, two$lock, two$table$take[10:12])
  claim_takes(two$store, two$other, "mixer", 2)
  end_work(two$store, c(two$table$take[1], claims_of(two$store, two$other)))
  wait_until({
    two$shares$beat()
    two$queue$elsewhere == 2
  })
  expect_equal(two$queue$total, 12)
  expect_equal(engine_states(list(mixer = two$queue))$made, 3)
  expect_equal(two$queue$left, 9)
})

test_that("what a coordinator leaves that has ended is free, but for what may have been paid", {
  two <- two_coordinators()
  theirs <- claim_takes(two$store, two$other, "mixer", 3)$take
  record_reason(two$store, theirs[2], failure_of("sent", "It was sent.", 0))
  take_slots(two$store, two$other, "mixer", 1)
  expect_false(two$shares$beat())
  expect_equal(claims_of(two$store, two$other), theirs)
  end_other(two)
  expect_false(two$shares$beat())
  expect_equal(read_writers(two$store)$id, two$lock)
  expect_length(claims_of(two$store, two$other), 0)
  expect_true(all(read_slots(two$store)$writer %in% c(two$lock, NA)))
  # Whoever claims it next finds that it was sent, whichever way the other one has ended.
  two$queue$count_made(0.1, first = FALSE)
  two$shares$fill(two$queue)
  expect_false(theirs[2] %in% claims_of(two$store, two$lock))
  states <- read_takes(two$store)
  expect_equal(states$state[match(theirs, states$take)], c("planned", "failed", "planned"))
  expect_match(states$message[states$take == theirs[2]], "may have been paid for")
  claim_takes(two$store, two$lock, "mixer", 12)
  expect_setequal(claims_of(two$store, two$lock), setdiff(two$table$take, theirs[2]))
})

test_that("one that was silent for too long starts with nothing, and may be shut out", {
  two <- two_coordinators()
  two$shares$fill(two$queue)
  expect_equal(two$queue$ready, 1)
  end_writers(two$store, read_writers(two$store))
  # Before it has noticed, it can claim nothing, and what it records is nobody's to measure.
  expect_equal(nrow(claim_takes(two$store, two$lock, "mixer", 3)), 0)
  expect_equal(take_slots(two$store, two$lock, "mixer", 3), 0)
  pass_on_work(two$store, two$table$take[12], two$lock)
  two$shares$note_again(two$table$take[12], "mixer")
  expect_length(claims_of(two$store, two$lock), 0)
  expect_true(two$shares$beat())
  expect_equal(read_writers(two$store)$id, two$lock)
  expect_equal(two$queue$ready, 0)
  # What it had in flight is kept if nobody else has it; otherwise it is not.
  free <- two$table$take[1]
  expect_true(two$shares$may_record(free))
  lock <- lock_run(two$store, beside = TRUE)
  expect_equal(claim_takes(two$store, lock, "mixer", 1)$take, free)
  expect_false(two$shares$may_record(free))
  end_writers(two$store, read_writers(two$store))
  alone <- lock_run(two$store)
  expect_error(two$shares$beat(), "writing to run", class = "sprenn_error_locked")
  unlock_run(two$store, alone)
})

test_that("takes of an engine that is left alone here, or of pipelines left out, go to others", {
  two <- two_coordinators()
  two$queue$count_made(0.1, first = FALSE)
  two$shares$fill(two$queue)
  claimed <- claims_of(two$store, two$lock)
  expect_gt(length(claimed), 2)
  loose <- two$table$take[two$table$pipeline == "loose"]
  two$shares$note_left_out("loose", which(two$table$pipeline == "loose"))
  expect_equal(claims_of(two$store, two$lock), setdiff(claimed, loose))
  expect_false(any(claim_takes(two$store, two$lock, "mixer", 12, out = "loose")$take %in% loose))
  two$shares$note_left_out(character(), integer())
  two$queue$park("It is broken.")
  two$shares$note_parked(two$queue)
  expect_equal(two$queue$ready, 0)
  expect_true(all(claimed %in% claim_takes(two$store, two$other, "mixer", 12)$take))
  # It has nothing more to wait for, whatever the other one does.
  Sys.sleep(0.6)
  expect_true(two$shares$is_done())
})

test_that("an engine's calls are shared equally where both want them, and pauses are kept by all", {
  two <- two_coordinators()
  write_db(two$store, "DELETE FROM slots")
  append_rows(two$store, "slots", numbered_rows("mixer", 4, "slot"))
  two$shares$beat()
  # As many as it has processes; the rest is free.
  expect_equal(two$shares$most_pieces(two$queue), 2)
  take_slots(two$store, two$other, "mixer", 4)
  write_db(
    two$store, "UPDATE slots SET writer = ? WHERE slot > 1",
    params = list(two$other)
  )
  two$shares$beat()
  expect_equal(two$shares$most_pieces(two$queue), 1)
  # It says that it lacks one, and the other one gives it back.
  expect_equal(wanted_engines(read_writers(two$store)$wants[1]), character())
  two$shares$beat()
  wants <- read_writers(two$store)
  expect_equal(wanted_engines(wants$wants[wants$id == two$lock]), "mixer")
  give_slots(two$store, two$other, "mixer", 1)
  two$shares$beat()
  expect_equal(two$shares$most_pieces(two$queue), 2)
  # Where the other one wants more, one is enough for it.
  write_db(
    two$store, "UPDATE slots SET writer = ? WHERE slot <= 3",
    params = list(two$lock)
  )
  beat_once(two$store, two$other, to_json(list("mixer")))
  two$shares$beat()
  slots <- read_slots(two$store)
  expect_equal(slots$slots[slots$writer %in% two$lock], 2)
  two$shares$note_pause(two$queue, 30)
  two$shares$beat()
  expect_match(two$queue$state_words(clock()), "asked to be left alone for (29|30) s")
})

test_that("what others have made is measured here where they don't, and twins are known", {
  two <- two_coordinators()
  made <- claim_takes(two$store, two$other, "mixer", 2)
  kept <- keep_pictures(two$store, list(png::writePNG(scene(1)), png::writePNG(scene(2))))
  record_made(two$store, new_table(
    take = made$take, file = kept$file, sha256 = kept$sha256, width = 96, height = 64,
    bytes = file.size(take_path(two$store, kept$file)), seconds = 1, cost = 0, request = "{}",
    answer = "{}", first_call = FALSE
  ))
  pass_on_work(two$store, made$take, NA_character_)
  expect_equal(two$shares$takes_to_measure(waiting = 4), integer())
  # It counts what is free now and then.
  ats <- integer()
  wait_until({
    two$shares$beat()
    ats <- two$shares$takes_to_measure(waiting = 0)
    length(ats) > 0
  })
  expect_equal(two$takes$ids(ats), made$take)
  expect_equal(two$takes$row(ats)$sha256, kept$sha256)
  expect_equal(two$shares$may_record_scores(made$take, kept$sha256[c(1, 1)]), c(TRUE, FALSE))
  # The plan goes through all pipelines of a case first.
  elsewhere <- which(two$table$case != two$table$case[ats[1]])[1]
  expect_equal(two$shares$twins_of(two$takes, elsewhere, kept$sha256[1]), ats[1])
  expect_length(two$shares$twins_of(two$takes, ats[1], kept$sha256[1]), 0)
  expect_true(two$takes$can_be_unmade(ats[1]))
  two$shares$note_ended(made$take)
  two$shares$note_again(made$take[1], "mixer")
  expect_equal(claims_of(two$store, two$lock), made$take[1])
})

test_that("progress of several coordinators is told as one, and who they are in a few words", {
  who <- new_table(
    person = c("ana on hut", "ben on mast", "ana on hut"),
    pid = 1:3,
    since = "2026-11-25T10:00:00Z"
  )
  expect_equal(writers_words(who), "3 processes: ana on hut (2) and ben on mast")
  expect_equal(writers_words(who[2, ]), "ben on mast, process 2, since 2026-11-25 10:00 UTC")
  writers <- new_table(progress = c(
    to_json(list(left = 10, flying = 2, words = "", engines = data.frame(
      engine = c("a", "b"), flying = 1, words = c("busy", "")
    ))),
    to_json(list(left = 30, flying = 1, words = "waiting", engines = data.frame(
      engine = "a", flying = 1, words = ""
    ))),
    NA,
    "no JSON"
  ))
  told <- read_noted_progress(writers)
  expect_equal(told$left, 30)
  expect_equal(told$flying, 3)
  expect_equal(told$words, "waiting")
  # If one of them gets on with an engine, it is not busy.
  expect_equal(told$engines$words, c("", ""))
  expect_equal(told$engines$flying, c(2, 1))
  expect_null(read_noted_progress(writers[3:4, ]))
  expect_equal(read_noted_progress(writers[1, ])$flying, 2)
})
