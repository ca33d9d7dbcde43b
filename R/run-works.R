# The runner: one process that sends takes out to engines, as many at a time as
# each takes, keeps what comes back, and has it measured as it lands. Every engine
# has a lane; a take in a lane waits, flies, or has landed.

# `wanted` says which takes of the store are to be made, `to_score` which of those
# that are there are to be measured.
new_works <- function(
  store,
  hold,
  trial,
  takes,
  wanted,
  to_score,
  score,
  workers,
  outage,
  progress
) {
  works <- new.env()
  for (name in c(
    "store", "hold", "trial", "takes", "score", "to_score", "outage", "progress"
  )) {
    works[[name]] <- get(name)
  }

  works$made <- takes$state == "made" & !wanted
  works$total <- sum(wanted)
  works$done <- 0
  works$failed <- 0
  works$cost <- 0
  works$scored <- 0
  works$began <- clock()
  works$tries <- works$spent <- works$lost <- numeric(nrow(takes))
  works$doubted <- logical(nrow(takes))
  works$inputs <- new_shelf()
  works$kept <- new_shelf(5e8)
  works$kits <- new_shelf(2e7)
  works$hashes <- new_shelf(2e7)
  works$calls <- curl::new_pool(total_con = 256, host_con = 256)
  works$sent <- works$waiting <- works$landing <- list()
  works$stopping <- FALSE
  works$log <- open_log(store)
  whole <- FALSE
  on.exit(if (!whole) close(works$log))
  works$facts <- get_facts(store)
  works$expected <- if (score) works$total + length(to_score) else 0
  steps <- all_steps(trial$lineup)
  works$steps <- steps
  works$step <- match(takes$pipeline, steps$pipeline)
  engine <- steps$engine[works$step]
  waits <- !is.na(takes$parent) & !(takes$parent %in% takes$take[works$made])
  works$children <- split(which(wanted & waits), takes$parent[wanted & waits])
  works$lanes <- lapply(stats::setNames(nm = names(trial$lineup$engines)), function(name) {
    lane <- new.env()
    lane$name <- name
    lane$engine <- trial$lineup$engines[[name]]
    lane$queue <- which(wanted & !waits & engine %in% name)
    lane$later <- data.frame(take = integer(), due = numeric())
    lane$total <- sum(wanted & engine %in% name)
    lane$flying <- lane$made <- lane$failed <- lane$seconds <- lane$timed <- lane$not_before <- 0
    lane$called <- character()
    lane$starts <- numeric()
    lane
  })
  pieces <- sum(
    vapply(works$lanes, function(lane) if (is.null(lane$engine$plan)) 0 else lane$total, 0)
  ) +
    works$expected
  works$pool <- if (is.list(workers)) {
    open_pool(workers)
  } else if ((count <- worker_count(workers, pieces)) > 0) {
    open_pool(count)
  }
  # Whoever is to join by hand finds here how.
  works$script <- if (isTRUE(works$pool$far)) write_join_script(works$pool, store)
  works$strangers <- character()
  whole <- TRUE
  note_event(works, "run began", message = paste(works$total, "takes to make"))
  tell(works)
  works
}

close_works <- function(works) {
  close_pool(works$pool)
  unlink(works$script)
  note_event(
    works,
    if (works$stopping) "run stopped" else "run ended",
    message = paste(works$done - works$failed, "made,", works$failed, "failed")
  )
  close(works$log)
}

# Sends, lands and measures until there is nothing left that this run can do.
work_through <- function(works) {
  withCallingHandlers(
    repeat {
      busy <- land_all(works)
      if (!works$stopping) {
        busy <- send_all(works) || busy
      }

      busy <- land_next(works) || busy
      if (is_over(works)) {
        break
      }

      if (busy) {
        works$quiet <- 0
      } else {
        idle(works)
      }

      beat(works)
      tell(works)
    },
    interrupt = function(e) {
      if (!works$stopping) {
        works$stopping <- TRUE
        note_event(works, "stopping")
        tell(works, now = TRUE)
        tryInvokeRestart("resume")
      }
    }
  )
  tell(works, now = TRUE)
}

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

# Takes in what has come back. TRUE if anything has.
land_all <- function(works) {
  now <- clock()
  due <- vapply(works$waiting, function(one) one$due <= now, NA)
  ready <- works$waiting[due]
  works$waiting <- works$waiting[!due]
  for (one in ready) {
    one$call()
  }

  curl::multi_run(timeout = 0, poll = TRUE, pool = works$calls)
  give_up_silent(works)
  back <- vapply(works$sent, function(job) has_landed(job$mirai), NA)
  landing <- works$sent[back]
  works$sent <- works$sent[!back]
  for (job in landing) {
    land_job(works, job, landed(job$mirai))
  }

  length(landing) > 0
}

