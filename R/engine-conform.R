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
  mask <- matrix(0, size[2], size[1])
  mask[seq_len(size[2] %/% 2), ] <- 1
  request <- function(...) take_request(engine, ..., size = size)
  ask <- function(...) make_picture(engine, request(...))
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
    ask(
      c(
        strrep("a very long phrase ", 100),
        "caf\u00e9 \u2603 \U0001f3a8 \"quoted\" <b>&amp;</b>\\",
        " "
      ),
      reference
    )
    TRUE
  })
  if (!is.null(about$hold)) {
    notes$try("takes", "it takes both ends of its knob", {
      kept <- decode_picture(encoded_picture(ask("a hill", reference, hold = 1)$bytes))
      lost <- decode_picture(encoded_picture(ask("a hill", reference, hold = 0)$bytes))
      close <- function(picture) {
        stats::cor(c(rowMeans(picture, dims = 2)), c(rowMeans(reference, dims = 2)))
      }

      if (close(kept) > close(lost)) {
        TRUE
      } else {
        "at_1, where the reference should be kept, gave a picture less like it than at_0"
      }
    })
  }

  if (about$repeatable) {
    notes$try("takes", "the same seed gives the same picture, as it says", {
      again <- ask("a hill", reference)
      if (identical(
        decode_picture(encoded_picture(again$bytes)),
        decode_picture(encoded_picture(first$bytes))
      )) {
        TRUE
      } else {
        "two requests with one seed gave two pictures"
      }
    })
  }

  for (name in names(about$checkpoints)[-1]) {
    notes$try("takes", paste("checkpoint", name, "makes pictures"), {
      make_picture(
        engine,
        take_request(
          engine,
          "a hill",
          reference,
          checkpoint = name,
          size = smallest_size(about$checkpoints[[name]])
        )
      )
      TRUE
    })
  }

  for (name in names(about$settings)) {
    notes$try("takes", paste("it takes both ends of", name), {
      setting <- about$settings[[name]]
      ends <- if (is.null(setting$words)) {
        c(setting$from, setting$to)
      } else {
        range(unlist(setting$words))
      }
      for (end in ends) {
        ask("a hill", reference, settings = stats::setNames(list(end), name))
      }

      TRUE
    })
  }

  inputs <- list(
    look = list(looks = list(core_dead_leaves(64, 48, 5))),
    mask = list(mask = mask),
    negative = list(negative = "lettering"),
    text_alone = list(reference = NULL)
  )
  for (kind in intersect(guide_kinds, about$takes)) {
    drawn <- if (kind == "pose") list(figures = list()) else list()
    inputs[[kind]] <- list(
      guides = stats::setNames(
        list(c(
          list(
            picture = array(rowMeans(reference, dims = 2), dim(reference)),
            weight = 1,
            release = 0.8
          ),
          drawn
        )),
        kind
      )
    )
  }

  for (input in intersect(names(inputs), about$takes)) {
    notes$try("takes", paste("it takes", input_words[[input]]), {
      more <- inputs[[input]]
      do.call(
        ask,
        c(list("a hill"), if (!"reference" %in% names(more)) list(reference = reference), more)
      )
      TRUE
    })
  }
}

