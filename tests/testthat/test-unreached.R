# An engine that was never reached is left out with its pipelines; everything else goes on.

mixing <- paste0(
  "sprenn::engine(list(name = 'mixer', version = '1', checkpoints = list(plain = list()), ",
  "hold = c(at_0 = 0, at_1 = 1)), function(request) sprenn::engine_result(request$reference))"
)

# A trial with the engine `late` at an address, alone, in a chain, and in a sweep.
late_trial <- function(address, ..., env = parent.frame()) {
  folder <- small_trial(
    lineup = c(
      "engines:",
      "  mixer: {kind: function, file: mixer.R}",
      paste0("  late: {kind: http, address: \"", address, "\"}"),
      "pipelines:",
      "  - {id: late, engine: late, hold: 0.5, if_missing: drop}",
      "  - {id: firm, engine: mixer, hold: 0.9}",
      "  - {id: late-firm, steps: [{engine: mixer, hold: 0.9}, {engine: late, hold: 0.5}]}",
      ...,
      "sweeps:",
      "  - {vary: hold, of: late, over: [0.2, 0.6]}"
    ),
    env = env
  )
  writeLines(mixing, file.path(folder, "mixer.R"))
  folder
}

test_that("the lineup goes on without it, and every command says so", {
  folder <- late_trial("http://127.0.0.1:9")
  found <- check_trial(folder)
  unusable <- found[found$level == "unusable", ]
  expect_equal(nrow(unusable), 1)
  expect_equal(unusable$place, "engines.late")
  expect_equal(unusable$line, 3)
  expect_match(unusable$found, "can't be reached")
  expect_false("problem" %in% found$level)

  expect_warning(
    trial <- read_trial(folder),
    "late is left out, and with it late and late-firm",
    class = "sprenn_warning_unreached"
  )
  expect_equal(trial$lineup$pipelines$pipeline, "firm")
  expect_match(format(trial), "left out: 2 pipelines on late", all = FALSE)

  made <- run_trial(trial, workers = 0)
  expect_equal(unique(made$takes$pipeline), "firm")
  expect_equal(unique(made$takes$state), "made")
  expect_match(made$parked$late, "can't be reached")
  verdict <- choose_pipeline(trial)
  expect_match(format(verdict), "late and late-firm could not be compared", all = FALSE)
})

test_that("commands end with 1, and data says what is left out", {
  folder <- late_trial("http://127.0.0.1:9")
  told <- run_cli("check", folder)
  expect_equal(told$status, 1)
  expect_match(told$out, "All files and pictures can be used, but not every engine", all = FALSE)
  expect_match(told$err, "Engine late is left out", all = FALSE)
  said <- jsonlite::parse_json(paste(run_cli("check", folder, "--json")$out, collapse = "\n"))
  expect_equal(said$unusable[[1]]$place, "engines.late")
  expect_equal(said$left_out[[1]]$engine, "late")
  expect_equal(unlist(said$left_out[[1]]$pipelines), c("late", "late-firm"))
  ran <- run_cli("run", folder, "--workers", "0", "--json")
  expect_equal(ran$status, 1)
  said <- jsonlite::parse_json(paste(ran$out, collapse = "\n"))
  expect_equal(said$made, 6)
  expect_match(said$left_alone$late, "can't be reached")
})

test_that("other problems stand at their own lines, and an empty lineup is one", {
  folder <- late_trial(
    "http://127.0.0.1:9",
    "  - {id: extend, engine: mixer, hold: 0.5, jobs: [extend]}"
  )
  found <- check_trial(folder)
  expect_equal(found$place[found$level == "problem"], "pipelines[4].jobs")
  expect_equal(found$line[found$level == "problem"], 8)

  folder <- late_trial("http://127.0.0.1:9", "  - {id: other, engine: mixer, hold: 2}")
  found <- check_trial(folder)
  expect_setequal(found$place, c("engines.late", "pipelines[4].hold"))
  expect_equal(unique(found$level), "problem")

  only <- small_trial(lineup = c(
    "engines:",
    "  late: {kind: http, address: \"http://127.0.0.1:9\"}",
    "pipelines:",
    "  - {id: late, engine: late}"
  ))
  expect_error(read_trial(only), "can't be reached", class = "sprenn_error_trial")
})

