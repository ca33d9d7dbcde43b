# Workers on other machines: the file that names them, and how they are started
# there. They dial in to this process, over TLS, and come and go as they like.

check_workers <- function(workers) {
  if (is.character(workers)) {
    checkmate::check_file_exists(workers)
  } else {
    checkmate::check_int(workers, lower = 0, upper = 256, null.ok = TRUE)
  }
}

# What `workers` of run_trial() may be: `NULL`, a number, or the path of a file,
# which is read.
as_workers <- function(workers) {
  if (!is.character(workers)) workers else read_workers(workers)
}

# A file of workers as a list: `here` (how many processes on this machine), `listen`,
# `hosts` (each with `ssh`, `processes`, `rscript`) and `cluster` (`command`,
# `options`, `processes`, `rscript`, or NULL).
read_workers <- function(path) {
  if (utils::file_test("-d", path)) {
    stop_sprenn(
      "workers",
      c(
        paste0(path, " is a folder."),
        i = "--workers wants a number or a file that docs/machines.md describes."
      )
    )
  }

  read <- parse_trial_file(dirname(path), basename(path))
  problems <- read$problems %||% walk_fields(read$value, "workers.yml")
  value <- read$value
  if (nrow(problems) == 0 &&
    !is.null(value$cluster) &&
    !is.null(value$listen) &&
    only_from_here(value$listen)) {
    problems <- new_problem(
      basename(path),
      "listen",
      quoted(value$listen),
      "an address that the cluster's machines reach"
    )
  }

  problems$file <- rep(basename(path), nrow(problems))
  stop_for_problems(
    place_problems(problems, stats::setNames(list(read$text), basename(path))),
    "workers",
    "This file of workers"
  )
  with_defaults <- function(one) {
    c(
      one,
      list(processes = 1L, rscript = "Rscript")[setdiff(c("processes", "rscript"), names(one))]
    )
  }

  list(
    here = as.integer(value$here %||% min(parallel::detectCores(), 8, na.rm = TRUE)),
    listen = whole_address(value$listen %||% sub("^[^/]*//", "", mirai::host_url(tls = TRUE))),
    hosts = lapply(value$hosts, with_defaults),
    cluster = if (!is.null(value$cluster)) with_defaults(value$cluster)
  )
}

# Port 0 takes one that is free.
whole_address <- function(listen) {
  if (grepl(":[0-9]+$", listen)) listen else paste0(listen, ":0")
}

# The command by which any machine joins, as a script that is there while the run is.
write_join_script <- function(pool, store) {
  command <- as.character(
    mirai::launch_remote(1, remote = mirai::remote_config(), .compute = pool$name)
  )
  file <- file.path(store$folder, "join.sh")
  write_whole(
    c(
      "#!/bin/sh",
      paste0(
        "# Joins the run as a worker: sh join.sh [HOW MANY PROCESSES]. Wants R with Sprenn ",
        utils::packageVersion("sprenn"), " and mirai."
      ),
      "many=${1:-1}",
      "while [ \"$many\" -gt 0 ]; do",
      "  many=$((many - 1))",
      paste(command, "&"),
      "done",
      "wait"
    ),
    file
  )
  Sys.chmod(file, "600")
  file
}
