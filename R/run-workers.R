# The jobs of a run in worker processes: what was sent, what has come back, and what to do when a
# process ends.
WorkerJobs <- R6::R6Class(
  "sprenn_jobs",
  cloneable = FALSE,
  public = list(
    # `workers` is as for run_trial(); the number of `pieces` of work determines how many
    # processes are worth starting. `folder` is where the join script is written.
    initialize = function(workers, pieces, folder, log) {
      private$log <- log
      private$pool <- if (is.list(workers)) {
        WorkerPool$new(workers)
      } else if ((count <- worker_count(workers, pieces)) > 0) {
        WorkerPool$new(count)
      }
      # The script with which others join by hand.
      private$script <- if (isTRUE(private$pool$far)) write_join_script(private$pool, folder)
    },

    # Whether work can be sent. If nobody joins a pool without processes of its own, everything is
    # done in this process until somebody does.
    are_there = function() !is.null(private$pool) && private$pool$is_manned(),

    # A pool has one piece of work waiting for each that is in progress; `kept` places stay free.
    have_room = function(kept = 0) {
      !is.null(private$pool) && length(private$jobs) + kept < 2 * private$pool$size
    },

    # Half of each process's share of so many pieces of work.
    share_of = function(pieces) pieces %/% (2 * private$pool$size),

    are_measuring = function() any(vapply(private$jobs, is_measuring, NA)),

    # `job` is a list with `take`, its row, and `at`, its number; `work` the name of a
    # function of this package.
    send = function(job, work, arguments, seconds) {
      job$mirai <- private$pool$send(work, arguments, seconds)
      job$work <- work
      job$sent <- clock()
      private$jobs <- c(private$jobs, list(job))
    },

    # The jobs that have come back since, each with its `result`.
    collect = function() {
      back <- vapply(private$jobs, function(job) is_returned(job$mirai), NA)
      done <- lapply(private$jobs[back], function(job) {
        job$result <- result_of(job$mirai)
        job
      })
      private$jobs <- private$jobs[!back]
      if (any(!vapply(done, is_lost, NA))) {
        private$deaths <- 0
      }

      done
    },

    # Cancels measurements that take too long, so that another process gets them; measuring twice
    # does no harm.
    give_up_measuring = function(patience) {
      for (job in Filter(is_measuring, private$jobs)) {
        if (clock() - job$sent > patience && !is_returned(job$mirai)) {
          mirai::stop_mirai(job$mirai)
        }
      }
    },

    # Counts the processes and replaces those that have died. If none lives long enough to do
    # anything, everything is done in this process: returns the jobs that were given up.
    mend = function() {
      if (is.null(private$pool)) {
        return(list())
      }

      if (private$pool$count()) {
        private$log$note(
          "workers",
          message = paste(
            private$pool$size, "are there,", private$pool$started, "of them started here"
          )
        )
      }

      died <- with_other_seed(private$pool$mend())
      if (died > 0) {
        private$log$note("worker replaced", message = paste(died, "of them had ended"))
      }

      private$deaths <- private$deaths + died
      if (private$deaths > 5 * private$pool$wanted_here) private$give_up() else list()
    },

    # A worker of another version might give other results, so it gets no work.
    turn_away = function(stranger) {
      words <- paste0(
        stranger$machine, " has Sprenn ", stranger$found, ", not ",
        utils::packageVersion("sprenn")
      )
      if (!words %in% private$.strangers) {
        private$log$note("worker turned away", message = words)
      }

      private$.strangers <- union(private$.strangers, words)
    },

    # The number of workers here and elsewhere, if that can change.
    words = function() {
      if (!isTRUE(private$pool$far)) {
        return("")
      }

      here <- private$pool$started
      elsewhere <- max(0, private$pool$size - here)
      paste0("workers: ", here, " here, ", elsewhere, " elsewhere")
    },

    close = function() {
      if (!is.null(private$pool)) {
        private$pool$close()
      }

      unlink(private$script)
    }
  ),
  active = list(
    # The number of jobs in progress.
    count = function() length(private$jobs),
    # The number of processes that do the work; this one if there is no other.
    processes = function() if (self$are_there()) max(1, private$pool$size) else 1,
    size = function() private$pool$size %||% 0,
    far = function() isTRUE(private$pool$far),
    strangers = function() private$.strangers
  ),
  private = list(
    pool = NULL,
    jobs = list(),
    log = NULL,
    script = NULL,
    # Deaths since a process last finished anything.
    deaths = 0,
    .strangers = character(),

    give_up = function() {
      if (private$pool$far) {
        # Other machines may do better.
        private$pool$leave_to_others()
        return(list())
      }

      private$log$note(
        "workers given up",
        message = "They end as soon as they are started; all is done in one process."
      )
      jobs <- private$jobs
      private$jobs <- list()
      private$pool$close()
      private$pool <- NULL
      jobs
    }
  )
)

is_measuring <- function(job) job$work == "score_elsewhere"

is_lost <- function(job) inherits(job$result, "sprenn_lost")

# After so many losses, the take itself must be the cause.
most_losses <- 5

# Workers on other machines: the file that names them, and how they are started. They connect to
# this process over TLS, and can come and go.

check_workers <- function(workers) {
  if (is.character(workers)) {
    checkmate::check_file_exists(workers)
  } else {
    checkmate::check_int(workers, lower = 0, upper = 256, null.ok = TRUE)
  }
}

# Reads the `workers` of run_trial(): `NULL`, a number, or the path of a workers file.
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
        i = "--workers needs a number, or a file as docs/machines.md describes it."
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
    listen = whole_address(value$listen %||% first_host(mirai::host_url(tls = TRUE))),
    hosts = lapply(value$hosts, with_defaults),
    cluster = if (!is.null(value$cluster)) with_defaults(value$cluster)
  )
}

# A machine has an address for each of its networks; the first is the one that it uses by default.
first_host <- function(urls) sub("^[^/]*//", "", unname(urls)[1])

# Port 0 takes one that is free.
whole_address <- function(listen) {
  if (grepl(":[0-9]+$", listen)) listen else paste0(listen, ":0")
}

# The command by which any machine joins, as a script that is there while the run is.
write_join_script <- function(pool, folder) {
  command <- as.character(
    mirai::launch_remote(1, remote = mirai::remote_config(), .compute = pool$name)
  )
  file <- file.path(folder, "join.sh")
  write_lines(
    c(
      "#!/bin/sh",
      paste0(
        "# Joins the run as a worker: sh join.sh [HOW MANY PROCESSES]. Wants R with Sprenn ",
        utils::packageVersion("sprenn"), " and mirai."
      ),
      "# R reads the user's own start-up files only, not those of this folder.",
      "export R_PROFILE_USER=\"${R_PROFILE_USER-$HOME/.Rprofile}\"",
      "export R_ENVIRON_USER=\"${R_ENVIRON_USER-$HOME/.Renviron}\"",
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

# How many takes worker processes have to make.
made_in_workers <- function(queues) {
  sum(vapply(queues, function(queue) if (queue$goes_out) queue$total else 0, 0))
}
