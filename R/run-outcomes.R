# Decides what happens to a take once its engine has answered: it is kept, marked doubtful, tried
# again, recorded as failed, or left with its engine.
Outcomes <- R6::R6Class(
  "sprenn_outcomes",
  cloneable = FALSE,
  public = list(
    # The parts of a run; `shares` is what it shares with other processes; `alive` is called before
    # anything is recorded, `kept` with each take that was made. An engine that can't be reached for
    # `outage` seconds is left alone.
    initialize = function(store,
                          takes,
                          queues,
                          status,
                          measuring,
                          log,
                          shares,
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
      private$shares <- shares
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
    shares = NULL,
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
      private$alive()
      takes <- vapply(jobs, function(job) job$take$take, "")
      in_transaction(private$store, {
        own <- private$shares$may_record(takes)
        if (any(own)) {
          pictures <- keep_pictures(
            private$store,
            lapply(answers[own], `[[`, "bytes"),
            vapply(answers[own], `[[`, "", "sha256")
          )
          record_made(private$store, recorded_as(jobs[own], answers[own], pictures))
          measured_here <- private$shares$note_made(takes[own], private$measuring$count)
        }
      })
      private$drop(jobs[!own])
      jobs <- jobs[own]
      answers <- answers[own]
      for (i in seq_along(jobs)) {
        private$note_made(jobs[[i]], answers[[i]], pictures[i, ], measured_here[i])
      }

      if (length(jobs) > 0) {
        private$log$note_all(
          "made",
          jobs,
          seconds = vapply(answers, `[[`, 0, "seconds"),
          cost = vapply(answers, `[[`, 0, "cost")
        )
      }
    },

    # What another process has, or has made, since this one was silent for too long.
    drop = function(jobs) {
      if (length(jobs) > 0) {
        private$log$note_all("dropped", jobs)
      }
    },

    note_made = function(job, made, picture, measured_here) {
      private$takes$note_made(job$at, picture, length(made$bytes))
      job$queue$count_made(made$seconds, job$first)
      private$status$count_made(made$cost)
      if (private$score) {
        private$kept(private$takes$row(job$at))
      }

      if (private$score && measured_here) {
        private$measuring$add(job$at)
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

      twins <- private$shares$twins_of(private$takes, job$at, made$sha256)
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
      queue <- private$queues[[private$takes$engine_of(at)]]
      take <- private$takes$row(at)$take
      in_transaction(private$store, {
        measured <- record_planned(private$store, take) > 0
        private$shares$note_again(take, queue$name)
      })
      queue$take_back(at)
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
      private$shares$note_pause(job$queue, pause)
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
      in_transaction(private$store, {
        own <- private$shares$may_record(job$take$take)
        if (all(own)) {
          record_failed(private$store, job$take$take, failure, job$described)
          private$shares$note_ended(job$take$take)
        }
      })
      if (!all(own)) {
        return(private$drop(list(job)))
      }

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
      private$shares$give_back(job$queue, job$at)
      if (is.null(job$queue$parked)) {
        job$queue$park(why)
        private$shares$note_parked(job$queue)
        private$log$note("left alone", job, kind = failure$kind, message = job$queue$parked)
      }
    }
  )
)

# A take for which the connection was closed so often, without an answer, has failed.
most_cuts <- 6
