# The calls to a service that is described, and what is read of its answers.

# A call of the description as a turn: `role` is upload, make or wait. `then` is called with the
# answer and a function that finds what stands at a place in it; `failed` with a failure of the
# call. It goes to the service's own host, or without the key to one of the `hosts`.
described_call <- function(talk, spec, role, then, failed = stop, wait = 0, hosts = NULL) {
  wanted <- talk$service$wanted
  url <- described_address(talk, spec$call, hosts)
  own <- is_own_address(talk, url)
  body <- described_body(spec, talk$request, talk$named)
  list(
    call = new_call(
      request_method(spec$call),
      if (own) with_key_query(url, wanted) else url,
      c(if (own) key_headers(wanted), headers_with(talk, spec, body)),
      body = body$body,
      seconds = wanted$seconds %||% default_seconds,
      most = most_answered(talk$request),
      resolve = if (!own) public_address(url)
    ),
    body = body,
    role = role,
    wait = wait,
    then = function(answer) {
      found <- finder_of(talk, answer, url)
      failure <- tryCatch(
        {
          stop_for_described(talk, answer, found, url)
          NULL
        },
        sprenn_failure = identity
      )
      if (is.null(failure)) then(answer, found) else failed(failure)
    },
    lost = failed
  )
}

# How long an answer may be that has the pictures of a request in base64, in bytes.
most_answered <- function(request) {
  1e6 + 12 * prod(delivered_size(request)) * max(1, length(request$seeds))
}

# A value can't end its header and begin another.
header_text <- function(value) gsub("[[:cntrl:]]+", " ", value_text(unlist(value)[1]))

# The headers of a call besides the key's. Of two that say what the body is, a form's own counts,
# as it has the boundary, and else the description's.
headers_with <- function(talk, spec, body) {
  headers <- fill_template(named_list(spec$headers), talk$request, talk$named)
  headers <- vapply(headers[lengths(headers) > 0], header_text, "")
  says_type <- tolower(names(headers)) == "content-type"
  if (is.null(spec$form) && any(says_type)) {
    headers
  } else {
    c(headers[!says_type | is.null(body)], body$headers)
  }
}

is_own_address <- function(talk, url) {
  identical(origin_of(url), origin_of(talk$service$wanted$address))
}

# The address of a call, which is on the service's own host or one of these.
described_address <- function(talk, line, hosts = NULL) {
  pieces <- talk$service$read$get(line, list(request_template(line)))[[1]]
  names <- template_names(pieces)
  values <- lapply(stats::setNames(nm = names), input_named, talk$request, talk$named)
  said <- expand_template(pieces, values)
  base <- sub("/$", "", talk$service$wanted$address)
  url <- if (grepl("^https?://", said)) {
    said
  } else if (startsWith(said, "/") && !startsWith(said, "//")) {
    # What a service says of itself begins at its host, what a description says at its address.
    if (is_kept_address(pieces)) paste0(host_of(base), said) else paste0(base, said)
  } else {
    NA_character_
  }
  reaches <- !is.na(url) && (is_own_address(talk, url) || is_named_host(url, unlist(hosts)))
  if (!reaches || grepl("[[:space:]]", url)) {
    stop_for_address(said, c(base, unlist(hosts)), values)
  }

  url
}

stop_for_address <- function(said, bases, values) {
  whole <- vapply(values, function(value) is_text(value) && grepl("^(https?:/)?/", value), NA)
  hint <- if (any(whole) && !startsWith(said, "http")) {
    paste0(" An address that is whole is written {+", names(values)[whole][1], "}.")
  }
  engine_failure(
    "bad_answer",
    paste0(
      "A call would have gone to ", said, ", which is not on ",
      paste(bases, collapse = " or "), ".", hint
    )
  )
}

# Whether a template is nothing but an address that an answer gave.
is_kept_address <- function(pieces) length(pieces) == 1 && is.list(pieces[[1]])

host_of <- function(url) sub("^(https?://[^/]+).*$", "\\1", url)

with_key_query <- function(url, wanted) {
  if (is.null(wanted$key_query)) {
    return(url)
  }

  paste0(
    url,
    if (grepl("?", url, fixed = TRUE)) "&" else "?",
    utils::URLencode(wanted$key_query, reserved = TRUE), "=",
    utils::URLencode(secret_value(wanted$key), reserved = TRUE)
  )
}

described_body <- function(spec, request, named) {
  if (!is.null(spec$form)) {
    filled <- fill_template(spec$form, request, named)
    return(multipart_body(if (identical(filled, left_out)) list() else filled))
  }

  if (!is.null(spec$json)) {
    filled <- fill_template(spec$json, request, named)
    if (identical(filled, left_out)) {
      filled <- named_list(list())
    }

    list(
      value = filled,
      body = charToRaw(enc2utf8(to_json(filled))),
      headers = c("Content-Type" = "application/json")
    )
  } else if (!is.null(spec$bytes)) {
    bytes_body(input_named(paste0(spec$bytes, ".part"), request, named))
  }
}

# A picture as it is, if the case has it.
bytes_body <- function(part) {
  if (!is.null(part)) {
    list(value = part, body = part$bytes, headers = c("Content-Type" = part$type))
  }
}

