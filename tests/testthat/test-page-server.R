# The server of pages: who is answered, and how it ends.

test_that("what httpuv makes of an interrupt ends a server quietly; other errors do not", {
  site <- list(page = function() list(), enter = function(window) NULL)
  serve <- function(message) {
    calls <- 0
    serve_site(site, NULL, 30, function(address) NULL, each_second = function() {
      calls <<- calls + 1
      stop(message)
    })
    calls
  }
  expect_silent(serve("invoke_wrapped: throwing std::runtime_error"))
  expect_error(serve("a fault of ours"), "a fault of ours")
})

# A served site of one page and one picture; what windows say is answered with it.
answering_site <- function(env = parent.frame()) {
  left <- 0
  site <- list(
    page = function() {
      list(title = "a <b> page", style = "p{}", script = "1;", body = htmltools::tags$p("words"))
    },
    picture = function(name) {
      if (name == "one") list(type = "image/png", bytes = as.raw(1:4))
    },
    enter = function(window) {
      list(
        heard = function(kind, said) window$send("echo", list(kind = kind, said = said)),
        left = function() left <<- left + 1
      )
    }
  )
  token <- "secret"
  port <- httpuv::randomPort()
  server <- httpuv::startServer("127.0.0.1", port, site_app(site, token))
  withr::defer(httpuv::stopServer(server), envir = env)
  base <- paste0("http://127.0.0.1:", port)
  list(
    base = base,
    left = function() left,
    get = function(path, ...) {
      handle <- curl::new_handle()
      if (...length()) {
        curl::handle_setheaders(handle, ...)
      }
      result <- NULL
      curl::curl_fetch_multi(
        paste0(base, path),
        done = function(answer) result <<- answer,
        fail = function(e) result <<- list(status_code = NA, failed = e),
        handle = handle
      )
      for (i in 1:200) {
        curl::multi_run(timeout = 0.02)
        later::run_now(0.02)
        if (!is.null(result)) {
          break
        }
      }
      result
    }
  )
}

test_that("only the whole address is answered, from here, under a strict policy", {
  site <- answering_site()
  status <- function(...) site$get(...)$status_code
  page <- site$get("/secret/")
  expect_equal(page$status_code, 200)
  text <- rawToChar(page$content)
  expect_match(text, "<title>a &lt;b&gt; page</title>", fixed = TRUE)
  headers <- curl::parse_headers_list(page$headers)
  policy <- headers$`content-security-policy`
  for (part in c(
    "default-src 'none'", "frame-ancestors 'none'", only_source("1;"), only_source("p{}")
  )) {
    expect_match(policy, part, fixed = TRUE)
  }
  expect_no_match(policy, "unsafe")
  expect_equal(headers$`x-content-type-options`, "nosniff")
  expect_equal(headers$`referrer-policy`, "no-referrer")
  expect_equal(headers$`cache-control`, "no-store")
  expect_equal(site$get("/secret/pictures/one")$content, as.raw(1:4))
  for (path in c("/", "/secret", "/secre/", "/SECRET/", "/wrong/", "/wrong/pictures/one")) {
    expect_equal(status(path), 403, info = path)
  }
  for (path in c(
    "/secret/pictures/two", "/secret/pictures/", "/secret/suite.yml", "/secret/pictures/../one",
    "/secret/pictures/%2e%2e/one", "/secret/x"
  )) {
    expect_true(status(path) %in% c(403, 404), info = path)
  }
  # By another name for this machine, or sent by another site's page.
  expect_equal(status("/secret/", Host = "evil.invalid"), 403)
  expect_equal(status("/secret/", Origin = "http://evil.invalid"), 403)
  expect_equal(status("/secret/", Origin = "null"), 403)
  expect_equal(status("/secret/", Origin = site$base), 200)
  expect_equal(status("/secret/", `Content-Length` = "999999999"), 413)
})

test_that("windows say messages and hear them; what is no message is not heard", {
  skip_if_not_installed("websocket")
  site <- answering_site()
  heard <- character()
  closed <- 0
  talk <- function(path, origin = site$base) {
    socket <- websocket::WebSocket$new(
      paste0("ws", sub("^http", "", site$base), path),
      headers = list(Origin = origin),
      autoConnect = FALSE,
      errorLogChannels = "none"
    )
    socket$onMessage(function(event) heard <<- c(heard, event$data))
    socket$onClose(function(event) closed <<- closed + 1)
    socket$onError(function(event) NULL)
    socket$connect()
    socket
  }
  wait <- function(until) {
    for (i in 1:200) {
      later::run_now(0.02)
      if (until()) {
        return(TRUE)
      }
    }
    FALSE
  }
  socket <- talk("/secret/live")
  expect_true(wait(function() socket$readyState() == 1))
  for (text in c("no json", "[1]", "{\"said\":1}", "{\"kind\":7}", strrep("[", 5000))) {
    socket$send(text)
  }
  socket$send("{\"kind\":\"hello\",\"said\":{\"a\":null,\"b\":[1,2]}}")
  expect_true(wait(function() length(heard) > 0))
  said <- jsonlite::parse_json(heard)
  expect_equal(said$kind, "echo")
  expect_equal(said$said, list(kind = "hello", said = list(a = NULL, b = list(1L, 2L))))
  socket$close()
  expect_true(wait(function() closed == 1))
  expect_equal(site$left(), 1)
  talk("/secret/live", "http://evil.invalid")
  talk("/wrong/live")
  talk("/secret/other")
  expect_true(wait(function() closed == 4))
  expect_length(heard, 1)
})

test_that("marking and viewing are served from R, for as long as is asked", {
  folder <- small_trial()
  run_trial(folder)
  addresses <- character()
  ready <- function(address) addresses <<- c(addresses, address)
  expect_equal(mark_trial(folder, seconds = 0.1, ready = ready), normalizePath(folder))
  expect_equal(nrow(view_takes(folder, seconds = 0.1, ready = ready)$ballots), 0)
  expect_length(unique(addresses), 2)
  expect_error(mark_trial(folder, port = 0), class = "sprenn_error_argument")
  expect_error(mark_trial(tempfile()), class = "sprenn_error_argument")
})

test_that("a port that is taken is said to be, and a server ends when its time is over", {
  site <- list(page = function() list(), enter = function(window) NULL)
  began <- Sys.time()
  address <- NULL
  serve_site(site, NULL, 0.2, function(at) address <<- at)
  expect_lt(as.numeric(Sys.time() - began, units = "secs"), 10)
  expect_match(address, "^http://127[.]0[.]0[.]1:[0-9]+/[0-9a-f]{20}/$")
  port <- httpuv::randomPort()
  other <- httpuv::startServer("127.0.0.1", port, list(call = function(request) NULL))
  withr::defer(httpuv::stopServer(other))
  expect_error(
    serve_site(site, port, 1, identity),
    "can't be used",
    class = "sprenn_error_argument"
  )
})
