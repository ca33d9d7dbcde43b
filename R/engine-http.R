# Engines that follow our contract over HTTP: inst/contract/openapi.yaml says what a server has to
# do, docs/engines.md how to put one in front of a service.

http_engine <- function(wanted, name, folder, ask = TRUE) {
  address <- sub("/$", "", wanted$address)
  said <- remembered_about(name, folder, address, as.character(wanted$key), ask, function() {
    answer <- fetch(
      "GET",
      paste0(address, "/about"),
      key_headers(wanted),
      seconds = min(10, wanted$seconds %||% 10)
    )
    if (answer$status != 200) {
      stop_for_status(answer, paste0(address, "/about"))
    }

    said <- read_json_answer(answer, paste0(address, "/about"))
    said <- safe_said(said, as.character(wanted$key))
    stop_for_about(said, wanted, name, paste0(address, "/about"))
    said
  })
  built <- http_engine_at(utils::modifyList(wanted, list(address = address)), said$about, name)
  built$remembered <- said$remembered
  built
}

# A description that can't be used is the server's fault, not the lineup's.
stop_for_about <- function(said, wanted, name, url) {
  tryCatch(
    guarded(http_engine_at(wanted, said, name), broken_answer),
    sprenn_error = function(e) {
      why <- gsub("`about\\$([a-z_]+)`", "\\1", paste(e$details, collapse = "; "))
      engine_failure(
        "bad_answer",
        paste0(url, " describes an engine that can't be used: ", why, ".")
      )
    }
  )
}

# Builds the engine from its description.
http_engine_at <- function(wanted, about, name) {
  caption <- function(picture) {
    url <- paste0(wanted$address, "/captions")
    answer <- fetch(
      "POST",
      url,
      key_headers(wanted),
      form = list(picture = png_part(picture)),
      seconds = wanted$seconds %||% 120
    )
    if (answer$status != 200) {
      stop_for_status(answer, url)
    }

    phrases <- unlist(read_json_answer(answer, url)$phrases)
    if (!is.character(phrases) || length(phrases) == 0) {
      engine_failure("bad_answer", "The caption that came back has no phrases.")
    }

    safe_said(phrases, as.character(wanted$key))
  }

  conversing_engine(
    about_from_list(about, name),
    function(request) http_take(request, wanted, wanted$address),
    caption = if (isTRUE(about$captions)) caption,
    kind = "http",
    secrets = as.character(wanted$key)
  )
}

# An engine on a server: one picture is a conversation, so that one process can have many in
# flight.
conversing_engine <- function(about, converse, ...) {
  built <- engine(about, function(request) drive(converse(request)), ...)
  built$converse <- converse
  built
}

# One picture as a conversation (engine-conversations.R).
http_take <- function(request, wanted, address) {
  headers <- c(key_headers(wanted), "Idempotency-Key" = request$key)
  ask_for_take(list(
    request = request,
    takes = paste0(address, "/takes"),
    began = clock(),
    patience = wanted$patience %||% default_patience,
    call = function(method, url, ..., most = 1e6) {
      seconds <- wanted$seconds %||% default_seconds
      new_call(method, url, headers, ..., seconds = seconds, most = most)
    }
  ))
}

# Default limits in seconds for one call, and for a picture with all its waiting.
default_seconds <- 120
default_patience <- 1800

# Polling intervals in seconds: the first, and the longest.
first_look <- 0.25
slower_by <- 1.5
last_look <- 5
longest_look <- 60

# A restarted server knows the key but not the job, so the order is repeated up to this often.
most_forgotten <- 2

ask_for_take <- function(talk, wait = 0, forgotten = 0) {
  list(
    call = talk$call("POST", talk$takes, form = request_parts(talk$request)),
    wait = wait,
    then = function(answer) take_answered(talk, answer, forgotten)
  )
}

take_answered <- function(talk, answer, forgotten) {
  if (answer$status == 202) {
    job <- next_address(talk$takes, answer$headers$location)
    if (is.na(job)) {
      engine_failure(
        "bad_answer",
        paste0(
          talk$takes, " took the request but its Location (",
          answer$headers$location %||% "none", ") leads nowhere on that server."
        )
      )
    }

    return(look_for_job(talk, job, answer, first_look, forgotten))
  }

  if (!answer$status %in% 200:201) {
    stop_for_status(answer, talk$takes)
  }

  fetch_made(talk, answer, talk$takes)
}

look_for_job <- function(talk, job, answer, pause, forgotten) {
  wait <- min(longest_look, retry_after_of(answer) %||% pause)
  spent <- clock() - talk$began
  if (spent + wait > talk$patience) {
    engine_failure(
      "timed_out",
      paste0("The picture was not ready after ", round(spent), " s, queue included.")
    )
  }

  list(call = talk$call("GET", job), wait = wait, then = function(answer) {
    if (answer$status == 404 && forgotten < most_forgotten) {
      return(ask_for_take(talk, 1, forgotten + 1))
    }

    if (answer$status == 202) {
      return(look_for_job(talk, job, answer, min(last_look, pause * slower_by), forgotten))
    }

    if (answer$status != 200) {
      stop_for_status(answer, job)
    }

    fetch_made(talk, answer, job)
  })
}

fetch_made <- function(talk, answer, url) {
  made <- read_json_answer(answer, url)
  stop_for_other_answer(made, talk$request$key, url)
  fetch_pictures(talk, made, url, list())
}

