#' Watch a run while it is made
#'
#' Opens a page on this machine that shows a run as it is made: the newest takes beside their
#' references with their flaws, what each engine is doing, what has failed and what to do about it,
#' money and time, and the verdict so far. From there the run can be told to stop, and pipelines can
#' be left out. The page reads and writes the run's records alone, so the run may be made by any
#' process on any machine. It takes no lock, and no more than a twentieth of one core.
#'
#' @inheritParams run_trial
#' @inheritParams view_takes
#' @return How the run stands when it is stopped (Ctrl-C or after `seconds`), as [read_run()]
#'   returns it, invisibly.
#' @section Errors: `sprenn_error_run` if there is no such run; `sprenn_error_argument` if the port
#'   can't be used.
#' @family runs
#' @export
#' @examples
#' \dontrun{
#' watch_run("brackwater")
#' }
watch_run <- function(
  trial,
  run = "main",
  port = NULL,
  seconds = Inf,
  ready = function(address) message("Open ", address)
) {
  check_arguments(
    port = checkmate::check_int(port, lower = 1, upper = 65535, null.ok = TRUE),
    seconds = checkmate::check_number(seconds, lower = 0),
    ready = checkmate::check_function(ready, nargs = 1)
  )
  desk <- WatchDesk$new(as_trial(trial), run)
  on.exit(desk$close())
  serve_site(watch_site(desk), port, seconds, ready, each_second = function() desk$tell_all())
  invisible(state_of_run(desk$store, desk$trial, newest_told))
}

# So many of the newest takes, and of those with a serious flaw, are told of.
newest_told <- 6

# Seconds for which a state that was read is shown first.
fresh_for <- 30

# Seconds before a verdict is asked for after a page was opened.
first_pause <- 2

# Pictures of the strip are this wide, in pixels.
newest_edge <- 360

watch_site <- function(desk) {
  page <- watch_page(desk)
  list(
    page = function() with_state(page, desk$state_now()),
    picture = function(name) watched_picture(desk, name),
    enter = function(window) serve_watcher(desk, window),
    ending = function() desk$tell_all(now = TRUE)
  )
}

serve_watcher <- function(desk, window) {
  desk$add(window)
  hear <- function(kind, said) {
    if (kind == "flaws") {
      return(window$send("flaws", told_flaws(desk$store, said$takes)))
    }

    switch(kind,
      stop = stop_run(desk$trial, desk$run),
      `leave-out` = leave_out(
        desk$trial,
        as.character(said$pipeline),
        desk$run,
        back = isTRUE(said$back)
      )
    )
    desk$tell_all(now = TRUE)
  }
  list(
    heard = function(kind, said) {
      tryCatch(hear(kind, said), sprenn_error = function(e) {
        window$send("refused", I(error_lines(e)))
      })
    },
    left = function() desk$remove(window)
  )
}

# What is watched, and by whom. What is told is made once for all windows.
WatchDesk <- R6::R6Class(
  "sprenn_watch_desk",
  cloneable = FALSE,
  public = list(
    initialize = function(trial, run) {
      private$.trial <- trial
      private$.run <- run
      private$.store <- open_store(trial$folder, run)
      private$.may_order <- can_write(private$.store$folder)
      private$reading <- Paced$new(every = 2, share = 0.01)
      private$choosing <- Paced$new(every = 10, share = 0.01)
      private$.pictures <- Cache$new(most_bytes = most_kept_pictures)
      private$read()
      # What a page shows first is ready before one is opened.
      for (at in unique(vapply(self$state$newest, function(take) take$reference, 0L))) {
        watched_reference(self, at, small = TRUE)
      }
    },

    # How a run stands as a page that is opened now shows it first; what has changed follows.
    state_now = function() {
      if (clock() - private$read_at > fresh_for) {
        private$read()
      }

      private$told
    },

    # A window that was opened is told what has changed since its page was written.
    add = function(window) {
      private$windows[[window$id]] <- window
      # The pictures of the first window go before.
      private$choosing$wait(first_pause)
      window$send("state", private$told)
      if (!is.null(private$verdict)) {
        window$send("verdict", private$verdict)
      }
    },

    remove = function(window) private$windows[[window$id]] <- NULL,

    # Tells all windows what has changed, as often as its cost allows; the state `now` if so asked.
    tell_all = function(now = FALSE) {
      if (length(private$windows) == 0) {
        return(invisible())
      }

      if (now || private$reading$is_due()) {
        before <- private$told
        # A database that is away or locked for a moment does not end the watching.
        tryCatch(
          {
            private$read()
            private$complain(character())
          },
          sprenn_error = function(e) private$complain(error_lines(e))
        )
        if (!identical(before, private$told)) {
          private$send("state", private$told)
        }
      }

      private$choose()
    },

    close = function() {
      close_store(private$.store)
      if (!is.null(private$pool)) {
        private$pool$close()
      }
    }
  ),
  active = list(
    trial = function() private$.trial,
    run = function() private$.run,
    store = function() private$.store,
    pictures = function() private$.pictures,
    # How the run stood when it was last read.
    state = function() private$told,
    # Whether it can be told to stop, and pipelines can be left out.
    may_order = function() private$.may_order
  ),
  private = list(
    .trial = NULL,
    .run = NULL,
    .store = NULL,
    .pictures = NULL,
    .may_order = FALSE,
    windows = list(),
    reading = NULL,
    choosing = NULL,
    # The state as it was last told, and what is measured.
    told = NULL,
    read_at = -Inf,
    measured = NULL,
    complaint = character(),
    # The verdict, for which a process beside this one is asked, and what was measured by then.
    verdict = NULL,
    chosen_at = NULL,
    pool = NULL,
    asked = NULL,
    seen = nobody_heard,

    read = function() {
      private$reading$begin()
      # Also if it fails.
      on.exit(private$reading$end())
      # What can't be written to is read from a copy, which is that of a moment.
      if (!self$may_order || length(private$complaint) > 0) {
        store <- open_store(private$.trial$folder, private$.run)
        try(suppressWarnings(close_store(private$.store)), silent = TRUE)
        private$.store <- store
      }

      state <- state_of_run(private$.store, private$.trial, newest_told)
      private$measured <- state$pipelines[c("pipeline", "measured", "failed", "left_out")]
      private$told <- told_of_state(state, private$.trial, private$silence(state))
      private$read_at <- clock()
    },

    # Tells what can't be read, once, and that it can be again.
    complain = function(lines) {
      if (!identical(lines, private$complaint)) {
        private$complaint <- lines
        private$send("refused", I(lines))
      }
    },

    # For how many seconds a process on another machine has given no sign of life.
    silence = function(state) {
      private$seen <- heard_of(private$seen, read_writers(private$.store))
      if (is.na(state$holder) || nrow(private$seen) == 0) {
        return(0)
      }

      clock() - max(private$seen$at)
    },

    # Asks for a verdict where there is something new, and tells it once it is there.
    choose = function() {
      if (!is.null(private$asked)) {
        if (is_returned(private$asked)) {
          verdict <- result_of(private$asked)
          private$hear_verdict(verdict)
        }
      } else if (private$choosing$is_due() && !identical(private$chosen_at, private$measured)) {
        private$chosen_at <- private$measured
        private$pool <- private$pool %||% WorkerPool$new(1)
        private$choosing$begin()
        private$asked <- private$pool$send(
          "verdicts_so_far",
          list(private$.trial, private$.run)
        )
      }
    },

    hear_verdict = function(verdict) {
      private$asked <- NULL
      private$choosing$end()
      if (is.character(verdict)) {
        private$verdict <- verdict
        private$send("verdict", verdict)
      }
    },

    send = function(kind, said) {
      for (window in private$windows) {
        window$send(kind, said)
      }
    }
  )
)

