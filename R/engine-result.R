#' Return a result from an engine
#'
#' @param picture The picture: an array rows x columns x 3 with sRGB values
#'   from 0 to 1, or a raw vector with the bytes of a PNG, JPEG or WebP file,
#'   which is then kept as it is.
#' @param cost The cost of this picture, 0 or more, or `NA` if unknown.
#' @param seed The seed that was actually used, or `NA`.
#' @param says A list of anything else that the engine reported; kept with the take.
#' @param waited Seconds that the request waited in a queue, or `NA`.
#' @return `engine_result()` returns an object of class `sprenn_engine_result`; `engine_failure()`
#'   raises a condition of the classes `sprenn_failure_<kind>` and `sprenn_failure`.
#' @family engines
#' @export
#' @examples
#' engine_result(array(0.5, c(4, 6, 3)), cost = 0.02)
engine_result <- function(
  picture,
  cost = NA_real_,
  seed = NA_integer_,
  says = list(),
  waited = NA_real_
) {
  structure(
    list(picture = picture, cost = cost, seed = seed, says = says, waited = waited),
    class = "sprenn_engine_result"
  )
}

#' @param ... Passed on to `engine_result()`.
#' @rdname engine_result
#' @export
take_result <- function(...) {
  .Deprecated("engine_result")
  engine_result(...)
}

#' @param kind Why there is no picture: `"refused"` (a content filter), `"out_of_credit"`,
#'   `"busy"`, `"unreachable"`, `"timed_out"`, `"bad_request"`, `"bad_answer"`, or `"awaited"` (a
#'   person has yet to make it).
#' @param message An explanation for the user, in one sentence.
#' @param retry_after After how many seconds to try again, or `NULL`.
#' @rdname engine_result
#' @export
engine_failure <- function(kind, message, retry_after = NULL) {
  check_arguments(
    kind = checkmate::check_choice(kind, names(failure_words)),
    message = checkmate::check_string(message),
    retry_after = checkmate::check_number(retry_after, lower = 0, null.ok = TRUE)
  )
  raise_failure(kind, message, retry_after = retry_after)
}

# `lasting` is a failure of the set-up, which every other take would meet too; `cut` a connection
# that was closed without an answer. A failure that has `paid` comes after the picture may have been
# paid for.
raise_failure <- function(kind, message, retry_after = NULL, lasting = FALSE, cut = FALSE) {
  stop(errorCondition(
    message,
    class = c(paste0("sprenn_failure_", kind), "sprenn_failure"),
    kind = kind,
    retry_after = retry_after,
    lasting = lasting,
    cut = cut
  ))
}

# Advice for each kind of failure.
failure_words <- c(
  refused = "reword the case, or leave it: a refusal is a result too",
  out_of_credit = "add credit, then run again: what was made is kept",
  busy = "run again later, or lower at_once",
  unreachable = "check that it runs and that its address is right, then run again",
  timed_out = "run again, or give it more seconds in lineup.yml",
  bad_request = "see what the engine takes with `sprenn engines`",
  bad_answer = "report it to the engine's makers, or try with `run --retry`",
  awaited = "make what the checklist says, then run again",
  engine_error = "fix the engine's code; the message is R's"
)

# Failures that may be temporary.
passing_failures <- c("busy", "unreachable", "timed_out", "bad_answer")

#' Make one picture with an engine
#'
#' Calls the engine and checks the result against the request: it must be a complete picture of
#' the right size that is not blank.
#'
#' @param engine An [engine()].
#' @param request A [engine_request()] for it.
#' @return A list: `bytes` (of the picture's file), `width`, `height`, `cost`,
#'   `seed`, `waited`, `says`, and `seconds`, how long the call took.
#' @section Errors: conditions of class `sprenn_failure`, as raised by [engine_failure()]; other
#'   errors of the engine's own code get the class `sprenn_failure_engine_error`. Secrets are
#'   removed from their messages.
#' @family engines
#' @export
#' @examples
#' yarrow <- standin_yarrow()
#' made <- make_picture(yarrow, engine_request(yarrow, "a windmill", size = c(128, 64)))
#' c(made$width, made$height)
make_picture <- function(engine, request) {
  check_arguments(
    engine = checkmate::check_class(engine, "sprenn_engine"),
    request = checkmate::check_class(request, "sprenn_request")
  )
  call_engine(engine, request)
}

