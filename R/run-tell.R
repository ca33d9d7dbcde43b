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
    done = works$done, total = works$total, failed = works$failed, seconds = clock() - works$began,
    flying = flying(works) + length(works$landing), scored = works$scored, to_score = works$expected, cost = works$cost, left = if (works$stopping) NA_real_ else time_left(works),
    words = if (!works$stopping) worker_words(works$pool) else if (flying(works) + length(works$sent) > 0) "finishing what is in flight; Ctrl-C again stops now" else "stopped",
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

# Seconds until the slowest engine is done, and the measuring; NA until something
# is known of both.
time_left <- function(works) {
  each <- vapply(works$lanes, function(lane) {
    open <- length(lane$queue) + nrow(lane$later) + lane$flying
    if (open == 0 || !is.null(lane$parked)) 0 else if (lane$timed < 1) NA_real_ else open * lane$seconds / lane$timed / min(lane$engine$about$at_once, open)
  }, 0)
  spent <- clock() - (works$first_score %||% clock())
  scores <- if (works$expected > works$scored) (if (works$scored > 2) spent / works$scored * (works$expected - works$scored) else NA_real_) else 0
  if (all(is.na(c(each, scores)))) NA_real_ else max(c(each, scores), na.rm = TRUE)
}

engine_states <- function(works) {
  now <- clock()
  own <- Filter(function(lane) lane$total > 0, works$lanes)
  column <- function(name) vapply(own, function(lane) as.numeric(lane[[name]]), 0, USE.NAMES = FALSE)
  tibble::tibble(
    engine = as.character(names(own)), made = column("made"), total = column("total"), flying = column("flying"), failed = column("failed"),
    words = as.character(vapply(own, function(lane) {
      if (!is.null(lane$parked)) "left alone" else if (!is.null(lane$away)) "can't be reached, is tried again" else if (lane$not_before > now) paste0("asked to be left alone for ", ceiling(lane$not_before - now), " s") else ""
    }, ""))
  )
}
