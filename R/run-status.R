# The status of a run: counts, and the time that is left.
RunStatus <- R6::R6Class(
  "sprenn_status",
  cloneable = FALSE,
  public = list(
    # `total` takes to make, `expected` to measure; `progress` is called with the status.
    initialize = function(total, expected, progress = NULL) {
      private$.total <- total
      private$expected <- expected
      private$progress <- progress
      private$began <- clock()
    },

    count_made = function(cost) {
      private$.made <- private$.made + 1
      private$add_cost(cost)
    },

    # Takes left to a person have not failed. They are not going to be measured either.
    count_given_up = function(takes, failed, cost, measured) {
      private$.failed <- private$.failed + takes * failed
      private$awaited <- private$awaited + takes * !failed
      private$expected <- private$expected - takes * measured
      private$add_cost(cost)
    },

    # A take that was made is made again, and measured again where it had been.
    count_unmade = function(measured) {
      private$.made <- private$.made - 1
      private$expected <- private$expected + measured
    },

    count_scored = function(takes) private$scored <- private$scored + takes,

    # What is left to make and to measure of a run that several `processes` carry: the rest of what
    # there was at first has been done by others.
    note_left = function(to_make, to_measure, processes) {
      own <- private$.made + private$.failed + private$awaited
      private$.total <- max(private$.total, to_make + own)
      private$made_elsewhere <- private$.total - to_make - own
      private$expected <- max(private$expected, to_measure + private$scored)
      private$scored_elsewhere <- private$expected - to_measure - private$scored
      private$sharing <- processes
    },

    # Notes how long a process took to measure so many takes.
    time_measuring = function(seconds, takes) {
      private$measured <- private$measured + takes
      private$measuring <- private$measuring + seconds
    },

    # Reports the status: `now`, or at most four times a second.
    tell = function(queues, workers, in_flight, stopping, now = FALSE) {
      if (is.null(private$progress) || (!now && clock() - private$told < 0.25)) {
        return(invisible())
      }

      private$told <- clock()
      left_out <- sum(vapply(queues, function(queue) queue$left_out, 0))
      private$progress(
        done = private$.made + private$.failed + private$awaited + private$made_elsewhere,
        total = private$.total - left_out,
        failed = private$.failed,
        seconds = clock() - private$began,
        flying = in_flight,
        scored = private$scored + private$scored_elsewhere,
        to_score = max(0, private$expected - left_out),
        cost = private$cost,
        left = if (stopping) NA_real_ else self$time_left(queues, workers) / private$sharing,
        words = if (!stopping) {
          workers$words()
        } else if (in_flight + workers$count > 0) {
          "finishing what is in flight; Ctrl-C again stops now"
        } else {
          "stopped"
        },
        engines = engine_states(queues)
      )
    },

    # Seconds until everything is made and measured. Servers work in parallel, each on as many
    # calls as it accepts; work in this run's own processes shares them with the measuring. NA
    # until something is known about everything that is left. Takes of engines that were left
    # alone don't count, and no pipelines that are left out.
    time_left = function(queues, workers) {
      numbers <- function(queues, of) vapply(queues, of, 0, USE.NAMES = FALSE)
      parked <- !vapply(queues, function(queue) is.null(queue$parked), NA)
      to_measure <- private$expected - private$scored - private$scored_elsewhere -
        sum(numbers(queues[parked], function(queue) queue$left)) -
        sum(numbers(queues, function(queue) as.numeric(queue$left_out)))
      open <- Filter(function(queue) queue$left > 0, queues[!parked])
      left <- numbers(open, function(queue) queue$left)
      work <- left * numbers(open, function(queue) queue$seconds_each())
      at_once <- pmin(
        left,
        numbers(open, function(queue) as.numeric(queue$engine$about$at_once))
      )
      own <- !vapply(open, function(queue) queue$converses, NA, USE.NAMES = FALSE)
      measuring <- if (to_measure > 0) to_measure * private$seconds_a_measurement() else 0
      max(0, work / at_once, (sum(work[own]) + measuring) / workers$processes)
    }
  ),
  active = list(
    total = function() private$.total,
    made = function() private$.made,
    failed = function() private$.failed
  ),
  private = list(
    .total = 0,
    .made = 0,
    .failed = 0,
    awaited = 0,
    cost = 0,
    scored = 0,
    # By other processes, and how many carry the run.
    made_elsewhere = 0,
    scored_elsewhere = 0,
    sharing = 1,
    expected = 0,
    measured = 0,
    measuring = 0,
    progress = NULL,
    began = NULL,
    told = -Inf,

    add_cost = function(cost) private$cost <- private$cost + sum(cost, na.rm = TRUE),

    seconds_a_measurement = function() {
      if (private$measured > 0) private$measuring / private$measured else NA_real_
    }
  )
)