# What came of a job that was sent to a worker.
land_job <- function(works, job, got) {
  if (inherits(got, "sprenn_lost")) {
    return(land_lost(works, job, got))
  }

  works$deaths <- 0
  if (inherits(got, "sprenn_stranger")) {
    return(turn_away(works, job, got))
  }

  if (inherits(got, "sprenn_unbuilt")) {
    return(keep_here(works, job, got))
  }

  if (job$work != "make_elsewhere") {
    return(land_scores(works, job, got))
  }

  if (identical(got, "lacking")) {
    plan <- job$lane$engine$plan
    return(send_to_make(works, job, read_named(plan$folder, plan$files)))
  }

  land_take(works, job, got)
}

# Looks at the next picture that a server has sent.
land_next <- function(works) {
  if (length(works$landing) == 0) {
    return(FALSE)
  }

  one <- works$landing[[1]]
  works$landing <- works$landing[-1]
  # It counts as in flight until it is kept.
  one$job$lane$flying <- one$job$lane$flying + 1
  land_take(
    works,
    one$job,
    judge_result(one$job$lane$engine, one$job$request, one$turn, one$seconds)
  )
  TRUE
}

# Waits a moment, longer the longer nothing comes: looking costs those who work.
idle <- function(works) {
  works$quiet <- min(5, sum(works$quiet) + 1)
  pause <- 0.002 * 2^works$quiet
  if (length(curl::multi_list(works$calls))) {
    curl::multi_run(timeout = min(pause, 0.02), poll = TRUE, pool = works$calls)
  } else {
    Sys.sleep(pause)
  }
}

# A worker that vanished has its work done by another; after five, the work itself
# must be what ends them.
land_lost <- function(works, job, lost) {
  look_after_pool(works)
  works$lost[job$at] <- works$lost[job$at] + 1
  note_event(works, "worker lost", job, message = lost$why)
  if (job$work == "score_elsewhere" && works$lost[job$at] >= most_losses) {
    for (at in job$ats) {
      score_here(works, at)
    }

    return()
  }

  if (job$work == "score_elsewhere") {
    return(put_back(works, job))
  }

  if (lost$late) {
    return(land_take(
      works,
      job,
      failure_of("timed_out", paste("Nothing came back:", lost$why), clock() - job$began)
    ))
  }

  if (works$lost[job$at] >= most_losses) {
    return(land_take(
      works,
      job,
      failure_of(
        "engine_error",
        paste0("The process that makes it ends every time (", lost$why, ")."),
        clock() - job$began
      )
    ))
  }

  put_back(works, job)
}

# Replaces workers that have died. If none lives long enough to do anything, all is
# done in this process.
look_after_pool <- function(works) {
  if (is.null(works$pool)) {
    return(invisible())
  }

  count_workers(works)
  died <- with_other_seed(mend_pool(works$pool))
  if (died > 0) {
    note_event(works, "worker replaced", message = paste(died, "of them had ended"))
  }

  works$deaths <- sum(works$deaths) + died
  if (works$deaths <= 5 * works$pool$here) {
    return(invisible())
  }

  if (works$pool$far) {
    # Other machines may do better.
    works$pool$here <- 0
  } else {
    note_event(
      works,
      "workers given up",
      message = "They end as soon as they are started; all is done in one process."
    )
    for (job in works$sent) {
      put_back(works, job)
    }

    works$sent <- list()
    close_pool(works$pool)
    works$pool <- NULL
  }
}

most_losses <- 5

# As if it had never been sent.
put_back <- function(works, job) {
  if (job$work == "score_elsewhere") {
    works$to_score <- c(works$to_score, job$ats)
    return(invisible())
  }

  job$lane$flying <- job$lane$flying - 1
  works$tries[job$at] <- works$tries[job$at] - 1
  job$lane$queue <- c(job$at, job$lane$queue)
}

# Other machines come and go: how many processes there are is looked up.
count_workers <- function(works) {
  pool <- works$pool
  if (!pool$far) {
    return(invisible())
  }

  size <- as.numeric(mirai::status(.compute = pool$name)$connections)
  if (size != pool$size) {
    note_event(
      works,
      "workers",
      message = paste(size, "are there,", length(pool$processes), "of them started here")
    )
  }

  pool$size <- size
}

# A worker of another version might make and measure otherwise, and gets nothing.
turn_away <- function(works, job, stranger) {
  words <- paste0(
    stranger$machine, " has Sprenn ", stranger$found, ", not ",
    utils::packageVersion("sprenn")
  )
  if (!words %in% works$strangers) {
    note_event(works, "worker turned away", message = words)
  }

  works$strangers <- union(works$strangers, words)
  put_back(works, job)
}

# An engine that can be built in this process only, because it uses what is in it.
keep_here <- function(works, job, unbuilt) {
  job$lane$engine$plan <- NULL
  note_event(
    works,
    "made here",
    job,
    message = paste("It can't be built in another process:", unbuilt$why)
  )
  put_back(works, job)
}
