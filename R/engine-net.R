# Calls over HTTP to servers that may be slow, broken or malicious. Only the address asked for is
# contacted: redirects to another host are not followed, certificates are verified, and answers
# have limits of size and time.

# Describes a call. `form` is a list of parts (`bytes` and `type`) for multipart/form-data (RFC
# 7578), `body` raw bytes. `resolve` (HOST:PORT:IP) is where the host is looked for, in place of
# what its name stands for. With `netrc`, a name and a password may come from ~/.netrc.
new_call <- function(
  method,
  url,
  headers = character(),
  form = NULL,
  body = NULL,
  seconds = 120,
  most = 1e6,
  hops = 3,
  resolve = NULL,
  netrc = FALSE
) {
  # A body beyond the limit is cut off, whether or not its length was announced.
  too_long <- FALSE
  options <- c(
    list(
      url = url,
      customrequest = method,
      followlocation = 0L,
      connecttimeout = as.integer(min(10, ceiling(seconds))),
      timeout_ms = as.integer(1000 * seconds),
      useragent = user_agent$get("", paste0("sprenn/", utils::packageVersion("sprenn"))),
      noproxy = "127.0.0.1,localhost,::1",
      nobody = method == "HEAD",
      # Limits apply to the bytes received, so nothing is decompressed on the way.
      http_content_decoding = 0L,
      noprogress = FALSE,
      progressfunction = function(down, up) {
        if (down[1] > most || down[2] > most) {
          too_long <<- TRUE
        }

        !too_long
      }
    ),
    # A new connection to this machine is cheap, and avoids the 40 ms of a delayed acknowledgement.
    if (grepl("^http://(127\\.|localhost|\\[::1\\])", url)) {
      list(forbid_reuse = 1L, fresh_connect = 1L)
    },
    if (!is.null(resolve)) list(resolve = resolve),
    # 1: only if there is such a file.
    if (netrc) list(netrc = 1L),
    if (!is.null(body)) list(postfields = body, postfieldsize_large = length(body))
  )
  # Each further setting of options costs a millisecond.
  handle <- do.call(curl::new_handle, options)
  curl::handle_setheaders(
    handle,
    .list = as.list(c(Expect = "", "Accept-Encoding" = "identity", headers))
  )
  if (!is.null(form)) {
    curl::handle_setform(
      handle,
      .list = lapply(form, function(part) curl::form_data(part$bytes, part$type))
    )
  }

  structure(
    list(
      method = method,
      url = url,
      headers = headers,
      handle = handle,
      was_too_long = function() too_long,
      seconds = seconds,
      most = most,
      hops = hops,
      resolve = resolve
    ),
    class = "sprenn_call"
  )
}

# How Sprenn calls itself, read once.
user_agent <- Cache$new()

# Makes a call and waits for the response: `status`, `headers` (names in lower case), `type` and
# `body` (raw). Transport errors are raised as engine_failure().
fetch <- function(...) fetch_call(new_call(...))

fetch_call <- function(call) {
  repeat {
    response <- tryCatch(curl::curl_fetch_memory(call$url, call$handle), error = function(e) {
      stop_for_lost(call, conditionMessage(e))
    })
    call <- read_response(call, response)
    if (!inherits(call, "sprenn_call")) {
      return(call)
    }
  }
}

# The same without waiting: `done` is called with the response or the failure while curl's `pool`
# is run.
fetch_later <- function(call, done, pool) {
  curl::multi_add(
    call$handle,
    done = function(response) {
      got <- tryCatch(read_response(call, response), sprenn_failure = identity)
      if (inherits(got, "sprenn_call")) {
        fetch_later(got, done, pool)
      } else {
        done(got)
      }
    },
    fail = function(message) {
      done(tryCatch(stop_for_lost(call, message), sprenn_failure = identity))
    },
    pool = pool
  )
}

# The response, or the next call where a server redirects within itself.
read_response <- function(call, response) {
  headers <- curl::parse_headers_list(clean_text(rawToChar(response$headers)))
  names(headers) <- tolower(names(headers))
  if (response$status_code %in% c(301, 302, 303, 307, 308)) {
    to <- next_address(call$url, headers$location)
    if (call$method != "GET" || call$hops < 1 || is.na(to)) {
      engine_failure(
        "bad_answer",
        paste0(
          call$url, " sends on to ", headers$location %||% "nowhere",
          if (call$hops < 1) " again and again",
          ", which is not followed; if that is right, it belongs in lineup.yml."
        )
      )
    }

    return(new_call(
      call$method,
      to,
      call$headers,
      seconds = call$seconds,
      most = call$most,
      hops = call$hops - 1,
      resolve = call$resolve
    ))
  }

  list(
    status = response$status_code,
    headers = headers,
    type = tolower(trimws(sub(";.*", "", headers$`content-type` %||% ""))),
    body = response$content
  )
}

