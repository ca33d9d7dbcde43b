# Programs that stay loaded (`serve: lines`): `PROGRAM ... serve` says on its output, in a line of
# JSON, that it is ready, then reads a request a line on its input and answers each in a line. The
# lines are JSON Lines; the pictures lie in a folder that the request names. It ends when its input
# ends.

# The processes of one such program. As many requests are under way as the engine's `at_once` says;
# another process is started where those that run take no more.
Serving <- R6::R6Class(
  "sprenn_serving",
  cloneable = FALSE,
  public = list(
    initialize = function(wanted, folder) {
      private$wanted <- wanted
      private$folder <- folder
    },

    # One picture as a conversation.
    begin = function(request) {
      private$count <- private$count + 1
      entry <- ServedTake$new(request, paste0("take-", private$count))
      private$waiting <- c(private$waiting, list(entry))
      list(
        answer = new_awaited(
          look = function() {
            private$step()
            entry$answer
          },
          stop = function() {
            private$drop(entry)
            unlink(entry$place, recursive = TRUE)
          }
        ),
        then = function(answer) read_served(answer, entry$place, private$program())
      )
    },

    # Ends all processes.
    close = function() {
      for (copy in private$copies) {
        end_process(copy$process)
      }

      private$copies <- list()
    }
  ),
  private = list(
    wanted = NULL,
    folder = NULL,
    copies = list(),
    # Requests that no process has been sent.
    waiting = list(),
    count = 0,
    # Whether a process has ever been ready, and how many there can be.
    was_ready = FALSE,
    enough = Inf,

    program = function() unlist(private$wanted$command)[1],

    # Reads what has come, ends what is late or too large, and sends what can be sent.
    step = function() {
      for (copy in private$copies) {
        private$read(copy)
        private$check(copy)
      }

      private$copies <- Filter(function(copy) !copy$ended, private$copies)
      private$start_more()
      for (copy in private$copies) {
        private$send(copy)
      }
    },

    # The first process is started when it is needed, another one when all are ready and full.
    start_more = function() {
      if (length(private$waiting) == 0 || length(private$copies) >= private$most_copies()) {
        return()
      }

      full <- vapply(private$copies, function(copy) copy$ready && room_in(copy) == 0, NA)
      if (all(full)) {
        process <- start_program(
          private$wanted,
          private$folder,
          "serve",
          stdin = "|",
          stdout = "|",
          stderr = "|"
        )
        copy <- ServedCopy$new(process, private$wanted$memory_gb)
        private$copies <- c(private$copies, list(copy))
      }
    },

    most_copies = function() {
      min(private$enough, private$wanted$at_once %||% private$wanted$about$at_once %||% 1)
    },

    read = function(copy) {
      copy$errors <- keep_tail(paste0(copy$errors, take_text(copy$process, "error")))
      copy$text <- paste0(copy$text, take_text(copy$process, "output"))
      whole <- endsWith(copy$text, "\n")
      lines <- strsplit(copy$text, "\n", fixed = TRUE, useBytes = TRUE)[[1]]
      copy$text <- if (whole || length(lines) == 0) "" else lines[length(lines)]
      copy$goes_on <- copy$goes_on || any(nchar(lines, "bytes") > most_in_line)
      for (line in if (whole) lines else utils::head(lines, -1)) {
        private$take_line(copy, clean_text(line))
      }
    },

    # Libraries print all sorts of things: only lines of JSON objects count.
    take_line = function(copy, line) {
      said <- if (grepl("^\\s*[{]", line) && !is_deep(line)) {
        tryCatch(read_json_text(line), error = function(e) NULL)
      }
      if (!is.list(said) || is.null(names(said))) {
        copy$noise <- keep_tail(paste0(copy$noise, line, "\n"))
      } else if (!copy$ready) {
        copy$ready <- isTRUE(said$ready)
        copy$at_once <- max(1, as_number(said$at_once), na.rm = TRUE)
        private$was_ready <- private$was_ready || copy$ready
      } else {
        private$take_answer(copy, said)
      }
    },

    # One that works at one picture only can leave out its id.
    take_answer = function(copy, said) {
      ids <- vapply(copy$open, function(entry) entry$id, "")
      at <- if (is.null(said$id) && length(ids) == 1) 1 else match(as.character(said$id)[1], ids)
      if (!is.na(at)) {
        copy$open[[at]]$answer <- said
        copy$open <- copy$open[-at]
      }
    },

    # What ends a process: by itself, too slow, too large.
    check = function(copy) {
      now <- clock()
      late <- Filter(function(entry) now > entry$due, copy$open)
      if (!copy$process$is_alive()) {
        # What it said last may still lie in the pipe.
        private$read(copy)
        private$end(copy, private$death_of(copy))
      } else if (!copy$ready && now > copy$began + private$start_seconds()) {
        private$end(copy, private$failure("timed_out", copy, paste(
          "was not ready after", format(private$start_seconds()), "s and was ended"
        )))
      } else if (copy$goes_on) {
        private$end(copy, private$failure("bad_answer", copy, paste(
          "wrote a line of more than", show_size(most_in_line), "and was ended"
        )))
      } else if (length(late)) {
        failure <- private$failure("timed_out", copy, paste0(
          "was not done after ", format(seconds_of_program(private$wanted)), " s and was ended"
        ))
        for (entry in late) {
          entry$answer <- failure
        }

        copy$open <- Filter(function(entry) is.null(entry$answer), copy$open)
        private$end(copy, NULL)
      } else if (copy$watch()) {
        private$end(copy, tryCatch(too_much_memory(private$wanted), sprenn_failure = identity))
      }
    },

    start_seconds = function() private$wanted$start_seconds %||% 600,

    death_of = function(copy) {
      status <- copy$process$get_exit_status()
      if (copy$ready) {
        return(private$failure("bad_answer", copy, paste0("ended with status ", status)))
      }

      # A program that never starts does not start the next time either.
      private$failure(
        "unreachable",
        copy,
        paste0("ended with status ", status, " before it was ready"),
        lasting = !private$was_ready
      )
    },

    failure = function(kind, copy, what, lasting = FALSE) {
      texts <- trimws(c(copy$errors, copy$noise))
      last <- sub("(?s).*\n", "", texts[nzchar(texts)], perl = TRUE)
      said <- if (length(last)) paste0(" It said: ", last[1])
      message <- paste0(private$program(), " ", what, ".", said)
      tryCatch(raise_failure(kind, message, lasting = lasting), sprenn_failure = identity)
    },

    # Ends a process. A request that it had alone fails; of several, any could be the cause, so
    # each is sent again, alone. One that did not start fails all that wait for it.
    end = function(copy, failure) {
      copy$ended <- TRUE
      end_process(copy$process)
      again <- list()
      for (entry in copy$open) {
        entry$crashes <- entry$crashes + 1
        if (!is.null(failure) && (length(copy$open) == 1 || entry$crashes > 2)) {
          entry$answer <- failure
        } else {
          again <- c(again, list(entry))
        }
      }

      copy$open <- list()
      private$waiting <- c(again, private$waiting)
      if (!copy$ready) {
        private$do_without(failure)
      }
    },

    # A process did not start: those that run have to do, or nothing can be made.
    do_without = function(failure) {
      ready <- sum(vapply(private$copies, function(copy) copy$ready && !copy$ended, NA))
      if (ready > 0) {
        private$enough <- ready
        return()
      }

      for (entry in private$waiting) {
        entry$answer <- failure
      }

      private$waiting <- list()
    },

    send = function(copy) {
      while (copy$ready && length(private$waiting) && room_in(copy) > 0) {
        entry <- private$waiting[[1]]
        if (entry$crashes > 0 && length(copy$open) > 0) {
          break
        }

        private$waiting <- private$waiting[-1]
        entry$due <- clock() + seconds_of_program(private$wanted)
        copy$open <- c(copy$open, list(entry))
        copy$unsent <- c(copy$unsent, charToRaw(paste0(entry$line, "\n")))
      }

      if (length(copy$unsent)) {
        # A pipe takes only so much at a time. Of a process that has ended, the next step tells.
        copy$unsent <- tryCatch(
          copy$process$write_input(copy$unsent),
          error = function(e) raw()
        )
      }
    },

    # A request that is given up. A process can't be told to leave it: it is ended if it works at
    # nothing else.
    drop = function(entry) {
      is_it <- function(other) identical(other, entry)
      private$waiting <- Filter(Negate(is_it), private$waiting)
      for (copy in private$copies) {
        if (any(vapply(copy$open, is_it, NA))) {
          copy$open <- Filter(Negate(is_it), copy$open)
          if (length(copy$open) == 0) {
            private$end(copy, NULL)
          }
        }
      }

      private$copies <- Filter(function(copy) !copy$ended, private$copies)
    }
  )
)

