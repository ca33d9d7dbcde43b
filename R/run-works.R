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
