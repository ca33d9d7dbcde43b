# Commands that serve a page on this machine.

page_commands <- function() {
  list(
    mark = new_command(
      "Mark references on a page: watched regions, crops, masks, canvas, poses.",
      "TRIAL",
      unname(serving_options()),
      cli_mark,
      examples = "sprenn mark brackwater",
      note = paste0(
        "What has changed is shown before it is written into suite.yml, masks/ and guides/.\n",
        "Press Ctrl-C to stop."
      )
    ),
    watch = new_command(
      "Watch a run on a page: newest takes, queues, failures, money, verdict.",
      "TRIAL",
      c(
        list(
          run_option(),
          new_option("stop", "logical", FALSE, "no page: stop the run after what is in flight"),
          new_option(
            "leave-out",
            "character",
            NULL,
            "no page: make no more takes of these; separate several with commas",
            "PIPELINES"
          ),
          new_option(
            "take-back",
            "character",
            NULL,
            "no page: make takes again of what was left out",
            "PIPELINES"
          )
        ),
        unname(serving_options()),
        list(json_option("no page: how the run stands, as JSON"))
      ),
      cli_watch,
      examples = c("sprenn watch brackwater", "sprenn watch brackwater --stop"),
      note = paste0(
        "It reads the run's records, so the run may be made elsewhere. Press Ctrl-C to stop\n",
        "watching; the run goes on."
      )
    )
  )
}

cli_watch <- function(given) {
  trial <- read_shown(given$places)
  orders <- list(
    leave_out = split_files(given[["leave-out"]]),
    take_back = split_files(given[["take-back"]])
  )
  for (order in names(orders)[lengths(orders) > 0]) {
    leave_out(trial, orders[[order]], given$run, back = order == "take_back")
  }

  if (given$stop && !stop_run(trial, given$run)) {
    cat("No process is making takes of this run.\n", file = stderr())
  }

  if (given$json) {
    return(tell_json(state_facts(read_run(trial, given$run))))
  }

  if (given$stop || any(lengths(orders) > 0)) {
    cat(format(read_run(trial, given$run)), sep = "\n")
  } else {
    watch_run(trial, given$run, given$port, given[["for"]], ready = tell_address(given))
  }

  0L
}

# How a run stands as data.
state_facts <- function(state) {
  state$takes <- as.list(state$takes)
  single <- c("holder", "left", "cost_left", "cost_limit")
  state[single] <- lapply(state[single], null_for_na)
  unclass(state)
}

# Watching in a process of its own, beside one that makes a run. It can begin once there is a run.
RunWatcher <- R6::R6Class(
  "sprenn_run_watcher",
  cloneable = FALSE,
  public = list(
    # `tell` is called with the page's address.
    initialize = function(folder, run, tell) {
      private$folder <- folder
      private$run <- run
      private$tell <- tell
    },

    # Starts at the first call; tells the address as soon as it is there, then or at a later one.
    step = function() {
      if (is.null(private$process)) {
        private$start()
        private$look_for_address(address_patience)
      } else if (!private$told) {
        private$look_for_address(0)
      }
    },

    # The page is told how the run has ended.
    end = function() {
      if (!is.null(private$process)) {
        private$process$interrupt()
        private$process$wait(5000)
        private$process$kill()
      }
    }
  ),
  private = list(
    folder = NULL,
    run = NULL,
    tell = NULL,
    told = FALSE,
    process = NULL,

    start = function() {
      code <- paste0(
        ".libPaths(", as_r_words(.libPaths()), "); sprenn::watch_run(",
        as_r_words(normalizePath(private$folder)), ", ", as_r_words(private$run),
        ", ready = function(address) { cat(address, fill = TRUE); flush(stdout()) })"
      )
      private$process <- processx::process$new(
        file.path(R.home("bin"), "Rscript"),
        c("--no-save", "--no-restore", "-e", code),
        stdout = "|",
        stderr = NULL,
        env = c("current", own_start_files()),
        supervise = TRUE
      )
    },

    look_for_address = function(seconds) {
      ends <- clock() + seconds
      repeat {
        private$process$poll_io(round(1000 * min(0.5, seconds)))
        said <- private$process$read_output_lines()
        if (length(said) > 0) {
          private$told <- TRUE
          return(private$tell(said[1]))
        }

        if (clock() >= ends || !private$process$is_alive()) {
          return(invisible())
        }
      }
    }
  )
)

# For so many seconds a run waits for its page, before it begins without.
address_patience <- 10

serving_options <- function() {
  list(
    port = new_option("port", "integer", NULL, "the page's port [a free one]", "PORT"),
    seconds = new_option("for", "double", Inf, "stop after so many seconds", "SECONDS")
  )
}

cli_mark <- function(given) {
  mark_trial(given$places, given$port, given[["for"]], ready = tell_address(given))
  0L
}

# Says where a page can be opened; beside the answer where that is JSON.
tell_address <- function(given, whom = "") {
  function(address) {
    cat(
      file = if (isTRUE(given$json)) stderr() else "",
      "Open this address on this machine", whom, ". Press Ctrl-C to stop:\n\n  ", address, "\n\n",
      sep = ""
    )
  }
}
