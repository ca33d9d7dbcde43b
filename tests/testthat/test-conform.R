unmet <- function(found) found$checks$requirement[found$checks$met %in% FALSE]

test_that("every stand-in keeps the contract, in process", {
  for (engine in list(
    standin_yarrow(),
    standin_bracken(),
    standin_quince(),
    standin_teasel(),
    standin_sorrel(),
    standin_madder(),
    standin_burdock()
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

test_that("services that are described keep it through their descriptions", {
  skip_on_cran()
  withr::local_envvar(MADDER_KEY = "opensesame", BURDOCK_KEY = "opensesame")
  running <- start_standins(c("madder", "burdock"))
  withr::defer(stop_standins(running))
  entries <- list(
    madder_at(running$addresses[["madder"]]),
    burdock_at(running$addresses[["burdock"]], running$addresses[["burdock-pictures"]])
  )
  for (entry in entries) {
    expect_equal(unmet(conform_engine(described_engine(entry, "e"))), character())
  }
})

test_that("an engine written from the contract alone, in another language, keeps it", {
  skip_on_cran()
  example <- python_example("http-engine", "engine.py")
  found <- conform_engine(serve_python(example$python, example$script))
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

test_that("what pipelines may give is tried as far as an engine says that it takes it", {
  found <- conform_engine(standin_teasel())
  wanted <- found$checks$requirement
  expect_match(wanted, "delivers 4 times the size", all = FALSE)
  expect_match(wanted, "a masked part by itself", all = FALSE)
  expect_false(any(grepl("as a look", wanted)))
  looks <- conform_engine(standin_yarrow())$checks$requirement
  expect_match(looks, "the reference as a look", all = FALSE)
  expect_match(looks, "of great weight that lets go early", all = FALSE)

  small <- engine(
    list(name = "small", checkpoints = list(a = list()), takes = "text_alone", enlarge = 2),
    function(request) engine_result(scene(request$seed, request$size[1], request$size[2]))
  )
  broken <- conform_engine(small)$checks
  expect_equal(broken$requirement[!broken$met], "it delivers 2 times the size, as it says")
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

test_that("an engine that is busy for a while keeps the contract", {
  skip_on_cran()
  running <- start_standins("quince", faults = c(quince = "busy@1 busy@4 busy@9 busy@10"))
  withr::defer(stop_standins(running))
  found <- conform_engine(running$addresses[["quince"]])
  expect_equal(unmet(found), character())
  expect_false(anyNA(found$checks$met))
})

test_that("an engine that stays busy could not be tried, and is not found at fault", {
  skip_on_cran()
  address <- lying_server(
    local({
      busy <- message_bytes("503 Service Unavailable", "later", "Retry-After: 3600")
      function(path, number) busy
    })
  )
  found <- conform_engine(address)
  expect_equal(found$checks$met, NA)
  expect_match(found$checks$why, "503")
  run <- run_cli("engines", "--conform", "--at", address)
  expect_equal(run$status, 1)
  expect_match(
    paste(run$out, collapse = " "),
    "1 requirement of 1 could not be tried: the engine stayed busy"
  )
})

test_that("several seeds a request are tried where an engine says that it serves them", {
  skip_on_cran()
  example <- python_example("http-engine", "engine.py")
  conform_script <- function(...) {
    changed <- withr::local_tempfile(fileext = ".py")
    lines <- readLines(example$script)
    changes <- list(...)
    for (change in changes) {
      expect_true(any(grepl(change[1], lines, fixed = TRUE)))
      lines <- sub(change[1], change[2], lines, fixed = TRUE)
    }

    writeLines(lines, changed)
    conform_engine(serve_python(example$python, changed))$checks
  }

  kept <- conform_script()
  several <- grep("seeds?", kept$requirement, value = TRUE)
  expect_match(several, "one request for 3 seeds", all = FALSE)
  expect_match(several, "what its seed gives by itself", all = FALSE)
  expect_match(several, "more seeds than its per_call \\(4\\)", all = FALSE)
  broken <- conform_script(
    c("make(asked, parts, seed) for seed in seeds]", "make(asked, parts, seeds[0])]"),
    c("for i, seed in enumerate(seeds)]", "for i, seed in enumerate(seeds[:1])]"),
    c("if len(seeds) > ABOUT[\"per_call\"]:", "if False:")
  )
  broken <- broken[!broken$met, ]
  expect_match(broken$requirement, "one request for 3 seeds", all = FALSE)
  expect_match(broken$why, "it has 1 picture", all = FALSE)
  expect_match(broken$requirement, "more seeds than its per_call", all = FALSE)
  shifted <- conform_script(
    c("parts, seed) for seed in seeds]", "parts, seed + len(seeds)) for seed in seeds]")
  )
  expect_equal(
    shifted$requirement[!shifted$met],
    "each of them is what its seed gives by itself"
  )
})