test_that("once it is reached it belongs to the same run", {
  skip_on_cran()
  port <- httpuv::randomPort()
  folder <- late_trial(paste0("http://127.0.0.1:", port))
  expect_warning(run_trial(folder, workers = 0), class = "sprenn_warning_unreached")
  running <- start_standins(c(quince = port))
  withr::defer(stop_standins(running))
  made <- run_trial(folder, workers = 0)
  expect_setequal(
    unique(made$takes$pipeline[is.na(made$takes$control)]),
    c("late", "firm", "late-firm", "late/hold=0.2", "late/hold=0.6")
  )
  expect_length(made$parked, 0)
  # It has described itself: that is enough for its pictures to be compared.
  stop_standins(running)
  expect_silent(trial <- read_trial(folder))
  expect_gt(nrow(choose_pipeline(trial)$pipelines), 1)
})

test_that("check tries programs, scripts, keys and model servers, and makes nothing", {
  folder <- small_trial(lineup = c(
    "engines:",
    "  absent: {kind: command, command: [no-such-program-here], about: {version: \"1\"}}",
    "  plain: {kind: command, command: [./plain.sh], about: {version: \"1\"}}",
    "  lost: {kind: command, command: [Rscript, lost.R], about: {version: \"1\"}}",
    "  keyed: {kind: command, command: [Rscript, there.R], env: [SPRENN_NO_KEY],",
    "    about: {version: \"1\"}}",
    "  model: {kind: inference, model: m, about: {version: \"1\"}, ",
    "    address: \"http://127.0.0.1:9\"}",
    "  fine: {kind: command, command: [Rscript, there.R], about: {version: \"1\"}}",
    "pipelines:",
    sprintf(
      "  - {id: %s, engine: %s, if_missing: drop}",
      c("absent", "plain", "lost", "keyed", "model", "fine"),
      c("absent", "plain", "lost", "keyed", "model", "fine")
    )
  ))
  writeLines("stop('it was run')", file.path(folder, "there.R"))
  writeLines("exit 1", file.path(folder, "plain.sh"))
  found <- check_trial(folder)
  found <- found[found$level == "unusable", ]
  expect_equal(found$place, paste0("engines.", c("absent", "plain", "lost", "keyed", "model")))
  expect_equal(found$line, c(2, 3, 4, 5, 7))
  expect_match(found$found[1], "there is no program no-such-program-here")
  expect_match(found$found[2], "plain.sh is not executable")
  expect_match(found$found[3], "there is no file lost.R")
  expect_match(found$found[4], "SPRENN_NO_KEY is not set")
  expect_match(found$found[5], "can't be reached")
  withr::local_envvar(SPRENN_NO_KEY = "x")
  Sys.chmod(file.path(folder, "plain.sh"), "755")
  expect_equal(sum(check_trial(folder)$level == "unusable"), 3)
  told <- run_cli("check", folder)
  expect_equal(told$status, 1)
  expect_match(told$out, "line 4, engines.lost: this engine can't be used now", all = FALSE)
})

test_that("a server that describes itself in a way that can't be used is left out", {
  skip_on_cran()
  said <- message_bytes(
    "200 OK",
    "{\"version\": \"1\", \"checkpoints\": {\"a\": {}}, \"hold\": \"firm\", \"curve\": 7}",
    "Content-Type: application/json"
  )
  address <- lying_server(local({
    kept <- said
    function(path, number) kept
  }))
  folder <- small_trial()
  lines <- readLines(file.path(folder, "lineup.yml"))
  engines <- which(lines == "engines:")
  lines <- append(lines, paste0("  odd: {kind: http, address: \"", address, "\"}"), engines)
  writeLines(c(lines, "  - {id: strange, engine: odd}"), file.path(folder, "lineup.yml"))
  expect_warning(
    trial <- read_trial(folder),
    "describes an engine that can't be used: hold:",
    class = "sprenn_warning_unreached"
  )
  expect_false("strange" %in% trial$lineup$pipelines$pipeline)
  # It is not kept as what the engine last said.
  expect_false(file.exists(file.path(folder, "runs", "engines", "odd.json")))
})
