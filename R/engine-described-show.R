# What a described service would be asked, and what is read of its answers, in words: to write a
# description, and to mend one without paying.

# The calls that a request would take, without making any: a list with `role`, `call` (method and
# address), `headers` and `body` (texts), and what is `then` done with the answer. What only an
# answer can tell stands in brackets.
calls_for <- function(service, request) {
  talk <- list(request = request, service = service, named = list())
  wanted <- service$wanted
  calls <- list()
  for (name in needed_uploads(wanted, request)) {
    own <- talk
    own$named$picture <- picture_called(name, request)
    calls <- c(calls, shown_uploads(own, wanted$upload, name))
    of_answer <- paste0("[", wanted$upload$id, " of the ", name, "'s upload]")
    talk$named[[paste0(name, ".uploaded")]] <- of_answer
  }

  does <- c(
    kept_words(wanted$make$keep),
    if (is.null(wanted$wait)) picture_words(wanted)
  )
  calls <- c(calls, list(shown_call(talk, wanted$make, "make", does)))
  if (!is.null(wanted$wait)) {
    does <- paste0(
      "every ", format(wanted$wait$every %||% 1), " s, or as the service asks, until ",
      wanted$wait$state, " is ", paste(texts_of(wanted$wait$done), collapse = " or ")
    )
    wait <- list(
      role = "wait",
      call = wanted$wait$call,
      headers = character(),
      body = character(),
      does = c(does, picture_words(wanted))
    )
    calls <- c(calls, list(wait))
  }

  calls
}

# The calls of an upload. What only an answer tells is left as it is written.
shown_uploads <- function(talk, upload, name) {
  steps <- c(list(upload), upload$then)
  kept <- unlist(lapply(steps, function(step) names(step$keep)))
  talk$named[kept] <- paste0("{", kept, "}", recycle0 = TRUE)
  lapply(seq_along(steps), function(i) {
    step <- steps[[i]]
    does <- c(
      kept_words(step$keep),
      if (i == length(steps)) paste0(upload$id, " is then {", name, ".uploaded}")
    )
    shown_call(talk, step, paste("upload of", name), does, upload$hosts, kept)
  })
}

kept_words <- function(keep) {
  paste0(unlist(keep), " is then {", names(keep), "}", recycle0 = TRUE)
}

picture_words <- function(wanted) {
  hosts <- unlist(wanted$result$hosts)
  at <- wanted$result$picture
  paste0(
    "the picture is ", if (is.null(at)) "the answer itself" else paste("at", at),
    if (length(hosts)) paste0(" (other hosts: ", paste(hosts, collapse = ", "), ")")
  )
}

# A call as it would be sent. Where its address is one that an earlier answer `kept`, it is shown as
# written, and without the key, since it may be on one of the other `hosts`.
shown_call <- function(talk, spec, role, does, hosts = NULL, kept = NULL) {
  wanted <- talk$service$wanted
  is_known <- !any(template_names(request_template(spec$call)) %in% kept)
  url <- if (is_known) described_address(talk, spec$call, hosts)
  has_key <- is_known && is_own_address(talk, url)
  body <- described_body(spec, talk$request, talk$named)
  headers <- headers_with(talk, spec, body)
  headers <- sub("boundary=.*", "boundary=...", headers)
  list(
    role = role,
    call = paste0(
      if (is_known) paste(request_method(spec$call), url) else spec$call,
      if (has_key && !is.null(wanted$key_query)) {
        paste0(" (", wanted$key_query, "=(", wanted$key, "))")
      }
    ),
    headers = c(
      if (has_key) key_header_words(wanted),
      paste0(names(headers), ": ", headers, recycle0 = TRUE)
    ),
    body = body_words(body),
    does = does
  )
}

# A body in lines, with pictures and long texts cut.
body_words <- function(body) {
  if (inherits(body$value, "sprenn_part")) {
    part_words(body$value)
  } else if (startsWith(c(body$headers, "")[1], "multipart")) {
    form_words(body$value)
  } else {
    json_words(body$value)
  }
}

part_words <- function(part) {
  facts <- picture_facts(part$bytes)
  paste0("a PNG of ", show_size(length(part$bytes)), ", ", facts$width, " x ", facts$height)
}

# The header of the key with the key's name in place of its value.
key_header_words <- function(wanted) {
  if (is.null(wanted$key) || !is.null(wanted$key_query)) {
    return(character())
  }

  scheme <- wanted$key_scheme %||% if (is.null(wanted$key_header)) "Bearer"
  paste0(
    wanted$key_header %||% "Authorization", ": ",
    paste(c(scheme, paste0("(", wanted$key, ")")), collapse = " ")
  )
}

form_words <- function(values) {
  each <- vapply(
    values,
    function(value) {
      if (inherits(value, "sprenn_part")) part_words(value) else shortened(form_text(value))
    },
    ""
  )
  paste0(names(each), " = ", each, recycle0 = TRUE)
}

json_words <- function(value) {
  if (is.null(value)) {
    return(character())
  }

  short <- change_texts(value, function(text) vapply(text, shortened, "", USE.NAMES = FALSE))
  strsplit(as.character(jsonlite::prettify(to_json(short), 2)), "\n", fixed = TRUE)[[1]]
}

