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
  invisible(state_of_run(desk$store, desk$trial, newest_shown))
}

# So many of the newest takes are shown, and of those with a serious flaw.
newest_shown <- 6
flawed_shown <- 3

# Pictures of the strip are this wide, in pixels.
newest_edge <- 360

watch_site <- function(desk) {
  list(
    page = function() watch_page(desk),
    picture = function(name) watched_picture(desk, name),
    enter = function(window) serve_watcher(desk, window),
    ending = function() desk$tell_all(now = TRUE)
  )
}

serve_watcher <- function(desk, window) {
  desk$add(window)
  hear <- function(kind, said) {
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
      private$reading <- Paced$new(every = 2, share = 0.02)
      private$choosing <- Paced$new(every = 10, share = 0.02)
      private$.pictures <- Cache$new(most_bytes = most_kept_pictures)
    },

    # A window that was opened is told what there is at once; the verdict follows.
    add = function(window) {
      private$windows[[window$id]] <- window
      if (is.null(private$told)) {
        private$read()
      }

      window$send("state", private$told)
      if (!is.null(private$verdict)) {
        window$send("verdict", private$verdict)
      }
    },

    remove = function(window) private$windows[[window$id]] <- NULL,

    # Tells all windows what has changed, as often as its cost allows; the state `now` if so asked.
    tell_all = function(now = FALSE) {
      if (length(private$windows) == 0) {
        private$told <- NULL
        return(invisible())
      }

      if (now || private$reading$is_due()) {
        before <- private$told
        private$reading$begin()
        private$read()
        private$reading$end()
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
    # Whether it can be told to stop, and pipelines can be left out.
    may_order = function() can_write(private$.store$folder)
  ),
  private = list(
    .trial = NULL,
    .run = NULL,
    .store = NULL,
    .pictures = NULL,
    windows = list(),
    reading = NULL,
    choosing = NULL,
    # The state as it was last told, and what is measured.
    told = NULL,
    measured = NULL,
    # The verdict, for which a process beside this one is asked, and what was measured by then.
    verdict = NULL,
    chosen_at = NULL,
    pool = NULL,
    asked = NULL,
    seen = list(id = "", beat = -1, at = -Inf),

    read = function() {
      if (!self$may_order) {
        # What can't be written to is read from a copy, which is that of a moment.
        close_store(private$.store)
        private$.store <- open_store(private$.trial$folder, private$.run)
      }

      state <- state_of_run(private$.store, private$.trial, newest_shown)
      private$measured <- state$pipelines[c("pipeline", "measured", "failed", "left_out")]
      private$told <- told_of_state(state, private$.trial, private$silence(state))
    },

    # For how many seconds a process on another machine has given no sign of life.
    silence = function(state) {
      holder <- read_holder(private$.store)
      if (is.na(state$holder) || length(holder$id) == 0) {
        return(0)
      }

      private$seen <- heard_of(private$seen, holder, function() NULL)
      clock() - private$seen$at
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
    end = function() {
      now <- clock()
      private$due <- now + max(private$every, (now - private$began) / private$share)
    }
  ),
  private = list(every = NULL, share = NULL, began = NULL, due = -Inf)
)

# The state in the words and numbers that the page shows.
told_of_state <- function(state, trial, silent) {
  takes <- state$takes
  total <- sum(takes[c("planned", "made", "failed", "refused")]) - takes[["left_out"]]
  known <- trial$lineup$pipelines$pipeline
  list(
    state = state$state,
    words = paste0(state_words(state), if (silent > silence) {
      paste0("; no sign of life for ", show_seconds(silent))
    }),
    doing = doing_words(state),
    done = takes[["made"]] + takes[["failed"]] + takes[["refused"]],
    total = total,
    measured = takes[["measured"]],
    counts = listed_rows(told_counts(state, total)),
    newest = listed_rows(told_takes(state$newest, trial)),
    flawed = listed_rows(told_takes(utils::head(state$flawed, flawed_shown), trial)),
    engines = listed_rows(state$engines),
    failures = listed_rows(new_table(
      state$failures[c("pipeline", "message", "takes")],
      failure = gsub("_", " ", state$failures$failure),
      planned = state$failures$state == "planned",
      advice = ifelse(is.na(state$failures$advice), "", state$failures$advice)
    )),
    pipelines = listed_rows(new_table(
      state$pipelines[setdiff(names(state$pipelines), "cost")],
      cost = show_money(state$pipelines$cost),
      # Steps of chains can't be left out by themselves.
      is_choice = state$pipelines$pipeline %in% known
    ))
  )
}

told_counts <- function(state, total) {
  takes <- state$takes
  counts <- c(
    made = paste(takes[["made"]], "of", total),
    `failed or refused` = takes[["failed"]] + takes[["refused"]],
    measured = takes[["measured"]],
    cost = money_words(state),
    `in flight` = if (!is.na(state$holder)) takes[["in_flight"]],
    `time left` = if (!is.na(state$left)) paste("about", show_seconds(state$left))
  )
  new_table(name = names(counts), value = unname(counts))
}

doing_words <- function(state) {
  if (!is.null(state$asking)) {
    paste0(state$words, ": ", state$asking[1], " of ", state$asking[2], " calls")
  } else {
    state$words
  }
}

told_takes <- function(newest, trial) {
  ids <- vapply(trial$suite$cases, `[[`, "", "id")
  at <- match(newest$case, ids)
  new_table(
    newest[c("take", "pipeline", "case", "seed", "measured", "flaws", "serious")],
    control = ifelse(is.na(newest$control), "", newest$control),
    made = sub(".*T(.*)Z", "\\1 UTC", newest$made_at),
    seconds = show_seconds(newest$seconds),
    reference = vapply(at, function(i) {
      if (is.na(i) || is.null(trial$suite$cases[[i]]$reference)) 0L else i
    }, 0L)
  )
}

# A table as a list of its rows.
listed_rows <- function(table) {
  I(lapply(seq_len(nrow(table)), function(i) as.list(table[i, , drop = FALSE])))
}

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

# The verdict of each of the brief's purposes on what is measured, as HTML.
verdicts_so_far <- function(trial, run) {
  tag <- htmltools::tags
  jobs <- brief_jobs(trial$brief)
  as.character(htmltools::tagList(lapply(jobs, function(job) {
    verdict <- tryCatch(
      choose_pipeline(trial, run, if (!is.na(job)) job),
      sprenn_error = identity
    )
    tag$article(
      if (length(jobs) > 1) tag$h3(job),
      if (inherits(verdict, "condition")) {
        tag$p(error_lines(verdict)[1])
      } else {
        verdict_so_far(verdict)
      }
    )
  })))
}

verdict_so_far <- function(verdict) {
  tag <- htmltools::tags
  words <- verdict_words(verdict)
  htmltools::tagList(
    tag$p(class = "headline", words$headline),
    early_words(verdict),
    if (length(words$standing)) tag$p(unbroken(words$standing[1])),
    if (!verdict$state %in% leaderless) leaders_table(verdict)
  )
}

# How much of it is there, and why it may still change.
early_words <- function(verdict) {
  open <- sum(verdict$table$state == "planned")
  if (open > 0 && !verdict$state %in% leaderless) {
    htmltools::tags$p(
      class = "early",
      paste0(
        "Early: ", nrow(verdict$table) - open, " of ", nrow(verdict$table), " takes are in, and ",
        "not the same ones of each pipeline. The order may change; don't choose by this yet."
      )
    )
  }
}
