# Faults on demand: an engine that fails as real ones do, at the calls that were
# asked for, and always at the same ones.

fault_words <- c(
  "error", "hang", "truncated", "page", "bomb", "wrong_size", "one_colour", "duplicate", "busy",
  "busy_until", "no_credit", "refused", "slow", "forget"
)

wire_fault_words <- c("reset", "stall", "huge", "circle", "elsewhere", "garbled")

# Reads "truncated@3 busy@5 error:0.1": a fault at a call by its number, or at a
# share of the calls. Returns a function of the number of the call that gives
# the fault, or "".
read_faults <- function(spec, seed = 1) {
  words <- strsplit(trimws(spec %||% ""), "[ ,]+")[[1]]
  words <- words[nzchar(words)]
  parts <- regmatches(words, regexec("^([a-z_]+)(@([0-9]+)|:([0-9.]+))?$", words))
  names <- vapply(parts, function(part) if (length(part)) part[2] else NA_character_, "")
  unknown <- words[is.na(names) | !names %in% c(fault_words, wire_fault_words)]
  if (length(unknown)) {
    stop_sprenn("standins", c(
      paste0("There is no fault ", paste(unknown, collapse = ", "), "."),
      i = paste0("Known: ", paste(c(fault_words, wire_fault_words), collapse = ", "), ".")
    ))
  }

  at <- vapply(parts, function(part) as.integer(if (nzchar(part[4])) part[4] else NA), 1L)
  share <- vapply(
    parts,
    function(part) {
      as.numeric(
        if (nzchar(part[5])) {
          part[5]
        } else if (nzchar(part[4])) {
          0
        } else {
          1
        }
      )
    },
    1
  )
  function(call) {
    if (length(names) == 0) {
      return("")
    }

    drawn <- with_drawing_seed(seed + 7919L * call, stats::runif(length(names)))
    hit <- which((!is.na(at) & at == call) | drawn < share)
    if (length(hit)) names[hit[1]] else ""
  }
}

# The engine with faults. `count` gives the number of the call. A server keeps the
# sound picture and spoils it only once, on the way: `spoilt` stands beside it.
with_faults <- function(engine, spec, seed = 1, count = counter(), beside = FALSE) {
  fault_at <- read_faults(spec, seed)
  make <- engine$make
  last <- NULL
  engine$make <- function(request) {
    fault <- fault_at(count())
    fail_as(fault)
    made <- make(request)
    spoilt <- spoil(made, fault, last)
    last <<- made
    if (!beside) {
      return(spoilt)
    }

    made$spoilt <- if (!identical(spoilt$picture, made$picture)) spoilt$picture
    made
  }

  engine
}

counter <- function() {
  calls <- 0
  function() {
    calls <<- calls + 1
    calls
  }
}

# The same over several processes, one after the other: the number stands in a file.
file_counter <- function(file) {
  function() {
    calls <- if (nzchar(file) && file.exists(file)) as.numeric(readLines(file)) + 1 else 1
    if (nzchar(file)) {
      writeLines(as.character(calls), file)
    }

    calls
  }
}

fail_as <- function(fault) {
  switch(fault,
    error = stop("the stand-in failed, as requested"),
    hang = repeat {
      Sys.sleep(0.1)
    },
    slow = Sys.sleep(1.5),
    busy = engine_failure("busy", "Too many requests."),
    busy_until = engine_failure(
      "busy",
      "Too many requests; come back in a second.",
      retry_after = 1
    ),
    no_credit = engine_failure("out_of_credit", "There is no credit left."),
    refused = engine_failure("refused", "The content filter does not let this through.")
  )
}

# Damages a response.
spoil <- function(made, fault, last) {
  bytes <- function() if (is.raw(made$picture)) made$picture else png::writePNG(made$picture)
  made$picture <- switch(fault,
    truncated = utils::head(bytes(), -round(length(bytes()) / 3)),
    page = charToRaw("<!DOCTYPE html><html><body>Our service will be back soon.</body></html>"),
    bomb = bomb_png(),
    wrong_size = made$picture[-(1:8), , ],
    one_colour = array(0.5, dim(made$picture)),
    duplicate = if (is.null(last)) made$picture else last$picture,
    made$picture
  )
  made
}

# A PNG of a few bytes that says it is 30,000 pixels square.
bomb_png <- function() {
  bytes <- png::writePNG(array(0, c(2, 2, 3)))
  side <- as.raw(c(0, 0, 0x75, 0x30))
  bytes[17:24] <- c(side, side)
  bytes
}