engine_states <- function(queues) {
  now <- clock()
  own <- Filter(function(queue) queue$total > 0, queues)
  column <- function(of) vapply(own, function(queue) as.numeric(of(queue)), 0, USE.NAMES = FALSE)
  new_table(
    engine = as.character(names(own)),
    made = column(function(queue) queue$made + queue$elsewhere),
    total = column(function(queue) queue$total),
    flying = column(function(queue) queue$in_flight),
    failed = column(function(queue) queue$failed),
    words = as.character(vapply(own, function(queue) queue$state_words(now), ""))
  )
}

# The event log: one JSON object a line (JSON Lines) for everything that happens in a run, beside
# its database. It is for people and other programs; Sprenn never reads it.
EventLog <- R6::R6Class(
  "sprenn_log",
  cloneable = FALSE,
  public = list(
    initialize = function(folder, name = NULL) {
      path <- file.path(folder, name %||% "events.jsonl")
      private$connection <- tryCatch(suppressWarnings(file(path, "ab")), error = function(e) {
        stop_sprenn("store", c(paste0("Can't write to ", path, "."), x = one_line(e)))
      })
    },

    # `job` is the job concerned, if any. A log that can't be written does not stop the run.
    note = function(event, job = NULL, ...) {
      self$note_all(event, if (!is.null(job)) list(job), ...)
    },

    # The same of several jobs, each of which has its own values. A job for several takes is a line
    # for each, with the same `try`.
    note_all = function(event, jobs, ...) {
      more <- Filter(Negate(is.null), list(...))
      if (!is.null(more$seconds)) {
        more$seconds <- round(more$seconds, 3)
      }

      at <- format(Sys.time(), "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC")
      own <- c(logged_of(jobs), lapply(more, rep, log_lines_of(jobs)))
      lines <- vapply(
        seq_len(sum(log_lines_of(jobs))),
        function(i) flat_json(c(list(at = at, event = event), lapply(own, `[[`, i))),
        ""
      )
      try(
        {
          writeLines(lines, private$connection, useBytes = TRUE)
          flush(private$connection)
        },
        silent = TRUE
      )
    },

    close = function() close(private$connection)
  ),
  private = list(connection = NULL)
)

# How many lines jobs have in the log.
log_lines_of <- function(jobs) {
  if (length(jobs) == 0) 1 else vapply(jobs, function(job) nrow(job$take), 0L)
}

# What a log says of the takes of jobs, as columns. Measuring has no engine.
logged_of <- function(jobs) {
  if (length(jobs) == 0) {
    return(NULL)
  }

  lines <- log_lines_of(jobs)
  of_takes <- function(column) unlist(lapply(jobs, function(job) job$take[[column]]))
  list(
    engine = rep(vapply(jobs, function(job) job$queue$name %||% NA_character_, ""), lines),
    try = rep(vapply(jobs, function(job) job$try %||% NA_real_, 0), lines),
    take = of_takes("take"),
    pipeline = of_takes("pipeline"),
    case = of_takes("case"),
    seed = of_takes("seed")
  )
}