stop_for_lost <- function(call, message) {
  if (call$was_too_long()) {
    engine_failure(
      "bad_answer",
      paste0(call$url, " sent more than ", show_size(call$most), ", and was cut off.")
    )
  }

  data <- curl::handle_data(call$handle)
  stop_for_transport(
    call$url,
    message,
    call$seconds,
    connected = isTRUE(data$times[["connect"]] > 0),
    answered = length(data$headers) > 0
  )
}

# How a connection ends that the other side closes, by curl's words.
cut_connection <- paste(
  "transfer closed", "reset by peer", "Recv failure", "Send failure", "unexpected eof",
  "HTTP2 framing", "partial", "Empty reply", "sending data", "Broken pipe",
  sep = "|"
)

# An engine is unreachable where there was no connection, or it was `cut`, as by a server that goes
# down. Whatever else fails is an answer that is none.
stop_for_transport <- function(url, said, seconds, connected, answered) {
  said <- trimws(gsub("[[:space:]]+", " ", sub("^.*\\]: ?", "", said)))
  if (grepl("timed out|timeout was reached", said, ignore.case = TRUE)) {
    engine_failure(
      "timed_out",
      paste0(url, " did not answer within ", format(round(seconds, 1)), " s.")
    )
  }

  if (!connected || grepl("SSL|TLS|certificate", said)) {
    engine_failure("unreachable", paste0(url, " can't be reached (", said, ")."))
  }

  if (!grepl(cut_connection, said, ignore.case = TRUE)) {
    engine_failure("bad_answer", paste0("What ", url, " sent is not HTTP (", said, ")."))
  }

  # The picture may have been made: the next try asks for it under the same key.
  broken <- if (answered) {
    paste0("The connection to ", url, " broke off in the middle of an answer (", said, ").")
  } else {
    paste0(url, " closed the connection without an answer (", said, ").")
  }
  raise_failure("unreachable", broken, cut = TRUE)
}

# Scheme, host and port of an address, with the default port if none is given.
origin_of <- function(url) {
  parts <- regmatches(
    url,
    regexec("^(https?)://(\\[[^]]*\\]|[^/:]+)(:([0-9]+))?(/|$)", url, ignore.case = TRUE)
  )[[1]]
  if (length(parts) == 0) {
    return(NA_character_)
  }

  scheme <- tolower(parts[2])
  paste0(
    scheme,
    "://",
    tolower(parts[3]),
    ":",
    if (nzchar(parts[5])) {
      parts[5]
    } else if (scheme == "https") {
      "443"
    } else {
      "80"
    }
  )
}

# Resolves a Location against an address; NA if it leads to another server.
next_address <- function(url, location) {
  if (!is_text(location) || grepl("[[:space:][:cntrl:]]|^//", location)) {
    return(NA_character_)
  }

  base <- sub("^(https?://[^/]+).*$", "\\1", url)
  to <- if (grepl("^[a-zA-Z][a-zA-Z0-9+.-]*:", location)) {
    location
  } else if (startsWith(location, "/")) {
    paste0(base, location)
  } else {
    paste0(sub("[^/]*$", "", url), location)
  }
  if (identical(origin_of(to), origin_of(url))) to else NA_character_
}

# Parses a JSON response as lists; a failure if it is not JSON.
read_json_answer <- function(answer, url) {
  text <- rawToChar(answer$body[answer$body != 0])
  if (is_deep(text)) {
    engine_failure("bad_answer", paste0(url, " answered with JSON ", nested_too_deep, "."))
  }

  value <- if (validUTF8(text)) tryCatch(jsonlite::parse_json(text), error = function(e) NULL)
  if (!is.list(value)) {
    engine_failure(
      "bad_answer",
      paste0(
        url, " should have answered in JSON, but sent ",
        starts_like(answer$body) %||% answer$type, "."
      )
    )
  }

  value
}

# Retry-After in seconds, given as a number or a date.
retry_after_of <- function(answer) {
  said <- answer$headers$`retry-after`
  if (is.null(said)) {
    return(NULL)
  }

  seconds <- suppressWarnings(as.numeric(said))
  if (is.na(seconds)) {
    seconds <- as.numeric(curl::parse_date(said)) - as.numeric(Sys.time())
  }

  if (is.na(seconds)) {
    NULL
  } else {
    min(max(0, seconds), 86400)
  }
}

key_headers <- function(engine) {
  if (is.null(engine$key)) {
    return(character())
  }

  value <- secret_value(engine$key)
  if (grepl("[[:cntrl:]]", value)) {
    raise_failure(
      "bad_request",
      paste0("The environment variable ", engine$key, " contains a line break; a key is one line."),
      lasting = TRUE
    )
  }

  if (!is.null(engine$key_query)) {
    return(character())
  }

  scheme <- engine$key_scheme
  if (identical(tolower(scheme), "basic")) {
    value <- openssl::base64_encode(enc2utf8(value))
  }

  name <- engine$key_header %||% "Authorization"
  scheme <- scheme %||% if (is.null(engine$key_header)) "Bearer"
  stats::setNames(paste(c(scheme, value), collapse = " "), name)
}