# A wire between a client and a server on this machine that breaks in the ways
# that wires do. Serves until it is ended.
serve_wire <- function(port, target, spec, seed = 1) {
  fault_at <- read_faults(spec, seed)
  listening <- serverSocket(port)
  on.exit(close(listening))
  count <- counter()
  circled <- character()
  # Addresses that send a caller round in a circle; `path` joins them.
  circle <- function(path = NULL) {
    circled <<- c(circled, path)
    circled
  }
  repeat {
    talk <- tryCatch(
      socketAccept(listening, blocking = TRUE, open = "a+b", timeout = 3600),
      error = function(e) NULL
    )
    if (is.null(talk)) {
      next
    }

    try(pass_on(talk, target, fault_at, count, circle), silent = TRUE)
    close(talk)
  }
}

pass_on <- function(talk, target, fault_at, count, circle) {
  asked <- read_message(talk)
  # Only what makes or brings a picture counts as a call.
  fault <- if (asked$path %in% circle()) {
    "circle"
  } else if (grepl("picture|infer|paint|jobs", asked$path)) {
    fault_at(count())
  } else {
    ""
  }
  if (fault == "circle" && asked$method == "GET") {
    circle(asked$path)
  }

  if (fault %in% c("circle", "elsewhere")) {
    to <- if (fault == "circle") asked$path else "http://127.0.0.2:9/"
    writeBin(
      charToRaw(paste0(
        "HTTP/1.1 302 Found\r\nLocation: ", to,
        "\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"
      )),
      talk
    )
    return()
  }

  handle <- curl::new_handle(
    customrequest = asked$method,
    noproxy = "127.0.0.1",
    http_content_decoding = 0L
  )
  curl::handle_setheaders(handle, .list = c(asked$headers, Expect = ""))
  if (length(asked$body)) {
    curl::handle_setopt(
      handle,
      postfields = asked$body,
      postfieldsize_large = length(asked$body)
    )
  }

  got <- curl::curl_fetch_memory(paste0(target, asked$path), handle)
  lines <- strsplit(rawToChar(got$headers), "\r\n")[[1]]
  lines <- lines[nzchar(lines) &
    !grepl(
      "^(connection|content-length|transfer-encoding|HTTP/1.1 100)",
      lines,
      ignore.case = TRUE
    )]
  size <- if (fault == "huge") 2e9 else length(got$content)
  head <- charToRaw(paste0(
    paste(
      c(
        lines,
        paste0("Content-Length: ", format(size, scientific = FALSE)),
        "Connection: close"
      ),
      collapse = "\r\n"
    ),
    "\r\n\r\n"
  ))
  half <- utils::head(got$content, length(got$content) %/% 2)
  switch(fault,
    reset = writeBin(c(head, half), talk),
    stall = {
      writeBin(c(head, half), talk)
      Sys.sleep(3600)
    },
    huge = {
      writeBin(head, talk)
      for (i in 1:2000) {
        writeBin(raw(1e6), talk)
      }
    },
    garbled = writeBin(as.raw(rev(as.integer(c(head, got$content)))), talk),
    writeBin(c(head, got$content), talk)
  )
}

# One request off a connection: method, path, headers and body.
read_message <- function(talk) {
  bytes <- raw()
  end <- integer()
  while (length(end) == 0) {
    more <- readBin(talk, "raw", 1)
    if (length(more) == 0) {
      stop("nothing came")
    }

    bytes <- c(bytes, more)
    if (length(bytes) > 3 && identical(utils::tail(bytes, 4), charToRaw("\r\n\r\n"))) {
      end <- length(bytes)
    }
  }

  lines <- strsplit(rawToChar(bytes), "\r\n", fixed = TRUE)[[1]]
  first <- strsplit(lines[1], " ", fixed = TRUE)[[1]]
  parts <- regmatches(lines[-1], regexec("^([^:]+): ?(.*)$", lines[-1]))
  headers <- stats::setNames(lapply(parts, `[`, 3), vapply(parts, `[`, "", 2))
  size <- as.numeric(c(unlist(headers[tolower(names(headers)) == "content-length"]), 0)[1])
  body <- raw()
  while (length(body) < size) {
    more <- readBin(talk, "raw", size - length(body))
    if (length(more) == 0) {
      break
    }

    body <- c(body, more)
  }

  headers <- headers[!tolower(names(headers)) %in% c(
    "host",
    "content-length",
    "connection",
    "expect"
  )]
  list(method = first[1], path = first[2], headers = headers, body = body)
}
