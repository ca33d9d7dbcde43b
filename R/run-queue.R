# The queue of one engine in a run: which takes are waiting for it, which are to be tried again
# later, and whether it may be called now.
EngineQueue <- R6::R6Class(
  "sprenn_queue",
  cloneable = FALSE,
  public = list(
    # `waiting` are numbers of takes, `own` those of all that the engine has to make (including
    # those that wait for another step).
    initialize = function(engine, name, waiting = integer(), own = waiting, far = FALSE) {
      private$.engine <- engine
      # Programs run beside this process, unless other machines could run them.
      private$.converses <- !is.null(engine$converse) && !(far && !is.null(engine$plan))
      private$.name <- name
      private$line <- TakeLine$new(waiting)
      private$.total <- length(own)
      private$unsent[own] <- TRUE
    },

    # Adds takes at the front: the step before is done, or it is made again.
    add = function(at) {
      private$unsent[at] <- TRUE
      private$line$add(at)
    },

    # No more takes of these numbers are sent, until they are taken back in by leaving out others.
    leave_out = function(out) {
      private$out <- out
      private$line$leave_out(out)
    },

    # Whether anything is left that does not need a person.
    is_open = function() {
      is.null(private$.parked) &&
        (private$line$ready > 0 || private$line$any_in(private$later$take))
    },

    # Whether the engine can be sent a take now, where it may have so many pieces of work in flight.
    may_begin = function(now, most = private$.engine$about$at_once) {
      # An engine that can't be reached is tried with one call at a time.
      most <- if (is.null(private$away)) most else min(1, most)
      ready <- self$is_due(now) && private$.pieces < most && private$keeps_rate(now)
      if (!ready) {
        return(FALSE)
      }

      due <- which(private$later$due <= now)
      if (length(due) > 0) {
        private$line$add(private$later$take[due])
        private$later <- private$later[-due, ]
      }

      private$line$ready > 0
    },

    # Whether it is left alone, or has asked for that until later.
    is_due = function(now) is.null(private$.parked) && now >= private$not_before,

    # Takes that another process may have now leave the queue.
    drop = function(at) {
      private$line$remove(private$line$ready_among(at))
      private$later <- private$later[!private$later$take %in% at, ]
      private$unsent[at] <- FALSE
    },

    # The number of takes that are left of all that the engine makes, by whatever process: others
    # have done the rest of what there was.
    expect = function(left) {
      own <- private$.made + private$.failed
      private$.total <- max(private$.total, left + own)
      private$.elsewhere <- private$.total - left - own
    },

    # Takes the next call off the queue: the take `first`, and those that are asked for in the same
    # call. `together` is a function of it and of a filter for takes that wait.
    take_next = function(together = function(first, ready_among) first,
                         first = private$line$first()) {
      at <- together(first, private$line$ready_among)
      private$line$remove(at)
      private$unsent[at] <- FALSE
      at
    },

    # Those of some takes that could be sent now.
    ready_among = function(takes) private$line$ready_among(takes),

    # How many takes may be sent to a worker process as one piece of work: as many as are made
    # within a moment. One, where the engine's pace is unknown or limited, or anything is wrong with
    # it, or where what was sent and not tried might have been paid for.
    takes_a_piece = function() {
      plain <- is.null(private$.engine$per_minute) && !asks_once(private$.engine)
      well <- is.null(private$away) && is.null(private$busy_since) && is.null(private$alike)
      if (!plain || !well || private$timed == 0) {
        return(1)
      }

      max(1, min(most_in_piece, floor(longest_piece / self$seconds_each())))
    },

    # A piece of work begins: of these, an engine has only as many at once as it takes.
    begin_piece = function() private$.pieces <- private$.pieces + 1,
    end_piece = function() private$.pieces <- private$.pieces - 1,

    # A call begins. TRUE where it is the checkpoint's first, which may have to load it.
    begin_call = function(checkpoint, now) {
      private$.in_flight <- private$.in_flight + 1
      private$starts <- c(private$starts, now)
      first <- !checkpoint %in% private$called
      private$called <- union(private$called, checkpoint)
      first
    },

    end_call = function() private$.in_flight <- private$.in_flight - 1,

    # `first` calls may include loading, so they don't count for the duration.
    count_made = function(seconds, first) {
      private$.made <- private$.made + 1
      private$not_before <- 0
      self$note_answer()
      if (!first) {
        private$seconds <- private$seconds + seconds
        private$timed <- private$timed + 1
      }
    },

    count_failed = function(takes) private$.failed <- private$.failed + takes,

    # Takes back a take that was made, to make it again.
    take_back = function(at) {
      private$.made <- private$.made - 1
      self$add(at)
    },

    # A take is tried again at that time.
    postpone = function(at, due) {
      private$unsent[at] <- TRUE
      private$later <- rbind(private$later, data.frame(take = at, due = rep(due, length(at))))
    },

    # The engine asked to be left alone until then.
    wait_until = function(until) private$not_before <- max(private$not_before, until),

    # Notes that the engine can't be reached; returns for how many seconds, and how often it was
    # tried.
    note_away = function(now) {
      private$away <- private$away %||% list(since = now, asked = 0)
      private$away$asked <- private$away$asked + 1
      list(seconds = now - private$away$since, asked = private$away$asked)
    },

    note_back = function() private$away <- NULL,

    # Notes that the engine is busy; returns for how many seconds it has made nothing since.
    note_busy = function(now) {
      private$busy_since <- private$busy_since %||% now
      now - private$busy_since
    },

    # Notes a failure of a take. TRUE once so many in a row, of several takes, were of this kind
    # with the same words (numbers aside) that the engine is to blame and not the takes.
    note_failure = function(at, failure) {
      same <- paste(failure$kind, gsub("[0-9]+", "", conditionMessage(failure)))
      if (!identical(private$alike$words, same)) {
        private$alike <- list(words = same, takes = integer())
      }

      private$alike$takes <- c(private$alike$takes, at)
      length(private$alike$takes) >= most_alike &&
        length(unique(private$alike$takes)) >= most_alike_takes
    },

    # Whatever was wrong with the engine, it answers as it should.
    note_answer = function() {
      private$away <- NULL
      private$busy_since <- NULL
      private$alike <- NULL
    },

    # Stops sending, since something needs a person, who is told `why`.
    park = function(why) private$.parked <- why,

    # The engine can't be built in another process.
    keep_here = function() {
      private$.engine$plan <- NULL
      private$.converses <- !is.null(private$.engine$converse)
    },

    # Ends the processes that the engine has started.
    close = function() {
      if (!is.null(private$.engine$close)) {
        private$.engine$close()
      }
    },

    # Seconds for a picture: measured, or else as the engine states.
    seconds_each = function() {
      if (private$timed > 0) {
        private$seconds / private$timed
      } else {
        as.numeric(private$.engine$about$seconds)
      }
    },

    # How long a worker may take for a picture before it is given up. A worker on another machine
    # can be cut off without a sign.
    patience = function(far) {
      if (is.finite(private$.engine$seconds)) {
        return(private$.engine$seconds + 5)
      }

      if (far && private$timed >= 3) {
        max(60, 20 * self$seconds_each())
      } else {
        max(1800, 50 * private$.engine$about$seconds, na.rm = TRUE)
      }
    },

    # Whether it is known how long a picture takes.
    is_timed = function() private$timed > 0,

    # A rate limit allows rate_calls() in so many seconds; NULL without a limit. A rate below one a
    # minute means a longer window.
    rate_window = function() {
      most <- private$.engine$per_minute
      if (!is.null(most)) 60 * max(1, 1 / most)
    },

    # Why it is not working, in words.
    state_words = function(now) {
      if (!is.null(private$.parked)) {
        "left alone"
      } else if (!is.null(private$away)) {
        "can't be reached, is tried again"
      } else if (private$not_before > now) {
        paste0("asked to be left alone for ", ceiling(private$not_before - now), " s")
      } else {
        ""
      }
    }
  ),
  active = list(
    name = function() private$.name,
    engine = function() private$.engine,
    # Takes that are left out don't count until they are taken back in.
    total = function() private$.total - self$left_out,
    left_out = function() sum(private$unsent[private$out] %in% TRUE),
    made = function() private$.made,
    failed = function() private$.failed,
    in_flight = function() private$.in_flight,
    # Pieces of work in flight; one may hold several calls.
    pieces = function() private$.pieces,
    # Takes that could be sent now, and the numbers of all that are still to be sent.
    ready = function() private$line$ready,
    unsent_now = function() which(private$unsent),
    # The number of takes that are neither made nor given up.
    left = function() self$total - private$.made - private$.failed - private$.elsewhere,
    # Takes that other processes have made or given up.
    elsewhere = function() private$.elsewhere,
    # Why it is left alone; NULL while it is not.
    parked = function() private$.parked,
    # Whether one process can have many of its calls in flight.
    converses = function() private$.converses,
    # Whether its pictures can be made in worker processes.
    goes_out = function() !private$.converses && !is.null(private$.engine$plan)
  ),
  private = list(
    .name = NULL,
    .engine = NULL,
    .converses = FALSE,
    .total = 0,
    .made = 0,
    .failed = 0,
    .elsewhere = 0,
    .in_flight = 0,
    .pieces = 0,
    .parked = NULL,
    line = NULL,
    # By the number of a take, whether it is still to be sent.
    unsent = logical(),
    out = integer(),
    later = data.frame(take = integer(), due = numeric()),
    away = NULL,
    busy_since = NULL,
    alike = NULL,
    not_before = 0,
    called = character(),
    starts = numeric(),
    seconds = 0,
    timed = 0,

    # Whether another call keeps to the rate limit.
    keeps_rate = function(now) {
      within <- self$rate_window()
      if (is.null(within)) {
        private$starts <- numeric()
        return(TRUE)
      }

      private$starts <- private$starts[private$starts > now - within]
      length(private$starts) < rate_calls(private$.engine$per_minute)
    }
  )
)

# How many calls a rate limit allows in its window.
rate_calls <- function(per_minute) max(1, floor(per_minute))

# A queue for every engine, by name; `far` is whether the run has workers on other machines.
new_queues <- function(engines, takes, far) {
  lapply(stats::setNames(nm = names(engines)), function(name) {
    EngineQueue$new(
      engines[[name]],
      name,
      waiting = takes$ready_of(name),
      own = takes$wanted_of(name),
      far = far
    )
  })
}

# The most takes in a piece of work, and how long it may take, in seconds, if it holds several. More
# would hardly be faster, but a worker that ends would lose more.
most_in_piece <- 16
longest_piece <- 0.5

# After so many failures alike, of so many takes, an engine is left alone.
most_alike <- 8
most_alike_takes <- 3
