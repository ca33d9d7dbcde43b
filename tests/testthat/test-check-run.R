made_run <- function(env = parent.frame()) {
  folder <- small_trial(env = env)
  run_trial(folder)
  folder
}

place <- function(folder, ...) file.path(folder, "runs", "main", ...)

test_that("a whole run has nothing to mend", {
  folder <- made_run()
  expect_equal(nrow(check_run(folder)), 0)
  expect_named(check_run(folder), c("kind", "take", "file", "words", "mended"))
  shown <- run_cli("check", folder, "--run", "main")
  expect_equal(shown$status, 0)
  expect_match(shown$out, "Run main is intact", all = FALSE)
  expect_error(check_run(folder, "other"), "There is no run", class = "sprenn_error_run")
})

test_that("what is gone, altered or unknown is found, mended and made again", {
  folder <- made_run()
  takes <- run_trial(folder)$takes
  before <- outcome_of(folder)
  unlink(takes$path[1])
  cat("x", file = takes$path[2], append = TRUE)
  file.copy(takes$path[3], place(folder, "takes", "stray.png"))
  writeLines("half", file.path(dirname(takes$path[4]), "part-1"))
  found <- check_run(folder)
  expect_equal(
    found$kind[order(found$kind)],
    c("altered", "leftover", "missing", "unknown file")
  )
  expect_true(all(is.na(found$mended)))
  expect_equal(run_cli("check", folder, "--run", "main")$status, 1)
  mended <- run_cli("check", folder, "--run", "main", "--repair")
  expect_equal(mended$status, 0)
  expect_match(mended$out, "4 problems, 4 mended", all = FALSE)
  # Nothing that was there is lost.
  expect_setequal(
    list.files(place(folder, "set-aside")),
    c(basename(takes$path[2]), "stray.png")
  )
  expect_equal(sum(outcome_of(folder)$takes$state == "planned"), 2)
  expect_equal(nrow(check_run(folder)), 0)
  run_trial(folder)
  expect_equal(outcome_of(folder), before)
})

test_that("two files of one name are both kept when they are set aside", {
  folder <- made_run()
  for (i in 1:2) {
    writeLines(paste("number", i), place(folder, "takes", "stray.txt"))
    found <- check_run(folder, repair = TRUE)
    expect_equal(
      found$mended,
      paste0("moved to set-aside/", if (i == 1) "" else "2-", "stray.txt")
    )
  }
})

test_that("a record without what it belongs to, and a step without the one before, are named", {
  folder <- made_run()
  db <- DBI::dbConnect(RSQLite::SQLite(), place(folder, "run.sqlite"))
  DBI::dbExecute(db, "PRAGMA foreign_keys = OFF")
  DBI::dbExecute(
    db,
    "INSERT INTO scores VALUES ('nobody', 'structure', 'orientation', NULL, 1, 1, NULL, NULL)"
  )
  DBI::dbExecute(db, "UPDATE takes SET parent = 'gone' WHERE position = 1")
  DBI::dbDisconnect(db)
  found <- check_run(folder)
  expect_equal(found$kind, c("database", "step"))
  expect_match(found$words[1], "1 record without what it belongs to")
  expect_match(run_cli("check", folder, "--repair")$err, "--repair needs --run", all = FALSE)
})
