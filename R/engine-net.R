# Calls over HTTP to servers that may be slow, broken or lying. Only the address
# asked for is contacted: redirects to another host are not followed, certificates
# are verified, and an answer may be neither longer nor later than expected.

# One call. Returns `status`, `headers` (names in lower case), `type` and `body`
# (raw); what went wrong on the way is an engine_failure(). `form` is a list of
# parts (`bytes` and `type`) for multipart/form-data (RFC 7578), `body` raw bytes.
fetch <- function(method, url, headers = character(), form = NULL, body = NULL, seconds = 120, most = 1e6, hops = 3) {
  handle <- curl::new_handle(
    customrequest = method, followlocation = 0L, connecttimeout = as.integer(min(10, ceiling(seconds))), timeout_ms = as.integer(1000 * seconds),
    useragent = paste0("sprenn/", utils::packageVersion("sprenn")), noproxy = "127.0.0.1,localhost,::1", nobody = method == "HEAD",
    # What is counted is what is kept: nothing is unpacked on the way.
    http_content_decoding = 0L
  )
  curl::handle_setheaders(handle, .list = as.list(c(Expect = "", "Accept-Encoding" = "identity", headers)))
  if (!is.null(form)) curl::handle_setform(handle, .list = lapply(form, function(part) curl::form_data(part$bytes, part$type)))
  if (!is.null(body)) curl::handle_setopt(handle, postfields = body, postfieldsize_large = length(body))
  # What is longer than it may be is broken off, whether or not it said so.
  much <- FALSE
  curl::handle_setopt(handle, noprogress = FALSE, progressfunction = function(down, up) {
    much <<- max(down) > most
    !much
  })
  answer <- tryCatch(curl::curl_fetch_memory(url, handle), error = function(e) {
    if (much) engine_failure("bad_answer", paste0(url, " sent more than ", format_bytes(most), ", and was cut off."))
    stop_for_transport(url, conditionMessage(e), seconds)
  })
  headers_back <- curl::parse_headers_list(answer$headers)
  names(headers_back) <- tolower(names(headers_back))
  if (answer$status_code %in% c(301, 302, 303, 307, 308)) {
    to <- next_address(url, headers_back$location)
    if (method != "GET" || hops < 1 || is.na(to)) {
      engine_failure("bad_answer", paste0(url, " sends on to ", headers_back$location %||% "nowhere", if (hops < 1) " again and again", ", which is not followed; if that is right, it belongs in lineup.yml."))
    }
    return(fetch(method, to, headers, seconds = seconds, most = most, hops = hops - 1))
  }
  list(
    status = answer$status_code, headers = headers_back, type = tolower(trimws(sub(";.*", "", headers_back$`content-type` %||% ""))),
    body = answer$content
  )
}

format_bytes <- function(n) if (n >= 1e6) paste(round(n / 1e6), "MB") else paste(round(n / 1e3), "kB")

stop_for_transport <- function(url, said, seconds) {
  said <- trimws(gsub("[[:space:]]+", " ", sub("^.*\\]: ?", "", said)))
  late <- grepl("timed out|timeout was reached", said, ignore.case = TRUE)
  broken <- grepl("transfer closed|reset by peer|Recv failure|unexpected eof|HTTP2 framing|partial", said, ignore.case = TRUE)
  if (grepl("HTTP/0.9|unsupported HTTP|weird server|nul byte|content encoding", said, ignore.case = TRUE)) engine_failure("bad_answer", paste0("What ", url, " sent is no HTTP (", said, ")."))
  if (late) engine_failure("timed_out", paste0(url, " did not answer within ", format(round(seconds, 1)), " s."))
  if (broken) engine_failure("unreachable", paste0("The connection to ", url, " broke off in the middle of an answer (", said, ")."))
  engine_failure("unreachable", paste0(url, " can't be reached (", said, ")."))
}

# Scheme, host and port of an address, with the usual port where none is said.
origin_of <- function(url) {
  parts <- regmatches(url, regexec("^(https?)://(\\[[^]]*\\]|[^/:]+)(:([0-9]+))?(/|$)", url, ignore.case = TRUE))[[1]]
  if (length(parts) == 0) {
    return(NA_character_)
  }
  scheme <- tolower(parts[2])
  paste0(scheme, "://", tolower(parts[3]), ":", if (nzchar(parts[5])) parts[5] else if (scheme == "https") "443" else "80")
}

# Where a Location leads from an address: NA if that is another server.
next_address <- function(url, location) {
  if (!is_text(location) || grepl("[[:space:][:cntrl:]]|^//", location)) {
    return(NA_character_)
  }
  base <- sub("^(https?://[^/]+).*$", "\\1", url)
  to <- if (grepl("^[a-zA-Z][a-zA-Z0-9+.-]*:", location)) location else if (startsWith(location, "/")) paste0(base, location) else paste0(sub("[^/]*$", "", url), location)
  if (identical(origin_of(to), origin_of(url))) to else NA_character_
}

# JSON that came back, as lists; a failure if it is none.
read_json_answer <- function(answer, url) {
  text <- rawToChar(answer$body[answer$body != 0])
  value <- if (validUTF8(text)) tryCatch(jsonlite::parse_json(text), error = function(e) NULL)
  if (!is.list(value)) engine_failure("bad_answer", paste0(url, " should have answered in JSON, but sent ", starts_like(answer$body) %||% answer$type, "."))
  value
}

# Seconds that a server asks to be left alone: a number, or a date.
retry_after_of <- function(answer) {
  said <- answer$headers$`retry-after`
  if (is.null(said)) {
    return(NULL)
  }
  seconds <- suppressWarnings(as.numeric(said))
  if (is.na(seconds)) seconds <- as.numeric(curl::parse_date(said)) - as.numeric(Sys.time())
  if (is.na(seconds)) NULL else min(max(0, seconds), 86400)
}

key_headers <- function(engine) {
  if (is.null(engine$key)) {
    return(character())
  }
  value <- secret_value(engine$key)
  if (grepl("[[:cntrl:]]", value)) engine_failure("bad_request", paste0("The environment variable ", engine$key, " holds a line break; a key is one line."))
  if (is.null(engine$key_header)) c(Authorization = paste("Bearer", value)) else stats::setNames(value, engine$key_header)
}
