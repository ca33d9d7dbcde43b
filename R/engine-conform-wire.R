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
  conform_several(talk, engine$about, notes)
  conform_refusals(talk, engine$about$per_call, notes)
  notes$try("errors", "after all this it still works", {
    await_take(talk, post_take(talk, key = other_key(talk, 7)))
    TRUE
  })
}

post_take <- function(talk, parts = talk$parts, key = talk$request$key) {
  headers <- c(key_headers(talk$server), "Idempotency-Key" = key)
  fetch_when_free("POST", talk$url, headers, form = parts, seconds = talk$server$seconds)
}

get_from <- function(talk, url, ...) {
  fetch_when_free("GET", url, key_headers(talk$server), seconds = talk$server$seconds, ...)
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

    steady_sleep(min(last_look, retry_after_of(answer) %||% first_look))
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

  bytes <- lapply(list(take, again), function(one) fetch_picture(talk, one, 1))
  if (identical(bytes[[1]], bytes[[2]])) {
    return(TRUE)
  }

  "two requests with one key gave two pictures"
}

# The bytes of a take's picture, by its number.
fetch_picture <- function(talk, take, number) {
  href <- next_address(talk$url, take$pictures[[number]]$href)
  if (is.na(href)) {
    engine_failure("bad_answer", "a picture's href leads nowhere on that server")
  }

  answer <- get_from(talk, href, most = 1e6 + 8 * prod(talk$size))
  if (answer$status != 200) {
    stop_for_status(answer, href)
  }

  answer$body
}

# The request's parts with other members in its JSON.
with_changes <- function(talk, change) {
  said <- jsonlite::parse_json(rawToChar(talk$parts$request$bytes))
  said[names(change)] <- change
  with_request(talk, to_json(said))
}

with_request <- function(talk, text) {
  request <- list(bytes = charToRaw(text), type = "application/json")
  utils::modifyList(talk$parts, list(request = request))
}

# A few seeds are enough to see that several are served.
most_seeds_tried <- 3

# One request for several pictures, for engines that say that they serve it.
conform_several <- function(talk, about, notes) {
  count <- min(about$per_call, most_seeds_tried)
  if (count == 1) {
    return(invisible())
  }

  seeds <- talk$request$seed + seq_len(count) - 1
  take <- NULL
  notes$try("takes", paste("one request for", count, "seeds gives as many pictures"), {
    parts <- with_changes(talk, list(seeds = as.list(seeds)))
    take <- await_take(talk, post_take(talk, parts, other_key(talk, 8)))
    several_pictures(talk, take, seeds)
  })
  if (about$repeatable && length(take$pictures) == count) {
    notes$try("takes", "each of them is what its seed gives by itself", {
      parts <- with_changes(talk, list(seeds = as.list(seeds[count])))
      alone <- await_take(talk, post_take(talk, parts, other_key(talk, 9)))
      pixels <- lapply(
        list(fetch_picture(talk, take, count), fetch_picture(talk, alone, 1)),
        function(bytes) decode_picture(encoded_picture(bytes))
      )
      if (identical(pixels[[1]], pixels[[2]])) {
        TRUE
      } else {
        "the last seed gave one picture with others and another by itself"
      }
    })
  }
}

# TRUE, or what is wrong with a take of several seeds.
several_pictures <- function(talk, take, seeds) {
  if (length(take$pictures) != length(seeds)) {
    return(paste("it has", count_words(length(take$pictures), "picture")))
  }

  for (i in seq_along(seeds)) {
    pixels <- decode_picture(encoded_picture(fetch_picture(talk, take, i)))
    if (!identical(dim(pixels)[2:1], as.integer(talk$size))) {
      return(paste("picture", i, "is", paste(dim(pixels)[2:1], collapse = " x ")))
    }
  }

  used <- unlist(lapply(take$pictures, function(picture) as_number(picture$seed)))
  if (length(used) == length(seeds) && anyDuplicated(used)) {
    "two of its pictures have one seed"
  } else {
    TRUE
  }
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

conform_refusals <- function(talk, per_call, notes) {
  refuses <- function(requirement, answer, statuses = bad_request_statuses) {
    notes$try("errors", requirement, refused_well(talk, answer, statuses))
  }

  no_picture <- list("reference-1" = list(bytes = charToRaw("no picture"), type = "image/png"))
  refuses(
    "an unknown checkpoint is a problem of the request",
    post_take(talk, with_changes(talk, list(checkpoint = "no-such-checkpoint")), other_key(talk, 1))
  )
  refuses(
    "an unknown setting is a problem of the request",
    post_take(
      talk,
      with_changes(talk, list(settings = list(no_such_setting = 1))),
      other_key(talk, 2)
    )
  )
  too_many <- as.list(talk$request$seed + 0:per_call)
  refuses(
    paste0("more seeds than its per_call (", per_call, ") are a problem of the request"),
    post_take(talk, with_changes(talk, list(seeds = too_many)), other_key(talk, 10))
  )
  refuses(
    "a request that is not JSON is a problem of the request",
    post_take(talk, with_request(talk, "{not json"), other_key(talk, 3))
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
    fetch_when_free("POST", talk$url, headers, form = talk$parts, seconds = seconds)
  )
  json <- c(
    headers,
    "Idempotency-Key" = other_key(talk, 6),
    "Content-Type" = "application/json"
  )
  refuses(
    "a body that is not a form is refused",
    fetch_when_free("POST", talk$url, json, body = charToRaw("{}"), seconds = seconds)
  )
  refuses(
    "an unknown job is not found",
    get_from(talk, paste0(talk$url, "/no-such-job")),
    404
  )
}
