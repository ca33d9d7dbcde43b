# The runner: one process that sends takes to engines, as many at a time as each accepts, keeps
# the results, and has them measured as they arrive. Everything in flight is a job: a list with
# the take's number `at`, its row `take`, the `queue` of its engine and the `request`.
Runner <- R6::R6Class(
  "sprenn_runner",
  cloneable = FALSE,
  public = list(
    # `wanted` says which takes of the store to make, `to_score` which of the existing ones to
    # measure; with `score`, new takes are measured as well. `shared` is for a run that other
    # processes carry too, where the store says what is left: the takes that are `planned`, and the
    # name of this process's `log`.
    initialize = function(store,
                          lock,
                          trial,
                          takes,
                          wanted,
                          to_score,
                          score = TRUE,
                          workers = NULL,
                          outage = 0,
                          progress = NULL,
                          shared = NULL) {
      private$store <- store
      private$lock <- lock
      private$talks <- Conversations$new()
      private$takes <- RunTakes$new(takes, wanted, all_steps(trial$lineup))
      private$queues <- new_queues(trial$lineup$engines, private$takes, far = is.list(workers))
      to_measure <- if (score) sum(wanted) + length(to_score) else 0
      private$status <- RunStatus$new(sum(wanted), to_measure, progress)
      private$log <- EventLog$new(store$folder, shared$log)
      whole <- FALSE
      on.exit(if (!whole) private$log$close())
      private$workers <- WorkerJobs$new(
        workers,
        made_in_workers(private$queues) + to_measure + length(shared$planned),
        store$folder,
        private$log
      )
      private$shares <- shares_of_run(
        store,
        lock,
        shared$planned,
        private$takes,
        private$queues,
        private$status,
        private$log,
        private$workers$processes,
        score
      )
      private$measuring <- Measuring$new(
        store,
        trial$suite,
        private$takes,
        private$workers,
        private$status,
        private$shares,
        to_score
      )
      private$.judges <- if (score) early_judges(trial, store)
      private$outcomes <- Outcomes$new(
        store,
        private$takes,
        private$queues,
        private$status,
        private$measuring,
        private$log,
        private$shares,
        score,
        outage,
        alive = function() private$heartbeat(now = TRUE),
        kept = function(take) lapply(private$.judges, function(judge) judge$offer(take))
      )
      private$making <- Making$new(
        private$takes,
        private$workers,
        Requests$new(trial, store),
        private$outcomes,
        private$log
      )
      private$orders <- RunOrders$new(
        store, lock, trial$lineup, private$takes, private$queues, private$shares, private$log
      )
      private$orders$obey()
      whole <- TRUE
      private$log$note("run began", message = paste(private$status$total, "takes to make"))
      private$tell()
    },

    # Sends, completes and measures until there is nothing left to do.
    run = function() {
      withCallingHandlers(
        repeat {
          busy <- private$collect()
          if (!private$.stopping) {
            busy <- private$send_all() || busy
          }

          busy <- private$complete_next() || busy
          private$each_judge(function(judge) judge$step())
          if (private$is_over()) {
            break
          }

          private$pause(busy)
          private$heartbeat()
          private$tell()
        },
        interrupt = function(e) {
          if (!private$.stopping) {
            private$stop_sending()
            tryInvokeRestart("resume")
          }
        }
      )
      private$tell(now = TRUE)
      private$each_judge(function(judge) judge$finish(function() private$heartbeat()))
    },

    close = function() {
      private$talks$close()
      lapply(c(private$.judges, private$queues), function(one) one$close())

      private$workers$close()
      private$log$note(
        if (private$.stopping) "run stopped" else "run ended",
        message = paste(private$status$made, "made,", private$status$failed, "failed")
      )
      private$log$close()
    }
  ),
  active = list(
    # Whether it is stopping: takes in flight are completed, no new ones are sent.
    stopping = function() private$.stopping,
    # The judges that were asked while takes were made.
    judges = function() private$.judges,
    # The pipelines that were left out.
    left_out = function() private$orders$left_out,
    # The reasons why engines were left alone, by name.
    parked = function() {
      Filter(Negate(is.null), lapply(private$queues, function(queue) queue$parked))
    },
    # Workers that were turned away, in words.
    strangers = function() private$workers$strangers
  ),
  private = list(
    store = NULL,
    lock = NULL,
    takes = NULL,
    queues = list(),
    orders = NULL,
    status = NULL,
    log = NULL,
    shares = NULL,
    workers = NULL,
    making = NULL,
    measuring = NULL,
    outcomes = NULL,
    talks = NULL,
    # Answers of servers that have not been processed.
    answers = list(),
    .stopping = FALSE,
    .judges = list(),
    last_heartbeat = -Inf,
    # The number of idle turns in a row.
    idle = 0,

    in_flight = function() {
      sum(vapply(private$queues, function(queue) queue$in_flight, 0)) + length(private$answers)
    },

    # Over when nothing is in flight and nothing is left for any process, or it is stopping.
    is_over = function() {
      left <- any(vapply(private$queues, function(queue) queue$is_open(), NA)) ||
        private$measuring$count > 0
      private$in_flight() + private$workers$count == 0 &&
        (private$.stopping || (!left && private$shares$is_done()))
    },

    # Waits a moment, but not for servers that have answered; longer the longer nothing happens,
    # since polling takes time from the workers.
    pause = function(busy) {
      if (busy) {
        private$idle <- 0
        return()
      }

      private$idle <- min(5, private$idle + 1)
      seconds <- min(0.002 * 2^private$idle, private$talks$until_due())
      if (private$talks$has_calls()) {
        private$talks$step(seconds)
      } else {
        steady_sleep(seconds)
      }
    },

    # The judges are left alone once it is stopping.
    each_judge = function(f) if (!private$.stopping) lapply(private$.judges, f),

    # Sends a heartbeat every two seconds, and before anything is recorded after a pause; and does
    # what it is asked to by those who watch.
    heartbeat = function(now = FALSE) {
      if (clock() - private$last_heartbeat > if (now) 0.5 else 2) {
        private$last_heartbeat <- clock()
        if (private$shares$beat()) private$measuring$clear()
        if (private$orders$obey() && !private$.stopping) {
          private$stop_sending("asked by somebody who watches")
        }

        private$mend_workers()
      }
    },

    # Finishes what is in flight and sends no more.
    stop_sending = function(why = NULL) {
      private$.stopping <- TRUE
      private$log$note("stopping", message = why)
      private$tell(now = TRUE)
    },

    tell = function(now = FALSE) {
      private$status$tell(
        private$queues,
        private$workers,
        private$in_flight(),
        private$.stopping,
        now
      )
    },

    # Sends everything that can be sent now. Making comes before measuring, except for one place
    # in the pool, since early scores show early what is wrong.
    send_all = function() {
      sent <- FALSE
      for (queue in private$queues) {
        sent <- private$send_of(queue) || sent
      }

      private$measuring$add(private$shares$takes_to_measure(private$measuring$count))
      # Work in this process blocks the loop: one take at a time.
      if (!private$workers$are_there()) {
        if (private$measuring$count > 0 && !sent) {
          private$measuring$begin_next()
          sent <- TRUE
        }

        return(sent)
      }

      while (private$measuring$count > 0 && private$workers$have_room()) {
        private$measuring$begin_next()
        sent <- TRUE
      }

      sent
    },

    send_of = function(queue) {
      # Work in this process blocks, so the other engines get their turn in between.
      blocks <- !queue$converses && !private$goes_out(queue)
      sent <- FALSE
      private$shares$fill(queue)
      while (private$may_send(queue)) {
        if (private$goes_out(queue)) private$making$send(queue) else private$send(queue)
        sent <- TRUE
        if (blocks) {
          break
        }
      }

      sent
    },

    # Whether an engine's pictures are made in worker processes.
    goes_out = function(queue) private$workers$are_there() && queue$goes_out,

    may_send = function(queue) {
      kept <- private$measuring$count >= fewest_measured && !private$workers$are_measuring()
      !private$.stopping &&
        (!private$goes_out(queue) || private$workers$have_room(kept = as.numeric(kept))) &&
        queue$may_begin(clock(), private$shares$most_pieces(queue)) &&
        private$shares$may_call(queue)
    },

    send = function(queue) {
      job <- private$making$next_job(queue)
      queue$begin_piece()
      private$outcomes$note_sent(list(job))
      if (queue$converses) {
        turn <- tryCatch(
          guarded(queue$engine$converse(job$request), broken_answer),
          sprenn_failure = identity
        )
        private$talks$begin(turn, function(outcome) private$take_answer(job, outcome))
      } else {
        made <- tryCatch(call_engine(queue$engine, job$request), sprenn_failure = identity)
        end_call(job)
        private$complete(list(job), list(made))
      }
    },

    # The server is free, so the next take is sent before this answer is processed.
    take_answer = function(job, outcome) {
      end_call(job)
      job$seconds <- clock() - job$began
      job$outcome <- outcome
      private$answers <- c(private$answers, list(job))
    },

    # Collects results. TRUE if a worker has finished anything.
    collect = function() {
      private$talks$step()
      private$workers$give_up_measuring(private$measuring$patience())
      jobs <- private$workers$collect()
      for (job in jobs) {
        private$complete_worker_job(job)
      }

      length(jobs) > 0
    },

    # Processes the next answers of servers, which are recorded together.
    complete_next = function() {
      if (length(private$answers) == 0) {
        return(FALSE)
      }

      jobs <- utils::head(private$answers, most_answers)
      private$answers <- private$answers[-seq_along(jobs)]
      private$complete(jobs, lapply(jobs, function(job) {
        judge_result(job$queue$engine, job$request, job$outcome, job$seconds)
      }))
      TRUE
    },

    complete_worker_job = function(job) {
      result <- job$result
      if (is_lost(job)) {
        private$complete_lost(job)
      } else if (inherits(result, "sprenn_stranger")) {
        private$workers$turn_away(result)
        private$requeue(job)
      } else if (inherits(result, "sprenn_unbuilt")) {
        private$making$keep_here(job)
      } else if (is_measuring(job)) {
        private$measuring$complete(job)
        private$tell()
      } else if (identical(result, "lacking")) {
        private$making$send_with_files(job)
      } else {
        private$making$give_back_untried(job)
        private$complete(job$calls[seq_along(result)], result)
      }
    },

    # The work of a lost worker goes to another one; after several losses, the work itself must be
    # the cause.
    complete_lost = function(job) {
      private$mend_workers()
      losses <- max(private$takes$count_loss(job$at))
      why <- job$result$why
      private$log$note("worker lost", job, message = why)
      if (is_measuring(job) && losses >= most_losses) {
        for (at in job$ats) {
          private$measuring$measure_here(at)
        }
      } else if (is_measuring(job) || length(job$calls) > 1 ||
        (!job$result$late && losses < most_losses)) {
        private$requeue(job)
      } else {
        end_piece(job)
        failure <- failure_of_worker(why, job$result$late, clock() - job$began)
        private$complete(job$calls, list(failure))
      }
    },

    # Completes calls that were made in a worker or in this process.
    complete = function(jobs, answers) {
      private$outcomes$complete(jobs, answers, private$.stopping)
      private$tell(now = TRUE)
    },

    mend_workers = function() {
      for (job in private$workers$mend()) {
        private$requeue(job)
      }
    },

    # Returns a job to its queue as if it had never been sent.
    requeue = function(job) {
      if (is_measuring(job)) {
        private$measuring$add(job$ats)
      } else {
        private$making$give_back(job)
      }
    }
  )
)

# The most answers of servers that are recorded together: sending waits for that.
most_answers <- 16
