test_that("engines are listed side by side, with what is odd about them", {
  folder <- withr::local_tempdir()
  new_trial(file.path(folder, "demo"), demo = TRUE)
  listed <- list_engines(file.path(folder, "demo"))
  expect_setequal(listed$kind, c("function", "folder"))
  expect_equal(listed$hold[listed$engine == "bracken"], "1 lets go, 100 keeps")
  expect_match(
    listed$checkpoints[listed$engine == "yarrow"],
    "tide \\(multiples of 64\\); ember"
  )
  run <- run_cli("engines", file.path(folder, "demo"), "--engine", "yarrow,bracken")
  expect_equal(run$status, 0)
  expect_snapshot(cat(run$out[1:15], sep = "\n"))
  expect_true(all(nchar(run$out) <= 112))
  expect_match(
    run_cli("engines", file.path(folder, "demo"), "--engine", "elder")$err,
    "no engine \"elder\"",
    all = FALSE
  )
  expect_equal(run_cli("engines")$status, 2)
})

test_that("each engine makes one picture when tried, and a failing one is told with what to do", {
  folder <- small_trial(
    lineup = c(
      "engines:",
      "  mixer: {kind: function, file: mixer.R}",
      "  twin: {kind: function, file: twin.R}",
      small_lineup[-(1:2)],
      "  - {id: other, engine: twin, hold: 0.5}"
    )
  )
  writeLines(
    paste0(
      "get('mixing_engine', globalenv())('twin', broken = function(request) ",
      "sprenn::engine_failure('out_of_credit', 'The account is empty.'))"
    ),
    file.path(folder, "twin.R")
  )
  file <- withr::local_tempfile(fileext = ".png")
  run <- run_cli("engines", folder, "--try", "--out", file)
  expect_equal(run$status, 1)
  expect_match(run$out, "^mixer +made", all = FALSE)
  expect_match(
    paste(run$out, collapse = " "),
    "twin: The account is empty. What to do: add credit"
  )
  expect_equal(dim(read_picture(file))[2], 1280)
  tried <- try_engines(folder, case = "two", engines = "mixer")
  expect_equal(tried$case, "two")
  expect_equal(dim(png::readPNG(tried$tries$bytes[[1]])), c(64, 96, 3))
  expect_error(try_engines(folder, case = "nine")$tries, class = "sprenn_error_argument")
})

test_that("calibrating says first what it will take", {
  folder <- small_trial()
  dry <- run_cli("calibrate", folder, "--dry", "--rungs", "6")
  expect_match(dry$out, "mixer: 24 pictures, about 12.00 in cost and 1 s", all = FALSE)
  expect_equal(readLines(file.path(folder, "lineup.yml")), small_lineup)
  run <- run_cli("calibrate", folder, "--rungs", "5")
  expect_equal(run$status, 0)
  expect_match(run$out, "reaches +structure", all = FALSE)
  expect_match(readLines(file.path(folder, "lineup.yml")), "^calibrations:", all = FALSE)
  expect_match(
    run_cli("calibrate", folder, "--engine", "elder")$err,
    "Can't calibrate elder",
    all = FALSE
  )
})

test_that("stand-ins are started by the command, say where they are, and stop", {
  skip_on_cran()
  port <- httpuv::randomPort(20000, 40000)
  run <- run_cli(
    "standins",
    "quince",
    "--port",
    port,
    "--for",
    "0.1",
    "--faults",
    "quince=busy@1+error:0.1"
  )
  expect_equal(run$status, 0)
  expect_match(run$out, paste0("quince +http://127.0.0.1:", port), all = FALSE)
  expect_error(suppressWarnings(socketConnection("127.0.0.1", port, timeout = 1)))
  expect_equal(run_cli("standins", "elder")$status, 2)
  expect_match(
    run_cli("standins", "quince", "--port", "99999999")$err,
    "from 1 to 65535",
    all = FALSE
  )
  expect_match(
    run_cli("standins", "quince", "--faults", "quince")$err,
    "NAME=FAULTS",
    all = FALSE
  )
  expect_match(
    run_cli("standins", "quince", "--faults", "quince=bussy@1")$err,
    "There is no fault bussy@1",
    all = FALSE
  )
  expect_match(
    run_cli("engines", "--at", "http://127.0.0.1:1")$err,
    "needs --conform",
    all = FALSE
  )
})

