# Ten thousand takes in one process: what memory, open files and temporary files come to.

write_many_trial <- function(folder, count) {
  write_base_trial(folder, cases = 1, seeds = 1)
  seeds <- seq_len(ceiling(count / 4))
  suite <- readLines(file.path(folder, "suite.yml"))
  suite <- sub("^seeds:.*", paste0("seeds: [", paste(seeds, collapse = ", "), "]"), suite)
  writeLines(sub("^size:.*", "size: [96, 64]", suite), file.path(folder, "suite.yml"))
  writeLines(
    c(
      "engine(list(name = 'echo', version = '1', checkpoints = list(a = list()),",
      "  settings = list(mix = c(0, 1))),",
      "  function(request) {",
      "    set.seed(request$seed)",
      "    mix <- request$settings$mix",
      "    noise <- array(runif(length(request$reference)), dim(request$reference))",
      "    engine_result(request$reference * (1 - mix) + noise * mix)",
      "  })"
    ),
    file.path(folder, "engine.R")
  )
  writeLines(
    c(
      "engines:",
      "  echo: {kind: function, file: engine.R}",
      "pipelines:",
      paste0("  - {id: p", 1:4, ", engine: echo, if_missing: drop, settings: {mix: ", 1:4 / 5, "}}")
    ),
    file.path(folder, "lineup.yml")
  )
  folder
}

# Memory in MB and open files of a process.
size_of_process <- function(pid) {
  read <- function(file) {
    tryCatch(readLines(file), error = function(e) character(), warning = function(w) character())
  }
  status <- read(file.path("/proc", pid, "status"))
  resident <- as.numeric(gsub("[^0-9]", "", grep("^VmRSS", status, value = TRUE))) / 1024
  c(
    memory = if (length(resident)) resident else NA,
    files = length(list.files(file.path("/proc", pid, "fd")))
  )
}

run_leaks <- function(count) {
  trial <- write_many_trial(file.path(work, "trial"), count)
  temporary <- file.path(work, "tmp")
  dir.create(temporary)
  began <- proc.time()[["elapsed"]]
  command <- start_command(
    c("run", "trial", "--no-score", "--workers", "0", "--yes"),
    env = c(TMPDIR = temporary)
  )
  sizes <- NULL
  while (command$process$is_alive()) {
    sizes <- rbind(sizes, c(
      size_of_process(command$process$get_pid()),
      temporary = length(list.files(temporary, recursive = TRUE))
    ))
    command$process$wait(2000)
  }

  status <- end_command(command, 5, "leaks")
  if (status != 0) {
    found("leaks: status ", status, ": ", tail(said_by(command), 3))
  }

  took <- proc.time()[["elapsed"]] - began
  sizes <- sizes[!is.na(sizes[, "memory"]), ]
  early <- sizes[ceiling(nrow(sizes) * 0.3), ]
  late <- sizes[ceiling(nrow(sizes) * 0.95), ]
  if (late["memory"] > 1.3 * early["memory"] + 50 || late["files"] > early["files"] + 5) {
    found("leaks: from ", paste(round(early), collapse = ", "), " to ", paste(round(late), collapse = ", "))
  }

  if (length(list.files(temporary, recursive = TRUE)) > 0) {
    found("leaks: left ", head(list.files(temporary, recursive = TRUE), 1), " behind")
  }

  say(
    paste0(
      "leaks: %d takes in %.0f s; after 30 %% and 95 %% of the time %.0f and %.0f MB, %.0f and ",
      "%.0f open files, %.0f and %.0f temporary files; %d finds"
    ),
    count, took, early["memory"], late["memory"], early["files"], late["files"],
    early["temporary"], late["temporary"], length(finds)
  )
}
