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
  is_known <- vapply(progress, function(value) is.data.frame(value) || !anyNA(value), NA)
  write_db(
    store,
    "UPDATE writers SET progress = ? WHERE id = ?",
    params = list(to_json(progress[is_known]), lock)
  )
}

# How far writers are together: what run_trial() tells its `progress`. NULL if none has noted it.
read_noted_progress <- function(writers) {
  noted <- lapply(writers$progress[!is.na(writers$progress)], function(told) {
    # Records that came from elsewhere may say anything.
    progress <- tryCatch(jsonlite::fromJSON(told), error = function(e) NULL)
    if (is.list(progress)) {
      known <- is.data.frame(progress$engines) &&
        all(c("engine", "flying", "words") %in% names(progress$engines))
      progress$engines <- if (known) progress$engines
      progress$words <- clean_text(as.character(progress$words %||% ""))[1]
      progress
    }
  })
  noted <- Filter(Negate(is.null), noted)
  if (length(noted) < 2) {
    return(if (length(noted) == 1) noted[[1]])
  }

  numbers <- function(name) {
    as.numeric(unlist(lapply(noted, function(one) one[[name]] %||% NA_real_)))
  }
  progress <- noted[[1]]
  progress$flying <- sum(numbers("flying"), na.rm = TRUE)
  progress$left <- if (!anyNA(numbers("left"))) max(numbers("left"))
  words <- vapply(noted, `[[`, "", "words")
  progress$words <- paste(unique(words[nzchar(words)]), collapse = "; ")
  progress$engines <- engines_together(lapply(noted, `[[`, "engines"))
  progress
}

# What several coordinators tell of engines: their calls in flight are added up.
engines_together <- function(told) {
  told <- do.call(rbind, lapply(told, function(one) one[c("engine", "flying", "words")]))
  lapply_rows <- split(told, factor(told$engine, unique(told$engine)))
  do.call(rbind, unname(lapply(lapply_rows, function(own) {
    words <- own$words[nzchar(own$words)]
    data.frame(
      engine = own$engine[1],
      flying = sum(own$flying),
      # If one of them gets on, the engine does.
      words = if (length(words) == nrow(own)) words[1] else ""
    )
  })))
}

# Asks all who write to the run to stop after what is in flight. FALSE if nobody does.
ask_to_stop <- function(store) write_db(store, "UPDATE writers SET stop = 1") > 0

# A process is asked by its lock, so that the next one goes on.
is_asked_to_stop <- function(store, lock) {
  stop <- read_db(store, "SELECT stop FROM writers WHERE id = ?", params = list(lock))$stop
  isTRUE(stop == 1)
}

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
