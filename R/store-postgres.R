# A run's records on a PostgreSQL server, for people who work on one run from several
# machines: the same tables by the same statements, in a schema of the run's own.
# Pictures stay in the run's folder, which these people share; the file store.url in
# it says where the records are.

store_url_file <- "store.url"

# Where the records of a run are: `url` and `schema`, or NULL for the SQLite file
# beside.
store_place <- function(folder) {
  file <- file.path(folder, store_url_file)
  if (!file.exists(file)) {
    return(NULL)
  }

  lines <- trimws(readLines(file, n = 2, warn = FALSE))
  list(url = lines[1], schema = lines[2])
}

remember_url <- function(folder, url, schema) {
  write_lines(c(url, schema), file.path(folder, store_url_file))
}

# postgresql://[USER@]HOST[:PORT]/DATABASE[?sslmode=...]; no password, which libpq
# finds in ~/.pgpass or PGPASSWORD.
postgres_pattern <- paste0(
  "^postgres(?:ql)?://(?:([^@/:?#]+)@)?",
  "([A-Za-z0-9.-]*|\\[[0-9a-fA-F:]+\\])(?::([0-9]+))?/([^/?#]+)",
  "(?:\\?([a-z_]+=[^&=#]*(?:&[a-z_]+=[^&=#]*)*))?$"
)

check_store_url <- function(url) {
  if (is.null(url)) {
    return(TRUE)
  }

  if (!is_text(url)) {
    return("must be an address, postgresql://USER@HOST/DATABASE")
  }

  if (grepl("^[a-z]+://[^/@]*:[^/@]*@|[?&]password=", url)) {
    return(paste(
      "must not contain a password; keep that in ~/.pgpass or in the environment variable",
      "PGPASSWORD"
    ))
  }

  if (grepl(postgres_pattern, url, perl = TRUE)) {
    TRUE
  } else {
    "must be postgresql://USER@HOST/DATABASE or postgresql://USER@HOST:PORT/DATABASE"
  }
}

connect_postgres <- function(url, schema) {
  # Loading it asks the system for its time zone, which some can't tell.
  if (!suppressWarnings(requireNamespace("RPostgres", quietly = TRUE))) {
    stop("the package RPostgres is not installed; install.packages(\"RPostgres\") does it")
  }

  parts <- regmatches(url, regexec(postgres_pattern, url, perl = TRUE))[[1]][-1]
  plain <- vapply(parts, utils::URLdecode, "", USE.NAMES = FALSE)
  given <- list(
    user = plain[1],
    host = gsub("[][]", "", plain[2]),
    port = plain[3],
    dbname = plain[4]
  )
  more <- strsplit(strsplit(parts[5], "&", fixed = TRUE)[[1]], "=", fixed = TRUE)
  for (pair in more) {
    given[[pair[1]]] <- utils::URLdecode(pair[2])
  }

  given <- Filter(nzchar, given)
  db <- do.call(
    DBI::dbConnect,
    c(
      list(
        RPostgres::Postgres(),
        bigint = "numeric",
        check_interrupts = FALSE,
        connect_timeout = "10",
        # A connection that was cut off is noticed within seconds.
        keepalives_idle = "5",
        keepalives_interval = "2",
        keepalives_count = "3",
        tcp_user_timeout = "10000",
        client_encoding = "UTF8",
        timezone = "UTC",
        timezone_out = "UTC"
      ),
      given
    )
  )
  tryCatch(
    {
      name <- DBI::dbQuoteIdentifier(db, schema)
      DBI::dbExecute(db, "SET client_min_messages = warning")
      DBI::dbExecute(db, paste("SET search_path TO", name))
      db
    },
    error = function(e) {
      DBI::dbDisconnect(db)
      stop(e)
    }
  )
}

# The run's own schema, so that many share one database.
schema_name <- function(suite, run) paste0("sprenn-", suite, "-", run)

is_postgres <- function(db) inherits(db, "PqConnection")

# Converts SQLite's `?` placeholders to PostgreSQL's $1, $2.
for_server <- function(db, statement) {
  if (!is_postgres(db)) {
    return(statement)
  }

  pieces <- strsplit(paste0(statement, " "), "?", fixed = TRUE)[[1]]
  paste0(
    pieces,
    c(if (length(pieces) > 1) paste0("$", seq_len(length(pieces) - 1)), ""),
    collapse = ""
  )
}

# Numbers are sent as text, with all digits.
params_for <- function(db, params) {
  if (is.null(params) || !is_postgres(db)) {
    return(params)
  }

  lapply(unname(params), function(values) {
    if (is.double(values)) {
      ifelse(is.na(values), NA_character_, formatC(values, digits = 17, format = "g"))
    } else {
      values
    }
  })
}

# The server's number of a session, or NULL if it can't be reached.
session_of <- function(db) {
  tryCatch(
    DBI::dbGetQuery(db, "SELECT pg_backend_pid() AS session")$session,
    error = function(e) NULL
  )
}
