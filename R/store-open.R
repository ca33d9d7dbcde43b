# A run's folder: pictures named by the SHA-256 of their bytes, and one SQLite file with the plan,
# the outcome of every take, and the scores; or, if these are on a server, a file that says so.

store_schema <- 9L

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
  db <- NULL
  tryCatch(
    {
      db <- if (is.null(place)) {
        connect_sqlite(readable_copy(file, folder))
      } else {
        connect_postgres(place$url, place$schema)
      }
      if (is.null(place)) {
        prepare_sqlite(db)
      } else {
        prepare_postgres(db, place$schema)
      }
    },
    error = function(e) {
      if (!is.null(db)) {
        DBI::dbDisconnect(db)
      }

      # Nothing was created, so the next try may name another place.
      if (create && !is.null(url)) {
        unlink(file.path(folder, store_url_file))
      }

      stop_sprenn("run", c(paste0("Can't open ", place$url %||% file, "."), x = one_line(e)))
    }
  )
  records <- if (is.null(place)) file else file.path(folder, store_url_file)
  structure(
    list(
      db = db,
      folder = folder,
      run = run,
      records = records,
      identity = identity_of(records)
    ),
    class = "sprenn_store"
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

close_store <- function(store) DBI::dbDisconnect(store$db)

prepare_sqlite <- function(db) {
  RSQLite::sqliteSetBusyHandler(db, 10000)
  DBI::dbGetQuery(db, "PRAGMA journal_mode = WAL")
  # A power failure may lose the last records, but never the pictures; those takes are made again.
  DBI::dbExecute(db, "PRAGMA synchronous = NORMAL")
  DBI::dbExecute(db, "PRAGMA foreign_keys = ON")
  version <- DBI::dbGetQuery(db, "PRAGMA user_version")[[1]]
  if (version == store_schema) {
    return(invisible())
  }

  tryCatch(
    in_transaction(
      db,
      bring_up_to_date(db, version, function(version) {
        DBI::dbExecute(db, paste("PRAGMA user_version =", version))
      })
    ),
    # Another process that opened it at the same time may have been first.
    error = function(e) {
      if (DBI::dbGetQuery(db, "PRAGMA user_version")[[1]] != store_schema) {
        stop(e)
      }
    }
  )
}

# Makes the tables where there are none (version 0), and brings older ones to today's
# form.
bring_up_to_date <- function(db, version, set_version) {
  if (version > store_schema) {
    stop(
      "it was written by another version of Sprenn (schema ",
      version,
      ", this one reads ",
      store_schema,
      ")"
    )
  }

  if (version == store_schema) {
    return(invisible())
  }

  for (statement in if (version == 0) {
    store_tables
  } else {
    unlist(store_changes[version:(store_schema - 1)])
  }) {
    DBI::dbExecute(db, statement)
  }

  set_version(store_schema)
}

# The prints by which a measured take is compared with others; see run-score.R.
prints_table <- paste0(
  "CREATE TABLE prints (take TEXT PRIMARY KEY REFERENCES takes ON DELETE CASCADE, print TEXT NOT ",
  "NULL)"
)

# Whether suite and lineup ask for a take, as they were when the run was last begun.
asked_column <- "ALTER TABLE takes ADD COLUMN asked INTEGER NOT NULL DEFAULT 1"

# What pipelines give in place of what cases have, what sweeps have varied in them, and add-ons.
given_columns <- c(
  "ALTER TABLE pipelines ADD COLUMN add_ons TEXT NOT NULL DEFAULT '{}'",
  "ALTER TABLE pipelines ADD COLUMN gives TEXT NOT NULL DEFAULT '{}'",
  "ALTER TABLE pipelines ADD COLUMN varied TEXT NOT NULL DEFAULT '{}'"
)

overlay_column <- "ALTER TABLE prints ADD COLUMN overlay TEXT"

# A choice reads a small part of all scores: an index finds it without reading the flaws that
# pictures don't have. Queries that want to use it repeat the same condition.
deciding <- "(level IS NULL OR level <> 'none')"

deciding_index <- paste(
  "CREATE INDEX scores_deciding ON scores (axis, measure) WHERE", deciding
)

# The judges' answers, by judge, version, picture (none for vectors of texts) and statement (none
# for vectors of pictures, poses and depth).
answers_table <- "CREATE TABLE answers (
  judge TEXT NOT NULL, version TEXT NOT NULL, subject TEXT NOT NULL, statement TEXT NOT NULL,
  said TEXT NOT NULL,
  PRIMARY KEY (judge, version, subject, statement))"

# People's ballots from viewings. Withdrawn ballots stay, marked as such.
ballots_table <- "CREATE TABLE ballots (
  number INTEGER NOT NULL, ballot TEXT PRIMARY KEY, person TEXT NOT NULL,
  kind TEXT NOT NULL CHECK (kind IN ('pair', 'single')),
  one TEXT NOT NULL REFERENCES takes ON DELETE CASCADE,
  other TEXT REFERENCES takes ON DELETE CASCADE, choice TEXT NOT NULL,
  reasons TEXT, phrases TEXT, seconds DOUBLE PRECISION, said_at TEXT NOT NULL, repeats TEXT,
  undone INTEGER NOT NULL DEFAULT 0)"

# The lock: at most one process.
holder_table <- "CREATE TABLE holder (
  one INTEGER PRIMARY KEY CHECK (one = 1), id TEXT NOT NULL, machine TEXT NOT NULL,
  pid INTEGER NOT NULL,
  started TEXT NOT NULL, person TEXT NOT NULL, since TEXT NOT NULL, beat INTEGER NOT NULL)"

