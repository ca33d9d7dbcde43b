# Every fault with every kind of engine: how it is told, that passing ones are
# overcome, that no take is lost and none is paid twice.

# What each fault must end as, at one call and without another try.
promised <- c(
  error = "engine_error",
  hang = "timed_out",
  truncated = "bad_answer",
  page = "bad_answer",
  bomb = "bad_answer",
  wrong_size = "bad_answer",
  one_colour = "bad_answer",
  busy = "busy",
  busy_until = "busy",
  no_credit = "out_of_credit",
  refused = "refused"
)

# Behind a wire R's own errors are a server's or a program's.
behind_wire <- replace(promised, "error", "bad_answer")

test_that("faults come at the calls that were asked for, and at the same ones again", {
  faults <- function(spec, seed = 1) vapply(1:60, read_faults(spec, seed), "")
  expect_equal(which(faults("busy@3 page@7") != ""), c(3, 7))
  drawn <- faults("truncated:0.3")
  expect_identical(drawn, faults("truncated:0.3"))
  expect_false(identical(drawn, faults("truncated:0.3", 2)))
  expect_true(abs(mean(drawn == "truncated") - 0.3) < 0.2)
  expect_true(all(faults("busy") == "busy"))
  expect_error(faults("bussy@3"), "There is no fault bussy@3")
})

test_that("fault by fault, an R function's failures are classed as promised", {
  for (fault in names(promised)) {
    engine <- with_faults(standin_yarrow(), paste0(fault, "@1"))
    # Only what hangs waits that long.
    engine$seconds <- if (fault == "hang") 1 else 60
    end <- ending(engine)
    expect_equal(end$kind, promised[[fault]], info = fault)
    expect_equal(ending(engine)$kind, "made", info = fault)
    if (fault == "busy_until") {
      expect_equal(end$retry_after, 1)
    }
  }
})

test_that("fault by fault, a server's failures are classed as promised, over both protocols", {
  skip_on_cran()
  order <- names(behind_wire)
  # A hung server answers nobody else, so it hangs last.
  order <- c(setdiff(order, "hang"), "hang")
  # An order that failed is drawn anew when it is looked at; each kind of call counts once.
  faults <- paste0(order, "@", seq_along(order), collapse = " ")
  running <- start_standins(c("quince", "sorrel"), faults = c(quince = faults, sorrel = faults))
  withr::defer(stop_standins(running))
  folder <- withr::local_tempdir()
  patience <- function(fault) if (fault %in% c("hang", "stall")) 2 else 60
  engines <- list(
    http = function(seconds) {
      built(
        "quince",
        kind = "http",
        address = running$addresses[["quince"]],
        seconds = seconds,
        folder = folder
      )
    },
    inference = function(seconds) sorrel_at(running$addresses[["sorrel"]], seconds = seconds)
  )
  for (kind in names(engines)) {
    ends <- lapply(order, function(fault) ending(engines[[kind]](patience(fault))))
    expect_equal(vapply(ends, `[[`, "", "kind"), unname(behind_wire[order]), info = kind)
    expect_equal(ends[[match("busy_until", order)]]$retry_after, 1)
    expect_true(all(nchar(vapply(ends, `[[`, "", "said")) < 300))
  }
})

# Descriptions of the stand-ins that keep no contract of ours.
madder_from <- function(running, ...) {
  utils::modifyList(madder_at(running$addresses[["madder"]]), list(...))
}

burdock_from <- function(running, ...) {
  addresses <- running$addresses
  entry <- burdock_at(addresses[["burdock"]], addresses[["burdock-pictures"]])
  utils::modifyList(entry, list(...))
}

test_that("fault by fault, a described service's failures are classed as promised", {
  skip_on_cran()
  withr::local_envvar(MADDER_KEY = "opensesame", BURDOCK_KEY = "opensesame")
  # A job of burdock's that breaks is ordered twice more.
  order <- c("error", setdiff(names(behind_wire), c("error", "hang")), "hang")
  at <- function(first) paste0(order, "@", seq_along(order) + first, collapse = " ")
  running <- start_standins(
    c("madder", "burdock"),
    faults = c(madder = at(0), burdock = paste("error@1 error@2", at(2)))
  )
  withr::defer(stop_standins(running))
  for (entry_of in list(madder_from, burdock_from)) {
    ends <- lapply(order, function(fault) {
      ending(described_engine(entry_of(running, seconds = if (fault == "hang") 2 else 60), "e"))
    })
    expect_equal(vapply(ends, `[[`, "", "kind"), unname(behind_wire[order]))
    expect_true(all(nchar(vapply(ends, `[[`, "", "said")) < 400))
  }

  # Only burdock says when to come back; what it promises is that a key is paid once.
  expect_equal(ends[[match("busy_until", order)]]$retry_after, 1)
  ledger <- function(name) unlist(jsonlite::read_json(running$ledgers[[name]]))
  spoilt <- c("truncated", "page", "bomb", "wrong_size", "one_colour")
  expect_length(ledger("madder"), length(spoilt))
})

