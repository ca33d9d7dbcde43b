# Making in worker processes: calls of engines go out in pieces of work, each of one call or of
# several that are soon done.
Making <- R6::R6Class(
  "sprenn_making",
  cloneable = FALSE,
  public = list(
    # `takes` are the run's RunTakes, `workers` its WorkerJobs, `requests` its Requests, `outcomes`
    # its Outcomes.
    initialize = function(takes, workers, requests, outcomes, log) {
      private$takes <- takes
      private$workers <- workers
      private$requests <- requests
      private$outcomes <- outcomes
      private$log <- log
    },

    # The next call of an engine as a job, or another one that asks for the take `first`.
    next_job = function(queue, ...) {
      together <- function(first, ready_among) {
        private$takes$asked_for_with(first, ready_among, seeds_a_call(queue$engine))
      }
      new_job(queue, queue$take_next(together, ...), private$takes, private$requests)
    },

    # Sends the next piece of work of an engine.
    send = function(queue) {
      calls <- private$next_calls(queue)
      queue$begin_piece()
      private$outcomes$note_sent(calls)
      private$send_piece(list(
        calls = calls,
        queue = queue,
        at = unlist(lapply(calls, `[[`, "at")),
        take = calls[[1]]$take,
        try = calls[[1]]$try,
        began = clock()
      ))
    },

    # Sends a piece again to a worker that has said that it lacks the engine's files.
    send_with_files = function(piece) {
      plan <- piece$queue$engine$plan
      private$send_piece(piece, read_named(plan$folder, plan$files))
    },

    # A piece ends at its first failure: what was not tried goes back to its queue.
    give_back_untried = function(piece) {
      end_piece(piece)
      tried <- seq_along(piece$calls) <= length(piece$result)
      private$take_back(unlist(lapply(piece$calls[!tried], `[[`, "at")), piece$queue)
    },

    # Returns a piece to its queue as if it had never been sent.
    give_back = function(piece) {
      end_piece(piece)
      private$take_back(piece$at, piece$queue)
    },

    # Handles an engine that uses objects of this session, and so can be built only here.
    keep_here = function(piece) {
      piece$queue$keep_here()
      private$log$note(
        "made here",
        piece,
        message = paste("It can't be built in another process:", piece$result$why)
      )
      self$give_back(piece)
    }
  ),
  private = list(
    takes = NULL,
    workers = NULL,
    requests = NULL,
    outcomes = NULL,
    log = NULL,

    # Calls for takes of one case, which are shown the same pictures. A take that may have ended a
    # worker goes alone.
    next_calls = function(queue) {
      calls <- list(self$next_job(queue))
      count <- length(calls[[1]]$at)
      first <- calls[[1]]$at[1]
      most <- private$most_takes(queue)
      if (most <= count || private$takes$are_suspect(first)) {
        return(calls)
      }

      others <- private$takes$shown_the_same(first)
      for (other in others[!private$takes$are_suspect(others)]) {
        if (count >= most) {
          break
        }

        # Others may have left the line in the call of one before.
        if (length(queue$ready_among(other)) > 0) {
          job <- self$next_job(queue, other)
          calls <- c(calls, list(job))
          count <- count + length(job$at)
        }
      }

      calls
    },

    # Towards the end, what is left is shared between the processes.
    most_takes = function(queue) {
      min(queue$takes_a_piece(), private$workers$share_of(queue$left - queue$in_flight))
    },

    send_piece = function(piece, files = NULL) {
      plan <- piece$queue$engine$plan
      plan$far <- private$workers$far
      private$workers$send(
        piece,
        "make_elsewhere",
        list(plan, pack_requests(lapply(piece$calls, `[[`, "request")), files),
        piece$queue$patience(private$workers$far) * length(piece$at)
      )
    },

    take_back = function(at, queue) {
      private$takes$forget_try(at)
      queue$add(at)
    }
  )
)

# A piece of work has come back, or is given up.
end_piece <- function(piece) {
  piece$queue$end_piece()
  for (job in piece$calls) {
    piece$queue$end_call()
  }
}

# Requests for one message: the first, and of each other what it has `own` and what it `lacks`.
# Those of one case have their pictures in common.
pack_requests <- function(requests) {
  first <- requests[[1]]
  list(first = first, others = lapply(requests[-1], function(request) {
    fields <- names(request)
    same <- vapply(fields, function(field) identical(request[[field]], first[[field]]), NA)
    list(own = unclass(request)[!same], lacks = setdiff(names(first), fields))
  }))
}

unpack_requests <- function(packed) {
  c(list(packed$first), lapply(packed$others, function(other) {
    request <- packed$first
    request[names(other$own)] <- other$own
    request[other$lacks] <- NULL
    request
  }))
}

# A job of one take, or of several that one call asks for: the call begins.
new_job <- function(queue, at, takes, requests) {
  try <- max(takes$begin_try(at))
  take <- takes$row(at)
  step <- takes$step(at[1])
  sent <- requests$request_of(queue$engine, step, take)
  began <- clock()
  list(
    at = at,
    take = take,
    queue = queue,
    request = sent$request,
    described = sent$described,
    began = began,
    try = try,
    first = queue$begin_call(step$checkpoint, began)
  )
}

# The call of a job that is a piece of work of its own ends.
end_call <- function(job) {
  job$queue$end_call()
  job$queue$end_piece()
}
