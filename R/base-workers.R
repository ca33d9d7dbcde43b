# Worker processes, for work whose result does not depend on where it is done: on this machine or
# on others.

# A pool under its own name, so that neither the caller's processes nor another pool of ours is
# affected. The object is ready at once; its processes start in the background. Those of this
# machine are in a session of their own, so that Ctrl-C reaches this process alone.
WorkerPool <- R6::R6Class(
  "sprenn_pool",
  cloneable = FALSE,
  public = list(
    # `workers` is a number, or the result of read_workers().
    initialize = function(workers) {
      private$.far <- is.list(workers)
      private$here <- if (private$.far) workers$here else workers
      private$.size <- private$here
      private$.name <- basename(tempfile("sprenn-"))
      private$opened <- clock()
      with_other_seed({
        private$listen(workers)
        self$mend()
        if (private$.far) {
          private$launch(workers)
        }
      })
    },

    # Calls `work` with `arguments` in the next free process. `work` is a function, or the name of
    # one of this package; the process must then have the same version of the package. If not, it
    # returns a `sprenn_stranger` and ends.
    send = function(work, arguments, seconds = NULL) {
      mirai::mirai(
        if (is.function(work)) {
          do.call(work, arguments)
        } else {
          found <- tryCatch(getNamespaceVersion("sprenn")[[1]], error = function(e) "none")
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
        version = getNamespaceVersion("sprenn")[[1]],
        .compute = private$.name,
        .timeout = if (!is.null(seconds)) seconds * 1000
      )
    },

    # Replaces processes that have died. Returns how many had.
    mend = function() {
      alive <- vapply(private$processes, function(process) process$is_alive(), NA)
      private$processes <- private$processes[alive]
      new <- max(0, private$here - length(private$processes))
      private$processes <- c(
        private$processes,
        lapply(seq_len(new), function(i) private$start_process())
      )
      sum(!alive)
    },

    # Updates the number of processes, since other machines come and go. TRUE if it has changed.
    count = function() {
      if (!private$.far) {
        return(FALSE)
      }

      before <- private$.size
      private$.size <- as.numeric(mirai::status(.compute = private$.name)$connections)
      private$.size != before
    },

    # Whether any process is there, or may still join.
    is_manned = function() private$.size > 0 || clock() - private$opened < join_patience,

    # Stops replacing processes of this machine.
    leave_to_others = function() private$here <- 0,

    close = function() {
      mirai::daemons(0, .compute = private$.name)
      for (process in private$processes) {
        try(process$kill_tree(), silent = TRUE)
      }
    }
  ),
  active = list(
    name = function() private$.name,
    # Whether processes of other machines may join.
    far = function() private$.far,
    # The number of processes, and how many of them this one has started.
    size = function() private$.size,
    started = function() length(private$processes),
    # The number of processes wanted on this machine.
    wanted_here = function() private$here
  ),
  private = list(
    .name = NULL,
    .far = FALSE,
    .size = 0,
    here = 0,
    opened = NULL,
    processes = list(),

    listen = function(workers) {
      withr::local_envvar(own_start_files())
      tryCatch(
        mirai::daemons(
          url = if (private$.far) paste0("tls+tcp://", workers$listen) else mirai::local_url(),
          dispatcher = TRUE,
          .compute = private$.name
        ),
        error = function(e) {
          stop_sprenn(
            "workers",
            c(
              paste0("Can't listen at ", workers$listen, "."),
              x = one_line(e),
              i = paste0(
                "listen wants an address of this machine that the others can reach, and a port ",
                "that is free."
              )
            )
          )
        }
      )
    },

    start_process = function() {
      certificate <- mirai::nextget("tls", .compute = private$.name)
      code <- paste0(
        ".libPaths(", as_r_words(.libPaths()), "); mirai::daemon(",
        as_r_words(mirai::nextget("url", .compute = private$.name)),
        if (!is.null(certificate)) paste0(", tlscert = ", as_r_words(certificate)),
        ")"
      )
      processx::process$new(
        file.path(R.home("bin"), "Rscript"),
        c("--no-save", "--no-restore", "-e", code),
        stdout = NULL,
        stderr = NULL,
        env = c("current", own_start_files()),
        cleanup_tree = TRUE
      )
    },

    # Starts the workers that the file names. If this machine only listens locally, they connect
    # back through the SSH connections.
    launch = function(workers) {
      for (host in workers$hosts) {
        ssh <- mirai::ssh_config(
          paste0("ssh://", host$ssh),
          tunnel = only_from_here(workers$listen),
          rscript = host$rscript
        )
        mirai::launch_remote(host$processes, remote = ssh, .compute = private$.name)
      }

      if (!is.null(workers$cluster)) {
        cluster <- mirai::cluster_config(
          workers$cluster$command,
          workers$cluster$options %||% "",
          workers$cluster$rscript
        )
        mirai::launch_remote(
          workers$cluster$processes,
          remote = cluster,
          .compute = private$.name
        )
      }
    }
  )
)

# Variables by which R reads the user's own start-up files only: those in the working folder may be
# someone else's.
own_start_files <- function() {
  files <- c(R_PROFILE_USER = "~/.Rprofile", R_ENVIRON_USER = "~/.Renviron")
  given <- Sys.getenv(names(files), NA, names = TRUE)
  ifelse(is.na(given), path.expand(files), given)
}

# Seconds for which a pool without processes of its own waits for others to join.
join_patience <- 15

only_from_here <- function(listen) grepl("^(127\\.|localhost|\\[::1\\])", listen)

as_r_words <- function(words) {
  paste0("c(", paste(encodeString(words, quote = "\""), collapse = ", "), ")")
}

# Starting processes draws random numbers for unique names. They must not come from the caller's
# generator, nor repeat.
with_other_seed <- function(code) {
  withr::with_preserve_seed({
    set.seed(NULL)
    force(code)
  })
}

# Whether a result has arrived.
is_returned <- function(sent) !mirai::unresolved(sent)

# Waits for the result of what was sent; a `sprenn_lost` with the reason where the process died,
# took too long or was cut off.
result_of <- function(sent) {
  data <- sent$data
  if (!mirai::is_error_value(data)) {
    return(data)
  }

  # Error 5: it timed out; 20: it was cancelled.
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

# Waits for a result; `NULL` if it was lost.
wait_for <- function(sent) {
  done <- result_of(mirai::call_mirai(sent))
  if (!inherits(done, "sprenn_lost")) {
    done
  }
}

# Begins a piece of work for each list of arguments, in the pool's processes. `work` names a
# function of this package. Without a pool, a piece is done when it is collected.
begin_work <- function(pool, work, arguments) {
  lapply(arguments, function(own) {
    list(work = work, arguments = own, sent = if (!is.null(pool)) pool$send(work, own))
  })
}

# The results, in order. What a process has lost or failed at is done here, so that errors come
# as they are.
collect_work <- function(begun) {
  lapply(begun, function(piece) {
    done <- if (!is.null(piece$sent)) result_of(mirai::call_mirai(piece$sent))
    if (is.null(piece$sent) || inherits(done, c("sprenn_lost", "sprenn_stranger"))) {
      done <- do.call(piece$work, piece$arguments)
    }

    done
  })
}

# The number of processes worth starting for so many pieces of work: starting one takes a second
# or two.
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
