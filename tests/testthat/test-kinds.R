test_that("a server on our contract makes, captions, queues and asks the same price again", {
  skip_on_cran()
  running <- start_standins("bracken")
  withr::defer(stop_standins(running))
  bracken <- built(
    "bracken",
    kind = "http",
    address = running$addresses[["bracken"]],
    folder = withr::local_tempdir()
  )
  expect_equal(
    bracken$about[c("version", "hold", "price")],
    standin_bracken()$about[c("version", "hold", "price")]
  )
  request <- engine_request(bracken, c("a windmill", "two kites"), scene(1, 384, 256), hold = 0.7)
  first <- make_picture(bracken, request)
  expect_gte(first$waited, 0.9)
  again <- make_picture(bracken, request)
  expect_identical(again$bytes, first$bytes)
  expect_equal(again$cost, first$cost)
  # What comes over the wire is what the engine itself would have drawn.
  own <- make_picture(standin_bracken(), request)
  expect_lt(mean(abs(png::readPNG(first$bytes) - png::readPNG(own$bytes))), 0.02)
  expect_type(bracken$caption(scene(2, 96, 64)), "character")
})

test_that("everything that a request can hold gets over the wire and into a program's folder", {
  engine <- mixing_engine()
  full <- engine_request(
    engine,
    data.frame(say = c("a", "\u00fcber \"b\""), weight = c(1, 1.4)),
    scene(1, 64, 48),
    hold = 0.25,
    settings = list(tint = 0.5),
    size = c(64, 48),
    negative = "c",
    looks = list(scene(2, 30, 20)),
    guides = list(edges = list(picture = scene(3, 64, 48), weight = 0.5, release = 0.9)),
    mask = matrix(1, 48, 64)
  )
  parts <- request_parts(full)
  expect_setequal(names(parts), c("request", "reference-1", "look-1", "guide-edges", "mask"))
  said <- jsonlite::parse_json(rawToChar(parts$request$bytes))
  expect_equal(vapply(said$prompt, `[[`, "", "say"), full$prompt$say)
  expect_equal(
    said[c("hold", "knob", "checkpoint")],
    list(hold = 0.25, knob = 2.5, checkpoint = "plain")
  )
  expect_equal(unlist(said$size), c(64, 48))
  expect_equal(said$guides$edges, list(part = "guide-edges", weight = 0.5, release = 0.9))
  expect_equal(png::readPNG(parts$mask$bytes), matrix(1, 48, 64))
  folder <- withr::local_tempdir()
  write_request(full, folder)
  expect_setequal(
    list.files(folder),
    c("request.json", "reference-1.png", "look-1.png", "guide-edges.png", "mask.png")
  )
})

test_that("a model server gets tensors by the names and types that it tells, as bytes or as JSON", {
  skip_on_cran()
  running <- start_standins("sorrel")
  withr::defer(stop_standins(running))
  address <- running$addresses[["sorrel"]]
  bytes <- sorrel_at(address)
  request <- engine_request(
    bytes,
    "a windmill",
    scene(1, 64, 64),
    size = c(64, 64),
    looks = list(scene(2, 48, 32))
  )
  made <- make_picture(bytes, request)
  as_json <- make_picture(sorrel_at(address, binary = FALSE), request)
  expect_equal(png::readPNG(as_json$bytes), png::readPNG(made$bytes), tolerance = 0.01)
  own <- make_picture(standin_sorrel(), request)
  expect_lt(mean(abs(png::readPNG(made$bytes) - png::readPNG(own$bytes))), 0.02)
  refused <- ending(bytes, engine_request(bytes, "smoke over a hill", size = c(64, 64)))
  expect_equal(refused$kind, "refused")
  # Without the word for it, a refusal is a bad request.
  expect_equal(
    ending(
      sorrel_at(address, refusals = NULL),
      engine_request(bytes, "smoke", size = c(64, 64))
    )$kind,
    "bad_request"
  )
  lost <- ending(
    sorrel_at(address, tensors = replace(sorrel_tensors, "hold", "STRENGTH")),
    request
  )
  expect_equal(lost$kind, "bad_request")
  expect_match(ending(sorrel_at(address, model = "elder"), request)$said, "unknown model elder")
  expect_match(
    ending(
      sorrel_at(address, tensors = replace(sorrel_tensors, "picture", "OUT")),
      request
    )$said,
    "no output OUT; it sent IMAGE_OUT"
  )
})

