# Processes beside this one, for work whose result does not depend on where it is
# done: on this machine or on others.

# A pool of its own name, so that neither the caller's processes nor another
# pool of ours is touched. It is there at once; its processes come up meanwhile.
# Those of this machine are in a session of their own, so that Ctrl-C reaches this
# process alone. `workers` is how many, or what read_workers() returned.
open_pool <- function(workers) {
  pool <- structure(new.env(), class = "sprenn_pool")
  pool$name <- basename(tempfile("sprenn-"))
  pool$far <- is.list(workers)
  pool$here <- if (pool$far) workers$here else workers
  pool$size <- pool$here
  pool$processes <- list()
  pool$opened <- clock()
  with_other_seed({
    tryCatch(
      mirai::daemons(
        url = if (pool$far) paste0("tls+tcp://", workers$listen) else mirai::local_url(),
        dispatcher = TRUE,
        .compute = pool$name
      ),
      error = function(e) {
        stop_sprenn(
          "workers",
          c(
            paste0("Can't listen at ", workers$listen, "."),
            x = one_line(e),
            i = paste0(
              "listen wants an address of this machine that the others reach, and a port that is ",
              "free."
            )
          )
        )
      }
    )
    mend_pool(pool)
    if (pool$far) {
      launch_workers(pool, workers)
    }
  })
  pool
}

# Starting processes draws random numbers, for names that have to differ every time:
# not the caller's, and not the same ones again.
with_other_seed <- function(code) {
  withr::with_preserve_seed({
    set.seed(NULL)
    force(code)
  })
}

# Starts processes in place of those that have died. Returns how many had.
mend_pool <- function(pool) {
  alive <- vapply(pool$processes, function(process) process$is_alive(), NA)
  pool$processes <- pool$processes[alive]
  new <- max(0, pool$here - length(pool$processes))
  quoted <- function(words) {
    paste0("c(", paste(encodeString(words, quote = "\""), collapse = ", "), ")")
  }

  certificate <- mirai::nextget("tls", .compute = pool$name)
  code <- paste0(
    ".libPaths(", quoted(.libPaths()), "); mirai::daemon(",
    quoted(mirai::nextget("url", .compute = pool$name)),
    if (!is.null(certificate)) paste0(", tlscert = ", quoted(certificate)),
    ")"
  )
  for (i in seq_len(new)) {
    pool$processes <- c(
      pool$processes,
      list(
        processx::process$new(
          file.path(R.home("bin"), "Rscript"),
          c("--no-save", "--no-restore", "-e", code),
          stdout = NULL,
          stderr = NULL,
          cleanup_tree = TRUE
        )
      )
    )
  }

  sum(!alive)
}

close_pool <- function(pool) {
  if (is.null(pool)) {
    return(invisible())
  }

  mirai::daemons(0, .compute = pool$name)
  for (process in pool$processes) {
    try(process$kill_tree(), silent = TRUE)
  }
}

# Calls `work` with `arguments` in the next free process: a function, or the name of
# one of this package, which the process is then to have in this very version. One
# that has not gives back a `sprenn_stranger` and ends itself.
send_to_pool <- function(pool, work, arguments, seconds = NULL) {
  mirai::mirai(
    if (is.function(work)) {
      do.call(work, arguments)
    } else {
      found <- tryCatch(as.character(utils::packageVersion("sprenn")), error = function(e) {
        "none"
      })
      if (identical(found, version)) {
        do.call(utils::getFromNamespace(work, "sprenn"), arguments)
      } else {
        if (.Platform$OS.type == "unix") {
          system(paste0("(sleep 1; kill ", Sys.getpid(), ") >/dev/null 2>&1 &"))
        }

        structure(
          list(machine = Sys.info()[["nodename"]], found = found),
          class = "sprenn_stranger"
        )
      }
    },
    work = work,
    arguments = arguments,
    version = as.character(utils::packageVersion("sprenn")),
    .compute = pool$name,
    .timeout = if (!is.null(seconds)) seconds * 1000
  )
}

# Whether something that was sent has come back.
has_landed <- function(sent) !mirai::unresolved(sent)

# What was sent, done; a `sprenn_lost` with the reason where its process died, took
# too long or was cut off.
landed <- function(sent) {
  data <- sent$data
  if (!mirai::is_error_value(data)) {
    return(data)
  }

  # 5: its own time was over; 20: we no longer waited.
  late <- !mirai::is_mirai_error(data) && as.integer(data) %in% c(5L, 20L)
  structure(
    list(
      late = late,
      why = if (late) {
        "it took too long"
      } else if (mirai::is_mirai_error(data)) {
        trimws(gsub("[[:space:]]+", " ", as.character(data)))
      } else {
        "its process ended"
      }
    ),
    class = "sprenn_lost"
  )
}

# Waits for it; `NULL` where it was lost.
wait_for <- function(sent) {
  done <- landed(mirai::call_mirai(sent))
  if (!inherits(done, "sprenn_lost")) {
    done
  }
}

# How many processes are worth starting for so many pieces of work: it takes each a
# second or two to begin.
worker_count <- function(workers, pieces) {
  if (!is.null(workers)) {
    return(workers)
  }

  cores <- parallel::detectCores()
  if (pieces < 40 || is.na(cores)) {
    0
  } else {
    min(cores, 8)
  }
}

# Starts what the file names. What is listened for on this machine alone is reached
# through the SSH connections.
launch_workers <- function(pool, workers) {
  for (host in workers$hosts) {
    ssh <- mirai::ssh_config(
      paste0("ssh://", host$ssh),
      tunnel = only_from_here(workers$listen),
      rscript = host$rscript
    )
    mirai::launch_remote(host$processes, remote = ssh, .compute = pool$name)
  }

  if (!is.null(workers$cluster)) {
    cluster <- mirai::cluster_config(
      workers$cluster$command,
      workers$cluster$options %||% "",
      workers$cluster$rscript
    )
    mirai::launch_remote(workers$cluster$processes, remote = cluster, .compute = pool$name)
  }
}

only_from_here <- function(listen) grepl("^(127\\.|localhost|\\[::1\\])", listen)
