answering <- function(...) {
  address <- lying_server(..., env = parent.frame())
  built(
    "liar",
    kind = "http",
    address = address,
    seconds = 3,
    patience = 3,
    folder = withr::local_tempdir(.local_envir = parent.frame())
  )
}

about_json <- "{\"version\": \"1\", \"checkpoints\": {\"a\": {}}, \"takes\": [\"text_alone\"]}"

# What a liar answers to everything but /about.
lie <- function(...) {
  said <- message_bytes(...)
  about <- message_bytes("200 OK", about_json, "Content-Type: application/json")
  eval(
    substitute(
      function(path, number) if (grepl("about", path)) about else said,
      list(about = about, said = said)
    )
  )
}

ended <- function(...) ending(answering(lie(...)))
short <- function(engine) engine_request(engine, "x", size = c(64, 64))

test_that("statuses become failures that say what can be done", {
  skip_on_cran()
  problem <- function(status, more = "") {
    ended(
      paste(status, "X"),
      paste0("{\"title\": \"the title\", \"detail\": \"the detail\"", more, "}"),
      "Content-Type: application/problem+json",
      "Retry-After: 2"
    )
  }

  kinds <- c(
    "400" = "bad_request",
    "401" = "bad_request",
    "402" = "out_of_credit",
    "408" = "timed_out",
    "429" = "busy",
    "500" = "bad_answer",
    "503" = "busy",
    "504" = "timed_out",
    "422" = "bad_request"
  )
  for (status in names(kinds)) {
    end <- problem(status)
    expect_equal(end$kind, kinds[[status]], info = status)
    expect_match(end$said, "the title: the detail")
    expect_equal(end$retry_after, 2)
  }

  expect_equal(problem("422", ", \"type\": \"urn:sprenn:refused\"")$kind, "refused")
})

test_that("pages, redirects, lies about places and endless answers are cut off", {
  skip_on_cran()
  page <- ended("200 OK", "<!DOCTYPE html><p>Log in first", "Content-Type: text/html")
  expect_equal(page$kind, "bad_answer")
  expect_match(page$said, "a page that begins")
  expect_match(ended("307 X", "", "Location: /elsewhere")$said, "not followed")
  expect_match(
    ended("202 Accepted", "", "Location: http://127.0.0.2:9/job")$said,
    "leads nowhere on that server"
  )
  expect_match(
    ended("202 Accepted", "", "Location: //127.0.0.1@evil/job")$said,
    "leads nowhere"
  )
  expect_match(ended("200 OK", strrep("x", 2e6))$said, "more than 1 MB")
  expect_match(
    ended("200 OK", "{\"key\": \"another\"}", "Content-Type: application/json")$said,
    "another request"
  )
  expect_equal(ended("200 OK", "[1, 2", "Content-Type: application/json")$kind, "bad_answer")
})

test_that("only the same scheme, host and port are the same server", {
  to <- next_address
  at <- "https://studio.example/engine/takes"
  expect_equal(to(at, "/takes/1"), "https://studio.example/takes/1")
  expect_equal(to(at, "jobs/1"), "https://studio.example/engine/jobs/1")
  expect_equal(to(at, "https://STUDIO.example:443/x"), "https://STUDIO.example:443/x")
  for (other in c(
    "http://studio.example/x",
    "https://studio.example:8443/x",
    "https://studio.example.evil/x",
    "https://studio.example@evil/x",
    "//evil/x",
    "file:///etc/passwd",
    "https://evil/",
    "a b",
    NA
  )) {
    expect_true(is.na(to(at, other)), info = other)
  }

  expect_true(is.na(to(at, NULL)))
})

test_that("an address is https, or http on this machine alone", {
  fits <- function(address) grepl(address_pattern, address, perl = TRUE)
  expect_true(
    all(
      fits(c(
        "https://a.example",
        "https://a.example:8443/v1/",
        "http://127.0.0.1:80",
        "http://localhost:9/x",
        "http://[::1]:8080"
      ))
    )
  )
  expect_false(
    any(
      fits(c(
        "http://a.example",
        "ftp://a.example",
        "https://user:pw@a.example",
        "https://a.example/?key=1",
        "file:///x",
        "http://127.0.0.1.evil.example"
      ))
    )
  )
})

