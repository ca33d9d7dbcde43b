# A hostile engine server: every scenario is an engine of one run, so that a run has to come to its
# end with all of them. Picture bombs are files that nginx serves, since they are to arrive whole.

hostile_key <- "brackwater-key-55aa77"

# Starts the server that lies and the one that serves files; returns the scenarios with their
# addresses.
start_hostile <- function(place) {
  script <- normalizePath(file.path("bench", "chaos", "hostile.py"))
  named <- processx::run("python3", c(script, "names", place))$stdout
  words <- strsplit(strsplit(trimws(named), "\n")[[1]], " ")
  ports <- c(httpuv::randomPort(), httpuv::randomPort())
  lying <- processx::process$new("python3", c(script, ports[1], place), supervise = TRUE)
  config <- file.path(place, "nginx.conf")
  writeLines(
    c(
      "daemon off; worker_processes 1; error_log /dev/null;",
      paste0("pid ", place, "/nginx.pid;"),
      "events {}",
      "http {",
      "  access_log off;",
      paste0("  client_body_temp_path ", place, "; proxy_temp_path ", place, ";"),
      paste0("  fastcgi_temp_path ", place, "; uwsgi_temp_path ", place, ";"),
      paste0("  scgi_temp_path ", place, "; client_max_body_size 100m;"),
      paste0("  server { listen 127.0.0.1:", ports[2], ";"),
      paste0("    location /pictures/ { root ", place, "; default_type image/png; }"),
      paste0("    location / { proxy_pass http://127.0.0.1:", ports[1], "; }"),
      "  }",
      "}"
    ),
    config
  )
  serving <- processx::process$new("nginx", c("-c", config, "-p", place), supervise = TRUE)
  for (port in ports) {
    wait_for_port(port)
  }

  names <- vapply(words, `[`, "", 1)
  from_file <- lengths(words) > 1
  list(
    names = names,
    addresses = paste0("http://127.0.0.1:", ports[1 + from_file], "/", names),
    stop = function() {
      lying$kill()
      serving$kill()
    }
  )
}

wait_for_port <- function(port, seconds = 120) {
  for (i in seq_len(10 * seconds)) {
    open <- tryCatch(
      {
        close(suppressWarnings(socketConnection(port = port, timeout = 2)))
        TRUE
      },
      error = function(e) FALSE
    )
    if (open) {
      return(invisible())
    }

    Sys.sleep(0.1)
  }

  stop("Nothing listens at port ", port)
}

write_hostile_trial <- function(folder, hostile) {
  write_base_trial(folder, cases = 1, seeds = 1)
  id <- paste0("e-", hostile$names)
  writeLines(
    c(
      "engines:",
      paste0(
        "  ", id, ": {kind: http, address: \"", hostile$addresses,
        "\", key: HOSTILE_KEY, seconds: 4, patience: 8}"
      ),
      "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
      "pipelines:",
      paste0("  - {id: p-", hostile$names, ", engine: ", id, ", if_missing: drop}"),
      "  - {id: near, engine: yarrow, checkpoint: tide, hold: 0.6}",
      "  - {id: far, engine: yarrow, checkpoint: tide, hold: 0.2}"
    ),
    file.path(folder, "lineup.yml")
  )
  folder
}

# The most memory that a process and its children have had while it ran, in MB, watched until it
# ends.
watch_memory <- function(process, seconds) {
  most <- 0
  began <- proc.time()[["elapsed"]]
  while (process$is_alive() && proc.time()[["elapsed"]] - began < seconds) {
    status <- tryCatch(
      readLines(file.path("/proc", process$get_pid(), "status")),
      error = function(e) character(),
      warning = function(w) character()
    )
    peak <- as.numeric(gsub("[^0-9]", "", grep("^VmHWM", status, value = TRUE)))
    most <- max(most, peak / 1024)
    process$wait(200)
  }

  most
}

# A key in any file, in any of its forms.
find_secret <- function(folder, what) {
  forms <- c(
    hostile_key, paste(charToRaw(hostile_key), collapse = ""),
    sub("=*$", "", openssl::base64_encode(charToRaw(hostile_key)))
  )
  for (form in forms) {
    hits <- suppressWarnings(
      system2("grep", c("-rlai", "--", shQuote(form), shQuote(folder)), stdout = TRUE)
    )
    if (length(hits)) {
      found(what, ": the key stands in ", hits[1])
    }
  }
}