test_that("tensors are written and read in every type, row by row", {
  value <- scene(1, 6, 4)
  for (type in c("UINT8", "FP32", "FP64", "INT32")) {
    for (dims in list(
      c(1, -1, -1, 3),
      c(1, 3, -1, -1),
      c(-1, -1, 3)
    )) {
      tensor <- as_tensor(
        value,
        list(name = "x", datatype = type, shape = as.list(dims))
      )
      expect_equal(prod(tensor$sizes), length(value))
      back <- picture_from_tensor(
        list(
          output = list(datatype = type, shape = as.list(tensor$sizes)),
          bytes = tensor_to_raw(tensor)
        ),
        "url"
      )
      expect_equal(
        back,
        value,
        tolerance = if (startsWith(type, "FP")) 1e-6 else 0.01,
        info = paste(type, paste(dims, collapse = " "))
      )
    }
  }

  # The first row's first pixel comes first.
  tensor <- as_tensor(
    value,
    list(name = "x", datatype = "FP64", shape = list(-1, -1, 3))
  )
  expect_equal(tensor$values[1:6], c(value[1, 1, ], value[1, 2, ]))
  number <- tensor_to_raw(
    as_tensor(2^33 + 5, list(name = "s", datatype = "INT64", shape = list(1)))
  )
  expect_equal(sum(as.numeric(number) * 256^(0:7)), 2^33 + 5)
  expect_error(
    as_tensor(1, list(name = "x", datatype = "FP16", shape = list(1))),
    "FP16",
    class = "sprenn_failure_bad_request"
  )
})

test_that("an inference answer that is cut or counts wrongly is a bad answer", {
  answer <- function(json, rest = raw(), head = nchar(json)) {
    said <- list(
      body = c(charToRaw(json), rest),
      type = "application/json",
      headers = list(`inference-header-content-length` = as.character(head))
    )
    tryCatch(
      read_inference(said, "url", list(key = "k"), "P"),
      sprenn_failure = conditionMessage
    )
  }

  expect_match(
    answer(
      "{\"outputs\": [{\"name\": \"P\", \"parameters\": {\"binary_data_size\": 9}}]}",
      as.raw(1:3)
    ),
    "fewer bytes than it says"
  )
  expect_match(answer("{\"outputs\": []}"), "sent no output P; it sent none")
  expect_match(answer("{}", head = 99), "its JSON is 99 bytes long, of 2")
  expect_match(answer("{\"id\": \"other\"}"), "another request")
  expect_match(
    answer(paste0(
      "{\"outputs\": [{\"name\": \"P\", \"datatype\": \"UINT8\", \"shape\": [2, 2, 3], ",
      "\"data\": [1, 2]}]}"
    )),
    "2 values for a picture of 2 x 2 x 3"
  )
  expect_match(
    answer(paste0(
      "{\"outputs\": [{\"name\": \"P\", \"datatype\": \"UINT8\", \"shape\": [4], \"data\": [1, ",
      "2]}]}"
    )),
    "expected rows x columns x 3"
  )
})

test_that("a program sees only the environment it is given, and its children end with it", {
  skip_on_cran()
  folder <- withr::local_tempdir()
  shell <- function(lines, ...) {
    writeLines(c("#!/bin/sh", lines), file.path(folder, "run.sh"))
    built(
      "p",
      kind = "command",
      command = list("sh", "run.sh"),
      about = list(version = "1", takes = list("text_alone")),
      ...,
      folder = folder
    )
  }

  withr::local_envvar(SECRET_ONE = "open sesame", SECRET_TWO = "not for you")
  end <- ending(
    shell(c("echo one=$SECRET_ONE two=$SECRET_TWO >&2", "exit 10"), env = list("SECRET_ONE"))
  )
  expect_equal(end$kind, "refused")
  expect_match(end$said, "one=(SECRET_ONE) two=$|one=\\(SECRET_ONE\\) two=")
  # A program in R does not read what lies in the trial's folder.
  writeLines("cat('let in', file = 'let-in')", file.path(folder, ".Rprofile"))
  withr::with_envvar(c(R_PROFILE_USER = NA), {
    ending(shell(paste(file.path(R.home("bin"), "Rscript"), "-e 1")))
  })
  expect_false(file.exists(file.path(folder, "let-in")))
  expect_match(
    ending(shell("exit 0", env = list("SECRET_MISSING")))$said,
    "SECRET_MISSING, which the program is to be given, is not set"
  )
  marker <- file.path(folder, "child")
  late <- shell(
    c(paste0("(sleep 30; touch '", marker, "') & echo $! > '", marker, ".pid'"), "sleep 30"),
    seconds = 1
  )
  expect_equal(ending(late)$kind, "timed_out")
  child <- readLines(paste0(marker, ".pid"))
  Sys.sleep(0.3)
  expect_false(
    dir.exists(file.path("/proc", child)) &&
      !grepl("Z", readLines(file.path("/proc", child, "stat")))
  )
  expect_match(ending(shell("exit 0"))$said, "left no picture.png behind")
  expect_match(ending(shell("echo '{nope' > $2/result.json; exit 14"))$said, "not JSON")
  expect_equal(
    ending(
      built(
        "p",
        kind = "command",
        command = list("no-such-program"),
        about = list(version = "1", takes = list("text_alone")),
        folder = folder
      )
    )$kind,
    "unreachable"
  )
  expect_equal(ending(shell("exit 77"))$kind, "bad_answer")
})

