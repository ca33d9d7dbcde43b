# What the runner sends out next: which take of which engine, and whether there is room.

# Nobody is in flight, and nothing is left, or nothing more is to be begun.
is_over <- function(works) {
  length(works$sent) + length(works$landing) + flying(works) == 0 &&
    (works$stopping || !anything_left(works))
}

flying <- function(works) sum(vapply(works$lanes, `[[`, 0, "flying"))

anything_left <- function(works) {
  open <- vapply(
    works$lanes,
    function(lane) is.null(lane$parked) && length(lane$queue) + nrow(lane$later) > 0,
    NA
  )
  any(open) || length(works$to_score) > 0
}

# Sends what may be sent now. Making comes before measuring, but for one place in the pool:
# what is measured early shows what is wrong before all is made.
send_all <- function(works) {
  sent <- FALSE
  for (lane in works$lanes) {
    sent <- send_of_lane(works, lane) || sent
  }

  # What is done in this process blocks it: one take, and only if there is nothing else.
  if (!has_workers(works)) {
    if (length(works$to_score) && !sent) {
      send_to_score(works)
      sent <- TRUE
    }

    return(sent)
  }

  while (length(works$to_score) && has_room(works)) {
    send_to_score(works)
    sent <- TRUE
  }

  sent
}

send_of_lane <- function(works, lane) {
  # Work that is done here blocks: the others get their turn in between.
  blocks <- is.null(lane$engine$converse) && !goes_out(works, lane)
  sent <- FALSE
  while (may_send(works, lane)) {
    send_take(works, lane, next_in(lane))
    sent <- TRUE
    if (blocks) {
      break
    }
  }

  sent
}

goes_out <- function(works, lane) has_workers(works) && !is.null(lane$engine$plan)

# Where nobody joins a pool that has no process of its own, all is done here until
# somebody does.
has_workers <- function(works) {
  !is.null(works$pool) && (works$pool$size > 0 || clock() - works$pool$opened < join_patience)
}

join_patience <- 15

# A pool has one piece of work waiting behind each that is being done.
has_room <- function(works, kept = 0) {
  !is.null(works$pool) && length(works$sent) + kept < 2 * works$pool$size
}

has_room_to_make <- function(works) {
  measuring <- vapply(works$sent, function(job) job$work == "score_elsewhere", NA)
  has_room(
    works,
    kept = as.numeric(length(works$to_score) >= fewest_measured && !any(measuring))
  )
}

fewest_measured <- 4

may_send <- function(works, lane) {
  now <- clock()
  if (works$stopping || !is.null(lane$parked) || now < lane$not_before) {
    return(FALSE)
  }

  if (!has_free_place(works, lane) || !within_rate(lane, now)) {
    return(FALSE)
  }

  due <- which(lane$later$due <= now)
  if (length(due)) {
    lane$queue <- c(lane$later$take[due], lane$queue)
    lane$later <- lane$later[-due, ]
  }

  length(lane$queue) > 0
}

# While an engine is away, one call at a time asks whether it is back.
has_free_place <- function(works, lane) {
  most <- if (is.null(lane$away)) lane$engine$about$at_once else 1
  lane$flying < most && (!goes_out(works, lane) || has_room_to_make(works))
}

# Whether another call keeps to the calls a minute that were asked for.
within_rate <- function(lane, now) {
  most <- lane$engine$per_minute
  if (is.null(most)) {
    return(TRUE)
  }

  lane$starts <- lane$starts[lane$starts > now - 60]
  # Less than one a minute is a longer pause.
  if (most < 1) {
    length(lane$starts) == 0 && now - (lane$last %||% -Inf) >= 60 / most
  } else {
    length(lane$starts) < floor(most)
  }
}

next_in <- function(lane) {
  at <- lane$queue[1]
  lane$queue <- lane$queue[-1]
  at
}

send_take <- function(works, lane, at) {
  take <- works$takes[at, ]
  step <- works$steps[works$step[at], ]
  works$tries[at] <- works$tries[at] + 1
  request <- request_for(
    works$trial,
    step,
    lane$engine,
    take,
    works$inputs,
    parents_in(works$store)
  )
  # Another run of the same takes is made anew, not given what this one got.
  request$key <- paste0(
    substr(hash_of(list(works$facts$key, take$take)), 1, 20),
    "-", take$attempt
  )
  job <- list(
    at = at,
    take = take,
    lane = lane,
    request = request,
    sent = describe_request(
      request,
      step$engine,
      lane$engine$about$version,
      take,
      works$hashes
    ),
    began = clock()
  )
  # The first call of a checkpoint may have to load it.
  job$first <- !step$checkpoint %in% lane$called
  lane$called <- union(lane$called, step$checkpoint)
  lane$flying <- lane$flying + 1
  lane$starts <- c(lane$starts, job$began)
  lane$last <- job$began
  note_event(works, "sent", job)
  if (!is.null(lane$engine$converse)) {
    converse(works, job, function() lane$engine$converse(request))
  } else if (goes_out(works, lane)) {
    send_to_make(works, job)
  } else {
    land_take(
      works,
      job,
      tryCatch(make_picture(lane$engine, request), sprenn_failure = identity)
    )
  }
}

# What else an engine is made of goes with it where a worker has said that it lacks it.
send_to_make <- function(works, job, files = NULL) {
  plan <- job$lane$engine$plan
  plan$far <- works$pool$far
  send_out(
    works,
    job,
    "make_elsewhere",
    list(plan, job$request, files),
    waits_for(works, job$lane)
  )
}

# How long a worker may be silent about a picture before it is given up. One on another
# machine can be cut off without a sign.
waits_for <- function(works, lane) {
  if (is.finite(lane$engine$seconds)) {
    return(lane$engine$seconds + 5)
  }

  if (works$pool$far && lane$timed >= 3) {
    max(60, 20 * lane$seconds / lane$timed)
  } else {
    max(1800, 50 * lane$engine$about$seconds, na.rm = TRUE)
  }
}

# Goes on with a conversation in the background: `code` gives its next turn.
converse <- function(works, job, code) {
  turn <- tryCatch(code(), sprenn_failure = identity, error = as_engine_error)
  if (inherits(turn, c("sprenn_take_result", "condition"))) {
    # The server is free for the next one, which goes out before this one is looked at.
    job$lane$flying <- job$lane$flying - 1
    works$landing <- c(
      works$landing,
      list(list(job = job, turn = turn, seconds = clock() - job$began))
    )
    return(invisible())
  }

  call <- function() {
    fetch_later(
      turn$call,
      function(answer) {
        converse(works, job, function() {
          if (inherits(answer, "condition")) {
            stop(answer)
          } else {
            turn$then(answer)
          }
        })
      },
      works$calls
    )
  }

  if (turn$wait > 0) {
    works$waiting <- c(works$waiting, list(list(due = clock() + turn$wait, call = call)))
  } else {
    call()
  }
}

send_out <- function(works, job, work, arguments, seconds) {
  job$mirai <- send_to_pool(works$pool, work, arguments, seconds)
  job$work <- work
  works$sent <- c(works$sent, list(job))
}
