# Conformance of an HTTP engine: its server's answers to good and bad requests, requirement by
# requirement.

# The exchange over HTTP, message by message.
conform_exchange <- function(engine, server, notes) {
  size <- smallest_size(engine$about$checkpoints[[1]])
  request <- engine_request(engine, "a hill", core_dead_leaves(size[1], size[2], 41), size = size)
  talk <- list(
    server = server,
    url = paste0(server$address, "/takes"),
    size = size,
    request = request,
    parts = request_parts(request)
  )
  conform_answers(talk, notes)
  conform_refusals(talk, notes)
  notes$try("errors", "after all this it still works", {
    await_take(talk, post_take(talk, key = other_key(talk, 7)))
    TRUE
  })
}

post_take <- function(talk, parts = talk$parts, key = talk$request$key) {
  headers <- c(key_headers(talk$server), "Idempotency-Key" = key)
  fetch("POST", talk$url, headers, form = parts, seconds = talk$server$seconds)
}

get_from <- function(talk, url, ...) {
  fetch("GET", url, key_headers(talk$server), seconds = talk$server$seconds, ...)
}

other_key <- function(talk, i) paste0(substr(talk$request$key, 1, 18), "-", i)

# Follows an answer until the take is made.
await_take <- function(talk, answer) {
  began <- clock()
  job <- if (answer$status == 202) next_address(talk$url, answer$headers$location)
  while (answer$status == 202) {
    if (is.na(job)) {
      engine_failure(
        "bad_answer",
        paste0(
          "a 202 has the Location ", answer$headers$location %||% "none",
          ", which leads nowhere on that server"
        )
      )
    }

    if (clock() - began > talk$server$seconds) {
      engine_failure("timed_out", paste("it was not made within", talk$server$seconds, "s"))
    }

    Sys.sleep(min(last_look, retry_after_of(answer) %||% first_look))
    answer <- get_from(talk, job)
  }

  if (answer$status != 200) {
    stop_for_status(answer, talk$url)
  }

  read_json_answer(answer, talk$url)
}

conform_answers <- function(talk, notes) {
  take <- NULL
  notes$try("takes", "the take names its key and where its picture is", {
    take <- await_take(talk, post_take(talk))
    href <- next_address(talk$url, if (length(take$pictures)) take$pictures[[1]]$href)
    if (!identical(take$key, talk$request$key)) {
      paste("its key is", show_value(take$key %||% ""))
    } else if (is.na(href)) {
      "its picture's href leads nowhere on that server"
    } else {
      TRUE
    }
  })
  notes$try(
    "takes",
    "the same key is the same take, paid once",
    same_take(talk, take, await_take(talk, post_take(talk)))
  )
  notes$try("takes", "the seed that was used is given, if at all, as a whole number", {
    seed <- take$pictures[[1]]$seed
    if (is.null(seed) || (is_number(seed) && seed == round(seed))) {
      TRUE
    } else {
      paste("it is", show_value(seed))
    }
  })
}

same_take <- function(talk, take, again) {
  if (!identical(again$cost, take$cost)) {
    return(paste(
      "the cost was", show_value(take$cost %||% "none"), "and then",
      show_value(again$cost %||% "none")
    ))
  }

  bytes <- lapply(list(take, again), function(one) {
    href <- next_address(talk$url, one$pictures[[1]]$href)
    get_from(talk, href, most = 1e6 + 8 * prod(talk$size))$body
  })
  if (identical(bytes[[1]], bytes[[2]])) {
    return(TRUE)
  }

  "two requests with one key gave two pictures"
}

# Expects 4xx with problem details (RFC 9457) that have a text.
refused_well <- function(talk, answer, statuses) {
  if (!answer$status %in% statuses) {
    return(paste0("it answered ", answer$status, ", not ", paste(statuses, collapse = " or ")))
  }

  if (answer$type != "application/problem+json") {
    type <- if (nzchar(answer$type)) answer$type else "none"
    return(paste0("the answer is of type ", type, ", not application/problem+json"))
  }

  said <- read_json_answer(answer, talk$url)
  if (!is_text(said$title)) {
    "its problem has no title"
  } else if (!identical(as.integer(said$status), as.integer(answer$status))) {
    "the status in its problem is another one than its own"
  } else {
    TRUE
  }
}

# Statuses with which a server may refuse an unusable request.
bad_request_statuses <- c(400, 404, 413, 415, 422)

conform_refusals <- function(talk, notes) {
  refuses <- function(requirement, answer, statuses = bad_request_statuses) {
    notes$try("errors", requirement, refused_well(talk, answer, statuses))
  }

  with_request <- function(bytes) {
    utils::modifyList(
      talk$parts,
      list(request = list(bytes = charToRaw(bytes), type = "application/json"))
    )
  }

  changed <- function(change) {
    said <- jsonlite::parse_json(rawToChar(talk$parts$request$bytes))
    with_request(to_json(utils::modifyList(said, change)))
  }

  no_picture <- list("reference-1" = list(bytes = charToRaw("no picture"), type = "image/png"))
  refuses(
    "an unknown checkpoint is a problem of the request",
    post_take(talk, changed(list(checkpoint = "no-such-checkpoint")), other_key(talk, 1))
  )
  refuses(
    "an unknown setting is a problem of the request",
    post_take(talk, changed(list(settings = list(no_such_setting = 1))), other_key(talk, 2))
  )
  refuses(
    "a request that is not JSON is a problem of the request",
    post_take(talk, with_request("{not json"), other_key(talk, 3))
  )
  refuses(
    "a picture that is missing is a problem of the request",
    post_take(talk, talk$parts["request"], other_key(talk, 4))
  )
  refuses(
    "a picture that is not one is a problem of the request",
    post_take(talk, utils::modifyList(talk$parts, no_picture), other_key(talk, 5))
  )
  headers <- key_headers(talk$server)
  seconds <- talk$server$seconds
  refuses(
    "a request without a key is refused",
    fetch("POST", talk$url, headers, form = talk$parts, seconds = seconds)
  )
  json <- c(
    headers,
    "Idempotency-Key" = other_key(talk, 6),
    "Content-Type" = "application/json"
  )
  refuses(
    "a body that is not a form is refused",
    fetch("POST", talk$url, json, body = charToRaw("{}"), seconds = seconds)
  )
  refuses(
    "an unknown job is not found",
    get_from(talk, paste0(talk$url, "/no-such-job")),
    404
  )
}