test_that("what is no HTTP is a bad answer, and a connection that is cut is told apart", {
  skip_on_cran()
  address <- lying_server(function(path, number) {
    head <- function(...) paste0("HTTP/1.1 200 OK\r\n", ..., "\r\n\r\n")
    chunked <- head("Transfer-Encoding: chunked")
    charToRaw(switch(substring(path, 2),
      negative = paste0(head("Content-Length: -5"), "hello"),
      words = paste0(head("Content-Length: many"), "hello"),
      chunk = paste0(chunked, "zz\r\nhello\r\n0\r\n\r\n"),
      minus = paste0(chunked, "-5\r\nhello\r\n0\r\n\r\n"),
      wide = paste0(chunked, strrep("f", 40), "\r\nhello"),
      status = "HTTP/1.1 99999 OK\r\n\r\n",
      headers = head(paste0("X-", 1:20000, ": ", strrep("a", 40), collapse = "\r\n")),
      long = head("X: ", strrep("a", 1e6)),
      colon = head("no colon here"),
      none = "hello",
      middle = paste0(head("Content-Length: 50"), "hello"),
      nothing = ""
    ))
  })
  failure_at <- function(path) {
    tryCatch(fetch("GET", paste0(address, "/", path), seconds = 10), sprenn_failure = identity)
  }
  for (path in c(
    "negative", "words", "chunk", "minus", "wide", "status", "headers", "long", "colon", "none"
  )) {
    failure <- failure_at(path)
    expect_equal(failure$kind, "bad_answer", info = path)
    expect_match(conditionMessage(failure), "is not HTTP", info = path)
  }
  for (path in c("middle", "nothing")) {
    failure <- failure_at(path)
    expect_equal(failure$kind, "unreachable", info = path)
    expect_true(failure$cut, info = path)
  }
  nobody <- tryCatch(fetch("GET", "http://127.0.0.1:9"), sprenn_failure = identity)
  expect_equal(nobody$kind, "unreachable")
  expect_false(nobody$cut)
})

test_that("Retry-After is read as seconds or as a date", {
  after <- function(said) retry_after_of(list(headers = list(`retry-after` = said)))
  expect_equal(after("1.5"), 1.5)
  expect_equal(after("-3"), 0)
  soon <- format(Sys.time() + 30, "%a, %d %b %Y %H:%M:%S GMT", tz = "UTC")
  expect_lt(abs(after(soon) - 30), 3)
  expect_null(after("whenever"))
  expect_null(retry_after_of(list(headers = list())))
})

test_that("nothing at an address is one clear line, and an engine's earlier word is kept", {
  skip_on_cran()
  folder <- withr::local_tempdir()
  running <- start_standins("quince")
  withr::defer(stop_standins(running))
  address <- running$addresses[["quince"]]
  first <- built("quince", kind = "http", address = address, folder = folder)
  expect_null(first$remembered)
  stop_standins(running)
  Sys.sleep(0.2)
  again <- built("quince", kind = "http", address = address, folder = folder)
  expect_equal(again$about, first$about)
  expect_match(again$remembered$why, "can't be reached")
  expect_equal(ending(again)$kind, "unreachable")
  # Another address is another engine.
  expect_error(
    built("quince", kind = "http", address = "http://127.0.0.1:9", folder = folder),
    "can't be reached",
    class = "sprenn_failure_unreachable"
  )
})

test_that("a key is sent as the lineup says, and shown nowhere", {
  skip_on_cran()
  withr::local_envvar(BRACKEN_KEY = "correct-horse-battery")
  running <- start_standins("quince", key = "correct-horse-battery")
  withr::defer(stop_standins(running))
  folder <- small_trial(
    lineup = c(
      "engines:",
      paste0("  quince: {kind: http, address: \"", running$addresses, "\", key: BRACKEN_KEY}"),
      "pipelines:",
      "  - {id: q, engine: quince, hold: 0.5}"
    )
  )
  made <- run_trial(folder)$takes
  expect_equal(unique(made$state), "made")
  withr::local_envvar(BRACKEN_KEY = "wrong-horse-battery")
  trial <- read_trial(folder)
  end <- ending(trial$lineup$engines$quince)
  expect_equal(end$kind, "bad_request")
  expect_match(end$said, "401.*The key is missing or wrong.*Bearer \\(BRACKEN_KEY\\)")
  written <- list.files(folder, recursive = TRUE, full.names = TRUE)
  holding <- Filter(
    function(file) {
      any(grepl("horse", readLines(file, warn = FALSE), fixed = TRUE, useBytes = TRUE))
    },
    written
  )
  expect_equal(holding, character())
  withr::local_envvar(BRACKEN_KEY = NA)
  expect_match(
    ending(trial$lineup$engines$quince)$said,
    "BRACKEN_KEY, which should hold the key, is not set"
  )
})

test_that("a port that somebody has is refused before anything is started", {
  port <- httpuv::randomPort()
  running <- start_standins(c(quince = port))
  withr::defer(stop_standins(running))
  expect_error(start_standins(c(bracken = port)), "is in use")
  said <- run_cli("standins", "bracken", "--port", port, "--for", "1")
  expect_gt(said$status, 0)
  expect_match(said$err, "is in use", all = FALSE)
  # What was stopped gives its port back at once.
  stop_standins(running)
  running <- start_standins(c(quince = port))
  expect_match(curl_text(paste0(running$addresses[["quince"]], "/about")), "quince")
})
