# A small server for pages on this machine. It answers only whoever has the address, which has a
# token that is new each time, and only requests that name this machine and come from no other
# site. Pages and server talk in JSON messages over a WebSocket, each of a kind.
#
# A `site` is a list of functions: `page()` returns the page (see write_site_page()),
# `picture(name)` a picture as list(type, bytes) or NULL, and `enter(window)` what hears a browser
# window that was opened: list(heard = function(kind, said), left = function()). `window` has
# `id` and `send(kind, said)`. A site has no pictures if it lacks `picture`; it may have `ending()`,
# which is called before it ends.

# Longer messages and request bodies are refused.
most_said_bytes <- 64 * 2^20

# Serves a site until `seconds` are over or the process is interrupted; `ready` is called with the
# address once it can be opened. `each_second` is called now and then in between, if given.
serve_site <- function(site, port, seconds, ready, each_second = NULL) {
  token <- fresh_key()
  port <- port %||% httpuv::randomPort()
  server <- tryCatch(
    httpuv::startServer("127.0.0.1", port, site_app(site, token)),
    error = function(e) {
      stop_sprenn("argument", c(
        paste0("Port ", port, " of this machine can't be used: ", one_line(e)),
        i = "Another program may have it. Choose another port, or none to have a free one chosen."
      ))
    }
  )
  on.exit(httpuv::stopServer(server))
  ready(paste0("http://127.0.0.1:", port, "/", token, "/"))
  ends <- clock() + seconds
  tryCatch(
    while (clock() < ends) {
      later::run_now(min(1, max(0, ends - clock())))
      if (!is.null(each_second)) {
        each_second()
      }
    },
    interrupt = function(e) NULL,
    error = function(e) if (!is_hidden_interrupt(e)) stop(e)
  )
  if (!is.null(site$ending)) {
    site$ending()
    # What was said at the end is still sent.
    later::run_now(0.2)
  }

  invisible()
}

# httpuv turns an interrupt in the middle of an answer into an error of C++.
is_hidden_interrupt <- function(e) grepl("invoke_wrapped", conditionMessage(e), fixed = TRUE)

site_app <- function(site, token) {
  root <- paste0("/", token, "/")
  list(
    onHeaders = function(request) {
      if (!is_small(request)) {
        text_answer(413, "That is too much at once.")
      }
    },
    call = function(request) {
      path <- request$PATH_INFO
      if (!is_from_here(request) || !startsWith(path, root)) {
        return(text_answer(
          403,
          "This page needs the complete address that was printed, with its token."
        ))
      }

      if (path == root) {
        page_answer(site$page())
      } else {
        picture_answer(site, substring(path, nchar(root) + 1))
      }
    },
    onWSOpen = function(socket) {
      # Pages of other sites may open a WebSocket to this machine too.
      known <- identical(socket$request$PATH_INFO, paste0(root, "live"))
      if (known && is_from_here(socket$request)) {
        talk_over(socket, site)
      } else {
        socket$close()
      }
    }
  )
}

# Whether a request names this machine, and comes from one of our own pages if from any.
is_from_here <- function(request) {
  host <- request$HTTP_HOST %||% ""
  origin <- request$HTTP_ORIGIN
  grepl("^(127[.]0[.]0[.]1|localhost)(:[0-9]+)?$", host) &&
    (is.null(origin) || identical(tolower(origin), paste0("http://", tolower(host))))
}

# A body has to say how long it is; none is needed but for messages, which have their own way.
is_small <- function(request) {
  if (!is.null(request$HTTP_TRANSFER_ENCODING)) {
    return(FALSE)
  }

  length <- suppressWarnings(as.numeric(request$HTTP_CONTENT_LENGTH %||% "0"))
  isTRUE(length <= most_said_bytes)
}

# One browser window. What it says that is no message is not heard.
talk_over <- function(socket, site) {
  hearing <- site$enter(list(
    id = fresh_key(),
    send = function(kind, said) {
      text <- jsonlite::toJSON(
        list(kind = kind, said = said),
        auto_unbox = TRUE, digits = NA, na = "null", null = "null"
      )
      socket$send(as.character(text))
    }
  ))
  socket$onMessage(function(binary, message) {
    if (binary || nchar(message, "bytes") > most_said_bytes) {
      return(NULL)
    }

    told <- tryCatch(read_json_text(message), error = function(e) NULL)
    if (checkmate::test_string(told$kind)) {
      hearing$heard(told$kind, told$said)
    }
  })
  socket$onClose(function() hearing$left())
}

# The headers of every answer: nothing runs but our own script, no other site may show a page in
# a frame, and its address with the token is told to nobody.
site_headers <- function(policy = "default-src 'none'") {
  list(
    "Content-Security-Policy" = paste0(
      policy, "; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
    ),
    "X-Content-Type-Options" = "nosniff",
    "Referrer-Policy" = "no-referrer",
    "Cross-Origin-Resource-Policy" = "same-origin",
    "Cache-Control" = "no-store"
  )
}

text_answer <- function(status, text) {
  list(
    status = status,
    headers = c(list("Content-Type" = "text/plain; charset=utf-8"), site_headers()),
    body = text
  )
}

page_answer <- function(page) {
  policy <- paste0(
    "default-src 'none'; connect-src 'self'; img-src 'self' data: blob:; style-src ",
    only_source(page$style), "; script-src ", only_source(page$script)
  )
  list(
    status = 200L,
    headers = c(list("Content-Type" = "text/html; charset=utf-8"), site_headers(policy)),
    body = write_site_page(page)
  )
}

# A page of a site: `title`, `body` (tags), `style` and `script` (texts).
write_site_page <- function(page) {
  enc2utf8(paste0(
    page_top(page$title, page$style),
    as.character(page$body), "\n<script>", page$script, "</script>\n</body>\n</html>\n"
  ))
}

picture_answer <- function(site, name) {
  picture <- if (startsWith(name, "pictures/") && !is.null(site$picture)) {
    site$picture(substring(name, nchar("pictures/") + 1))
  }
  if (is.null(picture)) {
    return(text_answer(404, "There is no such picture."))
  }

  list(
    status = 200L,
    headers = c(list("Content-Type" = picture$type), site_headers()),
    body = picture$bytes
  )
}

# An error in lines, the headline first.
error_lines <- function(e) strsplit(conditionMessage(e), "\n", fixed = TRUE)[[1]]
