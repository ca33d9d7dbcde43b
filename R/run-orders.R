# What people ask of a run while it is made: to stop, and to leave pipelines out. They ask through
# the run's records, from any process that can write them.

# What a running process does of that.
RunOrders <- R6::R6Class(
  "sprenn_orders",
  cloneable = FALSE,
  public = list(
    initialize = function(store, lock, lineup, takes, queues, shares, log) {
      private$store <- store
      private$lock <- lock
      private$lineup <- lineup
      private$takes <- takes
      private$queues <- queues
      private$shares <- shares
      private$log <- log
    },

    # Sends no more takes of pipelines that are left out, and those of pipelines that are taken back
    # in. TRUE if it is asked to stop.
    obey = function() {
      out <- read_left_out(private$store)
      if (!setequal(out, private$.left_out)) {
        private$leave_out(out)
      }

      is_asked_to_stop(private$store, private$lock)
    }
  ),
  active = list(
    # The pipelines that are left out.
    left_out = function() private$.left_out
  ),
  private = list(
    store = NULL,
    lock = NULL,
    lineup = NULL,
    takes = NULL,
    queues = NULL,
    shares = NULL,
    log = NULL,
    .left_out = character(),

    # Steps that lead to another pipeline too are still made.
    leave_out = function(pipelines) {
      private$.left_out <- pipelines
      steps <- steps_left_out(private$lineup, pipelines)
      out <- private$takes$of_steps(steps)
      private$shares$note_left_out(steps, out)
      for (queue in private$queues) {
        queue$leave_out(out)
      }

      private$log$note(
        "left out",
        message = if (length(pipelines)) listed(pipelines) else "nothing any more"
      )
    }
  )
)

#' Stop a run from another process
#'
#' Asks the process that makes or measures a run's takes to stop after what is in flight, as Ctrl-C
#' does where it runs. Nobody needs to reach that process: it is asked through the run's records,
#' and looks there every two seconds. The command that made the takes resumes.
#'
#' @inheritParams run_trial
#' @return `TRUE`, invisibly; `FALSE` if no process is writing to the run.
#' @section Errors: `sprenn_error_run` if there is no such run; `sprenn_error_store` if its records
#'   can't be written.
#' @family runs
#' @export
#' @examples
#' folder <- file.path(tempdir(), "stop-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' run_trial(folder, workers = 0)
#' stop_run(folder)
#' unlink(folder, recursive = TRUE)
stop_run <- function(trial, run = "main") {
  store <- open_to_order(as_trial(trial), run)
  on.exit(close_store(store))
  invisible(is_locked(store) && ask_to_stop(store))
}

#' Leave pipelines out of a run
#'
#' No more takes of these pipelines are made, now and when the run is resumed, until they are taken
#' back in. A process that is making takes follows within two seconds; what is in flight is
#' finished. Steps of chains that lead to other pipelines too are still made. What was made is
#' kept, but the pipeline is not part of a choice.
#'
#' @inheritParams run_trial
#' @param pipelines Names of pipelines of the lineup, or of engines.
#' @param back Whether to take them back in instead.
#' @return The names of all pipelines that are left out now, invisibly.
#' @section Errors: `sprenn_error_argument` for an unknown name, or if no pipeline would be left;
#'   `sprenn_error_run` if there is no such run; `sprenn_error_store` if its records can't be
#'   written.
#' @family runs
#' @export
#' @examples
#' folder <- file.path(tempdir(), "leave-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' run_trial(folder, workers = 0)
#' leave_out(folder, "bracken")
#' leave_out(folder, "bracken", back = TRUE)
#' unlink(folder, recursive = TRUE)
leave_out <- function(trial, pipelines, run = "main", back = FALSE) {
  check_arguments(
    pipelines = checkmate::check_character(pipelines, any.missing = FALSE, min.len = 1),
    back = checkmate::check_flag(back)
  )
  trial <- as_trial(trial)
  store <- open_to_order(trial, run)
  on.exit(close_store(store))
  before <- intersect(read_left_out(store), trial$lineup$pipelines$pipeline)
  # An unknown name is an error, and so is it if none would be left.
  named <- pipelines_named(trial$lineup, pipelines)
  out <- if (back) setdiff(before, named) else union(before, named)
  left_in(trial$lineup, out)
  write_left_out(store, out)
  invisible(out)
}

open_to_order <- function(trial, run) {
  store <- open_store(trial$folder, run)
  tryCatch(stop_for_read_only(store), error = function(e) {
    close_store(store)
    stop(e)
  })
  store
}