# All of it or nothing.
in_transaction <- function(db, code) {
  tryCatch(
    {
      DBI::dbBegin(db)
      force(code)
      DBI::dbCommit(db)
    },
    error = function(e) {
      # A full disk has already rolled it back.
      try(DBI::dbRollback(db), silent = TRUE)
      if (inherits(e, "sprenn_error")) {
        stop(e)
      }

      stop_for_database(e)
    }
  )
}

write_db <- function(db, statement, params = NULL) {
  tryCatch(
    DBI::dbExecute(db, for_server(db, statement), params = params_for(db, params)),
    error = stop_for_database
  )
}

# The records may be those of a run that came from elsewhere, so their texts are cleaned.
read_db <- function(store, query, params = NULL) {
  rows <- tryCatch(
    DBI::dbGetQuery(
      store$db,
      for_server(store$db, query),
      params = params_for(store$db, params)
    ),
    error = stop_for_database
  )
  texts <- names(rows)[vapply(rows, is.character, NA)]
  for (column in setdiff(texts, never_shown)) {
    if (!core_all_plain(rows[[column]]) && any(has_controls(unique(rows[[column]])))) {
      rows[[column]] <- clean_text(rows[[column]])
    }
  }

  rows
}

# Columns that are parsed, and long.
never_shown <- c("print", "overlay")

stop_for_database <- function(e) {
  said <- one_line(e)
  away <- grepl("connection|terminat|shutting down|lock timeout", said)
  if (!away && !grepl("full|readonly|read-only|I/O|locked", said)) {
    stop(e)
  }

  stop_sprenn(
    "store",
    c(
      if (away) {
        "The run's database can't be reached."
      } else {
        "The run's database can't be written."
      },
      x = paste0("It says: ", sub("[.]$", "", said), "."),
      x = if (away) {
        "Its server may be away, or another has locked it."
      } else if (grepl("locked", said)) {
        "Another process has locked it."
      } else {
        "The disk may be full or the folder read-only."
      },
      i = "Everything made so far is kept; the same command resumes."
    )
  )
}

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

store_tables <- c(
  "CREATE TABLE facts (name TEXT PRIMARY KEY, value TEXT NOT NULL)",
  "CREATE TABLE pipelines (
     pipeline TEXT PRIMARY KEY, position INTEGER NOT NULL, engine TEXT NOT NULL,
     engine_version TEXT NOT NULL, checkpoint TEXT NOT NULL, hold DOUBLE PRECISION,
     native_hold DOUBLE PRECISION,
     settings TEXT NOT NULL, sweep TEXT, vary TEXT, value DOUBLE PRECISION,
     follows TEXT, stage INTEGER NOT NULL DEFAULT 1, shown INTEGER NOT NULL DEFAULT 1)",
  "CREATE TABLE takes (
     take TEXT PRIMARY KEY, position INTEGER NOT NULL,
     pipeline TEXT NOT NULL REFERENCES pipelines, case_id TEXT NOT NULL, seed INTEGER NOT NULL,
     state TEXT NOT NULL CHECK (state IN ('planned', 'made', 'failed', 'refused')),
     file TEXT, sha256 TEXT, width INTEGER, height INTEGER, bytes INTEGER,
     seconds DOUBLE PRECISION, cost DOUBLE PRECISION, failure TEXT, message TEXT, request TEXT,
     answer TEXT, made_at TEXT,
     attempt INTEGER NOT NULL DEFAULT 1, control TEXT, parent TEXT,
     first_call INTEGER NOT NULL DEFAULT 0)",
  "CREATE TABLE scores (
     take TEXT NOT NULL REFERENCES takes ON DELETE CASCADE, axis TEXT NOT NULL,
     measure TEXT NOT NULL,
     phrase TEXT, value DOUBLE PRECISION, raw DOUBLE PRECISION, level TEXT, place TEXT)",
  "CREATE INDEX scores_by_take ON scores (take)",
  deciding_index,
  prints_table,
  overlay_column,
  holder_table,
  answers_table,
  ballots_table,
  asked_column,
  given_columns
)

# Migrations: for each older schema, by its number, the changes that lead to the next one.
store_changes <- list(
  "ALTER TABLE takes ADD COLUMN attempt INTEGER NOT NULL DEFAULT 1",
  c(
    "ALTER TABLE takes ADD COLUMN control TEXT",
    "ALTER TABLE takes ADD COLUMN parent TEXT",
    "ALTER TABLE takes ADD COLUMN first_call INTEGER NOT NULL DEFAULT 0",
    "ALTER TABLE pipelines ADD COLUMN follows TEXT",
    "ALTER TABLE pipelines ADD COLUMN stage INTEGER NOT NULL DEFAULT 1",
    "ALTER TABLE pipelines ADD COLUMN shown INTEGER NOT NULL DEFAULT 1",
    holder_table
  ),
  prints_table,
  deciding_index,
  c(answers_table, ballots_table),
  overlay_column,
  asked_column,
  given_columns
)

get_facts <- function(store) {
  facts <- read_db(store, "SELECT * FROM facts")
  stats::setNames(as.list(facts$value), facts$name)
}

set_facts <- function(store, ...) {
  facts <- list(...)
  write_db(
    store$db,
    "INSERT INTO facts VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value",
    params = list(names(facts), vapply(facts, as.character, ""))
  )
}

take_path <- function(store, file) file.path(store$folder, "takes", file)