# Work that is done again and again, at most every so many seconds and for at most a `share` of the
# time of one core.
Paced <- R6::R6Class(
  "sprenn_paced",
  cloneable = FALSE,
  public = list(
    initialize = function(every, share) {
      private$every <- every
      private$share <- share
    },
    is_due = function() clock() >= private$due,
    begin = function() private$began <- clock(),
    # It is not due for so many seconds.
    wait = function(seconds) private$due <- max(private$due, clock() + seconds),
    end = function() {
      now <- clock()
      private$due <- now + max(private$every, (now - private$began) / private$share)
    }
  ),
  private = list(every = NULL, share = NULL, began = NULL, due = -Inf)
)

# A picture of the strip or of the dialog. Each is named by the number of its case or the id of its
# take, never by a path.
watched_picture <- function(desk, name) {
  parts <- strsplit(name, "/", fixed = TRUE)[[1]]
  if (length(parts) != 3 || !parts[1] %in% c("small", "whole")) {
    return(NULL)
  }

  small <- parts[1] == "small"
  switch(parts[2],
    reference = watched_reference(desk, suppressWarnings(as.integer(parts[3])), small),
    take = watched_take(desk, parts[3], small)
  )
}

watched_reference <- function(desk, at, small) {
  cases <- desk$trial$suite$cases
  if (is.na(at) || !at %in% seq_along(cases) || is.null(cases[[at]]$reference)) {
    return(NULL)
  }

  desk$pictures$get(paste("reference", at, small), {
    pixels <- fitted_reference(cases[[at]], desk$trial$suite)
    if (small) {
      small_picture(pixels)
    } else {
      list(type = "image/png", bytes = png::writePNG(pixels))
    }
  })
}

# What browsers can show is sent as it was made, which costs least. Beside the reference in the
# dialog, a take is in its case's frame.
watched_take <- function(desk, id, small) {
  take <- read_take(desk$store, id)
  if (nrow(take) == 0 || take$state != "made") {
    return(NULL)
  }

  bytes <- take_bytes(desk$store, take)
  type <- shown_types[[picture_facts(bytes)$format]]
  if (small && !is.null(type) && length(bytes) < most_sent_whole) {
    return(list(type = type, bytes = bytes))
  }

  desk$pictures$get(paste(take$sha256, take$case, small), {
    case <- case_named(desk$trial$suite, take$case)
    frame <- case_frame(case, desk$trial$suite)
    pixels <- bring_back(decode_picture(encoded_picture(bytes)), frame)
    if (small) {
      small_picture(pixels)
    } else {
      list(type = "image/png", bytes = png::writePNG(pixels))
    }
  })
}

small_picture <- function(pixels) {
  list(type = "image/jpeg", bytes = jsonlite::base64_dec(preview(pixels, newest_edge)))
}

# Larger files are made small here rather than in the browser.
most_sent_whole <- 4 * 2^20

shown_types <- list(png = "image/png", jpeg = "image/jpeg", webp = "image/webp")
