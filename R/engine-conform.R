#' Hold an engine against the contract
#'
#' For those who put the contract in front of their own service: makes a handful
#' of small requests, good and bad, and says of every promise whether it was
#' kept, and if not, what came instead. Of a server of the kind `http` the
#' exchange itself is looked at too: `inst/contract/openapi.yaml` has what it has
#' to do.
#'
#' Some pictures are really made, at most a dozen; what they cost is said.
#'
#' @param engine An [engine()], or the address of a server that keeps the HTTP
#'   contract.
#' @param key The name of an environment variable that holds its key, or `NULL`.
#' @param key_header The header that carries the key; `NULL` for `Authorization:
#'   Bearer`.
#' @param seconds How long one call may take.
#' @return A tibble of class `sprenn_conformance` with `part` (`about`, `takes`,
#'   `errors`, `captions`), `promise`, `kept` (`TRUE`, `FALSE`, or `NA` if it could
#'   not be tried) and `why`.
#' @export
#' @examples
#' conform_engine(standin_yarrow())
conform_engine <- function(engine, key = NULL, key_header = NULL, seconds = 120) {
  check_arguments(
    key = checkmate::check_string(key, pattern = variable_pattern, null.ok = TRUE),
    key_header = checkmate::check_string(key_header, null.ok = TRUE),
    seconds = checkmate::check_number(seconds, lower = 0.1),
    engine = if (inherits(engine, "sprenn_engine") ||
      (is_text(engine) && grepl(address_pattern, engine, perl = TRUE))) {
      TRUE
    } else {
      "must be an engine() or an address: https://, or http:// on this machine"
    }
  )
  notes <- new_notes()
  server <- NULL
  if (is.character(engine)) {
    server <- list(
      address = sub("/$", "", engine),
      key = key,
      key_header = key_header,
      seconds = seconds,
      patience = seconds
    )
    engine <- conform_about(server, notes)
  }

  if (!is.null(engine)) {
    conform_pictures(engine, notes)
    if (!is.null(server)) {
      conform_exchange(engine, server, notes)
    }

    conform_captions(engine, notes)
  }

  found <- notes$table()
  structure(found, class = c("sprenn_conformance", class(found)), secrets = key)
}

# Collects what was promised and what came. `try` takes a function that returns
# TRUE, or text that says what came instead.
new_notes <- function() {
  rows <- list()
  list(
    try = function(part, promise, code) {
      said <- tryCatch(
        code,
        sprenn_failure = function(e) conditionMessage(e),
        error = function(e) paste("an error:", conditionMessage(e))
      )
      rows[[length(rows) + 1]] <<- tibble::tibble(
        part = part,
        promise = promise,
        kept = if (is.na(said[1])) NA else isTRUE(said),
        why = if (is.character(said)) said else ""
      )
      isTRUE(said)
    },
    table = function() do.call(rbind, rows)
  )
}

conform_about <- function(server, notes) {
  url <- paste0(server$address, "/about")
  said <- NULL
  notes$try("about", "GET /about answers 200 with JSON", {
    answer <- fetch("GET", url, key_headers(server), seconds = server$seconds)
    if (answer$status != 200) {
      stop_for_status(answer, url)
    }

    said <- read_json_answer(answer, url)
    if (answer$type == "application/json") TRUE else paste("its type is", answer$type)
  })
  if (is.null(said)) {
    return(NULL)
  }

  engine <- NULL
  notes$try("about", "it says what the contract wants, in its form", {
    lacking <- setdiff(c("version", "checkpoints"), names(said))
    engine <- http_engine_at(server, said, "engine")
    if (length(lacking)) {
      paste("it lacks", paste(lacking, collapse = " and "))
    } else if (!nzchar(said$version)) {
      "its version is empty"
    } else {
      TRUE
    }
  })
  engine
}

# The smallest size that a checkpoint handles well: pictures cost by it.
smallest_size <- function(checkpoint) {
  sizes <- checkpoint$sizes
  if (length(sizes)) {
    sizes[[which.min(vapply(sizes, prod, 0))]]
  } else {
    working_size(c(256, 192), checkpoint)
  }
}

# Requests that any engine must be able to serve.
conform_pictures <- function(engine, notes) {
  about <- engine$about
  size <- smallest_size(about$checkpoints[[1]])
  reference <- core_dead_leaves(size[1], size[2], 41)
  ask <- function(...) make_picture(engine, take_request(engine, ..., size = size))
  first <- NULL
  worked <- notes$try(
    "takes",
    "it makes a picture of the size asked for, from a reference and a prompt",
    {
      first <- ask("a hill", reference)
      TRUE
    }
  )
  if (!worked) {
    return(invisible())
  }

  notes$try("takes", "it takes long, odd and empty words", {
    ask(odd_words, reference)
    TRUE
  })
  if (!is.null(about$hold)) {
    notes$try("takes", "it takes both ends of its knob", holds_at_its_end(ask, reference))
  }

  if (about$repeatable) {
    notes$try("takes", "the same seed gives the same picture, as it says", {
      again <- ask("a hill", reference)
      if (identical(pixels_of(again), pixels_of(first))) {
        TRUE
      } else {
        "two requests with one seed gave two pictures"
      }
    })
  }

  conform_settings(engine, ask, reference, notes)
  conform_inputs(about$takes, ask, reference, notes)
}

