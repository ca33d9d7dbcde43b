# What a running process and those who watch it tell each other through the run's records, so that
# neither needs to reach the other: how far it is, whether it is asked to stop, and which pipelines
# are left out.

# Seconds between two notes of how far a run is.
note_every <- 2

# A progress function that also notes in the store, now and then, how far process `lock` is; `tell`
# is the caller's own, or NULL.
noted_progress <- function(store, lock, tell = NULL) {
  force(tell)
  noted <- -Inf
  function(...) {
    if (!is.null(tell)) {
      tell(...)
    }

    if (clock() - noted >= note_every) {
      noted <<- clock()
      note_progress(store, lock, list(...))
    }
  }
}

note_progress <- function(store, lock, progress) {
  progress$lock <- lock
  progress$at <- now_utc()
  is_known <- vapply(progress, function(value) is.data.frame(value) || !anyNA(value), NA)
  set_facts(store, progress = to_json(progress[is_known]))
}

# How far the process was that last wrote to the run: what run_trial() tells its `progress`, with
# `lock`, the process, and `at`, when it was noted. NULL if none has.
read_noted_progress <- function(store) {
  told <- read_fact(store, "progress")
  if (is.na(told)) {
    return(NULL)
  }

  # Records that came from elsewhere may say anything.
  progress <- tryCatch(jsonlite::fromJSON(told), error = function(e) NULL)
  if (!is.list(progress)) {
    return(NULL)
  }

  known <- is.data.frame(progress$engines) &&
    all(c("engine", "flying", "words") %in% names(progress$engines))
  progress$engines <- if (known) progress$engines
  progress$words <- clean_text(as.character(progress$words %||% ""))[1]
  progress
}

read_holder <- function(store) as.list(read_db(store, "SELECT * FROM holder"))

# Asks the process that has the lock to stop after what is in flight. FALSE if there is none.
ask_to_stop <- function(store) {
  holder <- read_holder(store)
  if (length(holder$id) == 0) {
    return(FALSE)
  }

  set_facts(store, stop = holder$id)
  TRUE
}

# A process is asked by the id of its lock, so that the next one goes on.
is_asked_to_stop <- function(store, lock) identical(read_fact(store, "stop"), lock)

# The pipelines of which no more takes are made, until they are taken back in.
read_left_out <- function(store) {
  told <- read_fact(store, "left_out")
  if (is.na(told)) {
    return(character())
  }

  as.character(unlist(tryCatch(jsonlite::parse_json(told), error = function(e) NULL)))
}

write_left_out <- function(store, pipelines) {
  set_facts(store, left_out = to_json(as.list(pipelines)))
}

# A single fact; NA if it is not known.
read_fact <- function(store, name) {
  read_db(store, "SELECT value FROM facts WHERE name = ?", params = list(name))$value[1] %||% NA
}
