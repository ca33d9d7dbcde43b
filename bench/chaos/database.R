# A PostgreSQL server that is restarted, or killed, at a random time of a run that keeps its records
# there. The run waits for it, or ends and says so; the same command completes it.

# Starts a server of its own in a folder, also for others on the network if it is to listen there;
# returns how to start and stop it.
new_database <- function(listen = "127.0.0.1") {
  found <- c(Sys.glob("/usr/lib/postgresql/*/bin/postgres"), Sys.which("postgres"))
  found <- found[nzchar(found)]
  if (length(found) == 0 || !requireNamespace("RPostgres", quietly = TRUE)) {
    return(NULL)
  }

  bin <- dirname(found[1])
  place <- tempfile("chaos-pg-", "/tmp")
  dir.create(place)
  # A server refuses to be run by root.
  root <- identical(unname(Sys.info()[["effective_user"]]), "root")
  as_user <- function(...) if (root) c("runuser", "-u", "nobody", "--", ...) else c(...)
  if (root) {
    processx::run("chown", c("nobody", place))
  }

  data <- file.path(place, "data")
  words <- as_user(file.path(bin, "initdb"), "-D", data, "-U", "ana", "-A", "trust", "-E", "UTF8")
  processx::run(words[1], words[-1], wd = place)
  cat("host all all 10.77.0.0/24 trust\n", file = file.path(data, "pg_hba.conf"), append = TRUE)
  port <- httpuv::randomPort()
  launch <- as_user(
    file.path(bin, "postgres"), "-D", data, "-p", port, "-k", place,
    "-c", paste0("listen_addresses=", paste(unique(c("127.0.0.1", listen)), collapse = ","))
  )
  server <- NULL
  database <- list(
    address = paste0("postgresql://ana@", listen, ":", port, "/postgres"),
    start = function() {
      server <<- processx::process$new(launch[1], launch[-1], wd = place, cleanup_tree = TRUE)
      wait_for_port(port)
      # It answers before it lets anybody in.
      Sys.sleep(1)
    },
    # At once, without letting anybody finish.
    stop = function() {
      halt <- as_user(file.path(bin, "pg_ctl"), "-D", data, "-m", "immediate", "stop")
      processx::run(halt[1], halt[-1], wd = place, error_on_status = FALSE)
      server$wait(5000)
    },
    remove = function() unlink(place, recursive = TRUE)
  )
  database$start()
  database
}

database_records <- function(trial, run) {
  store <- core("open_store")(trial, run)
  on.exit(core("close_store")(store))
  takes <- core("read_kept_takes")(store)
  scores <- core("read_scores")(store)
  takes <- takes[order(takes$take), c("take", "state", "sha256", "cost")]
  scores <- scores[order(scores$take, scores$measure), ]
  core("hash_of")(list(as.list(takes), as.character(signif(scores$value, 9)), scores$measure))
}

run_database <- function(count) {
  database <- new_database()
  if (is.null(database)) {
    say("database: there is no PostgreSQL server here")
    return(invisible())
  }

  on.exit({
    database$stop()
    database$remove()
  })
  running <- start_standins("bracken", seconds = 0.1, at_once = 4)
  on.exit(stop_standins(running), add = TRUE)
  ledger <- running$ledgers[["bracken"]]
  trial <- write_base_trial(file.path(work, "trial"), running$addresses[["bracken"]])
  words <- function(run) {
    c("run", trial, "--run", run, "--store", database$address, "--workers", "0")
  }
  paid <- count_paid(ledger)
  began <- proc.time()[["elapsed"]]
  run_command(words("calm"))
  seconds <- proc.time()[["elapsed"]] - began
  most <- count_paid(ledger) - paid
  wanted <- database_records(trial, "calm")
  for (i in seq_len(count)) {
    run <- paste0("torn-", i)
    what <- paste("a database restarted,", i)
    paid <- count_paid(ledger)
    command <- start_command(words(run))
    command$process$wait(1000 * runif(1, 0.3, 0.9) * seconds)
    database$stop()
    Sys.sleep(runif(1, 0, 5))
    database$start()
    end_command(command, 180, what)
    status <- end_command(start_command(words(run)), 180, paste0(what, ", again"))
    if (status != 0) {
      found(what, ": again, it ended with status ", status)
    } else if (database_records(trial, run) != wanted) {
      found(what, ": it came to another end")
    }

    if (count_paid(ledger) - paid > most) {
      found(what, ": paid ", count_paid(ledger) - paid, " times, not ", most)
    }
  }

  say("database: killed and restarted %d times in mid-run; %d finds", count, length(finds))
}
