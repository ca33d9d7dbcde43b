# A real PostgreSQL server of a test's own.
local_server <- function(env = parent.frame()) {
  skip_on_cran()
  # Loading it asks the system for its time zone, which some can't tell.
  skip_if_not(
    suppressWarnings(requireNamespace("RPostgres", quietly = TRUE)),
    "RPostgres is not installed."
  )
  found <- c(Sys.glob("/usr/lib/postgresql/*/bin/postgres"), Sys.which("postgres"))
  found <- found[nzchar(found)]
  skip_if(length(found) == 0, "There is no PostgreSQL server on this machine.")
  bin <- dirname(found[1])
  place <- withr::local_tempdir(pattern = "pg", .local_envir = env)
  # A server refuses to be run by root.
  root <- identical(unname(Sys.info()[["effective_user"]]), "root")
  skip_if(
    root && !nzchar(Sys.which("runuser")),
    "PostgreSQL can't be started by root without runuser."
  )
  as_user <- function(...) if (root) c("runuser", "-u", "nobody", "--", ...) else c(...)
  run <- function(...) {
    words <- as_user(...)
    processx::run(words[1], words[-1], wd = place, stderr_to_stdout = TRUE)
  }

  if (root) {
    Sys.chmod(c(place, dirname(place)), c("700", "711"))
    processx::run("chown", c("nobody", place))
  }

  run(
    file.path(bin, "initdb"),
    "-D",
    file.path(place, "data"),
    "-U",
    "ana",
    "-A",
    "trust",
    "-E",
    "UTF8",
    "--no-sync"
  )
  port <- httpuv::randomPort()
  words <- as_user(
    file.path(bin, "postgres"),
    "-D",
    file.path(place, "data"),
    "-p",
    port,
    "-k",
    place,
    "-c",
    "listen_addresses=127.0.0.1",
    "-c",
    "fsync=off"
  )
  start <- function() {
    server <- processx::process$new(words[1], words[-1], wd = place, cleanup_tree = TRUE)
    withr::defer(server$kill_tree(), envir = env)
    wait_until(
      processx::run(file.path(bin, "pg_isready"), c("-h", "127.0.0.1", "-p", port))$status == 0
    )
  }

  start()
  list(
    url = paste0("postgresql://ana@127.0.0.1:", port, "/postgres"),
    start = start,
    stop = function() {
      run(file.path(bin, "pg_ctl"), "-D", file.path(place, "data"), "-m", "immediate", "stop")
    }
  )
}
