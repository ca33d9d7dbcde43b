made_trial <- function(env = parent.frame(), ...) {
  folder <- small_trial(..., env = env)
  run_trial(folder, score = FALSE)
  folder
}

connect <- function(folder, env = parent.frame()) {
  db <- DBI::dbConnect(RSQLite::SQLite(), file.path(folder, "runs", "main", "run.sqlite"))
  withr::defer(DBI::dbDisconnect(db), envir = env)
  db
}

test_that("scores are one number a row, with the take they belong to", {
  folder <- made_trial()
  scores <- score_run(folder)$scores
  expect_named(
    scores,
    c(
      "take", "pipeline", "case", "seed", "axis", "measure", "phrase", "value", "raw", "level",
      "place"
    )
  )
  expect_equal(length(unique(scores$take)), 12)
  structure <- scores[scores$measure == "orientation", ]
  expect_equal(nrow(structure), 12)
  expect_gt(
    min(structure$value[structure$pipeline == "firm"]),
    max(structure$value[structure$pipeline == "loose"])
  )
  expect_equal(unique(scores$phrase[scores$axis == "adherence"]), "dark")
  expect_equal(unique(scores$case[scores$axis == "adherence"]), "one")
})

test_that("scoring again measures nothing twice, and anew gives the same to the last bit", {
  folder <- made_trial()
  first <- score_run(folder)$scores
  told <- numeric()
  count <- function(done, total, failed, seconds) told <<- c(told, done)
  expect_identical(score_run(folder, progress = count)$scores, first)
  expect_length(told, 0)
  expect_identical(score_run(folder, again = TRUE, progress = count)$scores, first)
  expect_equal(max(told), 12)
  expect_identical(score_run(folder, again = TRUE, workers = 0)$scores, first)
})

test_that("scores of another version of the measures are never mixed with new ones", {
  folder <- made_trial()
  first <- score_run(folder)$scores
  db <- connect(folder)
  DBI::dbExecute(db, "UPDATE facts SET value = 'older' WHERE name = 'measures'")
  DBI::dbExecute(db, "UPDATE scores SET value = -9 WHERE measure = 'orientation'")
  expect_identical(score_run(folder)$scores, first)
})

test_that("a picture that was altered on disk is not scored but named", {
  folder <- made_trial()
  takes <- run_trial(folder, score = FALSE)$takes
  bytes <- readBin(takes$path[3], "raw", file.size(takes$path[3]))
  bytes[length(bytes) - 20] <- xor(bytes[length(bytes) - 20], as.raw(1))
  writeBin(bytes, takes$path[3])
  error <- expect_error(score_run(folder)$scores, takes$take[3], class = "sprenn_error_store")
  expect_match(error$details, "check TRIAL --run main --repair", all = FALSE)
  unlink(takes$path[3])
  expect_identical(run_trial(folder)$takes$sha256, takes$sha256)
  expect_equal(length(unique(score_run(folder)$scores$take)), 12)
})

test_that("what was measured of a picture goes with it", {
  folder <- small_trial()
  takes <- run_trial(folder)$takes
  unlink(takes$path[3])
  run_trial(folder, score = FALSE)
  expect_error(choose_pipeline(folder), "1 takes? of run", class = "sprenn_error_run")
  expect_equal(length(unique(score_run(folder)$scores$take)), 12)
})

test_that("a run can be read while another process writes to it", {
  folder <- made_trial()
  score_run(folder)
  writer <- connect(folder)
  DBI::dbBegin(writer)
  DBI::dbExecute(writer, "UPDATE takes SET seconds = 5")
  expect_equal(choose_pipeline(folder)$best, "firm")
  DBI::dbRollback(writer)
})

test_that("pipelines that leave the lineup leave the choice, and their pictures stay", {
  folder <- made_trial()
  score_run(folder)
  writeLines(small_lineup[-5], file.path(folder, "lineup.yml"))
  made <- run_trial(folder)
  expect_equal(sum(made$takes$state == "made"), 6)
  expect_equal(made$left_over, 6)
  expect_length(list.files(file.path(folder, "runs", "main", "takes"), recursive = TRUE), 12)
  verdict <- choose_pipeline(folder)
  expect_equal(verdict$pipelines$pipeline, "firm")
  expect_match(format(verdict), "only pipeline of the lineup", all = FALSE)
})

test_that("a new version of an engine makes its takes anew", {
  folder <- made_trial()
  trial <- read_trial(folder, engines = list(mixer = mixing_engine(version = "2")))
  made <- run_trial(trial)
  expect_setequal(made$takes$take, plan_run(trial)$takes$take)
  expect_equal(made$left_over, 12)
})

test_that("takes are kept in order, without leftovers of half-written files", {
  folder <- made_trial()
  files <- list.files(file.path(folder, "runs", "main", "takes"), recursive = TRUE)
  expect_true(all(grepl("^[0-9a-f]{2}/[0-9a-f]{64}\\.png$", files)))
  takes <- run_trial(folder)$takes
  expect_equal(takes$seed, rep(1:2, each = 6))
})

test_that("a full or read-only disk stops the run with a clear error, and keeps what was made", {
  skip_on_os("windows")
  folder <- made_trial()
  store <- open_store(folder, "main")
  withr::defer(close_store(store))
  blocked <- open_store(folder, "main")
  withr::defer(close_store(blocked))
  blocked$folder <- file.path(folder, "mixer.R")
  bytes <- png::writePNG(scene(3))
  error <- expect_error(
    suppressWarnings(keep_pictures(blocked, list(bytes))),
    "Can't write",
    class = "sprenn_error_store"
  )
  expect_match(error$details, "the same command resumes", all = FALSE)
  kept <- keep_pictures(store, list(bytes))
  expect_equal(kept$sha256, paste(unclass(openssl::sha256(bytes)), collapse = ""))
})

