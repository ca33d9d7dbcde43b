unmet <- function(found) found$checks$requirement[found$checks$met %in% FALSE]

test_that("every stand-in keeps the contract, in process", {
  for (engine in list(
    standin_yarrow(),
    standin_bracken(),
    standin_quince(),
    standin_teasel(),
    standin_sorrel()
  )) {
    expect_equal(unmet(conform_engine(engine)), character(), info = engine$about$name)
  }
})

test_that("every stand-in keeps the contract as a server, and as a program", {
  skip_on_cran()
  running <- start_standins(c("bracken", "quince", "yarrow", "sorrel"))
  withr::defer(stop_standins(running))
  for (name in c("bracken", "quince", "yarrow")) {
    found <- conform_engine(running$addresses[[name]])
    expect_equal(unmet(found), character(), info = name)
    expect_gte(nrow(found$checks), 19)
  }

  expect_equal(
    unmet(conform_engine(sorrel_at(running$addresses[["sorrel"]]))),
    character()
  )
  expect_equal(unmet(conform_engine(teasel_in(withr::local_tempdir()))), character())
})

test_that("an engine written from the contract alone, in another language, keeps it", {
  skip_on_cran()
  python <- c("/usr/bin/python3", Sys.which("python3"))
  python <- python[nzchar(python) & file.exists(python)]
  skip_if(length(python) == 0, "no Python")
  script <- testthat::test_path("..", "..", "examples", "http-engine", "engine.py")
  skip_if_not(file.exists(script), "the examples are not beside the tests")
  port <- httpuv::randomPort()
  process <- processx::process$new(python[1], c(script, port), supervise = TRUE)
  withr::defer(process$kill())
  wait_for_server(process, port)
  found <- conform_engine(paste0("http://127.0.0.1:", port))
  expect_equal(unmet(found), character())
  expect_gte(nrow(found$checks), 20)
})

test_that("a broken engine fails with the reason", {
  odd <- function(make, ...) {
    conform_engine(
      engine(
        list(
          name = "odd",
          checkpoints = list(a = list(sizes = list(c(64, 64)))),
          takes = "text_alone",
          ...
        ),
        make
      )
    )
  }

  why <- function(found) {
    paste(found$checks$why[found$checks$met %in% FALSE], collapse = " | ")
  }
  expect_match(
    why(odd(function(request) engine_result(scene(1, 32, 32)))),
    "32 x 32 and not 64 x 64"
  )
  expect_match(
    why(odd(function(request) engine_result(scene(sample.int(1e6, 1), 64, 64)))),
    "two requests with one seed gave two pictures"
  )
  backwards <- function(request) {
    engine_result(
      request$reference * (1 - request$native_hold) +
        scene(request$seed, 64, 64) * request$native_hold
    )
  }

  expect_match(
    why(
      odd(
        function(request) {
          if (is.null(request$reference)) {
            engine_result(scene(1, 64, 64))
          } else {
            backwards(request)
          }
        },
        hold = c(at_0 = 0, at_1 = 1)
      )
    ),
    "where the reference should be kept"
  )
  expect_match(
    why(
      odd(function(request) {
        if (nchar(request$text) > 500) {
          stop("too long for me")
        } else {
          engine_result(scene(1, 64, 64))
        }
      })
    ),
    "too long for me"
  )
})

test_that("a server's broken exchange fails with the reason, and the command says so", {
  skip_on_cran()
  address <- lying_server(
    local({
      page <- message_bytes("200 OK", "<html>hello", "Content-Type: text/html")
      function(path, number) page
    })
  )
  run <- run_cli("engines", "--conform", "--at", address)
  expect_equal(run$status, 1)
  expect_match(
    paste(run$out, collapse = " "),
    "NO about +GET /about answers 200 with JSON.*a page +that begins"
  )
  expect_match(run$out, "1 requirement of 1 was not met", all = FALSE)
  expect_error(conform_engine("ftp://x"), "address", class = "sprenn_error_argument")
})