# One call of an engine: the picture, or the failure raised. Of a request for several seeds, a list
# with a picture or failure for each.
call_engine <- function(engine, request) {
  began <- clock()
  make <- function() within_seconds(engine$seconds, engine$make(request))
  result <- tryCatch(
    # Of R code its own words tell most.
    if (engine$kind == "function") make() else guarded(make(), broken_answer),
    sprenn_failure = identity,
    error = as_engine_error
  )
  made <- judge_result(engine, request, result, clock() - began)
  if (inherits(made, "condition")) {
    stop(made)
  }

  made
}

# Checks an engine's answer against the request. Returns the picture as make_picture() does, or
# the failure, with what is known of the cost.
judge_result <- function(engine, request, result, seconds) {
  if (length(request$seeds) > 1 && !inherits(result, "condition")) {
    return(judge_results(engine, request, result, seconds))
  }

  result <- only_result(result)
  # The cost counts even if the picture is unusable.
  paid <- if (inherits(result, "sprenn_engine_result") && is_cost(result$cost)) {
    as_number(result$cost)
  } else {
    NA_real_
  }
  made <- if (inherits(result, "condition")) {
    result
  } else {
    tryCatch(
      guarded(
        {
          made <- verify_result(result, request)
          made$bytes <- mask_picture(made$bytes, engine$secrets)
          put_back_made(made, request$put_back)
        },
        broken_answer
      ),
      sprenn_failure = identity
    )
  }
  made$seconds <- seconds
  if (inherits(made, "condition")) {
    if (asks_once(engine) && inherits(result, "sprenn_engine_result")) {
      made <- as_paid(made)
    }

    made$message <- safe_message(made$message, engine$secrets)
    made$cost <- paid
  } else {
    made$says <- safe_said(made$says, engine$secrets)
  }

  made
}

# An engine that was shown only a part of a picture has made only that.
put_back_made <- function(made, whole) {
  if (is.null(whole)) {
    return(made)
  }

  made$bytes <- put_back(made$bytes, whole)
  size <- dim(whole$picture)[2:1]
  made$width <- size[1]
  made$height <- size[2]
  made
}

# Code that makes several pictures a call returns a list also where it is asked for one.
only_result <- function(result) {
  if (identical(class(result), "list") && length(result) == 1) result[[1]] else result
}

# The pictures of one call, in the order of its seeds. Where an engine says which seed each picture
# is of, that counts, so that one that is missing is known; otherwise it is their order.
judge_results <- function(engine, request, results, seconds) {
  if (inherits(results, "sprenn_engine_result") || !is.list(results)) {
    results <- list(results)
  }

  seeds <- request$seeds
  said <- vapply(results, function(one) as_number(if (is.list(one)) one$seed), 0)
  told <- length(said) > 0 && all(said %in% seeds) && !anyDuplicated(said)
  at <- if (told) match(seeds, said) else seq_along(seeds)
  lapply(seq_along(seeds), function(i) {
    request$seed <- seeds[i]
    request$seeds <- seeds[i]
    result <- if (at[i] %in% seq_along(results)) {
      results[[at[i]]]
    } else {
      tryCatch(
        engine_failure(
          "bad_answer",
          paste0(
            "The engine was asked for ", count_words(length(seeds), "seed"), " and returned ",
            count_words(length(results), "picture"), "; none is for seed ", seeds[i], "."
          )
        ),
        sprenn_failure = identity
      )
    }
    judge_result(engine, request, result, seconds / length(seeds))
  })
}

# An error of the engine's own code.
as_engine_error <- function(e) {
  errorCondition(
    conditionMessage(e),
    class = c("sprenn_failure_engine_error", "sprenn_failure"),
    kind = "engine_error",
    seconds = NA_real_,
    cost = NA_real_
  )
}

# An answer that we stumble over.
broken_answer <- function(file) {
  engine_failure(
    "bad_answer",
    paste0("Sprenn stumbled over its answer, which is a fault of Sprenn's.", described_in(file))
  )
}

within_seconds <- function(seconds, code) {
  if (!is.finite(seconds)) {
    return(code)
  }

  began <- clock()
  setTimeLimit(elapsed = seconds, transient = TRUE)
  on.exit(setTimeLimit())
  tryCatch(code, error = function(e) {
    setTimeLimit()
    if (inherits(e, "sprenn_failure") || clock() - began < seconds) {
      stop(e)
    }

    engine_failure("timed_out", paste0("Nothing came back within ", format(seconds), " s."))
  })
}

as_number <- function(x) if (is.numeric(x) && length(x) == 1) as.numeric(x) else NA_real_

