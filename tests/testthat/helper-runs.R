# Runs in processes of their own, to be killed, stopped and looked at.

# A trial of four cases on a server (whose ledger says what was paid) and on R code
# that any process can build. `more` are further lines of its lineup's engines.
served_trial <- function(address, cases = 4, seeds = 1:2, env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  dir.create(file.path(folder, "references"))
  tiles <- tile_names()
  for (i in seq_len(cases)) {
    write_drawing(
      draw_tile(tiles[i], 192, 128, i),
      file.path(folder, "references", paste0(i, ".png"))
    )
  }

  writeLines(
    c(
      "suite: served",
      paste0("seeds: [", paste(seeds, collapse = ", "), "]"),
      "size: [192, 128]",
      "cases:",
      sprintf(
        "  - {id: c%d, job: restyle, reference: references/%d.png, prompt: a windmill}",
        seq_len(cases),
        seq_len(cases)
      )
    ),
    file.path(folder, "suite.yml")
  )
  writeLines(
    c(
      "engines:",
      paste0("  served: {kind: http, address: \"", address, "\", seconds: 60, at_once: 4}"),
      "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
      "pipelines:",
      "  - {id: far, engine: served, hold: 0.7}",
      "  - {id: near, engine: yarrow, checkpoint: tide, hold: 0.6}"
    ),
    file.path(folder, "lineup.yml")
  )
  writeLines(
    c("brief: keep the layout", "weights: {structure: 1}", "style: stay"),
    file.path(folder, "brief.yml")
  )
  folder
}

# A copy of what `make` gives, a trial with its runs perhaps: it is made once in a test file.
copy_of <- function(name, make, env = parent.frame()) {
  copy <- function(from, to) {
    file.copy(list.files(from, full.names = TRUE), to, recursive = TRUE, copy.date = TRUE)
    to
  }

  if (is.null(made_once[[name]])) {
    dir.create(kept <- tempfile("made-once-"))
    made_once[[name]] <- copy(make(), kept)
  }

  copy(made_once[[name]], withr::local_tempdir(.local_envir = env))
}

made_once <- new.env()

# `sprenn run` in a process of its own.
start_run <- function(folder, ..., env = character()) {
  process <- processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c(
      "--no-save",
      "--no-restore",
      "-e",
      "quit(status = sprenn::sprenn_command())",
      "run",
      folder,
      ...
    ),
    stdout = file.path(folder, "out.log"),
    stderr = file.path(folder, "err.log"),
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":"), env),
    cleanup_tree = TRUE
  )
  process
}

# What a run has come to, in a form in which two runs can be compared.
outcome_of <- function(folder, run = "main") {
  store <- open_store(folder, run)
  on.exit(close_store(store))
  takes <- read_takes(store)
  scores <- read_scores(store)
  list(
    takes = takes[c("take", "state", "sha256", "cost")],
    scores = scores[c("take", "measure", "value")]
  )
}

paid_for <- function(running, name = "quince") {
  unlist(jsonlite::read_json(running$ledgers[[name]]))
}

# Waits until something is so, for a minute at most.
wait_until <- function(code, seconds = 60) {
  code <- substitute(code)
  frame <- parent.frame()
  for (i in seq_len(seconds * 20)) {
    if (isTRUE(tryCatch(suppressWarnings(eval(code, frame)), error = function(e) FALSE))) {
      return(invisible(TRUE))
    }

    Sys.sleep(0.05)
  }

  stop("It never came to that: ", deparse1(code))
}

# The environment of a process whose clock is off by what a file says, and can be set at any time.
fake_clock <- function(said) {
  library <- Sys.glob("/usr/lib/*/faketime/libfaketime.so.1")
  testthat::skip_if(length(library) == 0, "libfaketime is not installed")
  c(
    LD_PRELOAD = library[1],
    FAKETIME_TIMESTAMP_FILE = said,
    FAKETIME_NO_CACHE = "1",
    FAKETIME_DONT_FAKE_MONOTONIC = "1"
  )
}

# Whether file systems may be mounted here.
mounts <- function() {
  place <- tempfile("mount-")
  dir.create(place)
  if (!nzchar(Sys.which("mount")) ||
    processx::run(
      "mount",
      c("-t", "tmpfs", "tmpfs", place),
      error_on_status = FALSE
    )$status != 0) {
    return(FALSE)
  }

  processx::run("umount", place)$status == 0
}

# Runs a script in a folder, in a shell that finds `sprenn` as if it were installed; `bin`
# may hold other programs.
run_shell <- function(script, folder, bin = file.path(folder, "bin"), home = NULL) {
  dir.create(bin, showWarnings = FALSE)
  launch <- c("#!/bin/sh", paste("exec sh", shQuote(launcher()), "\"$@\""))
  writeLines(launch, file.path(bin, "sprenn"))
  Sys.chmod(list.files(bin, full.names = TRUE))
  processx::run(
    "sh",
    script,
    wd = folder,
    error_on_status = FALSE,
    timeout = 400,
    env = c(
      "current",
      PATH = paste0(bin, ":", Sys.getenv("PATH")),
      R_LIBS = paste(.libPaths(), collapse = ":"),
      HOME = home
    )
  )
}

# A small file system of its own, of so many MB.
small_disk <- function(size, env = parent.frame()) {
  testthat::skip_if_not(mounts(), "no mounts are allowed here")
  place <- withr::local_tempdir(.local_envir = env)
  processx::run("mount", c("-t", "tmpfs", "-o", paste0("size=", size, "m"), "tmpfs", place))
  withr::defer(processx::run("umount", c("-l", place)), envir = env)
  place
}

# An event log that keeps nothing.
quiet_log <- list(note = function(...) NULL, note_all = function(...) NULL)

# A run whose takes are planned and not made.
planned_run <- function(env = parent.frame()) {
  folder <- small_trial(env = env)
  trial <- read_trial(folder)
  store <- open_store(folder, "main", create = TRUE)
  withr::defer(close_store(store), envir = env)
  record_plan(store, trial, plan_run(trial)$takes)
  list(trial = trial, store = store, takes = read_takes(store))
}
