# Several coordinators of one run over PostgreSQL, each in a network of its own: one is killed, one
# is cut off from the database and the engine for longer than its lease, and comes back. What the
# run comes to and what is paid must be that of an undisturbed one. Run from the root as root on
# Linux, with the package installed and PostgreSQL, ip, unshare and python3 at hand:
#   Rscript bench/together.R [ROUNDS] [CASES]
for (file in c("common.R", "database.R", "kills.R", "server.R")) {
  source(file.path("bench", "chaos", file))
}

given <- as.numeric(commandArgs(TRUE))
rounds <- c(given, 1)[1]
cases <- c(given[-1], 20)[1]
set.seed(30)
run <- function(...) processx::run(..1, c(...)[-1])

# A bridge with an address on this side, and a namespace for each coordinator.
bridge <- "sprenn-br"
near <- "10.77.0.1"
names <- paste0("sprenn-", 1:3)
build_networks <- function() {
  run("ip", "link", "add", bridge, "type", "bridge")
  run("ip", "addr", "add", paste0(near, "/24"), "dev", bridge)
  run("ip", "link", "set", bridge, "up")
  for (i in seq_along(names)) {
    inner <- paste0("sprenn-in", i)
    run("ip", "netns", "add", names[i])
    run("ip", "link", "add", paste0("sprenn-out", i), "type", "veth", "peer", "name", inner)
    run("ip", "link", "set", inner, "netns", names[i])
    run("ip", "link", "set", paste0("sprenn-out", i), "master", bridge, "up")
    inside <- function(...) run("ip", "netns", "exec", names[i], "ip", ...)
    inside("addr", "add", paste0("10.77.0.", i + 1, "/24"), "dev", inner)
    inside("link", "set", inner, "up")
    inside("link", "set", "lo", "up")
  }
}

remove_networks <- function() {
  for (words in c(
    lapply(seq_along(names), function(i) c("link", "del", paste0("sprenn-out", i))),
    list(c("link", "del", bridge)),
    lapply(names, function(name) c("netns", "del", name))
  )) {
    processx::run("ip", words, error_on_status = FALSE)
  }
}

cut_off <- function(i, how) run("ip", "link", "set", paste0("sprenn-out", i), how)

# `sprenn run` in the network of number i, on a machine of its own name.
start_there <- function(i, arguments) {
  start_command(arguments, before = c(
    "ip", "netns", "exec", names[i], "unshare", "--uts", "--",
    "sh", "-c", paste0("hostname hut-", i, "; exec \"$@\""), "sh"
  ))
}

made <- function(trial, run) {
  tryCatch(
    {
      store <- core("open_store")(trial, run)
      on.exit(core("close_store")(store))
      length(core("read_made")(store))
    },
    error = function(e) 0
  )
}

wait_for <- function(count, trial, run) {
  until <- Sys.time() + 300
  while (made(trial, run) < count && Sys.time() < until) {
    Sys.sleep(0.2)
  }
}

remove_networks()
build_networks()
database <- new_database(near)
running <- start_standins("bracken", seconds = 0.3, at_once = 4)
# A server without TLS is one of this machine only, so each network has a way to it of its own.
forward <- function(from, to, to_port, before = character()) {
  words <- c(before, "python3", "bench/together/forward.py", from, 7711, to, to_port)
  processx::process$new(words[1], words[-1], cleanup = TRUE)
}
inner_port <- sub(".*:", "", running$addresses[["bracken"]])
forwards <- c(
  forward(near, "127.0.0.1", inner_port),
  lapply(names, function(name) forward("127.0.0.1", near, 7711, c("ip", "netns", "exec", name)))
)
# The outcome of commands is read here, which has to reach it too.
forwards <- c(forwards, forward("127.0.0.1", "127.0.0.1", inner_port))
Sys.sleep(1)
ledger <- running$ledgers[["bracken"]]
trial <- write_base_trial(
  file.path(work, "trial"), "http://127.0.0.1:7711",
  cases = cases, seeds = 1:3
)
words <- function(run) {
  c("run", trial, "--run", run, "--store", database$address, "--workers", "1")
}

calm <- function() {
  paid <- count_paid(ledger)
  began <- Sys.time()
  command <- start_there(1, words("calm"))
  status <- end_command(command, 1200, "calm")
  if (status != 0) {
    print(said_by(command))
  }

  list(
    records = database_records(trial, "calm"),
    paid = count_paid(ledger) - paid,
    takes = made(trial, "calm"),
    seconds = as.numeric(difftime(Sys.time(), began, units = "secs"))
  )
}

disturbed <- function(run, wanted) {
  paid <- count_paid(ledger)
  began <- Sys.time()
  commands <- lapply(1:3, start_there, words(run))
  wait_for(wanted$takes * stats::runif(1, 0.1, 0.3), trial, run)
  commands[[2]]$process$kill_tree()
  say("%s: killed the second with %d made", run, made(trial, run))
  wait_for(wanted$takes * stats::runif(1, 0.35, 0.5), trial, run)
  cut_off(3, "down")
  say("%s: cut off the third with %d made", run, made(trial, run))
  Sys.sleep(35)
  cut_off(3, "up")
  say("%s: it is back, with %d made", run, made(trial, run))
  for (i in c(1, 3)) {
    status <- end_command(commands[[i]], 600, paste(run, i))
    if (status != 0) {
      found(run, ": number ", i, " ended with status ", status)
      print(grep("^(made|System|Failed)", said_by(commands[[i]]), invert = TRUE, value = TRUE))
    }
  }

  if (database_records(trial, run) != wanted$records) {
    found(run, ": its takes or scores are others")
  }

  billed <- count_paid(ledger) - paid
  if (billed != wanted$paid) {
    found(run, ": paid ", billed, " times, not ", wanted$paid)
  }

  wrong <- nrow(check_run(trial, run))
  if (wrong > 0) {
    found(run, ": check finds ", wrong)
  }

  logs <- list.files(file.path(trial, "runs", run), "^events", full.names = TRUE)
  said <- unlist(lapply(logs, readLines))
  count <- function(event) sum(grepl(paste0("\"event\":\"", event, "\""), said, fixed = TRUE))
  say(
    paste(
      "%s: %d takes in %.0f s, paid %d times as wanted %d; %d coordinators gone, %d joined again,",
      "%d answers dropped"
    ),
    run, made(trial, run), as.numeric(difftime(Sys.time(), began, units = "secs")), billed,
    wanted$paid, count("coordinator gone"), count("joined again"), count("dropped")
  )
}

tryCatch(
  {
    wanted <- calm()
    say("calm: %d takes in %.0f s, paid %d times", wanted$takes, wanted$seconds, wanted$paid)
    for (round in seq_len(rounds)) {
      disturbed(paste0("torn-", round), wanted)
    }
  },
  finally = {
    for (one in forwards) {
      one$kill()
    }

    stop_standins(running)
    database$stop()
    database$remove()
    remove_networks()
    unlink(work, recursive = TRUE)
  }
)
say("%d finds", length(finds))
quit(status = if (length(finds) > 0) 1 else 0)
