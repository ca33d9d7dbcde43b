# Reading and writing a run's records, in SQLite or on a PostgreSQL server.

# The records of a run and the connection to them. Where they are on a server that can't be reached,
# what was to be done is done again once it can.
Store <- R6::R6Class(
  "sprenn_store",
  cloneable = FALSE,
  public = list(
    folder = NULL,
    run = NULL,
    # The file that the records are in, or that says where they are, and its identity.
    records = NULL,
    identity = NULL,
    # The server of its pictures, a PictureServer; NULL where they are in the folder.
    pictures = NULL,
    # `connect` opens another connection; NULL for a file.
    initialize = function(db, folder, run, records, connect = NULL) {
      private$.db <- db
      self$folder <- folder
      self$run <- run
      self$records <- records
      self$identity <- identity_of(records)
      private$connect <- connect
      private$session <- if (!is.null(connect)) session_of(db)
    },

    # The value of `work`, a function without arguments that uses the connection. It may be called
    # several times; in a transaction, all of that is.
    use = function(work) {
      if (private$in_transaction) {
        return(work())
      }

      for (try in seq_len(most_database_tries)) {
        done <- tryCatch(list(value = work()), error = identity)
        if (!inherits(done, "condition")) {
          return(done$value)
        }

        if (inherits(done, "sprenn_error") || !private$can_go_on(done)) {
          break
        }
      }

      stop_for_database(done)
    },

    # From now on, a server of records or pictures that can't be reached is tried again for so many
    # seconds; `told` is called with words meanwhile.
    be_patient = function(seconds, told) {
      private$patience <- seconds
      private$told <- told
      if (!is.null(self$pictures)) {
        self$pictures$be_patient(seconds, told)
      }
    },

    # All of what `work` does, or nothing. Within another transaction it is a part of that.
    transact = function(work) {
      if (private$in_transaction) {
        return(work())
      }

      self$use(function() {
        private$in_transaction <- TRUE
        on.exit(private$in_transaction <- FALSE)
        all_or_nothing(private$.db, work)
      })
    },

    close = function() DBI::dbDisconnect(private$.db)
  ),
  active = list(
    db = function() private$.db,
    # How often it was connected anew.
    reconnections = function() private$.reconnections
  ),
  private = list(
    .db = NULL,
    connect = NULL,
    # The server's number of this connection.
    session = NULL,
    patience = 0,
    told = NULL,
    in_transaction = FALSE,
    .reconnections = 0,

    # Whether what has failed may be tried again: two processes have waited for each other, or the
    # server was away and is back.
    can_go_on = function(failure) {
      if (is.null(private$connect)) {
        return(FALSE)
      }

      # The client library may have begun another session by itself, without this run's settings.
      if (identical(session_of(private$.db), private$session)) {
        return(
          private$patience > 0 && grepl("deadlock detected|lock timeout", conditionMessage(failure))
        )
      }

      private$reconnect()
    },

    # FALSE if the server has not come back in time.
    reconnect = function() {
      began <- clock()
      while (clock() - began < private$patience) {
        db <- tryCatch(private$connect(), error = function(e) NULL)
        if (!is.null(db)) {
          try(suppressWarnings(DBI::dbDisconnect(private$.db)), silent = TRUE)
          private$.db <- db
          private$session <- session_of(db)
          private$.reconnections <- private$.reconnections + 1
          return(TRUE)
        }

        private$told("the run's database can't be reached; trying again")
        steady_sleep(0.5)
      }

      FALSE
    }
  )
)

# How often a statement is tried that other processes get in the way of, perhaps one that is cut off
# and has rows locked until the server notices.
most_database_tries <- 10

all_or_nothing <- function(db, work) {
  whole <- FALSE
  DBI::dbBegin(db)
  # A full disk, or a server that is gone, has already rolled it back.
  on.exit(if (!whole) try(DBI::dbRollback(db), silent = TRUE))
  value <- work()
  DBI::dbCommit(db)
  whole <- TRUE
  value
}

# All of the code or nothing; it may be evaluated several times.
in_transaction <- function(store, code) {
  code <- substitute(code)
  frame <- parent.frame()
  store$transact(function() eval(code, frame))
}

write_db <- function(store, statement, params = NULL) {
  # They may come from a query of their own.
  force(params)
  store$use(function() {
    DBI::dbExecute(
      store$db,
      for_server(store$db, statement),
      params = params_for(store$db, params)
    )
  })
}

# The records may be those of a run that came from elsewhere, so their texts are cleaned.
read_db <- function(store, query, params = NULL) {
  force(params)
  rows <- store$use(function() {
    DBI::dbGetQuery(
      store$db,
      for_server(store$db, query),
      params = params_for(store$db, params)
    )
  })
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
  if (inherits(e, "sprenn_error")) {
    stop(e)
  }

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

get_facts <- function(store) {
  facts <- read_db(store, "SELECT * FROM facts")
  stats::setNames(as.list(facts$value), facts$name)
}

set_facts <- function(store, ...) {
  facts <- list(...)
  write_db(
    store,
    "INSERT INTO facts VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value",
    params = list(names(facts), vapply(facts, as.character, ""))
  )
}
