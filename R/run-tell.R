# Signs of life: to the lock, and to whoever watches.

# A sign of life, every two seconds and before anything is recorded after a pause.
beat <- function(works, now = FALSE) {
  since <- clock() - (works$beaten %||% -Inf)
  if (since > if (now) 0.5 else 2) {
    works$beaten <- clock()
    beat_on(works$store, works$hold)
    look_after_pool(works)
  }
}

# Says how far it is: after every take, and at most four times a second meanwhile.
tell <- function(works, now = FALSE) {
  if (is.null(works$progress) || (!now && clock() - (works$told %||% -Inf) < 0.25)) {
    return(invisible())
  }

  works$told <- clock()
  works$progress(
    done = works$done,
    total = works$total,
    failed = works$failed,
    seconds = clock() - works$began,
    flying = flying(works) + length(works$landing),
    scored = works$scored,
    to_score = works$expected,
    cost = works$cost,
    left = if (works$stopping) NA_real_ else time_left(works),
    words = if (!works$stopping) {
      worker_words(works$pool)
    } else if (flying(works) + length(works$sent) > 0) {
      "finishing what is in flight; Ctrl-C again stops now"
    } else {
      "stopped"
    },
    engines = engine_states(works)
  )
}

# How many work for this run elsewhere, where that can change.
worker_words <- function(pool) {
  if (!isTRUE(pool$far)) {
    return("")
  }

  here <- length(pool$processes)
  paste0("workers: ", here, " here, ", max(0, pool$size - here), " elsewhere")
}

# Seconds until all is made and measured. Servers work beside each other, each on as many calls
# as it takes; what works in this run's own processes shares them with the measuring. NA until
# something is known of all that is left. What an engine that is left alone would have made
# does not come.
time_left <- function(works) {
  open_in <- function(lane) lane$total - lane$made - lane$failed
  parked <- !vapply(works$lanes, function(lane) is.null(lane$parked), NA)
  to_measure <- works$expected - works$scored - sum(vapply(works$lanes[parked], open_in, 0))
  lanes <- Filter(function(lane) open_in(lane) > 0, works$lanes[!parked])
  numbers <- function(of) vapply(lanes, of, 0, USE.NAMES = FALSE)
  open <- numbers(open_in)
  work <- open *
    numbers(function(lane) {
      if (lane$timed > 0) {
        lane$seconds / lane$timed
      } else {
        as.numeric(lane$engine$about$seconds)
      }
    })
  at_once <- pmin(open, numbers(function(lane) as.numeric(lane$engine$about$at_once)))
  own <- vapply(lanes, function(lane) is.null(lane$engine$converse), NA, USE.NAMES = FALSE)
  measuring <- if (to_measure > 0) {
    to_measure * (works$measuring %||% NA_real_) / (works$measured %||% 1)
  } else {
    0
  }
  processes <- if (has_workers(works)) max(1, works$pool$size) else 1
  max(0, work / at_once, (sum(work[own]) + measuring) / processes)
}

engine_states <- function(works) {
  now <- clock()
  own <- Filter(function(lane) lane$total > 0, works$lanes)
  column <- function(name) {
    vapply(own, function(lane) as.numeric(lane[[name]]), 0, USE.NAMES = FALSE)
  }

  tibble::tibble(
    engine = as.character(names(own)),
    made = column("made"),
    total = column("total"),
    flying = column("flying"),
    failed = column("failed"),
    words = as.character(
      vapply(
        own,
        function(lane) {
          if (!is.null(lane$parked)) {
            "left alone"
          } else if (!is.null(lane$away)) {
            "can't be reached, is tried again"
          } else if (lane$not_before > now) {
            paste0("asked to be left alone for ", ceiling(lane$not_before - now), " s")
          } else {
            ""
          }
        },
        ""
      )
    )
  )
}

# The event log: one JSON object a line (JSON Lines) for everything that happens in
# a run, beside its database. It is for people and other programs to follow; nothing
# here reads it.

open_log <- function(store) {
  path <- file.path(store$folder, "events.jsonl")
  tryCatch(file(path, "ab"), error = function(e) {
    stop_sprenn("store", c(paste0("Can't write to ", path, "."), x = one_line(e)))
  })
}

# A log that can't be written is no reason to stop making pictures.
note_event <- function(works, event, job = NULL, ...) {
  more <- Filter(function(value) !is.null(value) && !is.na(value), list(...))
  if (!is.null(more$seconds)) {
    more$seconds <- round(more$seconds, 3)
  }

  line <- to_json(c(
    list(at = format(Sys.time(), "%Y-%m-%dT%H:%M:%OS3Z", tz = "UTC"), event = event),
    if (!is.null(job$lane)) list(engine = job$lane$name, try = works$tries[job$at]),
    if (!is.null(job)) as.list(job$take[c("take", "pipeline", "case", "seed")]),
    more
  ))
  try(
    {
      writeLines(enc2utf8(line), works$log, useBytes = TRUE)
      flush(works$log)
    },
    silent = TRUE
  )
}
