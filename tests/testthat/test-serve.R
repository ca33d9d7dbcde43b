# Programs that stay loaded, and programs that run side by side.

# What the program does is told by the prompt: "crash", "slow", "huge" and so on.
served_program <- c(
  "cat('loading\\n')",
  "log <- Sys.getenv('SERVE_LOG')",
  "if (nzchar(log)) cat('start\\n', file = log, append = TRUE)",
  "how <- commandArgs(TRUE)",
  "if (how[1] == 'dead') { message('no model here'); quit(status = 3) }",
  "if (how[1] == 'silent') Sys.sleep(60)",
  "cat(sprintf('{\"ready\": true, \"at_once\": %s}\\n', how[1]))",
  "lines <- file('stdin', open = 'r')",
  "say <- function(...) cat(sprintf(...), '\\n', sep = '')",
  "while (length(line <- readLines(lines, 1))) {",
  "  asked <- jsonlite::fromJSON(line)",
  "  if (grepl('noise', asked$text)) cat('step 1 of 9', strrep('.', 50), '\\n', '{\"x\"\\n')",
  "  if (grepl('endless', asked$text)) cat(strrep('x', 3e6))",
  "  if (grepl('crash', asked$text)) { message('out of luck'); quit(status = 9) }",
  "  if (grepl('slow', asked$text)) Sys.sleep(60)",
  "  if (grepl('huge', asked$text)) { x <- numeric(6e7) + 1; Sys.sleep(20) }",
  "  if (grepl('forbidden', asked$text)) {",
  "    say('{\"id\": \"%s\", \"failed\": \"refused\", \"why\": \"not that\"}', asked$id)",
  "  } else if (grepl('busy', asked$text)) {",
  "    say('{\"id\": \"%s\", \"failed\": \"busy\", \"retry_after\": 7}', asked$id)",
  "  } else if (grepl('odd', asked$text)) {",
  "    say('{\"id\": \"%s\", \"failed\": \"toothache\"}', asked$id)",
  "  } else {",
  "    if (!grepl('nothing', asked$text)) file.copy(file.path(asked$folder, 'reference-1.png'),",
  "      file.path(asked$folder, 'picture.png'))",
  "    id <- if (grepl('nameless', asked$text)) '' else sprintf('\"id\": \"%s\", ', asked$id)",
  "    made <- '{%s\"cost\": 0.5, \"seed\": %d, \"says\": {\"pid\": %d}}'",
  "    say(made, id, asked$seeds, Sys.getpid())",
  "  }",
  "}"
)

serving_engine <- function(folder, how = "1", ..., at_once = 1) {
  writeLines(served_program, file.path(folder, "served.R"))
  build_engine(
    list(
      kind = "command",
      command = list(file.path(R.home("bin"), "Rscript"), "--vanilla", "served.R"),
      serve = "lines",
      env = list("SERVE_HOW"),
      about = list(version = "1", at_once = at_once),
      ...
    ),
    "served",
    folder
  )
}

# The program's argument stands in the environment, since `serve` comes after the command.
local_serving <- function(how = "1", ..., env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  withr::local_envvar(SERVE_HOW = how, .local_envir = env)
  engine <- serving_engine(folder, how, ...)
  lines <- sub("commandArgs\\(TRUE\\)", "Sys.getenv('SERVE_HOW')", served_program)
  writeLines(lines, file.path(folder, "served.R"))
  withr::defer(engine$close(), envir = env)
  engine
}

ask_served <- function(engine, text, seed = 1) {
  request <- engine_request(engine, text, scene(1, 64, 48), size = c(64, 48), seed = seed)
  tryCatch(make_picture(engine, request), sprenn_failure = identity)
}

test_that("a program that stays loaded is started once, and answers a line each", {
  skip_on_cran()
  engine <- local_serving()
  made <- lapply(1:4, function(seed) ask_served(engine, "a hill", seed))
  expect_equal(vapply(made, `[[`, 0, "seed"), c(1, 2, 3, 4))
  expect_equal(unique(vapply(made, `[[`, 0, "cost")), 0.5)
  pids <- vapply(made, function(one) one$says$pid, 0)
  expect_equal(length(unique(pids)), 1)
  expect_equal(dim(decode_picture(encoded_picture(made[[1]]$bytes))), c(48, 64, 3))
  expect_equal(ask_served(engine, "nameless")$says$pid, pids[1])
  expect_equal(ask_served(engine, "noise")$says$pid, pids[1])
  engine$close()
  expect_false(pids[1] %in% ps::ps_pids())
  # It is started again when it is needed.
  expect_false(ask_served(engine, "a hill")$says$pid == pids[1])
})