# The exchange over HTTP, message by message.
conform_exchange <- function(engine, server, notes) {
  about <- engine$about
  size <- smallest_size(about$checkpoints[[1]])
  url <- paste0(server$address, "/takes")
  request <- take_request(engine, "a hill", core_dead_leaves(size[1], size[2], 41), size = size)
  parts <- request_parts(request)
  post <- function(parts, key = request$key, ...) {
    fetch(
      "POST",
      url,
      c(key_headers(server), "Idempotency-Key" = key),
      form = parts,
      seconds = server$seconds,
      ...
    )
  }

  # Follows an answer until the take is made.
  finish <- function(answer) {
    began <- Sys.time()
    job <- if (answer$status == 202) next_address(url, answer$headers$location)
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

      if (as.numeric(Sys.time() - began, units = "secs") > server$seconds) {
        engine_failure("timed_out", paste("it was not made within", server$seconds, "s"))
      }

      Sys.sleep(min(5, retry_after_of(answer) %||% 0.25))
      answer <- fetch("GET", job, key_headers(server), seconds = server$seconds)
    }

    if (answer$status != 200) {
      stop_for_status(answer, url)
    }

    read_json_answer(answer, url)
  }

  take <- NULL
  notes$try("takes", "the take names its key and where its picture is", {
    take <- finish(post(parts))
    href <- next_address(url, if (length(take$pictures)) take$pictures[[1]]$href)
    if (!identical(take$key, request$key)) {
      paste("its key is", show_value(take$key %||% ""))
    } else if (is.na(href)) {
      "its picture's href leads nowhere on that server"
    } else {
      TRUE
    }
  })
  notes$try("takes", "the same key is the same take, paid once", {
    again <- finish(post(parts))
    if (!identical(again$cost, take$cost)) {
      paste(
        "the cost was", show_value(take$cost %||% "none"), "and then",
        show_value(again$cost %||% "none")
      )
    } else {
      bytes <- lapply(list(take, again), function(one) {
        fetch(
          "GET",
          next_address(url, one$pictures[[1]]$href),
          key_headers(server),
          seconds = server$seconds,
          most = 1e6 + 8 * prod(size)
        )$body
      })
      if (identical(bytes[[1]], bytes[[2]])) {
        TRUE
      } else {
        "two requests with one key gave two pictures"
      }
    }
  })
  notes$try("takes", "the seed that was used is told, if at all, as a whole number", {
    seed <- take$pictures[[1]]$seed
    if (is.null(seed) || (is_number(seed) && seed == round(seed))) {
      TRUE
    } else {
      paste("it is", show_value(seed))
    }
  })
  changed <- function(change) {
    said <- utils::modifyList(jsonlite::parse_json(rawToChar(parts$request$bytes)), change)
    utils::modifyList(
      parts,
      list(request = list(bytes = charToRaw(to_json(said)), type = "application/json"))
    )
  }

  other_key <- function(i) paste0(substr(request$key, 1, 18), "-", i)
  # 4xx with problem details, and words in them.
  problem <- function(answer, statuses) {
    if (!answer$status %in% statuses) {
      return(paste0(
        "it answered ", answer$status, ", not ", paste(statuses, collapse = " or ")
      ))
    }

    if (answer$type != "application/problem+json") {
      return(paste0(
        "the answer is of type ", if (nzchar(answer$type)) answer$type else "none",
        ", not application/problem+json"
      ))
    }

    said <- read_json_answer(answer, url)
    if (!is_text(said$title)) {
      "its problem has no title"
    } else if (!identical(as.integer(said$status), as.integer(answer$status))) {
      "the status in its problem is another one than its own"
    } else {
      TRUE
    }
  }

  bad <- c(400, 404, 413, 415, 422)
  notes$try(
    "errors",
    "an unknown checkpoint is a problem of the request",
    problem(post(changed(list(checkpoint = "no-such-checkpoint")), other_key(1)), bad)
  )
  notes$try(
    "errors",
    "an unknown setting is a problem of the request",
    problem(post(changed(list(settings = list(no_such_setting = 1))), other_key(2)), bad)
  )
  notes$try(
    "errors",
    "a request that is no JSON is a problem of the request",
    problem(
      post(
        utils::modifyList(
          parts,
          list(request = list(bytes = charToRaw("{not json"), type = "application/json"))
        ),
        other_key(3)
      ),
      bad
    )
  )
  notes$try(
    "errors",
    "a picture that is missing is a problem of the request",
    problem(post(parts["request"], other_key(4)), bad)
  )
  notes$try(
    "errors",
    "a picture that is none is a problem of the request",
    problem(
      post(
        utils::modifyList(
          parts,
          list("reference-1" = list(bytes = charToRaw("no picture"), type = "image/png"))
        ),
        other_key(5)
      ),
      bad
    )
  )
  notes$try(
    "errors",
    "a request without a key is refused",
    problem(
      fetch("POST", url, key_headers(server), form = parts, seconds = server$seconds),
      bad
    )
  )
  notes$try(
    "errors",
    "a body that is no form is refused",
    problem(
      fetch(
        "POST",
        url,
        c(
          key_headers(server),
          "Idempotency-Key" = other_key(6),
          "Content-Type" = "application/json"
        ),
        body = charToRaw("{}"),
        seconds = server$seconds
      ),
      bad
    )
  )
  notes$try(
    "errors",
    "an unknown job is not found",
    problem(
      fetch("GET", paste0(url, "/no-such-job"), key_headers(server), seconds = server$seconds),
      404
    )
  )
  notes$try("errors", "after all this it still works", {
    finish(post(parts, other_key(7)))
    TRUE
  })
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
