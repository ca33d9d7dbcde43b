# Engines on a service that is described in lineup.yml: which call makes a picture, how it is
# waited for, and where the picture stands in the answer. Templates are filled by
# engine-template.R; answers are read by paths (RFC 9535).

described_engine <- function(wanted, name) {
  conversing_engine(
    about_from_list(wanted$about, name, "none"),
    function(request) described_take(request, wanted),
    kind = "described",
    secrets = as.character(wanted$key)
  )
}

# One picture as a conversation: uploads, the call that makes it, the wait for it, and the fetching
# of what was made.
described_take <- function(request, wanted) {
  talk <- list(request = request, wanted = wanted, began = clock(), named = list())
  upload_next(talk, needed_uploads(wanted, request))
}

# The uploads whose picture the request has and some template names.
needed_uploads <- function(wanted, request) {
  named <- names_in_template(wanted[c("make", "wait")])
  Filter(
    function(name) {
      paste0(name, ".uploaded") %in% named &&
        !is.null(picture_named(strsplit(name, ".", fixed = TRUE)[[1]], request))
    },
    unlist(wanted$upload$pictures)
  )
}

upload_next <- function(talk, names) {
  if (length(names) == 0) {
    return(make_described(talk))
  }

  upload <- talk$wanted$upload
  picture <- picture_named(strsplit(names[1], ".", fixed = TRUE)[[1]], talk$request)
  talk$named$picture <- structure(png_part(picture), class = "sprenn_part")
  described_call(talk, upload, function(talk, answer, found) {
    id <- first_found(found, upload$id)
    if (is.null(id)) {
      stop_for_lacking(talk, answer, upload$id)
    }

    talk$named[[paste0(names[1], ".uploaded")]] <- id
    upload_next(talk, names[-1])
  })
}

make_described <- function(talk) {
  make <- talk$wanted$make
  described_call(talk, make, function(talk, answer, found) {
    for (name in names(make$keep)) {
      talk$named[[name]] <- found_or_header(answer, found, make$keep[[name]])
    }

    if (is.null(talk$wanted$wait)) {
      pictures_of(talk, answer, found)
    } else {
      look_again(talk, answer)
    }
  })
}

# Follows a job until it is done, at the service's pace.
look_again <- function(talk, answer) {
  wait <- talk$wanted$wait
  if (clock() - talk$began > (talk$wanted$patience %||% default_patience)) {
    engine_failure("timed_out", paste0(talk$wanted$address, " was not done in time."))
  }

  pause <- min(retry_after_of(answer) %||% wait$every %||% 1, longest_look)
  described_call(talk, wait, wait = pause, function(talk, answer, found) {
    state <- as.character(first_found(found, wait$state))
    for (kind in intersect(names(wait), c("refused", "out_of_credit", "busy", "failed"))) {
      if (length(state) && state %in% unlist(wait[[kind]])) {
        said <- as.character(first_found(found, wait$message) %||% state)
        engine_failure(if (kind == "failed") "bad_answer" else kind, said)
      }
    }

    if (length(state) && state %in% unlist(wait$done)) {
      return(pictures_of(talk, answer, found))
    }

    look_again(talk, answer)
  })
}

# A call of the description as a turn; `then` is called with the talk, the answer and, if that is
# JSON, a function that finds what a path says.
described_call <- function(talk, spec, then, wait = 0) {
  request <- talk$request
  parts <- regmatches(spec$call, regexec("^([A-Z]+) (.*)$", spec$call))[[1]]
  url <- described_address(talk, parts[3])
  headers <- fill_template(spec$headers %||% list(), request, talk$named)
  headers <- c(
    key_headers(talk$wanted),
    vapply(headers, function(value) header_text(value), "")
  )
  body <- described_body(spec, request, talk$named)
  list(
    call = new_call(
      parts[2],
      url,
      c(headers, body$headers),
      body = body$body,
      seconds = talk$wanted$seconds %||% default_seconds,
      most = 1e6 + 12 * prod(delivered_size(request)) * length(request$seeds)
    ),
    wait = wait,
    then = function(answer) {
      found <- finder_of(answer, url)
      stop_for_described(talk, answer, found, url)
      then(talk, answer, found)
    }
  )
}

# A value can't end its header and begin another.
header_text <- function(value) gsub("[[:cntrl:]]+", " ", value_text(unlist(value)[1]))

# The address of a call, which is on the service's own host.
described_address <- function(talk, template) {
  pieces <- read_template(template)
  names <- template_names(pieces)
  values <- lapply(stats::setNames(nm = names), input_named, talk$request, talk$named)
  said <- expand_template(pieces, values)
  base <- sub("/$", "", talk$wanted$address)
  url <- if (grepl("^https?://", said)) said else paste0(base, said)
  if (!identical(origin_of(url), origin_of(base))) {
    engine_failure(
      "bad_answer",
      paste0("A call would have gone to ", url, ", which is not on ", base, ".")
    )
  }

  url
}