# A line of a program's output may have so many bytes.
most_in_line <- 1e6

# One running process of a program.
ServedCopy <- R6::R6Class(
  "sprenn_served_copy",
  cloneable = FALSE,
  public = list(
    process = NULL,
    # Whether it uses more memory than it may.
    watch = NULL,
    began = NULL,
    ready = FALSE,
    ended = FALSE,
    # How many requests it takes at a time, and those that it has.
    at_once = 1,
    open = list(),
    # What could not be written to it yet.
    unsent = raw(),
    # The line that has not ended, and whether a line was too long.
    text = "",
    goes_on = FALSE,
    # The end of what it has said on its error output, and besides lines of JSON.
    errors = "",
    noise = "",

    initialize = function(process, memory_gb) {
      self$process <- process
      self$watch <- memory_watch(process, memory_gb)
      self$began <- clock()
    }
  )
)

# One request, in its folder.
ServedTake <- R6::R6Class(
  "sprenn_served_take",
  cloneable = FALSE,
  public = list(
    id = NULL,
    place = NULL,
    line = NULL,
    # When it is late.
    due = Inf,
    # How many processes have ended while they had it.
    crashes = 0,
    answer = NULL,

    initialize = function(request, id) {
      self$id <- id
      self$place <- tempfile("sprenn-serve-")
      dir.create(self$place)
      write_request(request, self$place)
      self$line <- request_line(self$id, self$place)
    }
  )
)