# The longest time in which a run did nothing, and what came then, from its log.
longest_gap <- function(folder) {
  lines <- readLines(file.path(folder, "runs", "main", "events.jsonl"))
  events <- lapply(lines, jsonlite::parse_json)
  at <- vapply(events, function(one) {
    as.numeric(as.POSIXct(one$at, format = "%Y-%m-%dT%H:%M:%OSZ", tz = "UTC"))
  }, 0)
  longest <- which.max(diff(at))
  event <- unlist(events[[longest + 1]][c("event", "pipeline")])
  list(seconds = max(diff(at)), event = paste(event, collapse = " of "))
}

`%||%` <- function(x, y) if (is.null(x)) y else x

run_server <- function(only = NULL) {
  place <- file.path(work, "hostile")
  dir.create(place)
  hostile <- start_hostile(place)
  on.exit(hostile$stop())
  if (!is.null(only)) {
    chosen <- grepl(only, hostile$names)
    hostile$names <- hostile$names[chosen]
    hostile$addresses <- hostile$addresses[chosen]
  }

  trial <- write_hostile_trial(file.path(work, "trial"), hostile)
  cache <- file.path(work, "cache")
  env <- c(HOSTILE_KEY = hostile_key, R_USER_CACHE_DIR = cache)
  unlink("/tmp/owned")
  began <- proc.time()[["elapsed"]]
  command <- start_command(c("run", "trial", "--workers", "0"), env = env)
  most <- watch_memory(command$process, 900)
  status <- end_command(command, 5, "the run with hostile engines")
  took <- proc.time()[["elapsed"]] - began
  if (status != 1) {
    found("the run ended with status ", status, ": ", paste(tail(said_by(command), 3), collapse = " "))
  }

  look_at_hostile(trial, cache, most, env)
  gap <- longest_gap(trial)
  say(
    paste0(
      "server: %d scenarios in one run of %.0f s, at most %.0f MB; longest without an event %.1f s ",
      "(before %s); %d finds"
    ),
    length(hostile$names), took, most, gap$seconds, gap$event, length(finds)
  )
}

look_at_hostile <- function(trial, cache, most, env) {
  store <- core("open_store")(trial, "main")
  takes <- core("read_kept_takes")(store)
  core("close_store")(store)
  failed <- takes[takes$state %in% c("failed", "refused"), ]
  unclassed <- setdiff(failed$failure, names(core("failure_words")))
  if (length(unclassed)) {
    found("failures without a class: ", unclassed)
  }

  messages <- failed$message
  controls <- "[\\x01-\\x08\\x0b-\\x1f\\x7f\u202e\u009b]"
  for (i in which(grepl(internals, messages) | grepl(controls, messages, perl = TRUE))) {
    found(failed$pipeline[i], " shows what it should not: ", messages[i])
  }

  stumbled <- grepl("fault of Sprenn's", messages)
  for (i in which(stumbled)) {
    found(failed$pipeline[i], ": ", messages[i])
  }

  if (most > most_mb) {
    found("the run took ", round(most), " MB of memory")
  }

  gap <- longest_gap(trial)
  if (gap$seconds > 30) {
    found("nothing happened for ", gap$seconds, " s before ", gap$event)
  }

  if (file.exists("/tmp/owned")) {
    found("a picture has run a command")
  }

  for (words in list(
    c("check", "trial", "--json"), c("choose", "trial", "--json"), c("check", "trial", "--run", "main"),
    c("export", "trial", "--as", "csv", "--out", "tables"), c("sheet", "trial", "--out", "s.png"),
    c("report", "trial", "--out", "r.html"), c("export", "trial", "--out", "c.zip")
  )) {
    ended <- run_command(words, env = env, seconds = 300, what = paste(words[1:2], collapse = " "))
    writeLines(ended$said, file.path(work, paste0("said-by-", words[1], ".txt")))
  }

  faults <- list.files(cache, recursive = TRUE, full.names = TRUE)
  if (length(faults)) {
    found(length(faults), " faults, the first: ", paste(readLines(faults[1]), collapse = " | "))
  }

  find_secret(work, "after the run")
  print(table(takes$state, takes$failure, useNA = "ifany"))
}