described_body <- function(spec, request, named) {
  if (!is.null(spec$form)) {
    return(multipart_body(fill_template(spec$form, request, named)))
  }

  if (!is.null(spec$json)) {
    filled <- fill_template(spec$json, request, named)
    if (identical(filled, left_out)) {
      filled <- named_list(list())
    }

    list(
      body = charToRaw(enc2utf8(to_json(filled))),
      headers = c("Content-Type" = "application/json")
    )
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
      bytes <- if (is_file) value$bytes else charToRaw(enc2utf8(value_text(value)))
      c(charToRaw(enc2utf8(text)), bytes, charToRaw("\r\n"))
    },
    values,
    names(values)
  )
  list(
    body = c(unlist(unname(parts)), charToRaw(paste0("--", boundary, "--\r\n"))),
    headers = c("Content-Type" = paste0("multipart/form-data; boundary=", boundary))
  )
}

# A function that returns all that a path finds in an answer, or NULL where that is no JSON.
finder_of <- function(answer, url) {
  if (!grepl("json", answer$type, fixed = TRUE)) {
    return(NULL)
  }

  document <- read_json_answer(answer, url)
  function(path) {
    tryCatch(find_by_path(document, read_path(path)), sprenn_error_path = function(e) {
      engine_failure("bad_answer", paste0(url, ", ", path, ": ", e$headline, "."))
    })
  }
}

first_found <- function(found, path) {
  if (is.null(found) || is.null(path)) {
    return(NULL)
  }

  all <- found(path)
  if (length(all)) all[[1]]
}

# `header NAME` is a header of the answer, all else a path.
found_or_header <- function(answer, found, where) {
  if (startsWith(where %||% "", "header ")) {
    answer$headers[[tolower(substring(where, 8))]]
  } else {
    first_found(found, where)
  }
}

# What the description, or else the status, calls a failure.
stop_for_described <- function(talk, answer, found, url) {
  rules <- talk$wanted$failures
  for (kind in names(rules)) {
    rule <- rules[[kind]]
    value <- as.character(unlist(first_found(found, rule$at)))
    if (answer$status %in% unlist(rule$status) || any(value %in% unlist(rule$is))) {
      said <- first_found(found, rule$message) %||% paste(url, "answered", answer$status)
      engine_failure(kind, as.character(said), retry_after_of(answer))
    }
  }

  if (answer$status >= 300) {
    stop_for_status(answer, url)
  }
}

stop_for_lacking <- function(talk, answer, path) {
  engine_failure(
    "bad_answer",
    paste0(
      talk$wanted$address, " answered ", answer$status, " without anything at ", path, "; it sent ",
      starts_like(answer$body) %||% "nothing", "."
    )
  )
}

# The picture in an answer: the answer itself, or what stands at a path in base64, as a data URL or
# as an address.
pictures_of <- function(talk, answer, found) {
  about <- talk$wanted$picture
  result <- function(bytes) described_result(talk, answer, found, bytes)
  if (is.null(about$at) && startsWith(answer$type, "image/")) {
    return(result(answer$body))
  }

  said <- first_found(found, about$at)
  if (!is_text(said)) {
    stop_for_lacking(talk, answer, about$at %||% "its body")
  }

  if (grepl("^https?://|^/[^/]", said)) {
    return(fetch_described(talk, said, result))
  }

  bytes <- tryCatch(
    openssl::base64_decode(sub("^data:[^,]*,", "", said)),
    error = function(e) raw()
  )
  if (length(bytes) == 0) {
    stop_for_lacking(talk, answer, about$at)
  }

  result(bytes)
}

# Pictures are fetched from the service's own host, with its key, or without it from those that the
# description names.
fetch_described <- function(talk, address, result) {
  base <- sub("/$", "", talk$wanted$address)
  host <- sub("^(https?://[^/]+).*$", "\\1", base)
  url <- if (startsWith(address, "/")) paste0(host, address) else address
  own <- identical(origin_of(url), origin_of(base))
  named <- vapply(unlist(talk$wanted$picture$hosts), origin_of, "")
  if (!own && !origin_of(url) %in% named) {
    engine_failure(
      "bad_answer",
      paste0(
        "The picture is said to be at ", url, "; only addresses on ", base,
        " and on `picture.hosts` are fetched."
      )
    )
  }

  list(
    call = new_call(
      "GET",
      url,
      if (own) key_headers(talk$wanted) else character(),
      seconds = talk$wanted$seconds %||% default_seconds,
      most = 1e6 + 12 * prod(delivered_size(talk$request))
    ),
    wait = 0,
    then = function(fetched) {
      if (fetched$status != 200) {
        stop_for_status(fetched, url)
      }

      result(fetched$body)
    }
  )
}

# What the answer says of the picture besides; without a cost the price that the entry states.
described_result <- function(talk, answer, found, bytes) {
  wanted <- talk$wanted
  # Headers are texts.
  number <- function(where) {
    value <- unlist(found_or_header(answer, found, where))
    suppressWarnings(as_number(as.numeric(value)))
  }
  seed <- number(wanted$seed)
  cost <- number(wanted$cost$at) * (wanted$cost$times %||% 1)
  engine_result(
    bytes,
    seed = if (is.na(seed)) NA_integer_ else as.integer(seed),
    cost = if (is.na(cost)) as_number(wanted$about$price) else cost
  )
}