# A form (RFC 7578). Pictures have a file's name, without which many services take them for text.
multipart_body <- function(values) {
  boundary <- paste0("part-", fresh_key())
  parts <- Map(
    function(value, name) {
      is_file <- inherits(value, "sprenn_part")
      plain <- gsub("[[:cntrl:]\"]", "_", name)
      head <- c(
        paste0("--", boundary),
        paste0(
          "Content-Disposition: form-data; name=\"", plain, "\"",
          if (is_file) paste0("; filename=\"", plain, ".png\"")
        ),
        if (is_file) paste0("Content-Type: ", value$type),
        "",
        ""
      )
      text <- paste(head, collapse = "\r\n")
      bytes <- if (is_file) value$bytes else charToRaw(enc2utf8(form_text(value)))
      c(charToRaw(enc2utf8(text)), bytes, charToRaw("\r\n"))
    },
    values,
    names(values)
  )
  list(
    value = values,
    body = c(unlist(unname(parts)), charToRaw(paste0("--", boundary, "--\r\n"))),
    headers = c("Content-Type" = paste0("multipart/form-data; boundary=", boundary))
  )
}

# Lists within a form go as JSON.
form_text <- function(value) if (is.list(value)) to_json(value) else value_text(value)

# A function that returns all that is found at a place of an answer, as a list.
finder_of <- function(talk, answer, url) {
  is_json <- grepl("json", answer$type, fixed = TRUE) ||
    (!startsWith(answer$type, "image/") && begins_as_json(answer$body))
  document <- if (is_json) read_json_answer(answer, url)
  function(text) {
    place <- talk$service$read$get(text, read_place(text))
    tryCatch(find_at_place(place, document, answer$headers), sprenn_error_path = function(e) {
      engine_failure("bad_answer", paste0(url, ", ", text, ": ", e$headline, "."))
    })
  }
}

# Some services send JSON as text.
begins_as_json <- function(bytes) {
  start <- utils::head(bytes, 64)
  start <- start[!start %in% as.raw(c(0x09, 0x0a, 0x0d, 0x20))]
  length(start) > 0 && start[1] %in% as.raw(c(0x7b, 0x5b))
}

# All that is found at a place. Of a place that is a list its elements are meant.
all_found <- function(found, where) {
  if (is.null(where)) {
    return(list())
  }

  all <- found(where)
  if (length(all) == 1 && is_array(all[[1]])) all[[1]] else all
}

# A conversation with what an answer is to `keep` for later calls.
keeping <- function(talk, keep, answer, found) {
  for (name in names(keep)) {
    kept <- first_found(found, keep[[name]])
    if (is.null(kept)) {
      stop_for_lacking(talk, answer, keep[[name]])
    }

    talk$named[[name]] <- kept
  }

  talk
}

first_found <- function(found, where) {
  all <- if (!is.null(where)) found(where)
  if (length(all)) all[[1]]
}

# What the description, or else the status, calls a failure.
stop_for_described <- function(talk, answer, found, url) {
  for (rule in talk$service$wanted$failures) {
    if (fits_rule(rule, answer, found)) {
      said <- texts_of(first_found(found, rule$message))
      if (length(said) == 0) {
        said <- paste0(url, " answered ", answer$status, ".")
      }

      failure <- tryCatch(
        engine_failure(rule$kind, said[1], retry_after_of(answer)),
        sprenn_failure = identity
      )
      failure$told <- TRUE
      stop(failure)
    }
  }

  if (answer$status >= 300) {
    tryCatch(stop_for_status(answer, url), sprenn_failure = function(e) {
      e$status <- answer$status
      stop(e)
    })
  }
}

# Each thing that a rule says must hold.
fits_rule <- function(rule, answer, found) {
  if (!is.null(rule$status) && !answer$status %in% unlist(rule$status)) {
    return(FALSE)
  }

  if (is.null(rule$at)) {
    return(TRUE)
  }

  said <- texts_of(all_found(found, rule$at))
  if (!is.null(rule$is)) {
    return(any(said %in% texts_of(rule$is)))
  }

  any(grepl(tolower(rule$has), tolower(said), fixed = TRUE))
}

stop_for_lacking <- function(talk, answer, where) {
  engine_failure(
    "bad_answer",
    paste0(
      talk$service$wanted$address, " answered ", answer$status, " without anything at ", where,
      "; it sent ", starts_like(answer$body) %||% "something else", "."
    )
  )
}

# Pictures are fetched from the service's own host, with its key, or without it from those that the
# description names. `then` is called with the bytes.
fetch_described <- function(talk, address, then, missed = 0, wait = 0) {
  wanted <- talk$service$wanted
  base <- sub("/$", "", wanted$address)
  url <- if (startsWith(address, "/")) paste0(host_of(base), address) else address
  own <- is_own_address(talk, url)
  if (!own && !is_named_host(url, unlist(wanted$result$hosts))) {
    engine_failure(
      "bad_answer",
      paste0(
        "The picture is said to be at ", url, "; only addresses on ", base,
        " and on the hosts that `result.hosts` names are fetched."
      )
    )
  }

  again <- function(failure) {
    marking_paid(talk, {
      if (missed + 1 >= most_tries || !passes(failure)) {
        stop(failure)
      }

      pause <- failure$retry_after %||% pause_after(missed + 1, talk$request$key)
      fetch_described(talk, address, then, missed + 1, min(pause, longest_look))
    })
  }
  list(
    call = new_call(
      "GET",
      if (own) with_key_query(url, wanted) else url,
      if (own) key_headers(wanted) else character(),
      seconds = wanted$seconds %||% default_seconds,
      most = most_answered(talk$request),
      resolve = if (!own) public_address(url)
    ),
    role = "picture",
    wait = wait,
    then = function(answer) {
      failure <- if (answer$status != 200) {
        tryCatch(stop_for_status(answer, url), sprenn_failure = identity)
      }
      if (is.null(failure)) marking_paid(talk, then(answer$body)) else again(failure)
    },
    lost = again
  )
}