test_that(
  paste0(
    "a folder is filled over several days: missing, extra, wrong, double and changed pictures ",
    "are told"
  ),
  {
    lineup <- c(
      "engines:",
      "  hand: {kind: folder, folder: hand, about: {version: \"1\"}}",
      "pipelines:",
      "  - {id: cut, engine: hand}"
    )
    folder <- small_trial(lineup = lineup)
    first <- run_trial(folder)
    expect_equal(first$takes$state, rep("planned", 6))
    expect_equal(first$by_hand$hand$found$state, rep("missing", 6))
    list <- utils::read.csv(first$by_hand$hand$checklist)
    expect_equal(list$save_as[1], "cut--one--1.png")
    expect_equal(unique(list$width), 96)
    expect_true(
      all(file.exists(file.path(folder, "hand", unlist(strsplit(list$pictures, " ")))))
    )
    save <- function(seed, name, width = 96) {
      png::writePNG(scene(seed, width, 64), file.path(folder, "hand", name))
    }

    save(1, "cut--one--1.png")
    save(2, "cut--one--2.png", width = 90)
    save(3, "cut--two--1.png")
    file.copy(
      file.path(folder, "hand", "cut--two--1.png"),
      file.path(folder, "hand", "cut--two--2.png")
    )
    writeLines("no picture", file.path(folder, "hand", "cut--three--1.png"))
    save(6, "holiday.png")
    second <- run_trial(folder)
    found <- second$by_hand$hand$found
    state <- stats::setNames(found$state, found$file)
    expect_equal(state[["cut--one--1.png"]], "taken in")
    expect_equal(state[["holiday.png"]], "extra")
    expect_equal(state[["cut--three--2.png"]], "missing")
    expect_equal(
      unname(
        state[c("cut--one--2.png", "cut--two--1.png", "cut--two--2.png", "cut--three--1.png")]
      ),
      rep("not taken in", 4)
    )
    expect_match(found$why[found$file == "cut--one--2.png"], "90 x 64 and not 96 x 64")
    expect_match(
      found$why[found$file == "cut--two--1.png"],
      "the same picture as cut--two--2.png"
    )
    # Put right on another day, one by a list; what was taken in stays, whatever is saved over it.
    save(2, "cut--one--2.png")
    save(9, "cut--one--1.png")
    writeLines(
      c("file,pipeline,case,seed", "holiday.png,cut,three,2"),
      file.path(folder, "hand", "manifest.csv")
    )
    third <- run_trial(folder)
    found <- third$by_hand$hand$found
    state <- stats::setNames(found$state, found$file)
    expect_equal(
      unname(state[c("cut--one--2.png", "holiday.png", "cut--one--1.png")]),
      c("taken in", "taken in", "changed")
    )
    expect_equal(
      with(third$takes, sha256[case == "one" & seed == 1]),
      with(second$takes, sha256[case == "one" & seed == 1])
    )
  }
)