test_that("the fingerprint covers meaning and pixels, not layout, comments or packing", {
  print_of <- function(folder) fingerprint_suite(read_trial(folder)$suite)
  folder <- small_trial()
  before <- print_of(folder)
  writeLines(c("# said in passing", small_suite, ""), file.path(folder, "suite.yml"))
  expect_equal(print_of(folder), before)
  picture <- file.path(folder, "references", "one.png")
  pixels <- read_picture(picture)
  magick::image_write(
    magick::image_read(png::readPNG(picture)),
    picture,
    format = "png",
    compression = "None"
  )
  expect_equal(read_picture(picture), pixels)
  expect_equal(print_of(folder), before)
  png::writePNG(pixels * 0.9, picture)
  expect_false(print_of(folder) == before)
})

test_that("a choice reads what decides and nothing else, by its index", {
  folder <- made_trial()
  all <- score_run(folder)$scores
  store <- open_store(folder, "main")
  on.exit(close_store(store))
  # A flaw, so that there is one to be read.
  DBI::dbExecute(
    store$db,
    "UPDATE scores SET level = 'slight' WHERE measure = 'blur' AND take = ?",
    params = list(all$take[1])
  )
  some <- read_deciding_scores(store, c(orientation = 2, layout = 1))
  wanted <- all$axis == "adherence" |
    all$measure %in% c("orientation", "layout", "style_change", "look_match") |
    (all$measure == "blur" & all$take == all$take[1])
  wanted <- wanted | (all$axis == "flaws" & all$level != "none")
  expect_setequal(
    paste(some$take, some$measure, some$phrase, some$value),
    with(all[wanted, ], paste(take, measure, phrase, value))
  )
  expect_equal(
    sum(read_deciding_scores(store, c(noise = 1))$measure == "noise"),
    12
  )
  plan <- DBI::dbGetQuery(
    store$db,
    paste(
      "EXPLAIN QUERY PLAN SELECT take FROM scores WHERE", deciding,
      "AND axis IN ('structure', 'style') AND measure IN ('layout')"
    )
  )
  expect_match(plan$detail, "scores_deciding", all = FALSE)
})

test_that("a store of an older form is brought to today's, and chooses as before", {
  folder <- made_trial()
  score_run(folder)
  before <- choose_pipeline(folder)
  db <- connect(folder)
  DBI::dbExecute(db, "DROP INDEX scores_deciding")
  for (table in c("answers", "ballots")) {
    DBI::dbExecute(db, paste("DROP TABLE", table))
  }

  DBI::dbExecute(db, "ALTER TABLE prints DROP COLUMN overlay")
  for (view in DBI::dbGetQuery(db, "SELECT name FROM sqlite_master WHERE type = 'view'")$name) {
    DBI::dbExecute(db, paste("DROP VIEW", sql_name(view)))
  }

  DBI::dbExecute(db, "ALTER TABLE takes DROP COLUMN asked")
  for (column in c("add_ons", "gives", "varied")) {
    DBI::dbExecute(db, paste("ALTER TABLE pipelines DROP COLUMN", column))
  }

  for (table in c("work", "slots", "turns", "pauses", "writers")) {
    DBI::dbExecute(db, paste("DROP TABLE", table))
  }

  DBI::dbExecute(db, holder_table)
  DBI::dbExecute(
    db,
    "INSERT INTO holder VALUES (1, 'x', ?, ?, ?, 'ana on hut', '2026-11-25T10:00:00Z', 3)",
    params = list(machine_id(), Sys.getpid(), process_start(Sys.getpid()))
  )
  DBI::dbExecute(db, "PRAGMA user_version = 4")
  # An older version that is writing now is not disturbed.
  error <- expect_error(choose_pipeline(folder), class = "sprenn_error_run")
  expect_match(error$details, "older version of Sprenn is writing to it .ana on hut", all = FALSE)
  DBI::dbExecute(db, "UPDATE holder SET started = '1'")
  after <- choose_pipeline(folder)
  expect_identical(after$pipelines, before$pipelines)
  expect_equal(DBI::dbGetQuery(db, "PRAGMA user_version")[[1]], store_schema)
  expect_true(
    "scores_deciding" %in%
      DBI::dbGetQuery(db, "SELECT name FROM sqlite_master WHERE type = 'index'")$name
  )
})

test_that("what was found of several takes is kept at once or not at all", {
  folder <- made_trial()
  first <- score_run(folder)$scores
  store <- open_store(folder, "main")
  on.exit(close_store(store))
  takes <- unique(first$take)[1:2]
  found <- lapply(takes, function(take) {
    list(
      scores = first[first$take == take, c(
        "axis", "measure", "phrase", "value", "raw", "level", "place"
      )],
      print = paste("of", take),
      overlay = NA_character_
    )
  })
  found[[2]]$scores$value <- found[[2]]$scores$value + 1
  record_scores(store, takes, found)
  again <- read_scores(store)
  expect_identical(again[again$take == takes[1], ], first[first$take == takes[1], ])
  expect_equal(again$value[again$take == takes[2]], first$value[first$take == takes[2]] + 1)
  expect_equal(nrow(again), nrow(first))
  expect_error(record_scores(store, c(takes[1], "nobody"), found))
  expect_identical(read_scores(store), again)
})
