# Decides what happens to a take once its engine has answered: it is kept, marked doubtful, tried
# again, recorded as failed, or left with its engine.
Outcomes <- R6::R6Class(
  "sprenn_outcomes",
  cloneable = FALSE,
  public = list(
    # The parts of a run; `alive` is called before anything is recorded, `kept` with each take that
    # was made. An engine that can't be reached for `outage` seconds is left alone.
    initialize = function(store,
                          takes,
                          queues,
                          status,
                          measuring,
                          log,
                          score,
                          outage,
                          alive,
                          kept) {
      private$store <- store
      private$takes <- takes
      private$queues <- queues
      private$status <- status
      private$measuring <- measuring
      private$log <- log
      private$score <- score
      private$outage <- outage
      private$alive <- alive
      private$kept <- kept
    },

    # Takes that are on their way to an engine that does not know a call again are recorded as
    # sent.
    note_sent = function(jobs) {
      once <- Filter(function(job) asks_once(job$queue$engine), jobs)
      if (length(once) > 0) {
        takes <- unlist(lapply(once, function(job) job$take$take))
        record_reason(private$store, takes, failure_of("sent", "It was sent.", 0))
      }

      private$log$note_all("sent", jobs)
    },

    # Completes jobs: each of their takes is kept, tried again, or recorded as failed. An answer is
    # a picture, a failure, or for several takes a list of these. A failure of the whole call is one
    # failure, however many takes it was for. The pictures are recorded together.
    complete = function(jobs, answers, stopping = FALSE) {
      parts <- Map(parts_of_answer, jobs, answers)
      # Whether a server has delivered one picture for two takes shows once the first is noted.
      served <- parts[vapply(jobs, function(job) is_server(job$queue$engine), NA)]
      hashes <- lapply(served, function(own) unique(unlist(lapply(own$answers, `[[`, "sha256"))))
      together <- if (anyDuplicated(unlist(hashes))) seq_along(parts) else rep(1, length(parts))
      for (own in split(parts, together)) {
        private$complete_parts(
          unlist(lapply(own, `[[`, "jobs"), recursive = FALSE),
          unlist(lapply(own, `[[`, "answers"), recursive = FALSE),
          stopping
        )
      }
    }
  ),
  private = list(
    store = NULL,
    takes = NULL,
    queues = NULL,
    status = NULL,
    measuring = NULL,
    log = NULL,
    score = TRUE,
    outage = 0,
    alive = NULL,
    kept = NULL,

    # Of jobs for one take each.
    complete_parts = function(jobs, answers, stopping) {
      answers <- Map(private$add_up, jobs, answers)
      failed <- vapply(answers, inherits, NA, "condition")
      if (any(!failed)) {
        private$complete_made(jobs[!failed], answers[!failed])
      }

      for (i in which(failed)) {
        private$complete_failure(jobs[[i]], answers[[i]], stopping)
      }
    },

    # An answer with what all tries have cost, or the doubt about it.
    add_up = function(job, made) {
      spent <- private$takes$add_spent(job$at, job$queue$engine, made)
      if (any(spent > 0)) {
        made$cost <- spent
      }

      if (inherits(made, "condition")) made else private$doubt_twin(job, made)
    },

    # The takes of one call are recorded together: killed in between, a run would ask for the
    # others under another key, and they would be paid for again.
    complete_made = function(jobs, answers) {
      pictures <- keep_pictures(
        private$store,
        lapply(answers, `[[`, "bytes"),
        vapply(answers, `[[`, "", "sha256")
      )
      private$alive()
      record_made(private$store, recorded_as(jobs, answers, pictures))
      for (i in seq_along(jobs)) {
        private$note_made(jobs[[i]], answers[[i]], pictures[i, ])
      }

      private$log$note_all(
        "made",
        jobs,
        seconds = vapply(answers, `[[`, 0, "seconds"),
        cost = vapply(answers, `[[`, 0, "cost")
      )
    },

    note_made = function(job, made, picture) {
      private$takes$note_made(job$at, picture, length(made$bytes))
      job$queue$count_made(made$seconds, job$first)
      private$status$count_made(made$cost)
      if (private$score) {
        private$measuring$add(job$at)
        private$kept(private$takes$row(job$at))
      }

      for (child in private$takes$children_of(job$at)) {
        private$queues[[private$takes$engine_of(child)]]$add(child)
      }
    },

    # No two cases should give exactly the same picture: a server has delivered one of them for
    # the other. Since there is no telling which is wrong, both are requested again, once; the
    # second answer is accepted. Where that is paid for again, a person asks for it.
    doubt_twin = function(job, made) {
      engine <- job$queue$engine
      again <- private$takes$is_doubted(job$at) || (asks_once(engine) && job$take$attempt > 1)
      if (!is_server(engine) || again) {
        return(made)
      }

      twins <- private$takes$twins_of(job$at, made$sha256)
      if (length(twins) == 0) {
        return(made)
      }

      other <- private$takes$row(twins[1])
      doubt <- failure_of(
        "bad_answer",
        paste0(
          "The picture that came back is the one for ", other$case, ", seed ", other$seed, "."
        ),
        made$seconds,
        made$cost
      )
      if (asks_once(engine)) {
        return(as_paid(doubt))
      }

      private$takes$note_doubt(job$at)
      for (at in twins) {
        private$unmake(at)
      }

      doubt
    },

    # Schedules a take that was made in this run to be made again, once.
    unmake = function(at) {
      if (private$takes$is_doubted(at) || !private$takes$can_be_unmade(at)) {
        return()
      }

      private$takes$note_doubt(at)
      private$takes$note_unmade(at)
      measured <- record_planned(private$store, private$takes$row(at)$take) > 0
      private$queues[[private$takes$engine_of(at)]]$take_back(at)
      private$status$count_unmade(measured)
      private$measuring$remove(at)
    },

    complete_failure = function(job, failure, stopping) {
      if (failure$kind == "out_of_credit" || isTRUE(failure$lasting)) {
        return(private$park(job, failure))
      }

      # The engine can't be reached, which is not the take's fault.
      away <- failure$kind == "unreachable" && !isTRUE(failure$paid)
      if (is_server(job$queue$engine) && away) {
        return(private$complete_away(job, failure, stopping))
      }

      job$queue$note_back()
      if (failure$kind == "busy") {
        return(private$complete_busy(job, failure, stopping))
      }

      if (failure$kind %in% c("refused", "awaited")) {
        job$queue$note_answer()
      } else if (job$queue$note_failure(job$at[1], failure)) {
        return(private$park(job, failure, paste0(
          "The last ", most_alike, " tries failed in the same way. ", conditionMessage(failure)
        )))
      }

      private$retry_or_fail(job, failure, stopping, longest_wait)
    },

    # Waits as the engine asks, if that is not longer than a run waits for an engine. What it
    # would have to wait for stays planned.
    complete_busy = function(job, failure, stopping) {
      now <- clock()
      asked <- failure$retry_after %||% 0
      busy <- job$queue$note_busy(now)
      longest <- max(longest_wait, private$outage)
      if (max(asked, busy) > longest) {
        return(private$park(job, failure, paste0(
          sub("[.]?$", ".", conditionMessage(failure)),
          if (asked > busy) {
            paste0(" It asks to be left alone for ", show_seconds(asked), ".")
          } else {
            paste0(" It has made nothing for ", show_seconds(busy), ".")
          }
        )))
      }

      pause <- failure$retry_after %||% pause_after(job$try, job$request$key)
      job$queue$wait_until(now + pause)
      private$retry_or_fail(job, failure, stopping, longest)
    },

    retry_or_fail = function(job, failure, stopping, longest) {
      now <- clock()
      pause <- retry_pause(failure, job$try, job$request$key, longest)
      if (is.null(pause)) {
        private$complete_failed(job, failure)
      } else {
        private$try_later(job, failure, now + pause, stopping)
      }
    },

    complete_away = function(job, failure, stopping) {
      # A server that answers others may break at this one.
      if (isTRUE(failure$cut) && max(private$takes$count_cut(job$at)) >= most_cuts) {
        return(private$complete_failed(job, failure))
      }

      private$takes$forget_try(job$at)
      now <- clock()
      away <- job$queue$note_away(now)
      if (away$seconds >= private$outage) {
        return(private$park(job, failure))
      }

      until <- now + min(15, pause_after(min(6, away$asked), job$request$key))
      job$queue$wait_until(until)
      private$try_later(job, failure, until, stopping)
    },

    try_later = function(job, failure, due, stopping) {
      private$log$note(
        "to be tried again",
        job,
        kind = failure$kind,
        message = conditionMessage(failure),
        seconds = due - clock()
      )
      if (asks_once(job$queue$engine)) {
        record_reason(private$store, job$take$take, failure)
      }

      # Takes that were on their way when the run was stopped stay planned.
      if (!stopping) {
        job$queue$postpone(job$at, due)
      }
    },

    # A take that is given up, or left to a person.
    complete_failed = function(job, failure) {
      private$alive()
      record_failed(private$store, job$take$take, failure, job$described)
      failed <- failure$kind != "awaited"
      takes <- length(job$at)
      if (failed) {
        job$queue$count_failed(takes)
      }

      private$status$count_given_up(takes, failed, failure$cost, measured = private$score)
      private$log$note(
        if (failure$kind %in% c("refused", "awaited")) failure$kind else "failed",
        job,
        kind = failure$kind,
        message = conditionMessage(failure),
        cost = sum(failure$cost)
      )
    },

    # A failure that needs a person stops this engine and no other. Its takes stay planned, this
    # one too: nothing is wrong with them.
    park = function(job, failure, why = conditionMessage(failure)) {
      record_reason(private$store, job$take$take, failure)
      if (is.null(job$queue$parked)) {
        job$queue$park(why)
        private$log$note("left alone", job, kind = failure$kind, message = job$queue$parked)
      }
    }
  )
)