# A long text by its beginning: pictures in base64, for the most part. Prose may be longer.
longest_code <- 160
longest_prose <- 2000
shortened <- function(text) {
  is_prose <- grepl("[[:space:]]", substr(text, 1, longest_code))
  longest <- if (is_prose) longest_prose else longest_code
  if (nchar(text) <= longest) {
    return(text)
  }

  head <- if (startsWith(text, "data:")) nchar(sub(",.*", ",", substr(text, 1, 100))) else 0
  paste0(substr(text, 1, head + 16), "... (", show_size(nchar(text)), ")")
}

# What is read of an answer: a table with a row for each place of the description, `field`, `at`
# and `found`, a text, NA if nothing stands there. `role` is upload, make or wait.
readings_of <- function(service, role, answer) {
  wanted <- service$wanted
  found <- finder_of(list(service = service), answer, "The answer")
  gives_picture <- role == "wait" || (role == "make" && is.null(wanted$wait))
  places <- c(
    if (role == "upload") {
      keeps <- lapply(c(list(wanted$upload), wanted$upload$then), `[[`, "keep")
      c(
        list(id = wanted$upload$id, seconds = wanted$upload$seconds),
        prefix_names("keep.", as.list(unlist(keeps)))
      )
    },
    if (role == "make") prefix_names("keep.", as.list(wanted$make$keep)),
    if (role == "wait") {
      c(list(state = wanted$wait$state), prefix_names("same.", as.list(wanted$wait$same)))
    },
    if (gives_picture) {
      prefix_names("result.", wanted$result[c("picture", "seed", "cost", "version", "seconds")])
    }
  )
  places <- Filter(is.character, places)
  rows <- lapply(names(places), function(name) {
    new_table(
      field = if (startsWith(name, "result.")) name else paste0(role, ".", name),
      at = places[[name]],
      found = found_words(all_found(found, places[[name]]), name == "result.picture")
    )
  })
  # Each thing stands in one of the answers of an upload in several steps.
  if (role == "upload" && length(wanted$upload$then)) {
    rows <- Filter(function(row) !is.na(row$found), rows)
  }

  rule <- Find(function(rule) fits_rule(rule, answer, found), wanted$failures)
  if (!is.null(rule)) {
    said <- texts_of(first_found(found, rule$message))
    rows <- c(rows, list(new_table(
      field = paste0("failures: ", rule$kind),
      at = rule$at %||% "its status",
      found = c(said, "it fits")[1]
    )))
  }

  none <- new_table(field = character(), at = character(), found = character())
  do.call(rbind, c(list(none), rows))
}

found_words <- function(all, of_picture) {
  if (length(all) == 0) {
    return(NA_character_)
  }

  each <- vapply(
    all,
    function(one) {
      if (of_picture && is_text(one)) {
        picture_found(one)
      } else if (is.atomic(one) && length(one) == 1) {
        shortened(value_text(one))
      } else {
        shortened(to_json(one))
      }
    },
    ""
  )
  paste(each, collapse = "; ")
}

# A picture in an answer: its address, or what its bytes are.
picture_found <- function(text) {
  bytes <- if (!is_picture_address(text)) decoded(text)
  if (is.null(bytes)) {
    return(shortened(text))
  }

  facts <- if (length(bytes)) picture_facts(bytes)
  if (is.null(facts)) {
    return(paste0("no picture: ", shortened(text)))
  }

  paste0("a picture of ", facts$width, " x ", facts$height, ", ", show_size(length(bytes)))
}

# An answer as a message (message/http, RFC 9112), with keys masked; and read from one, or from the
# JSON alone.
answer_as_message <- function(answer, secrets) {
  body <- if (startsWith(answer$type, "image/")) {
    paste0("(", show_size(length(answer$body)), " of ", answer$type, ")")
  } else {
    clean_text(rawToChar(answer$body[answer$body != 0]))
  }
  headers <- paste0(names(answer$headers), ": ", unlist(answer$headers), recycle0 = TRUE)
  lines <- c(paste("HTTP/1.1", answer$status), headers, "", body)
  mask_secrets(paste(lines, collapse = "\n"), secrets)
}

answer_from_message <- function(text) {
  if (!startsWith(text, "HTTP/")) {
    return(list(status = 200, headers = list(), type = "application/json", body = charToRaw(text)))
  }

  parts <- strsplit(gsub("\r\n", "\n", text, fixed = TRUE), "\n\n", fixed = TRUE)[[1]]
  lines <- strsplit(parts[1], "\n", fixed = TRUE)[[1]]
  headers <- as.list(sub("^[^:]*: *", "", lines[-1]))
  names(headers) <- tolower(sub(":.*", "", lines[-1]))
  list(
    status = as.integer(sub("^HTTP/[0-9.]+ +([0-9]{3}).*", "\\1", lines[1])),
    headers = headers,
    type = tolower(trimws(sub(";.*", "", headers$`content-type` %||% ""))),
    body = charToRaw(paste(parts[-1], collapse = "\n\n"))
  )
}