# Nothing in JSON, or in R, stands for a cost that is not known.
is_cost <- function(x) {
  length(x) == 0 || length(x) == 1 && (is.na(x) && !is.nan(x) || is_number(x) && x >= 0)
}

# An engine that states no sound costs would go beyond every limit unseen, so it is left alone.
stated_cost <- function(cost) {
  if (!is_cost(cost)) {
    said <- show_value(if (length(cost) > 1) as.list(cost) else cost)
    raise_failure(
      "bad_answer",
      paste0("The engine says that the picture cost ", said, "; a cost is a number, 0 or more."),
      lasting = TRUE
    )
  }

  as_number(cost)
}

# A result counts only if it is a picture of the size asked for, and not blank.
verify_result <- function(result, request) {
  if (!inherits(result, "sprenn_engine_result")) {
    engine_failure(
      "bad_answer",
      paste0(
        "The engine gave back an object of class ", quoted(class(result)[1]),
        " and not a engine_result()."
      )
    )
  }

  picture <- result$picture
  if (is.raw(picture)) {
    facts <- picture_facts(picture)
    if (is.null(facts)) {
      engine_failure(
        "bad_answer",
        paste0(
          paste(
            c("The result is not a PNG, JPEG or WebP picture", starts_like(picture)),
            collapse = " but "
          ),
          "."
        )
      )
    }

    # The header gives the size before anything is decoded (a JPEG may be stored rotated).
    head <- c(facts$width, facts$height)
    if (!all(sort(head) == sort(delivered_size(request)))) {
      stop_for_size(head, delivered_size(request))
    }

    pixels <- tryCatch(decode_packed(encoded_picture(picture)), error = function(e) {
      engine_failure(
        "bad_answer",
        paste0("The picture that came back is damaged (", one_line(e), ").")
      )
    })
    bytes <- picture
  } else {
    said <- checkmate::check_array(picture, mode = "numeric", d = 3, any.missing = FALSE)
    if (!isTRUE(said)) {
      engine_failure(
        "bad_answer",
        paste0("The picture that came back is not an array of numbers: ", said, ".")
      )
    }

    if (!dim(picture)[3] %in% 1:4 || !all(is.finite(picture))) {
      engine_failure(
        "bad_answer",
        "The picture that came back has no 1 to 4 channels of finite values."
      )
    }

    ends <- range(picture)
    pixels <- flatten_picture(
      if (ends[1] < 0 || ends[2] > 1) pmin(pmax(picture, 0), 1) else picture
    )
    bytes <- png::writePNG(pixels)
  }

  size <- size_of_picture(pixels)
  stop_for_size(size, delivered_size(request))
  if (is_one_colour(pixels)) {
    engine_failure("bad_answer", "The picture that came back is all one colour.")
  }

  list(
    bytes = bytes,
    width = size[1],
    height = size[2],
    says = result$says,
    cost = stated_cost(result$cost),
    seed = result$seed,
    waited = as_number(result$waited)
  )
}

# A few pixels tell in most cases, and all of them in the others.
is_one_colour <- function(picture) {
  values <- if (is_packed(picture)) picture$bytes else picture
  step <- if (is_packed(picture)) 1 else 1 / 255
  some <- values[seq(1, length(values), length.out = min(length(values), 1000))]
  diff(range(as.numeric(some))) < step && diff(range(as.numeric(values))) < step
}

stop_for_size <- function(size, wanted) {
  if (!all(size == wanted)) {
    engine_failure(
      "bad_answer",
      paste0(
        "The picture that came back is ", paste(size, collapse = " x "), " and not ",
        paste(wanted, collapse = " x "), "."
      )
    )
  }
}

# The format that it has instead, where that can be told. The word at the cut is given whole, so
# that a key in it can be found and masked.
starts_like <- function(bytes) {
  if (length(bytes) == 0) {
    return("nothing at all")
  }

  start <- bytes[seq_len(min(60, length(bytes)))]
  if (any(start == 0 | start > 0x7e)) {
    return(NULL)
  }

  more <- bytes[-seq_along(start)]
  ends <- which(more <= 0x20)[1]
  start <- c(start, more[seq_len(if (is.na(ends)) length(more) else ends - 1)])
  text <- trimws(gsub("[[:space:]]+", " ", clean_text(rawToChar(start[start != 0]))))
  paste0(if (grepl("^<", text)) "a page" else "a text", " that begins ", quoted(text))
}