test_that("a program's refusals and faults are told apart", {
  skip_on_cran()
  engine <- local_serving()
  refused <- ask_served(engine, "forbidden")
  expect_equal(refused$kind, "refused")
  expect_match(conditionMessage(refused), "refused it. It said: not that", fixed = TRUE)
  busy <- ask_served(engine, "busy")
  expect_equal(busy[c("kind", "retry_after")], list(kind = "busy", retry_after = 7))
  expect_equal(ask_served(engine, "odd")$kind, "bad_answer")
  nothing <- ask_served(engine, "nothing")
  expect_equal(nothing$kind, "bad_answer")
  expect_match(conditionMessage(nothing), "answered but left no picture.png behind")
})

test_that("a program that crashes, hangs or grows is ended, and started again", {
  skip_on_cran()
  engine <- local_serving(seconds = 2, memory_gb = 0.3)
  first <- ask_served(engine, "a hill")$says$pid
  crash <- ask_served(engine, "crash")
  expect_equal(crash$kind, "bad_answer")
  expect_match(conditionMessage(crash), "ended with status 9. It said: out of luck", fixed = TRUE)
  expect_false(crash$lasting)
  second <- ask_served(engine, "a hill")$says$pid
  expect_false(second == first)
  slow <- ask_served(engine, "slow")
  expect_equal(slow$kind, "timed_out")
  expect_lt(slow$seconds, 10)
  expect_false(second %in% ps::ps_pids())
  huge <- ask_served(engine, "huge")
  expect_equal(huge$kind, "bad_answer")
  expect_match(conditionMessage(huge), "more than 0.3 GB of memory")
  endless <- ask_served(engine, "endless")
  expect_equal(endless$kind, "bad_answer")
  expect_match(conditionMessage(endless), "a line of more than 1 MB")
  expect_null(ask_served(engine, "a hill")$kind)
})

test_that("a program that does not start is told from one that is slow to load", {
  skip_on_cran()
  dead <- ask_served(local_serving("dead"), "a hill")
  expect_equal(dead$kind, "unreachable")
  expect_true(dead$lasting)
  expect_match(conditionMessage(dead), "status 3 before it was ready. It said: no model here")
  silent <- ask_served(local_serving("silent", start_seconds = 1), "a hill")
  expect_equal(silent$kind, "timed_out")
  expect_match(conditionMessage(silent), "was not ready after 1 s")
})

# All the texts asked at once; what came back, in their order.
ask_together <- function(engine, texts) {
  talks <- Conversations$new()
  found <- vector("list", length(texts))
  for (i in seq_along(texts)) {
    local({
      at <- i
      request <- engine_request(engine, texts[at], scene(1, 64, 48), size = c(64, 48), seed = at)
      talks$begin(engine$converse(request), function(outcome) found[[at]] <<- outcome)
    })
  }

  wait_until({
    talks$step()
    talks$count == 0
  })
  found
}

test_that("one process works at as many pictures as it says, and more are started beyond", {
  skip_on_cran()
  pids <- function(made) vapply(made, function(one) one$says$pid, 0)
  wide <- local_serving("4", at_once = 4)
  made <- ask_together(wide, rep("a hill", 4))
  expect_equal(length(unique(pids(made))), 1)
  expect_equal(vapply(made, `[[`, 0, "seed"), 1:4)
  narrow <- local_serving("1", at_once = 3, seconds = 3)
  made <- ask_together(narrow, c("slow", "slow", rep("a hill", 4)))
  expect_equal(vapply(made[1:2], `[[`, "", "kind"), rep("timed_out", 2))
  expect_equal(vapply(made[3:6], `[[`, 0, "seed"), 3:6)
})

test_that("of several pictures in a process that crashes, only the cause fails", {
  skip_on_cran()
  engine <- local_serving("4", at_once = 4)
  made <- ask_together(engine, c("a hill", "crash", "a hill", "a hill"))
  failed <- vapply(made, inherits, NA, "condition")
  expect_equal(failed, c(FALSE, TRUE, FALSE, FALSE))
  expect_match(conditionMessage(made[[2]]), "out of luck")
})