test_that("a wire that breaks is told from a server that fails", {
  skip_on_cran()
  faults <- c("reset", "huge", "circle", "elsewhere", "garbled", "stall")
  spec <- paste0(faults, "@", seq_along(faults), collapse = " ")
  running <- start_standins(c("quince", "sorrel"), faults = c(quince = spec, sorrel = spec))
  withr::defer(stop_standins(running))
  folder <- withr::local_tempdir()
  ends_of <- function(engine_with) {
    lapply(faults, function(fault) ending(engine_with(if (fault == "stall") 2 else 60)))
  }

  kinds <- function(ends) vapply(ends, `[[`, "", "kind")
  http <- ends_of(function(seconds) {
    built(
      "quince",
      kind = "http",
      address = running$addresses[["quince"]],
      seconds = seconds,
      folder = folder
    )
  })
  expect_equal(kinds(http)[c(1, 2, 4)], c("unreachable", "bad_answer", "bad_answer"))
  expect_match(http[[1]]$said, "broke off in the middle")
  expect_match(http[[2]]$said, "cut off")
  expect_match(http[[4]]$said, "sends on to http://127.0.0.2:9/, which is not followed")
  expect_true(all(kinds(http) %in% c("unreachable", "bad_answer", "timed_out", "made")))
  inference <- ends_of(function(seconds) {
    sorrel_at(running$addresses[["sorrel"]], seconds = seconds)
  })
  expect_equal(
    kinds(inference)[1:4],
    c("unreachable", "bad_answer", "bad_answer", "bad_answer")
  )
  expect_equal(kinds(inference)[6], "timed_out")
})

test_that(
  paste0(
    "fault by fault, a program's failures are classed as promised, and a hung one is ended with ",
    "its children"
  ),
  {
    skip_on_cran()
    faults <- names(behind_wire)
    folder <- withr::local_tempdir()
    spec <- paste0(faults, "@", seq_along(faults), collapse = " ")
    for (fault in faults) {
      engine <- teasel_in(folder, spec, seconds = if (fault == "hang") 4 else 60)
      end <- ending(engine)
      expect_equal(end$kind, behind_wire[[fault]], info = fault)
      if (fault == "busy_until") {
        expect_equal(end$retry_after, 1)
      }

      if (fault %in% c("refused", "no_credit")) {
        expect_match(end$said, "It said:")
      }
    }

    expect_equal(ending(engine)$kind, "made")
  }
)

# How a run over servers with faults ends, and what their ledger says.
run_over <- function(faults, ..., standin = "quince", env = parent.frame()) {
  running <- start_standins(standin, faults = stats::setNames(faults, standin), seed = 3, ...)
  withr::defer(stop_standins(running), envir = env)
  line <- if (standin %in% described_standins) {
    entry <- if (standin == "madder") madder_from(running) else burdock_from(running)
    # In one line, as the others are: JSON is YAML too.
    paste0("  e: ", to_json(entry))
  } else if (standin == "sorrel") {
    paste0(
      "  e: {kind: inference, address: \"",
      running$addresses,
      "\", model: sorrel, seconds: 60, tensors: {prompt: PROMPT, reference: IMAGE, hold: KEEP, ",
      "seed: SEED, picture: IMAGE_OUT}, about: {checkpoints: {dock: {multiple_of: 16}}, hold: ",
      "{at_0: -1, at_1: 1}}}"
    )
  } else {
    paste0("  e: {kind: http, address: \"", running$addresses, "\", seconds: 60}")
  }
  folder <- small_trial(
    lineup = c(
      "engines:", line, "pipelines:",
      paste0(
        "  - {id: firm, engine: e, hold: 0.9", if (standin == "burdock") ", checkpoint: burr", "}"
      )
    ),
    env = env
  )
  list(folder = folder, running = running)
}

