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

change_records <- function(folder, ...) {
  db <- DBI::dbConnect(RSQLite::SQLite(), place(folder, "run.sqlite"))
  on.exit(DBI::dbDisconnect(db))
  DBI::dbExecute(db, ...)
}

test_that("a record that names any other file than a picture of the run is refused", {
  folder <- made_run()
  outside <- file.path(folder, "precious.txt")
  writeLines("precious", outside)
  hash <- paste(rep("ab", 32), collapse = "")
  names <- c(
    "../../../precious.txt", outside, paste0("ab/", hash, ".txt"), paste0("cd/", hash, ".png"),
    paste0("ab/", hash, ".png\n"), paste0("ab/", hash, ".png"), ""
  )
  lineup <- file.path(folder, "lineup.yml")
  # Nobody asks for these takes any more, so that `prune` would delete their pictures.
  writeLines(sub("id: firm", "id: other", readLines(lineup)), lineup)
  for (name in names) {
    change_records(folder, "UPDATE takes SET file = ?", params = list(name))
    for (act in list(
      function() prune_run(folder, yes = TRUE),
      function() check_run(folder, repair = TRUE),
      function() export_run(folder, as = "pictures", file = file.path(folder, "out"))
    )) {
      expect_error(act(), "can't be one of its pictures", class = "sprenn_error_store")
    }
  }

  expect_equal(readLines(outside), "precious")
  expect_length(list.files(place(folder, "takes"), recursive = TRUE), 12)
})

test_that("nothing behind a link in a run is deleted or moved", {
  skip_on_os("windows")
  folder <- made_run()
  away <- withr::local_tempdir()
  writeLines("precious", file.path(away, "precious.txt"))
  writeLines("precious", file.path(away, "part-1"))
  file.symlink(away, place(folder, "takes", "zz"))
  found <- check_run(folder, repair = TRUE)
  expect_equal(found$mended, "moved to set-aside/zz")
  expect_equal(prune_run(folder, yes = TRUE)$file, "set-aside/zz")
  expect_setequal(list.files(away), c("precious.txt", "part-1"))
  unlink(place(folder, "set-aside"))
  file.symlink(away, place(folder, "set-aside"))
  expect_error(prune_run(folder, yes = TRUE), "is a link", class = "sprenn_error_store")
  writeLines("stray", place(folder, "takes", "stray.txt"))
  expect_error(check_run(folder, repair = TRUE), "is a link", class = "sprenn_error_store")
  expect_setequal(list.files(away), c("precious.txt", "part-1"))
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

test_that("takes that share an altered picture are all planned again", {
  folder <- made_run()
  takes <- run_trial(folder)$takes
  change_records(
    folder,
    "UPDATE takes SET file = ?, sha256 = ?, bytes = ? WHERE take = ?",
    params = list(
      sub(".*/takes/", "", takes$path[1]),
      takes$sha256[1],
      file.size(takes$path[1]),
      takes$take[2]
    )
  )
  writeLines("altered", takes$path[1])
  found <- check_run(folder, repair = TRUE)
  expect_equal(sum(grepl("^planned again", found$mended)), 2)
  run_trial(folder)
  expect_equal(nrow(check_run(folder)), 0)
})

test_that("a take that is made anew replaces what is left of an altered picture", {
  folder <- made_run()
  takes <- run_trial(folder)$takes
  writeLines("altered", takes$path[3])
  # As if the repair had been killed before it moved the file.
  change_records(
    folder,
    "UPDATE takes SET state = 'planned' WHERE take = ?",
    params = list(takes$take[3])
  )
  run_trial(folder)
  expect_equal(nrow(check_run(folder)), 0)
})

test_that("prune goes on where it was killed", {
  folder <- made_run()
  lineup <- file.path(folder, "lineup.yml")
  writeLines(grep("id: loose", readLines(lineup), invert = TRUE, value = TRUE), lineup)
  listed <- prune_run(folder)
  expect_gt(nrow(listed), 1)
  # Files go before their records.
  unlink(file.path(place(folder), listed$file[1]))
  pruned <- prune_run(folder, yes = TRUE)
  expect_equal(nrow(pruned), nrow(listed))
  expect_equal(pruned$bytes[1], 0)
  expect_equal(nrow(check_run(folder)), 0)
  expect_equal(nrow(prune_run(folder)), 0)
})