# An entry that is alone since a crash keeps others away.
room_in <- function(copy) {
  alone <- any(vapply(copy$open, function(entry) entry$crashes > 0, NA))
  if (alone) 0 else copy$at_once - length(copy$open)
}

# The request as one line: what request.json holds, with its id and its folder.
request_line <- function(id, place) {
  request <- jsonlite::read_json(file.path(place, "request.json"))
  to_json(c(list(id = id, folder = place), request))
}

# What has come on a pipe since the last look, which may be more than a pipe holds at a time.
take_text <- function(process, pipe) {
  read <- if (pipe == "error") process$read_error else process$read_output
  texts <- character()
  repeat {
    text <- tryCatch(read(most_read), error = function(e) "")
    texts <- c(texts, text)
    if (!nzchar(text) || length(texts) >= most_reads) {
      return(paste(texts, collapse = ""))
    }
  }
}

# So many bytes at a time, so often.
most_read <- 262144
most_reads <- 50

# The end of what a program says, for messages.
keep_tail <- function(text, most = 2000) {
  text <- clean_text(text)
  substr(text, max(1, nchar(text) - most + 1), nchar(text))
}

# Failures that a program can name in its answer, in words.
served_failures <- c(
  refused = "refused it",
  out_of_credit = "has no credit left",
  busy = "is busy",
  unreachable = "can't reach what it needs",
  bad_request = "can't serve the request"
)

read_served <- function(answer, place, program) {
  if (!is.null(answer$failed)) {
    kind <- as.character(answer$failed)[1]
    why <- if (is_text(answer$why)) paste0(" It said: ", trimws(answer$why))
    known <- kind %in% names(served_failures)
    engine_failure(
      if (known) kind else "bad_answer",
      paste0(program, " ", if (known) served_failures[[kind]] else "failed", ".", why),
      null_for_na(as_number(answer$retry_after))
    )
  }

  result_in(place, answer, paste0(program, " answered but left"))
}
