# Conversations with servers and programs. One picture, or one question to a judge, is a
# conversation, represented as data: a list of the `call` to make next (after `wait` seconds, if
# any), or of the `answer` that is awaited, and a function `then` for what comes, which returns the
# next such list or the outcome; so does `lost`, if it is there, which is called with the failure
# where no answer comes. The same data can be run one call at a time, or with many conversations in
# flight.

# Runs a conversation, one call after the other. `watch` is called with each turn and its answer or
# failure.
drive <- function(turn, watch = function(turn, answer) NULL) {
  while (is_turn(turn)) {
    steady_sleep(turn$wait %||% 0)
    turn <- if (awaits(turn)) turn_awaited(turn) else turn_called(turn, watch)
  }

  turn
}

# An answer that has to be looked for: `look` returns it or a failure, or NULL as long as neither
# is there;
# `stop` ends what makes it.
new_awaited <- function(look, stop) {
  structure(list(look = look, stop = stop), class = "sprenn_awaited")
}

is_turn <- function(said) {
  is.list(said) && (inherits(said[["call"]], "sprenn_call") || awaits(said))
}

awaits <- function(said) inherits(said[["answer"]], "sprenn_awaited")

turn_called <- function(turn, watch) {
  answer <- tryCatch(fetch_call(turn$call), sprenn_failure = identity)
  watch(turn, answer)
  after_answer(turn, answer)
}

# The next turn or the outcome; failures are raised.
after_answer <- function(turn, answer) {
  if (!inherits(answer, "condition")) {
    turn$then(answer)
  } else if (is.null(turn$lost)) {
    stop(answer)
  } else {
    turn$lost(answer)
  }
}

turn_awaited <- function(turn) {
  on.exit(turn$answer$stop())
  pause <- shortest_pause
  while (is.null(answer <- turn$answer$look())) {
    steady_sleep(pause)
    pause <- min(longest_pause, 2 * pause)
  }

  after_answer(turn, answer)
}

# Pauses in seconds between two looks for an answer.
shortest_pause <- 0.002
longest_pause <- 0.1

# In seconds, between two looks whether a call has gone on.
shortest_nap <- 0.005

# Many conversations at once in one process.
Conversations <- R6::R6Class(
  "sprenn_conversations",
  cloneable = FALSE,
  public = list(
    initialize = function(at_once = 256) {
      private$calls <- curl::new_pool(total_con = at_once, host_con = at_once)
    },

    # Continues from a turn until there is an outcome, and calls `done` with it: a value or a
    # failure.
    begin = function(turn, done) {
      force(done)
      private$open <- private$open + 1
      private$go_on(turn, done)
    },

    # Starts the calls that are due and processes the answers; waits for these at most so many
    # seconds.
    step = function(timeout = 0) {
      now <- clock()
      due <- vapply(private$waiting, function(one) one$due <= now, NA)
      ready <- private$waiting[due]
      private$waiting <- private$waiting[!due]
      for (one in ready) {
        private$call(one$turn, one$done)
      }

      private$look()
      private$run_calls(clock() + timeout)
    },

    # Seconds until the first of those that wait is due.
    until_due = function() {
      due <- vapply(private$waiting, `[[`, 0, "due")
      max(0, min(due, Inf) - clock())
    },

    # Whether any call is in flight.
    has_calls = function() length(curl::multi_list(private$calls)) > 0,

    # Ends what is still at work for an answer.
    close = function() {
      for (one in private$awaited) {
        one$turn$answer$stop()
      }

      private$awaited <- list()
    }
  ),
  active = list(
    # The number of conversations without an outcome.
    count = function() private$open
  ),
  private = list(
    calls = NULL,
    waiting = list(),
    # Conversations that await a program's answer.
    awaited = list(),
    open = 0,

    # Goes on with the calls until one of them has ended, or it is `until`. curl's own wait for
    # parts of a second is a busy one, which costs a core.
    run_calls = function(until) {
      repeat {
        ran <- curl::multi_run(timeout = 0, poll = TRUE, pool = private$calls)
        left <- until - clock()
        if (left <= 0 || ran$pending == 0 || ran$success + ran$error > 0) {
          return()
        }

        steady_sleep(min(left, shortest_nap))
      }
    },

    # Takes the answers that are there.
    look = function() {
      looked <- private$awaited
      private$awaited <- list()
      for (one in looked) {
        answer <- tryCatch(one$turn$answer$look(), sprenn_failure = identity)
        if (is.null(answer)) {
          private$awaited <- c(private$awaited, list(one))
        } else {
          following <- next_turn(one$turn, answer)
          one$turn$answer$stop()
          private$go_on(following, one$done)
        }
      }
    },

    go_on = function(turn, done) {
      if (!is_turn(turn)) {
        private$open <- private$open - 1
        return(done(turn))
      }

      if ((turn$wait %||% 0) > 0) {
        due <- clock() + turn$wait
        private$waiting <- c(private$waiting, list(list(due = due, turn = turn, done = done)))
      } else {
        private$call(turn, done)
      }
    },

    call = function(turn, done) {
      # It is evaluated only when the answer arrives; by then the caller's loop has moved on.
      force(done)
      if (awaits(turn)) {
        private$awaited <- c(private$awaited, list(list(turn = turn, done = done)))
        return()
      }

      fetch_later(
        turn$call,
        function(answer) private$go_on(next_turn(turn, answer), done),
        private$calls
      )
    }
  )
)