test_that("the served demo is the same lineup over all six kinds", {
  folder <- file.path(withr::local_tempdir(), "demo")
  new_trial(folder, demo = TRUE)
  inside <- read_trial(folder)$lineup$pipelines
  serve_demo(
    folder,
    c(
      bracken = "http://127.0.0.1:9001",
      sorrel = "http://127.0.0.1:9002",
      quince = "http://127.0.0.1:9003",
      burdock = "http://127.0.0.1:9004",
      "burdock-pictures" = "http://127.0.0.1:9005"
    )
  )
  served <- yaml::read_yaml(file.path(folder, "lineup.yml"))
  expect_setequal(
    unique(vapply(served$engines, `[[`, "", "kind")),
    c("function", "http", "inference", "described", "command", "folder")
  )
  expect_equal(served$engines$burdock$address, "http://127.0.0.1:9004")
  expect_equal(served$engines$burdock$result$hosts, "http://127.0.0.1:9005")
  expect_equal(served$engines$sorrel$address, "http://127.0.0.1:9002")
  expect_equal(
    vapply(served$pipelines, `[[`, "", "id"),
    inside$pipeline[is.na(inside$sweep) | inside$sweep == inside$pipeline]
  )
})

test_that("a described service is shown before, while and after it is tried", {
  skip_on_cran()
  running <- start_standins("burdock")
  withr::defer(stop_standins(running))
  withr::local_envvar(BURDOCK_KEY = "opensesame")
  addresses <- running$addresses
  entry <- burdock_at(addresses[["burdock"]], addresses[["burdock-pictures"]])
  folder <- small_trial(lineup = c(
    "engines:", paste0("  burdock: ", to_json(entry)), "  mixer: {kind: function, file: mixer.R}",
    "pipelines:", "  - {id: a, engine: burdock, hold: 0.5, checkpoint: burr}",
    "  - {id: b, engine: mixer, hold: 0.5}"
  ))
  addressless <- function(lines) {
    lines <- gsub("127.0.0.1:[0-9]+", "127.0.0.1:PORT", lines)
    lines <- gsub("key: [0-9a-f]{20}", "key: KEY", gsub("Key: [0-9a-f]{20}", "Key: KEY", lines))
    gsub(folder, "TRIAL", lines, fixed = TRUE)
  }
  dry <- run_cli("engines", folder, "--try", "--dry")
  expect_equal(dry$status, 0)
  expect_snapshot(cat(addressless(dry$out), sep = "\n"))
  # Nothing was sent.
  expect_false(file.exists(running$ledgers[["burdock"]]))
  file <- withr::local_tempfile(fileext = ".png")
  tried <- run_cli("engines", folder, "--try", "--engine", "burdock", "--out", file)
  expect_equal(tried$status, 0)
  expect_match(tried$out, "wait.state +[$].job.state +ready", all = FALSE)
  expect_match(tried$out, "Authorization: Bearer \\(BURDOCK_KEY\\)", all = FALSE)
  expect_false(any(grepl("opensesame", tried$out)))
  kept <- file.path(dirname(file), "tried-burdock-wait.http")
  expect_match(readLines(kept)[1], "HTTP/1.1 200")
  again <- run_cli("engines", folder, "--engine", "burdock", "--replay", kept)
  expect_equal(again$status, 0)
  expect_match(again$out, "result.cost +[$].job.credits_used +1", all = FALSE)
  bare <- withr::local_tempfile(lines = "{\"job\": {\"state\": \"broken\", \"reason\": \"Oh.\"}}")
  readings <- replay_answer(folder, "burdock", bare)
  expect_equal(readings$found[readings$field == "wait.state"], "broken")
  expect_true(is.na(readings$found[readings$field == "result.picture"]))
  expect_equal(readings$found[readings$field == "failures: bad_answer"], "Oh.")
  expect_equal(run_cli("engines", folder, "--replay", bare)$status, 2)
  expect_error(replay_answer(folder, "mixer", bare), class = "sprenn_error_argument")
})

test_that("the entry of a service is drafted from its OpenAPI document", {
  file <- test_path("services", "lanternworks.json")
  run <- run_cli("engines", "--describe", file, "--call", "POST /render/from-picture")
  expect_equal(run$status, 0)
  expect_snapshot(cat(run$out, sep = "\n"))
  expect_match(run_cli("engines", "--describe", "none.yaml")$err, "none.yaml", all = FALSE)
})
