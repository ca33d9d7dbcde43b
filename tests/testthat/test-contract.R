# The contract's own schemas, held against what is sent and what stand-ins say.
fits_schema <- function(name, text) {
  python <- "/usr/bin/python3"
  skip_if_not(
    file.exists(python) &&
      system2(python, c("-c", shQuote("import jsonschema")), stderr = FALSE) == 0,
    "no jsonschema for Python"
  )
  contract <- yaml::read_yaml(
    system.file("contract", "openapi.yaml", package = "sprenn"),
    handlers = list(seq = function(x) as.list(x))
  )
  schema <- list(
    "$ref" = paste0("#/components/schemas/", name),
    components = contract$components
  )
  files <- withr::local_tempfile(
    lines = as.character(
      jsonlite::toJSON(schema, auto_unbox = TRUE, null = "null", digits = NA)
    )
  )
  value <- withr::local_tempfile(lines = text)
  code <- paste0(
    "import json,sys,jsonschema; s=json.load(open(sys.argv[1])); v=json.load(open(sys.argv[2])); ",
    "e=list(jsonschema.Draft202012Validator(s).iter_errors(v)); print(len(e), [x.message for x ",
    "in e][:3])"
  )
  paste(
    system2(python, c("-c", shQuote(code), files, value), stdout = TRUE, stderr = TRUE),
    collapse = " "
  )
}

test_that("every request that is sent fits the contract's schema", {
  engine <- mixing_engine()
  plain <- engine_request(engine, "a", scene(1, 64, 48), size = c(64, 48))
  full <- engine_request(
    engine,
    data.frame(say = c("a", "b"), weight = c(1, 1.4)),
    scene(1, 64, 48),
    hold = 0.25,
    settings = list(tint = 0.5),
    size = c(64, 48),
    negative = "c",
    looks = list(scene(2, 30, 20)),
    guides = list(edges = list(picture = scene(3, 64, 48), weight = 0.5, release = 0.9)),
    mask = matrix(1, 48, 64)
  )
  alone <- engine_request(engine, "a", size = c(64, 48))
  for (request in list(plain, full, alone)) {
    expect_equal(
      fits_schema("Request", rawToChar(request_parts(request)$request$bytes)),
      "0 []"
    )
  }

  expect_match(fits_schema("Request", "{\"prompt\": \"a\"}"), "^[1-9]")
})

test_that("what stand-ins say of themselves and of a take fits it too", {
  skip_on_cran()
  for (engine in list(
    standin_yarrow(),
    standin_bracken(),
    standin_quince(),
    standin_teasel(),
    standin_sorrel(),
    standin_madder(),
    standin_burdock()
  )) {
    said <- as.character(
      jsonlite::toJSON(
        about_for_wire(engine),
        auto_unbox = TRUE,
        digits = NA,
        null = "null"
      )
    )
    expect_equal(fits_schema("About", said), "0 []", info = engine$about$name)
    back <- new_about(
      about_from_list(jsonlite::parse_json(said), engine$about$name)
    )
    for (fact in setdiff(names(engine$about), "checkpoints")) {
      expect_equal(back[[fact]], engine$about[[fact]], info = paste(engine$about$name, fact))
    }

    expect_equal(unlist(back$checkpoints), unlist(engine$about$checkpoints))
  }

  running <- start_standins("quince")
  withr::defer(stop_standins(running))
  quince <- built(
    "quince",
    kind = "http",
    address = running$addresses[["quince"]],
    folder = withr::local_tempdir()
  )
  request <- small_request(quince)
  url <- paste0(running$addresses[["quince"]], "/takes")
  answer <- fetch(
    "POST",
    url,
    c("Idempotency-Key" = request$key),
    form = request_parts(request)
  )
  expect_equal(answer$status, 200)
  expect_equal(fits_schema("Take", rawToChar(answer$body)), "0 []")
})

test_that("each kind of engine wants its own keys, and no others'", {
  found <- function(line) {
    problems <- problems_of(
      lineup = c("engines:", paste0("  mixer: ", line), small_lineup[-(1:2)])
    )
    paste(problems$place, problems$found, problems$wanted, collapse = " | ")
  }

  expect_match(found("{kind: http}"), "address, as kind is http")
  expect_match(
    found("{kind: inference, address: \"http://127.0.0.1:9\"}"),
    "model, as kind is inference.*about, as kind is inference"
  )
  expect_match(found("{kind: command, about: {version: \"1\"}}"), "command, as kind is command")
  expect_match(
    found(
      "{kind: folder, folder: x, about: {version: \"1\"}, address: \"http://127.0.0.1:9\"}"
    ),
    "no address, as kind is folder"
  )
  expect_match(
    found("{kind: http, address: \"http://studio.example\"}"),
    "only on this machine"
  )
  expect_match(
    found("{kind: http, address: \"https://studio.example\", key: \"my key\"}"),
    "name of an environment variable"
  )
  expect_match(
    found("{kind: folder, folder: x, about: {version: \"1\", takes: [edge]}}"),
    "edge"
  )
  expect_match(
    found("{kind: folder, folder: x, about: {version: \"1\", settings: {g: {from: 2}}}}"),
    "to, as there is from"
  )
  expect_match(
    found("{kind: http, address: \"http://127.0.0.1:9\"}"),
    "can't be reached.*--conform"
  )
})

