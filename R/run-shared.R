# Several coordinators on one PostgreSQL server: each claims a few takes at a time, and slots for
# calls of each engine. Both are lost with the lock, if this process is silent for too long.
RunShared <- R6::R6Class(
  "sprenn_shared",
  cloneable = FALSE,
  public = list(
    # `takes` are the run's RunTakes, `planned` the numbers of those of the plan; `processes` is how
    # many pieces of work can be done here at a time, and with `score`, takes are measured.
    initialize = function(store, lock, planned, takes, queues, status, log, processes, score) {
      private$store <- store
      private$lock <- lock
      private$takes <- takes
      private$queues <- queues
      private$status <- status
      private$log <- log
      private$processes <- max(1, processes)
      private$score <- score
      takes$find_by_position(planned)
      private$slots <- vapply(queues, function(queue) 0, 0)
      private$free <- vapply(queues, function(queue) TRUE, NA)
      private$seen <- nobody_heard
      private$reconnections <- store$reconnections
      private$count()
      private$adjust(read_writers(store))
    },

    beat = function() {
      lost <- FALSE
      if (!beat_once(private$store, private$lock, private$wants)) {
        private$join_again()
        lost <- TRUE
      }

      if (private$store$reconnections > private$reconnections) {
        private$reconnections <- private$store$reconnections
        # While the server was away, nobody could be heard of.
        private$seen <- nobody_heard
        give_back_all_but(private$store, private$lock, private$takes$ids(which(private$in_hand)))
      }

      writers <- read_writers(private$store)
      private$seen <- heard_of(private$seen, writers)
      gone <- are_gone(writers, private$seen) & writers$id != private$lock
      for (i in which(gone)) {
        private$bury(writers[i, ])
      }

      private$count()
      private$adjust(writers[!gone, ])
      lost
    },

    most_pieces = function(queue) private$slots[[queue$name]],

    # An engine with a rate limit gives turns to all coordinators together.
    may_call = function(queue) {
      window <- queue$rate_window()
      if (is.null(window)) {
        return(TRUE)
      }

      seconds <- take_turn(private$store, queue$name, window)
      if (seconds > 0) {
        queue$wait_until(clock() + min(seconds, note_every))
      }

      seconds == 0
    },

    # Claims no more than what is begun soon, so that nobody waits for this process in the end.
    fill = function(queue) {
      name <- queue$name
      if (!private$free[[name]]) {
        return(invisible())
      }

      if (private$slots[[name]] == 0 && clock() - private$adjusted > 0.5) {
        private$adjust(read_writers(private$store))
      }

      room <- private$slots[[name]] - queue$pieces
      if (queue$ready >= room || !queue$is_due(clock())) {
        return(invisible())
      }

      # An engine that is not known to be quick gets one take for each call.
      soon <- ceiling(claimed_ahead / max(queue$seconds_each(), 0.01, na.rm = TRUE))
      each <- if (queue$is_timed()) max(1, min(most_in_piece, soon)) else 1
      wanted <- room * each
      claimed <- claim_takes(
        private$store, private$lock, name, wanted, seeds_a_call(queue$engine), private$left_out
      )
      private$free[[name]] <- nrow(claimed) >= wanted
      claimed <- private$without_sent(claimed)
      if (nrow(claimed) > 0) {
        queue$add(private$hold(private$takes$note_claimed(claimed$position, claimed$attempt)))
      }
    },

    # The numbers of takes, unless enough are `waiting`.
    takes_to_measure = function(waiting) {
      if (!private$score || !private$measure_free || waiting >= fewest_measured) {
        return(integer())
      }

      most <- most_measured * private$processes
      claimed <- claim_measuring(private$store, private$lock, most)
      private$measure_free <- nrow(claimed) == most
      private$hold(private$takes$note_elsewhere(
        claimed$position, claimed[c("file", "sha256")], claimed$bytes
      ))
    },

    # What others have claimed may come back, if they end. Nobody asks more often than twice a
    # second.
    is_done = function() {
      if (clock() - private$asked < 0.5) {
        return(FALSE)
      }

      private$asked <- clock()
      !is_work_left(private$store, private$parked, private$left_out)
    },

    may_record = function(takes) hold_takes(private$store, private$lock, takes),
    may_record_scores = function(takes, sha256) {
      hold_measured(private$store, private$lock, takes, sha256)
    },

    # A coordinator measures what it has made, up to what it can do soon.
    note_made = function(takes, waiting) {
      if (!private$score) {
        free_what_follows(private$store, takes)
        end_work(private$store, takes)
        return(rep(FALSE, length(takes)))
      }

      own <- waiting + seq_along(takes) <= most_kept * private$processes
      if (any(own)) {
        pass_on_work(private$store, takes[own], private$lock)
      }

      if (any(!own)) {
        pass_on_work(private$store, takes[!own], NA_character_)
        private$measure_free <- TRUE
      }

      own
    },

    note_ended = function(takes) end_work(private$store, takes),
    note_again = function(take, engine) make_again(private$store, private$lock, take, engine),

    # Others may get on with it.
    note_parked = function(queue) {
      private$parked <- union(private$parked, queue$name)
      self$give_back(queue, queue$unsent_now)
    },

    give_back = function(queue, at) {
      queue$drop(at)
      private$in_hand[at] <- FALSE
      give_back_work(private$store, private$lock, private$takes$ids(at))
    },

    note_pause = function(queue, seconds) pause_engine(private$store, queue$name, seconds),

    twins_of = function(takes, at, sha256) {
      same <- read_same_picture(private$store, sha256)
      own <- takes$row(at)
      same <- same[same$case != own$case, ]
      takes$note_elsewhere(same$position, same[c("file", "sha256")], same$bytes)
    },

    note_left_out = function(steps, out) {
      private$left_out <- steps
      private$count_after <- -Inf
      for (queue in private$queues) {
        self$give_back(queue, intersect(queue$unsent_now, out))
      }
    }
  ),
  private = list(
    store = NULL,
    lock = NULL,
    takes = NULL,
    queues = NULL,
    status = NULL,
    log = NULL,
    processes = 1,
    score = TRUE,
    # By engine: how many slots this process has, and whether any takes may be free.
    slots = numeric(),
    free = logical(),
    measure_free = TRUE,
    parked = character(),
    left_out = character(),
    # By the number of a take: whether this process has claimed it.
    in_hand = logical(),
    # JSON: the engines of which it would take more slots.
    wants = NULL,
    # When each coordinator was last heard of.
    seen = NULL,
    reconnections = 0,
    # How many coordinators there are.
    sharing = 1,
    asked = -Inf,
    adjusted = -Inf,
    count_after = -Inf,

    # This process was silent for too long. It goes on, without what it had.
    join_again = function() {
      me <- this_process(beside = TRUE, id = private$lock)
      if (!try_lock(private$store, me)) {
        stop_for_holder(private$store, those_in_the_way(read_writers(private$store), me))
      }

      private$log$note("joined again", message = "It was silent for too long.")
      private$slots[] <- 0
      private$in_hand[] <- FALSE
      for (queue in private$queues) {
        queue$drop(queue$unsent_now)
      }
    },

    # Takes that were claimed, but for those that somebody who is gone has sent to an engine that
    # must not be asked twice: they may have been paid for.
    without_sent = function(claimed) {
      is_sent <- claimed$failure %in% "sent"
      sent <- claimed$take[is_sent]
      if (length(sent) > 0) {
        in_transaction(private$store, {
          record_unanswered(private$store, sent)
          end_work(private$store, sent)
        })
      }

      claimed[!is_sent, ]
    },

    # A coordinator is gone.
    bury = function(writer) {
      private$log$note("coordinator gone", message = holder_words(writer))
      end_writers(private$store, writer)
      private$free[] <- TRUE
      private$measure_free <- TRUE
    },

    hold = function(at) {
      private$in_hand[at] <- TRUE
      at
    },

    # How much is left, and whether any of it is free. A large run takes longer to count.
    count = function() {
      if (clock() < private$count_after) {
        return(invisible())
      }

      began <- clock()
      work <- count_work(private$store, private$left_out)
      private$count_after <- clock() + 20 * (clock() - began)
      make <- work[work$kind == "make", ]
      at <- match(names(private$queues), make$engine)
      private$free[] <- (make$free[at] > 0) %in% TRUE
      private$measure_free <- sum(work$free[work$kind == "measure"]) > 0
      left <- ifelse(is.na(at), 0, make$left[at])
      for (i in seq_along(private$queues)) {
        private$queues[[i]]$expect(left[i])
      }

      private$status$note_left(sum(left), sum(work$left) * private$score, private$sharing)
    },

    # Takes slots that it could use and gives others back, so that nobody has more than an equal
    # share of what somebody else wants too.
    adjust = function(writers) {
      private$adjusted <- clock()
      slots <- read_slots(private$store)
      others <- writers[writers$id != private$lock, ]
      private$sharing <- nrow(others) + 1
      wanted <- lapply(others$wants, wanted_engines)
      pauses <- read_pauses(private$store)
      for (i in seq_len(nrow(pauses))) {
        private$queues[[pauses$engine[i]]]$wait_until(clock() + pauses$seconds[i])
      }

      lacking <- character()
      for (queue in private$queues) {
        own <- slots[slots$engine == queue$name, ]
        asking <- others$id[vapply(wanted, function(engines) queue$name %in% engines, NA)]
        sharing <- length(union(asking, setdiff(own$writer, c(NA, private$lock)))) + 1
        share <- ceiling(sum(own$slots) / sharing)
        usable <- private$usable_slots(queue)
        keeps <- if (length(asking) > 0) min(usable, share) else usable
        has <- private$bring_slots_to(keeps, queue, sum(own$slots[own$writer %in% private$lock]))
        private$slots[[queue$name]] <- min(has, keeps)
        if (has < min(usable, share)) {
          lacking <- c(lacking, queue$name)
        }
      }

      private$wants <- if (length(lacking) > 0) to_json(as.list(lacking))
    },

    # Takes or gives back slots of an engine, of which it `has` some; returns how many it has then.
    # A slot is needed until its call has ended.
    bring_slots_to = function(keeps, queue, has) {
      if (has < keeps) {
        return(has + take_slots(private$store, private$lock, queue$name, keeps - has))
      }

      spare <- min(has - keeps, has - queue$pieces)
      if (spare > 0) {
        has <- has - give_slots(private$store, private$lock, queue$name, spare)
      }

      has
    },

    # How many calls of an engine this process could have in flight.
    usable_slots = function(queue) {
      if (!is.null(queue$parked) || !(private$free[[queue$name]] || queue$ready > 0)) {
        return(queue$pieces)
      }

      if (queue$converses) queue$engine$about$at_once else private$processes
    }
  )
)

# Seconds of work that a coordinator claims ahead of an engine, and how many takes it keeps to
# measure, a process.
claimed_ahead <- 2
most_kept <- 48

wanted_engines <- function(json) {
  if (is.na(json)) {
    return(character())
  }

  as.character(unlist(tryCatch(jsonlite::parse_json(json), error = function(e) NULL)))
}
