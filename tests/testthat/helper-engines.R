# Engines of every kind over the same stand-ins, for tests that want them all.

# An engine of lineup.yml's form, built as a lineup would.
built <- function(name, ..., folder = withr::local_tempdir(.local_envir = parent.frame())) {
  build_engine(list(...), name, folder)
}

sorrel_tensors <- list(
  prompt = "PROMPT",
  reference = "IMAGE",
  hold = "KEEP",
  seed = "SEED",
  look = "STYLE",
  depth = "DEPTH",
  width = "WIDTH",
  height = "HEIGHT",
  picture = "IMAGE_OUT"
)

sorrel_about <- list(
  version = "1",
  checkpoints = list(dock = list(multiple_of = 16)),
  hold = list(at_0 = -1, at_1 = 1),
  takes = list("look", "text_alone", "depth")
)

sorrel_at <- function(address, ...) {
  given <- list(
    kind = "inference",
    address = address,
    model = "sorrel",
    tensors = sorrel_tensors,
    refusals = "content filter",
    about = sorrel_about
  )
  given[names(list(...))] <- list(...)
  build_engine(given, "sorrel", tempdir())
}

# The program teasel in a folder of its own, with faults.
teasel_in <- function(folder, faults = "", seconds = 60) {
  file.copy(system.file("standins", "teasel.R", package = "sprenn"), folder)
  withr::local_envvar(
    TEASEL_FAULTS = faults,
    TEASEL_COUNT = file.path(folder, "count"),
    .local_envir = parent.frame()
  )
  build_engine(
    list(
      kind = "command",
      command = list(file.path(R.home("bin"), "Rscript"), "teasel.R"),
      seconds = seconds,
      env = list("TEASEL_FAULTS", "TEASEL_COUNT"),
      about = list(
        version = "1",
        checkpoints = list(comb = list(multiple_of = 1)),
        hold = list(at_0 = 100, at_1 = 0),
        takes = list("mask", "negative")
      )
    ),
    "teasel",
    folder
  )
}

small_request <- function(engine, ..., seed = 1L) {
  engine_request(engine, "a hill", scene(1, 64, 64), size = c(64, 64), seed = seed, ...)
}

# How making a picture ends: "made", or the kind of failure with its words.
ending <- function(engine, request = small_request(engine)) {
  made <- tryCatch(make_picture(engine, request), sprenn_failure = identity)
  if (inherits(made, "condition")) {
    list(
      kind = made$kind,
      said = conditionMessage(made),
      cost = made$cost,
      retry_after = made$retry_after
    )
  } else {
    list(kind = "made", cost = made$cost, bytes = made$bytes)
  }
}

# A server of a few lines, for what no stand-in does: answers each request by
# `answer(path, number)`, the bytes of a whole HTTP message; in another process.
lying_server <- function(answer, env = parent.frame()) {
  port <- httpuv::randomPort()
  file <- withr::local_tempfile(fileext = ".rds", .local_envir = env)
  saveRDS(answer, file)
  code <- sprintf(
    paste0(
      "answer <- readRDS('%s'); listening <- serverSocket(%d); number <- 0; repeat { talk <- ",
      "socketAccept(listening, blocking = TRUE, open = 'a+b', timeout = 600); asked <- ",
      "tryCatch(getFromNamespace('read_message', 'sprenn')(talk), error = function(e) NULL); if ",
      "(!is.null(asked)) { number <- number + 1; try(writeBin(answer(asked$path, number), talk), ",
      "silent = TRUE) }; close(talk) }"
    ),
    file,
    port
  )
  process <- processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("--no-save", "-e", code),
    supervise = TRUE,
    stderr = NULL
  )
  withr::defer(process$kill_tree(), envir = env)
  wait_for_server(process, port)
  paste0("http://127.0.0.1:", port)
}

message_bytes <- function(status, body = raw(), ...) {
  if (is.character(body)) {
    body <- charToRaw(body)
  }

  c(
    charToRaw(paste0(
      paste(
        c(
          paste("HTTP/1.1", status),
          ...,
          paste("Content-Length:", length(body)),
          "Connection: close"
        ),
        collapse = "\r\n"
      ),
      "\r\n\r\n"
    )),
    body
  )
}

# A stand-in's server at a port of its own, to be killed and started anew.
serve_at <- function(name, port, ledger) {
  process <- start_apart(
    "serve_standin",
    list(name = name, port = port, ledger = ledger)
  )
  wait_for_server(process, port)
  process
}

# A Python, and one of the examples that are written in it: a test is skipped where either is
# missing.
python_example <- function(...) {
  python <- c("/usr/bin/python3", Sys.which("python3"))
  python <- python[nzchar(python) & file.exists(python)]
  skip_if(length(python) == 0, "no Python")
  script <- testthat::test_path("..", "..", "examples", ...)
  skip_if_not(file.exists(script), "the examples are not beside the tests")
  list(python = python[1], script = script)
}

# A server in Python at a port of its own; returns its address.
serve_python <- function(python, script, env = parent.frame()) {
  port <- httpuv::randomPort()
  process <- processx::process$new(python, c(script, port), supervise = TRUE)
  withr::defer(process$kill(), envir = env)
  wait_for_server(process, port)
  paste0("http://127.0.0.1:", port)
}