# Fetches the pictures of a call one after the other, and gives them back with its cost shared
# between all that were asked for: one result, or a list of them if there were several seeds.
fetch_pictures <- function(talk, made, url, results) {
  several <- length(talk$request$seeds) > 1
  at <- length(results) + 1
  picture <- if (at <= length(made$pictures)) made$pictures[[at]]
  if (several && at > min(length(made$pictures), length(talk$request$seeds))) {
    return(results)
  }

  href <- next_address(url, if (is.list(picture)) picture$href)
  if (is.na(href)) {
    engine_failure(
      "bad_answer",
      paste0(url, " says that the picture is made, but not where it is on that server.")
    )
  }

  most <- 1e6 + 8 * prod(delivered_size(talk$request))
  list(call = talk$call("GET", href, most = most), wait = 0, then = function(answer) {
    if (answer$status != 200) {
      stop_for_status(answer, href)
    }

    result <- engine_result(
      answer$body,
      cost = share_of_cost(made$cost %||% NA, length(talk$request$seeds)),
      seed = as.integer(as_number(picture$seed)),
      waited = as_number(made$waited),
      says = c(made$says, picture$says)
    )
    if (several) fetch_pictures(talk, made, url, c(results, list(result))) else result
  })
}

# What is no cost stays as it is, and is refused later.
share_of_cost <- function(cost, pictures) if (is_number(cost)) cost / pictures else cost

stop_for_other_answer <- function(made, key, url) {
  if (identical(made$state, "waiting") || identical(made$state, "making")) {
    engine_failure(
      "bad_answer",
      paste0(
        url, " says ", quoted(made$state), " with status 200, where the contract has 202."
      )
    )
  }

  if (!identical(made$key, key)) {
    engine_failure(
      "bad_answer",
      paste0(
        url, " delivered the answer to another request (its key is ",
        show_value(made$key %||% ""), ")."
      )
    )
  }
}

# Turns a status into a failure, with the words of its problem details (RFC 9457) if it has them.
stop_for_status <- function(answer, url) {
  problem <- if (answer$type == "application/problem+json") {
    tryCatch(read_json_answer(answer, url), sprenn_failure = function(e) NULL)
  }
  type <- if (is_text(problem$type)) problem$type else ""
  texts <- Filter(is_text, problem[c("title", "detail")])
  words <- paste(sub("[.]$", "", unlist(texts)), collapse = ": ")
  kind <- if (type == "urn:sprenn:refused") {
    "refused"
  } else {
    status_kinds[[as.character(answer$status)]] %||% if (answer$status >= 500) {
      "bad_answer"
    } else if (answer$status >= 400) {
      "bad_request"
    } else {
      "bad_answer"
    }
  }
  if (!nzchar(words)) {
    words <- starts_like(answer$body)
  }

  said <- paste(c(paste(url, "answered", answer$status), words), collapse = ": ")
  engine_failure(kind, paste0(sub("[.]$", "", said), "."), retry_after_of(answer))
}

status_kinds <- list(
  `402` = "out_of_credit",
  `408` = "timed_out",
  `425` = "busy",
  `429` = "busy",
  `503` = "busy",
  `504` = "timed_out"
)

# An engine's description of itself, kept in the trial so that a run can be read, chosen from and
# reported after its engines are gone. `asking` asks the engine; without `ask` that happens only
# if nothing is kept.
remembered_about <- function(name, folder, address, secrets, ask, asking) {
  file <- file.path(folder, "runs", "engines", paste0(name, ".json"))
  known <- tryCatch(
    jsonlite::read_json(file),
    error = function(e) NULL,
    warning = function(w) NULL
  )
  # Another address is another engine.
  if (!is.list(known$about) || !identical(known$address, address)) {
    known <- NULL
  }

  if (!ask && !is.null(known)) {
    return(list(about = known$about))
  }

  about <- tryCatch(asking(), sprenn_failure = identity)
  if (inherits(about, "condition")) {
    about$message <- safe_message(conditionMessage(about), secrets)
    if (is.null(known)) {
      stop(about)
    }

    return(list(
      about = known$about,
      remembered = list(on = known$on, why = conditionMessage(about))
    ))
  }

  if (!identical(to_json(known$about), to_json(about))) {
    suppressWarnings(try(
      {
        dir.create(dirname(file), showWarnings = FALSE, recursive = TRUE)
        write_lines(to_json(list(address = address, on = now_utc(), about = about)), file)
      },
      silent = TRUE
    ))
  }

  list(about = about)
}

# Reads the description of an engine from a server, or from lineup.yml in its place. Unknown keys
# are ignored.
about_from_list <- function(said, name, emphasis = "weights") {
  said$emphasis <- said$emphasis %||% emphasis
  about <- said[intersect(names(said), c("version", "checkpoints", names(about_defaults)))]
  for (words in c("takes", "add_ons")) {
    about[[words]] <- as.character(unlist(about[[words]]))
  }

  if (is.list(about$hold) && is.null(about$hold$words)) {
    about$hold <- c(at_0 = as_number(about$hold$at_0), at_1 = as_number(about$hold$at_1))
  }

  if (length(about$checkpoints) == 0) {
    about$checkpoints <- list(plain = list())
  }

  about$settings <- as.list(about$settings)
  # A server that names itself differently is still the engine of this name.
  about$name <- name
  Filter(Negate(is.null), about)
}