test_that("a run's file of the older schema is brought up to date, with all that is in it", {
  folder <- small_trial()
  before <- run_trial(folder)$takes
  db <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "runs", "main", "run.sqlite"))
  for (view in c("overview", "all_scores")) {
    DBI::dbExecute(db, paste("DROP VIEW", view))
  }

  for (column in c("attempt", "control", "parent", "first_call", "asked")) {
    DBI::dbExecute(db, paste("ALTER TABLE takes DROP COLUMN", column))
  }

  for (column in c("follows", "stage", "shown", "add_ons", "gives", "varied")) {
    DBI::dbExecute(db, paste("ALTER TABLE pipelines DROP COLUMN", column))
  }

  for (table in c("work", "slots", "turns", "pauses", "writers", "prints")) {
    DBI::dbExecute(db, paste("DROP TABLE", table))
  }

  DBI::dbExecute(db, "DROP INDEX scores_deciding")
  for (table in c("answers", "ballots")) {
    DBI::dbExecute(db, paste("DROP TABLE", table))
  }

  DBI::dbExecute(db, "DELETE FROM scores")
  DBI::dbExecute(db, "PRAGMA user_version = 1")
  DBI::dbDisconnect(db)
  expect_equal(run_trial(folder)$takes, before)
  db <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "runs", "main", "run.sqlite"))
  withr::defer(DBI::dbDisconnect(db))
  expect_equal(unique(DBI::dbGetQuery(db, "SELECT attempt FROM takes")$attempt), 1)
})

test_that("a new key follows a wrong answer, never a lost one", {
  keys <- character()
  engine_that <- function(kind) {
    mixing_engine(broken = function(request) {
      keys <<- c(keys, request$key)
      engine_failure(kind, "no", retry_after = 0)
    })
  }

  for (kind in c("unreachable", "timed_out", "busy", "bad_answer")) {
    folder <- small_trial(suite = c(small_suite[1], "seeds: [1]", small_suite[3:5]))
    keys <- character()
    run_trial(read_trial(folder, engines = list(mixer = engine_that(kind))))
    once <- unique(keys)
    expect_equal(length(keys), 4 * length(once), info = kind)
    keys <- character()
    run_trial(read_trial(folder, engines = list(mixer = engine_that(kind))), retry = TRUE)
    expect_equal(setequal(unique(keys), once), kind != "bad_answer", info = kind)
  }
})

test_that("a run whose engines are gone can still be read and chosen from", {
  skip_on_cran()
  running <- start_standins("quince")
  withr::defer(stop_standins(running))
  folder <- small_trial(
    lineup = c(
      "engines:",
      paste0("  q: {kind: http, address: \"", running$addresses, "\"}"),
      "pipelines:",
      "  - {id: firm, engine: q, hold: 0.9}",
      "  - {id: loose, engine: q, hold: 0.1}"
    )
  )
  made <- run_trial(folder)$takes
  expect_equal(unique(made$state), "made")
  stop_standins(running)
  score_run(folder)
  expect_s3_class(choose_pipeline(folder), "sprenn_verdict")
  expect_match(list_engines(folder)$remembered, "^20")
  listed <- run_cli("engines", folder)
  expect_match(listed$out, "Not answering now: q \\(shown as it was on 20", all = FALSE)
  # New takes can't be made: they stay planned, and the engine is named.
  writeLines(
    sub("0.1}", "0.2}", readLines(file.path(folder, "lineup.yml"))),
    file.path(folder, "lineup.yml")
  )
  again <- run_trial(folder, outage = 1)
  expect_equal(as.vector(table(again$takes$state)[c("made", "planned")]), c(6, 6))
  expect_match(again$parked$q, "can't be reached")
})

test_that("an engine by hand costs nothing to list, try, calibrate and conform", {
  folder <- small_trial(
    lineup = c(
      "engines:",
      "  hand: {kind: folder, folder: hand, about: {version: \"1\"}}",
      "pipelines:",
      "  - {id: cut, engine: hand}"
    )
  )
  expect_equal(list_engines(folder)$checkpoints, "plain (any size)")
  expect_equal(nrow(try_engines(folder)$tries), 0)
  expect_error(
    calibrate_engine(folder, "hand"),
    "A person makes its pictures",
    class = "sprenn_error_calibration"
  )
  run <- run_cli("engines", folder, "--conform")
  expect_equal(run$status, 0)
  expect_match(run$out, "there is nothing to try", all = FALSE)
  made <- run_cli("run", folder)
  expect_equal(made$status, 1)
  expect_match(made$out, "6 still planned", all = FALSE)
  expect_match(made$out, "hand, by hand: 6 missing", all = FALSE)
  expect_match(made$out, "how to name it: .*checklist.csv", all = FALSE)
})