test_that("a run keeps one process for all takes, and none is left behind", {
  skip_on_cran()
  folder <- served_trial("http://127.0.0.1:9", cases = 3)
  writeLines(served_program, file.path(folder, "served.R"))
  log <- withr::local_tempfile()
  writeLines(
    c(
      "engines:",
      paste0(
        "  served: {kind: command, command: [Rscript, --vanilla, served.R], serve: lines, ",
        "env: [SERVE_LOG], about: {version: \"1\"}}"
      ),
      "pipelines:",
      "  - {id: stays, engine: served}"
    ),
    file.path(folder, "lineup.yml")
  )
  # The program's only argument is `serve`: one at a time.
  lines <- sub("how <- commandArgs(TRUE)", "how <- '1'", served_program, fixed = TRUE)
  writeLines(lines, file.path(folder, "served.R"))
  withr::local_envvar(SERVE_LOG = log)
  for (workers in c(0, 2)) {
    run <- run_trial(folder, paste0("with-", workers), workers = workers)
    expect_equal(unique(run$takes$state), "made")
  }

  expect_equal(readLines(log), c("start", "start"))
  running <- vapply(ps::ps_children(recursive = TRUE), function(one) {
    tryCatch(paste(ps::ps_cmdline(one), collapse = " "), error = function(e) "")
  }, "")
  expect_false(any(grepl("served.R", running, fixed = TRUE)))
})

test_that("programs run side by side as at_once says, whatever the number of workers", {
  skip_on_cran()
  folder <- served_trial("http://127.0.0.1:9", cases = 4)
  log <- withr::local_tempfile()
  writeLines(
    c(
      "#!/bin/sh",
      "echo begin >> \"$SIDE_LOG\"",
      "# Until four have begun, or five seconds have gone.",
      "for i in $(seq 50); do",
      "  [ $(grep -c begin \"$SIDE_LOG\") -ge 4 ] && break",
      "  sleep 0.1",
      "done",
      "cp \"$2/reference-1.png\" \"$2/picture.png\"",
      "echo end >> \"$SIDE_LOG\""
    ),
    file.path(folder, "side.sh")
  )
  Sys.chmod(file.path(folder, "side.sh"), "755")
  writeLines(
    c(
      "engines:",
      "  side: {kind: command, command: [./side.sh], env: [SIDE_LOG], at_once: 4,",
      "    about: {version: \"1\"}}",
      "pipelines:",
      "  - {id: beside, engine: side}"
    ),
    file.path(folder, "lineup.yml")
  )
  withr::local_envvar(SIDE_LOG = log)
  for (workers in c(0, 1)) {
    unlink(log)
    run <- run_trial(folder, paste0("with-", workers), workers = workers, score = FALSE)
    expect_equal(unique(run$takes$state), "made")
    at_work <- cumsum(ifelse(readLines(log) == "begin", 1, -1))
    expect_equal(max(at_work), 4)
    expect_equal(length(at_work), 16)
  }
})

test_that("a program is ended if it uses more memory than it may", {
  skip_on_cran()
  folder <- withr::local_tempdir()
  writeLines("x <- numeric(6e7) + 1; Sys.sleep(20)", file.path(folder, "huge.R"))
  engine <- build_engine(
    list(
      kind = "command",
      command = list("sh", "-c", "Rscript --vanilla huge.R; true"),
      memory_gb = 0.3,
      about = list(version = "1")
    ),
    "huge",
    folder
  )
  huge <- ask_served(engine, "a hill")
  expect_equal(huge$kind, "bad_answer")
  expect_match(conditionMessage(huge), "sh used more than 0.3 GB of memory and was ended")
  expect_lt(huge$seconds, 15)
})

test_that("the example of a program that stays loaded keeps the contract", {
  skip_on_cran()
  example <- python_example("served-program", "paint.py")
  engine <- build_engine(
    list(
      kind = "command",
      command = list(example$python, normalizePath(example$script)),
      serve = "lines",
      about = list(version = "1", takes = list("text_alone"))
    ),
    "bands",
    withr::local_tempdir()
  )
  withr::defer(engine$close())
  expect_true(all(conform_engine(engine)$checks$met))
  expect_equal(ask_served(engine, "something forbidden")$kind, "refused")
})
