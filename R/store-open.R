# A run's folder: pictures named by the SHA-256 of their bytes, and one SQLite file with the plan,
# the outcome of every take, and the scores; or, if these are on a server, a file that says so.

run_folder <- function(trial_folder, run) file.path(trial_folder, "runs", run)

check_run_name <- function(run) {
  check_arguments(
    run = if (grepl(id_pattern, run %||% "")) {
      TRUE
    } else {
      "must be a name of letters, digits, - and _"
    }
  )
}

# Opens a run for reading and writing; made if it is new and `create` says so. A new
# one has its records in a file of its own, or on the server at `url` for the suite of
# that name.
open_store <- function(trial_folder, run, create = FALSE, url = NULL, suite = NULL) {
  check_run_name(run)
  folder <- run_folder(trial_folder, run)
  file <- file.path(folder, "run.sqlite")
  if (!run %in% known_runs(trial_folder)) {
    if (!create) {
      stop_sprenn(
        "run",
        c(
          paste0("There is no run ", quoted(run), " in ", trial_folder, "."),
          i = "`sprenn run` makes one.",
          if (length(known_runs(trial_folder))) {
            c(i = paste("It has:", paste(known_runs(trial_folder), collapse = ", ")))
          }
        )
      )
    }

    dir.create(file.path(folder, "takes"), recursive = TRUE, showWarnings = FALSE)
    if (!is.null(url)) {
      remember_url(folder, url, schema_name(suite, run))
    }
  } else if (!is.null(url) && !identical(store_place(folder)$url, url)) {
    stop_sprenn(
      "run",
      c(
        paste0("Run ", quoted(run), " keeps its records elsewhere."),
        x = paste("They are in", store_place(folder)$url %||% file, "and not at", url),
        i = "Leave `--store` out to go on with it, or begin another run with --run NAME."
      )
    )
  }

  place <- store_place(folder)
  connect <- if (!is.null(place)) {
    function() connect_prepared(connect_postgres, prepare_postgres, place$url, place$schema)
  }
  db <- tryCatch(
    if (is.null(place)) {
      connect_prepared(connect_sqlite, prepare_sqlite, readable_copy(file, folder))
    } else {
      connect()
    },
    error = function(e) {
      # Nothing was created, so the next try may name another place.
      if (create && !is.null(url)) {
        unlink(file.path(folder, store_url_file))
      }

      stop_sprenn("run", c(paste0("Can't open ", place$url %||% file, "."), x = one_line(e)))
    }
  )
  records <- if (is.null(place)) file else file.path(folder, store_url_file)
  store <- Store$new(db, folder, run, records, connect)
  store$pictures <- pictures_of_run(store)
  store
}

# A connection to a database that has been prepared, or none at all.
connect_prepared <- function(connect, prepare, ...) {
  db <- connect(...)
  tryCatch(
    {
      prepare(db, ...)
      db
    },
    error = function(e) {
      DBI::dbDisconnect(db)
      stop(e)
    }
  )
}

connect_sqlite <- function(file) DBI::dbConnect(RSQLite::SQLite(), file, synchronous = NULL)

# A database in a folder that can't be written to is read from a copy, as even
# reading wants to keep its own marks beside it.
readable_copy <- function(file, folder) {
  if (!file.exists(file) || can_write(folder)) {
    return(file)
  }

  copy <- tempfile("run-", fileext = ".sqlite")
  for (part in c("", "-wal")) {
    if (file.exists(paste0(file, part))) {
      file.copy(paste0(file, part), paste0(copy, part))
    }
  }

  Sys.chmod(copy, "600")
  copy
}

known_runs <- function(trial_folder) {
  unique(
    basename(
      dirname(Sys.glob(file.path(trial_folder, "runs", "*", c("run.sqlite", store_url_file))))
    )
  )
}

close_store <- function(store) store$close()

# The database's own integrity check: nothing if it is sound.
integrity_of <- function(store) {
  # A server sees to that itself.
  if (is_postgres(store$db)) {
    return(character())
  }

  said <- DBI::dbGetQuery(store$db, "PRAGMA integrity_check")[[1]]
  loose <- nrow(DBI::dbGetQuery(store$db, "PRAGMA foreign_key_check"))
  c(
    setdiff(said, "ok"),
    if (loose > 0) paste(count_words(loose, "record"), "without what it belongs to")
  )
}

take_path <- function(store, file) file.path(store$folder, "takes", file)