test_that("nothing in a person's folder is overwritten", {
  folder <- small_trial(
    lineup = c(
      "engines:",
      "  hand: {kind: folder, folder: hand, about: {version: \"1\"}}",
      "pipelines:",
      "  - {id: cut, engine: hand}"
    )
  )
  run_trial(folder)
  list <- file.path(folder, "hand", "checklist.csv")
  writeLines(c(readLines(list), "my own note"), list)
  before <- tools::md5sum(
    list.files(file.path(folder, "hand"), recursive = TRUE, full.names = TRUE)
  )
  made <- run_trial(folder)
  expect_equal(basename(made$by_hand$hand$checklist), "checklist-2.csv")
  expect_identical(tools::md5sum(names(before)), before)
  # The third run finds its list written already.
  expect_equal(basename(run_trial(folder)$by_hand$hand$checklist), "checklist-2.csv")
  wrong <- function(more) {
    check_trial(
      small_trial(
        lineup = c(
          "engines:",
          paste0("  hand: {kind: folder, folder: ", more, ", about: {version: \"1\"}}"),
          "pipelines:",
          "  - {id: cut, engine: hand}"
        )
      )
    )
  }

  expect_match(wrong("../out")$found, "leaves the trial", all = FALSE)
  expect_match(wrong("hand, name: same")$found, "lacks \\{pipeline\\}", all = FALSE)
})

test_that("a checklist reads back as it was written, whatever the words are", {
  table <- data.frame(
    save_as = c(
      "plain",
      "a, b",
      "he said \"no\"",
      "two\nlines",
      "carriage\rreturn",
      "\u05e9\u05dc\u05d5\u05dd, \u00e9t\u00e9",
      ""
    ),
    seed = c(1L, NA, 3:7),
    hold = c(0.1, 0.25, NA, 1, 1e-7, 123456.789, 0)
  )
  file <- withr::local_tempfile()
  writeLines(enc2utf8(csv_lines(table)), file, useBytes = TRUE)
  read <- utils::read.csv(
    file,
    encoding = "UTF-8",
    na.strings = "",
    colClasses = c("character", "integer", "numeric")
  )
  table$save_as[table$save_as == ""] <- NA
  # R's own reader takes a bare carriage return for the end of a line.
  expect_equal(gsub("\n", "\r", read$save_as), gsub("\n", "\r", table$save_as))
  expect_equal(read$seed, table$seed)
  expect_equal(read$hold, table$hold)
})

test_that("tensors go as bytes only to a server that says it takes them", {
  says <- function(status, body) {
    list(status = status, type = "application/json", headers = list(), body = charToRaw(body))
  }
  expect_true(takes_binary(says(200, '{"extensions": ["binary_tensor_data"]}')))
  expect_false(takes_binary(says(200, '{"extensions": []}')))
  expect_false(takes_binary(says(200, '{"extensions": ["classification"]}')))
  expect_true(takes_binary(says(404, "{}")))
  expect_true(takes_binary(says(200, '{"name": "x"}')))

  skip_on_cran()
  # It describes itself without the extension, and its model refuses what comes.
  reply <- function(status, body) message_bytes(status, body, "Content-Type: application/json")
  about <- reply("200 OK", "{\"name\": \"x\", \"extensions\": []}")
  refusal <- reply("400 Bad Request", "{\"error\": \"can't read this\"}")
  model <- reply(
    "200 OK",
    paste0(
      "{\"name\": \"sorrel\", \"inputs\": [",
      "{\"name\": \"PROMPT\", \"datatype\": \"BYTES\", \"shape\": [1]}, ",
      "{\"name\": \"reference\", \"datatype\": \"FP32\", \"shape\": [1, -1, -1, 3]}]}"
    )
  )
  address <- lying_server(function(path, number) {
    if (path == "/v2") {
      about
    } else if (grepl("infer$", path)) {
      refusal
    } else {
      model
    }
  })
  asked <- function(...) {
    wanted <- list(
      kind = "inference",
      address = address,
      model = "sorrel",
      tensors = list(prompt = "PROMPT"),
      about = list(version = "1", takes = list("text_alone")),
      ...
    )
    ending(inference_engine(wanted, "x"))$said
  }
  expect_match(asked(), "can't read this")
  expect_no_match(asked(), "sends them as JSON")
  expect_match(asked(binary = TRUE), "`binary: false` sends them as JSON")
})

test_that("a large tensor is written as one row of numbers", {
  values <- c(0.25, 1, 0)
  tensor <- list(type = "FP32", sizes = c(1, 3), values = values)
  written <- rawToChar(infer_message(list(P = tensor), "OUT", "key", FALSE)$body)
  expect_match(written, '"data":[0.25,1,0]', fixed = TRUE)
  tensor <- list(type = "BYTES", sizes = 1, values = "a mill")
  written <- rawToChar(infer_message(list(P = tensor), "OUT", "key", FALSE)$body)
  expect_match(written, '"data":["a mill"]', fixed = TRUE)
})