# What follows from an answer: the next turn, the outcome, or a failure.
next_turn <- function(turn, answer) {
  tryCatch(guarded(after_answer(turn, answer), broken_answer), sprenn_failure = identity)
}

# Temporary failures are retried, up to so many times, and with waits of at most so many seconds.
most_tries <- 4
longest_wait <- 60

# The pause in seconds before a failed call is tried again, at least as long as the server asks;
# NULL if it is not worth another try, or asks for longer than the `longest` wait. Failures of
# these `kinds` are, unless the picture may have been paid for.
retry_pause <- function(failure, tries, key, longest = longest_wait, kinds = passing_failures) {
  pause <- failure$retry_after %||% pause_after(tries, key)
  worth_it <- failure$kind %in% kinds && !isTRUE(failure$paid)
  if (worth_it && tries < most_tries && pause <= longest) {
    pause
  }
}

# Exponential backoff, with jitter by take so that they don't all come back at once.
pause_after <- function(tries, key) {
  apart <- strtoi(substr(hash_of(list(key, tries)), 1, 4), 16) / 65535
  0.25 * 2^tries * (0.75 + 0.5 * apart)
}

# Calls `attempt` until it succeeds or fails for good; returns the result of the last try, a value
# or a failure. `between` is called before each pause.
try_patiently <- function(attempt, key, between = function() NULL, kinds = passing_failures) {
  for (tries in seq_len(most_tries)) {
    outcome <- tryCatch(attempt(), sprenn_failure = identity)
    pause <- if (inherits(outcome, "condition")) retry_pause(outcome, tries, key, kinds = kinds)
    if (is.null(pause)) {
      return(outcome)
    }

    between()
    steady_sleep(pause)
  }
}

# Makes a picture, with retries under the same key so that it is paid only once.
make_patiently <- function(engine, request) {
  spent <- 0
  made <- try_patiently(key = request$key, attempt = function() {
    made <- tryCatch(make_picture(engine, request), sprenn_failure = identity)
    spent <<- add_spent(engine, made, spent)
    made
  })
  if (spent > 0) {
    made$cost <- spent
  }

  if (inherits(made, "condition")) {
    stop(made)
  }

  made
}

# The total cost of all tries of a take. Only our own contract guarantees that a key is paid for
# once.
add_spent <- function(engine, made, spent) {
  if (pays_once(engine) || is.null(made$cost) || is.na(made$cost)) {
    spent
  } else {
    spent + made$cost
  }
}
