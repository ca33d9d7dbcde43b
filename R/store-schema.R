# Prepares a connection to a run's records, and brings older ones to today's form.

store_schema <- 10L

prepare_sqlite <- function(db, file) {
  RSQLite::sqliteSetBusyHandler(db, 10000)
  DBI::dbGetQuery(db, "PRAGMA journal_mode = WAL")
  # A power failure may lose the last records, but never the pictures; those takes are made again.
  DBI::dbExecute(db, "PRAGMA synchronous = NORMAL")
  DBI::dbExecute(db, "PRAGMA foreign_keys = ON")
  version <- DBI::dbGetQuery(db, "PRAGMA user_version")[[1]]
  if (version == store_schema) {
    return(invisible())
  }

  stop_for_older_writer(db, version)
  tryCatch(
    all_or_nothing(db, function() {
      bring_up_to_date(db, version, function(version) {
        DBI::dbExecute(db, paste("PRAGMA user_version =", version))
      })
    }),
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

# A process of an older version that is writing now would lose its tables. One on another machine is
# known by its heartbeat.
stop_for_older_writer <- function(db, version) {
  if (version < first_with_holder || version >= first_with_writers) {
    return(invisible())
  }

  read <- function() {
    tryCatch(DBI::dbGetQuery(db, "SELECT * FROM holder"), error = function(e) data.frame())
  }
  holder <- read()
  if (nrow(holder) > 0 && is_writing_still(holder, read)) {
    stop(
      "a process of an older version of Sprenn is writing to it (", holder_words(holder),
      "); wait until it has ended"
    )
  }
}

# Whether a writer of the older kind is alive; on another machine, whether its heartbeat goes on.
is_writing_still <- function(holder, read) {
  if (are_near(holder)) {
    return(process_runs(holder$pid, holder$started))
  }

  began <- clock()
  while (clock() - began < silence) {
    if (!identical(read()[c("id", "beat")], holder[c("id", "beat")])) {
      return(TRUE)
    }

    steady_sleep(0.5)
  }

  FALSE
}

prepare_postgres <- function(db, url, schema) {
  DBI::dbExecute(db, "SET lock_timeout = '10s'")
  # What a process has locked is free soon after it was cut off or held up.
  DBI::dbExecute(db, "SET idle_in_transaction_session_timeout = '20s'")
  for (setting in c("idle = 5", "interval = 2", "count = 3")) {
    DBI::dbExecute(db, paste0("SET tcp_keepalives_", setting))
  }

  before <- schema_version(db, schema)
  stop_for_older_writer(db, before)
  # Two processes that start the same run create its tables once.
  all_or_nothing(db, function() {
    DBI::dbGetQuery(db, "SELECT pg_advisory_xact_lock(7308829)::text")
    version <- schema_version(db, schema)
    if (version == 0) {
      DBI::dbExecute(
        db,
        paste("CREATE SCHEMA IF NOT EXISTS", DBI::dbQuoteIdentifier(db, schema))
      )
    }

    bring_up_to_date(db, version, function(version) {
      DBI::dbExecute(
        db,
        paste0(
          "INSERT INTO facts VALUES ('schema', $1) ON CONFLICT (name) DO UPDATE SET value = ",
          "excluded.value"
        ),
        params = list(as.character(version))
      )
    })
  })
}

# The version of a run's tables; 0 where there are none.
schema_version <- function(db, schema) {
  there <- DBI::dbGetQuery(
    db,
    paste0(
      "SELECT count(*) AS n FROM information_schema.tables WHERE table_schema = $1 AND ",
      "table_name = 'facts'"
    ),
    params = list(schema)
  )$n > 0
  if (!there) {
    return(0L)
  }

  as.integer(DBI::dbGetQuery(db, "SELECT value FROM facts WHERE name = 'schema'")$value)
}