test_that("what passes by itself is tried again: no take is lost and none is paid twice", {
  skip_on_cran()
  for (faults in c(
    "busy@2 busy_until@4 error@3",
    "forget@2 forget@4 error@5",
    "reset@1 reset@4 garbled@6",
    "truncated@2 page@4 duplicate@5 wrong_size@6"
  )) {
    run <- run_over(faults)
    takes <- run_trial(run$folder)$takes
    expect_equal(takes$state, rep("made", 6), info = faults)
    # The server's own ledger: as many payments as takes.
    expect_equal(sum(takes$cost), 6 * 0.002)
    ledger <- unlist(jsonlite::read_json(run$running$ledgers[["quince"]]))
    expect_equal(length(ledger), 6, info = faults)
    stop_standins(run$running)
  }

  run <- run_over("busy_until@2 error@3 reset@5 truncated@6", standin = "sorrel")
  expect_equal(run_trial(run$folder)$takes$state, rep("made", 6))
})

ledger_of <- function(run, name) unlist(jsonlite::read_json(run$running$ledgers[[name]]))

test_that("a described service that knows a call again is paid once, whatever passes by itself", {
  skip_on_cran()
  withr::local_envvar(BURDOCK_KEY = "opensesame")
  for (faults in c(
    "busy@2 busy_until@4 error@3",
    "forget@2 truncated@4 page@5",
    "reset@1 reset@4 reset@6"
  )) {
    run <- run_over(faults, standin = "burdock")
    takes <- run_trial(run$folder)$takes
    expect_equal(takes$state, rep("made", 6), info = faults)
    expect_equal(sum(takes$cost), 6 * 0.02)
    expect_equal(unname(ledger_of(run, "burdock")), rep(0.02, 6), info = faults)
    stop_standins(run$running)
  }
})

test_that("of one that does not, what may have been paid for is asked for again by --retry only", {
  skip_on_cran()
  withr::local_envvar(MADDER_KEY = "opensesame")
  # A call that was lost on the way back, a picture that came damaged, and two that cost nothing.
  for (faults in c("reset@2", "truncated@3 busy@2 error@5")) {
    run <- run_over(faults, standin = "madder")
    takes <- run_trial(run$folder)$takes
    expect_equal(sort(takes$state), c("failed", rep("made", 5)), info = faults)
    expect_match(takes$message[takes$state == "failed"], "may have been paid for.*--retry")
    expect_length(ledger_of(run, "madder"), 6)
    expect_equal(run_trial(run$folder)$takes$state, takes$state)
    expect_length(ledger_of(run, "madder"), 6)
    expect_equal(run_trial(run$folder, retry = TRUE)$takes$state, rep("made", 6))
    expect_length(ledger_of(run, "madder"), 7)
    stop_standins(run$running)
  }
})

test_that("what a killed run had sent to such a service is asked for again by --retry only", {
  skip_on_cran()
  skip_on_os("windows")
  withr::local_envvar(MADDER_KEY = "opensesame")
  run <- run_over("", standin = "madder", seconds = 1.5)
  process <- start_run(run$folder, "--no-score", "--workers", "0")
  withr::defer(process$kill_tree())
  # One is made and the next is on its way.
  wait_until(length(ledger_of(run, "madder")) == 2)
  process$kill_tree()
  wait_until(!process$is_alive())
  takes <- run_trial(run$folder)$takes
  lost <- takes[takes$state != "made", ]
  expect_gt(nrow(lost), 0)
  expect_equal(unique(lost$failure), "timed_out")
  expect_match(lost$message, "before it was answered. It may have been paid for; `run --retry`")
  expect_equal(run_trial(run$folder, retry = TRUE)$takes$state, rep("made", 6))
  expect_length(ledger_of(run, "madder"), 6 + nrow(lost))
})

test_that("a picture of such a service that is another take's is doubted, and not paid for again", {
  skip_on_cran()
  withr::local_envvar(MADDER_KEY = "opensesame")
  run <- run_over("duplicate@4", standin = "madder")
  takes <- run_trial(run$folder)$takes
  expect_equal(sum(takes$state == "made"), 5)
  expect_match(takes$message[takes$state == "failed"], "is the one for .*; `run --retry`")
  expect_length(ledger_of(run, "madder"), 6)
  expect_equal(run_trial(run$folder, retry = TRUE)$takes$state, rep("made", 6))
  expect_length(ledger_of(run, "madder"), 7)
})

test_that("several seeds go in one call, and pictures are uploaded once for all", {
  skip_on_cran()
  withr::local_envvar(BURDOCK_KEY = "opensesame")
  running <- start_standins("burdock")
  withr::defer(stop_standins(running))
  line <- paste0("  e: ", to_json(burdock_from(running, per_call = 4)))
  folder <- small_trial(lineup = c(
    "engines:", line, "pipelines:", "  - {id: a, engine: e, hold: 0.9, checkpoint: burr}"
  ))
  takes <- run_trial(folder)$takes
  expect_equal(takes$state, rep("made", 6))
  expect_equal(takes$cost, rep(0.02, 6))
  ledger <- unlist(jsonlite::read_json(running$ledgers[["burdock"]]))
  expect_equal(unname(ledger), rep(0.04, 3))
  expect_length(unique(takes$sha256), 6)
})