# What a killed run had sent to such an engine may have been paid for: only a person asks again.
fail_unanswered <- function(store) {
  takes <- read_waiting(store, "sent")
  if (length(takes)) {
    lost <- as_paid(failure_of("timed_out", "The run ended before it was answered.", NA_real_))
    record_failed(store, takes, lost, NA_character_)
  }
}

# An answer to a job as `jobs` of one take each and their `answers`, with the hashes of pictures. A
# failure of the whole call stays one.
parts_of_answer <- function(job, made) {
  whole <- inherits(made, "condition") || length(job$at) == 1
  list(
    jobs = if (whole) list(job) else split_job(job),
    answers = lapply(if (whole) list(made) else made, function(one) {
      if (!inherits(one, "condition")) {
        one$sha256 <- sha256_of(one$bytes)
      }

      one
    })
  )
}

# A job of several takes as jobs of one each.
split_job <- function(job) {
  lapply(seq_along(job$at), function(i) {
    one <- job
    one$at <- job$at[i]
    one$take <- job$take[i, ]
    one$described <- job$described[i]
    one
  })
}

# What is recorded of jobs of one take each, a row a job.
recorded_as <- function(jobs, answers, pictures) {
  new_table(
    take = vapply(jobs, function(job) job$take$take, ""),
    file = pictures$file,
    sha256 = pictures$sha256,
    width = vapply(answers, `[[`, 0, "width"),
    height = vapply(answers, `[[`, 0, "height"),
    bytes = vapply(answers, function(made) length(made$bytes), 0L),
    seconds = vapply(answers, `[[`, 0, "seconds"),
    first_call = vapply(jobs, `[[`, NA, "first"),
    cost = vapply(answers, `[[`, 0, "cost"),
    request = vapply(jobs, `[[`, "", "described"),
    answer = vapply(answers, function(made) {
      to_json(c(list(seed = made$seed, waited = made$waited), made$says))
    }, "")
  )
}

# A take for which the connection was closed so often, without an answer, has failed.
most_cuts <- 6

# A failure that does not come from an engine.
failure_of <- function(kind, message, seconds, cost = NA_real_) {
  errorCondition(
    message,
    class = c(paste0("sprenn_failure_", kind), "sprenn_failure"),
    kind = kind,
    seconds = seconds,
    cost = cost
  )
}

failure_of_worker <- function(why, late, seconds) {
  if (late) {
    failure_of("timed_out", paste("Nothing came back:", why), seconds)
  } else {
    said <- paste0("The process that makes it ends every time (", why, ").")
    failure_of("engine_error", said, seconds)
  }
}