odd_words <- c(
  strrep("a very long phrase ", 100),
  "caf\u00e9 \u2603 \U0001f3a8 \"quoted\" <b>&amp;</b>\\",
  " "
)

pixels_of <- function(made) decode_picture(encoded_picture(made$bytes))

holds_at_its_end <- function(ask, reference) {
  close <- function(hold) {
    made <- pixels_of(ask("a hill", reference, hold = hold))
    stats::cor(c(rowMeans(made, dims = 2)), c(rowMeans(reference, dims = 2)))
  }

  if (close(1) > close(0)) {
    return(TRUE)
  }

  "at_1, where the reference should be kept, gave a picture less like it than at_0"
}

# The other checkpoints, and both ends of each setting.
conform_settings <- function(engine, ask, reference, notes) {
  about <- engine$about
  for (name in names(about$checkpoints)[-1]) {
    notes$try("takes", paste("checkpoint", name, "makes pictures"), {
      size <- smallest_size(about$checkpoints[[name]])
      request <- take_request(engine, "a hill", reference, checkpoint = name, size = size)
      make_picture(engine, request)
      TRUE
    })
  }

  for (name in names(about$settings)) {
    notes$try("takes", paste("it takes both ends of", name), {
      setting <- about$settings[[name]]
      words <- unlist(setting$words)
      ends <- if (is.null(words)) c(setting$from, setting$to) else range(words)
      for (end in ends) {
        ask("a hill", reference, settings = stats::setNames(list(end), name))
      }

      TRUE
    })
  }
}

# Every input that the engine says it takes.
conform_inputs <- function(takes, ask, reference, notes) {
  mask <- matrix(0, nrow(reference), ncol(reference))
  mask[seq_len(nrow(mask) %/% 2), ] <- 1
  inputs <- list(
    look = list(looks = list(core_dead_leaves(64, 48, 5))),
    mask = list(mask = mask),
    negative = list(negative = "lettering"),
    text_alone = list(reference = NULL)
  )
  for (kind in intersect(guide_kinds, takes)) {
    inputs[[kind]] <- list(guides = stats::setNames(list(drawn_guide(kind, reference)), kind))
  }

  for (input in intersect(names(inputs), takes)) {
    notes$try("takes", paste("it takes", input_words[[input]]), {
      more <- inputs[[input]]
      if (!"reference" %in% names(more)) {
        more <- c(list(reference = reference), more)
      }

      do.call(ask, c(list("a hill"), more))
      TRUE
    })
  }
}

drawn_guide <- function(kind, reference) {
  guide <- list(
    picture = array(rowMeans(reference, dims = 2), dim(reference)),
    weight = 1,
    release = 0.8
  )
  if (kind == "pose") {
    c(guide, list(figures = list()))
  } else {
    guide
  }
}

# The exchange over HTTP, message by message.
conform_exchange <- function(engine, server, notes) {
  size <- smallest_size(engine$about$checkpoints[[1]])
  request <- take_request(engine, "a hill", core_dead_leaves(size[1], size[2], 41), size = size)
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
  notes$try("takes", "the seed that was used is told, if at all, as a whole number", {
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

# 4xx with problem details (RFC 9457), and words in them.
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

# What a server may call a request that can't be used.
bad_request_statuses <- c(400, 404, 413, 415, 422)

conform_refusals <- function(talk, notes) {
  refuses <- function(promise, answer, statuses = bad_request_statuses) {
    notes$try("errors", promise, refused_well(talk, answer, statuses))
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
    "a request that is no JSON is a problem of the request",
    post_take(talk, with_request("{not json"), other_key(talk, 3))
  )
  refuses(
    "a picture that is missing is a problem of the request",
    post_take(talk, talk$parts["request"], other_key(talk, 4))
  )
  refuses(
    "a picture that is none is a problem of the request",
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
    "a body that is no form is refused",
    fetch("POST", talk$url, json, body = charToRaw("{}"), seconds = seconds)
  )
  refuses(
    "an unknown job is not found",
    get_from(talk, paste0(talk$url, "/no-such-job")),
    404
  )
}

conform_captions <- function(engine, notes) {
  if (is.null(engine$caption)) {
    return(invisible())
  }

  notes$try("captions", "it says what is in a picture", {
    phrases <- engine$caption(core_dead_leaves(96, 64, 3))
    if (is.character(phrases) && length(phrases) && all(nzchar(trimws(phrases)))) {
      TRUE
    } else {
      "no phrases came"
    }
  })
}

#' @export
format.sprenn_conformance <- function(x, ...) {
  mark <- ifelse(is.na(x$kept), "  ?  ", ifelse(x$kept, "  ok ", "  NO "))
  failed <- sum(!x$kept, na.rm = TRUE)
  lines <- unlist(lapply(seq_len(nrow(x)), function(i) {
    c(
      paste0(mark[i], formatC(x$part[i], width = -9), x$promise[i]),
      if (nzchar(x$why[i])) {
        strwrap(
          mask_secrets(x$why[i], attr(x, "secrets") %||% character()),
          92,
          initial = "              ",
          prefix = "              "
        )
      }
    )
  }))
  c(
    lines,
    "",
    if (failed) {
      paste0(
        count_words(failed, "promise"), " of ", nrow(x),
        if (failed == 1) " was" else " were", " not kept."
      )
    } else {
      paste("All", nrow(x), "promises were kept.")
    }
  )
}

#' @export
print.sprenn_conformance <- function(x, ...) {
  writeLines(format(x, ...))
  invisible(x)
}