test_that("spent credit parks one engine, keeps what was made, and goes on when there is more", {
  skip_on_cran()
  run <- run_over("", credit = 0.0085)
  made <- run_trial(run$folder)
  takes <- made$takes
  expect_equal(sum(takes$state == "made"), 4)
  # The others stay planned: nothing is wrong with them.
  expect_equal(sum(takes$state == "planned"), 2)
  expect_match(made$parked$e, "no credit left")
  stop_standins(run$running)
  more <- start_standins("quince")
  withr::defer(stop_standins(more))
  lines <- readLines(file.path(run$folder, "lineup.yml"))
  writeLines(sub("http://[0-9.:]+", more$addresses, lines), file.path(run$folder, "lineup.yml"))
  again <- run_trial(run$folder)$takes
  expect_equal(again$state, rep("made", 6))
  expect_equal(again$sha256[takes$state == "made"], takes$sha256[takes$state == "made"])
})

stop_server <- function(process) {
  process$kill_tree()
  process$wait(5000)
}

test_that("a server that was killed and started anew is paid once for what was ordered before", {
  skip_on_cran()
  port <- httpuv::randomPort()
  ledger <- withr::local_tempfile(fileext = ".json")
  start <- function() serve_at("bracken", port, ledger)
  process <- start()
  withr::defer(process$kill_tree())
  bracken <- built(
    "bracken",
    kind = "http",
    address = paste0("http://127.0.0.1:", port),
    folder = withr::local_tempdir()
  )
  request <- engine_request(bracken, "a hill", scene(1, 384, 256))
  ordered <- fetch(
    "POST",
    paste0("http://127.0.0.1:", port, "/takes"),
    c("Idempotency-Key" = request$key),
    form = request_parts(request)
  )
  expect_equal(ordered$status, 202)
  # Until it is gone its port still answers.
  stop_server(process)
  expect_equal(ending(bracken, request)$kind, "unreachable")
  process <- start()
  first <- make_picture(bracken, request)
  stop_server(process)
  process <- start()
  expect_identical(make_picture(bracken, request)$bytes, first$bytes)
  expect_equal(unlist(jsonlite::read_json(ledger)), stats::setNames(0.02, request$key))
})

test_that("where nothing promises that a key is paid once, every try counts", {
  tries <- 0
  unsure <- engine(list(name = "x", checkpoints = list(a = list())), function(request) {
    tries <<- tries + 1
    engine_result(if (tries < 3) raw() else scene(1, 64, 64), cost = 0.3)
  })
  expect_equal(make_patiently(unsure, small_request(unsure))$cost, 0.9)
})

test_that("another run of the same takes asks under other keys, and the same run under the same", {
  keys <- list()
  noting <- mixing_engine(broken = function(request) {
    keys[[length(keys) + 1]] <<- request$key
    if (length(keys) <= 6) {
      engine_failure("unreachable", "none", retry_after = 100)
    }
  })
  folder <- small_trial()
  trial <- read_trial(folder, engines = list(mixer = noting))
  run_trial(trial, "a")
  first <- keys[[1]]
  keys <- as.list(seq_len(6))
  run_trial(trial, "a", retry = TRUE)
  expect_true(first %in% keys)
  again <- unlist(keys[-(1:6)])
  run_trial(trial, "b")
  expect_length(intersect(unlist(keys[-(1:18)]), again), 0)
  withr::local_seed(4)
  drawn <- .Random.seed
  engine_request(noting, "x", scene(), size = c(64, 64))
  expect_identical(.Random.seed, drawn)
})

test_that("pauses double with every try, and takes that failed together come back apart", {
  pause <- pause_after
  keys <- paste0("take-", 1:200)
  for (try in 1:5) {
    pauses <- vapply(keys, function(key) pause(try, key), 0)
    expect_true(all(pauses >= 0.25 * 2^try * 0.75 & pauses <= 0.25 * 2^try * 1.25))
    # Spread over all that is allowed, and the same again for the same take.
    expect_gt(diff(range(pauses)), 0.4 * 0.25 * 2^try)
    expect_equal(vapply(keys, function(key) pause(try, key), 0), pauses)
  }
})
