# What is called a change between two runs, and what is not.

two_runs <- function(seed, cases, seeds, pipelines = 2) {
  one <- function(seed) {
    means <- stats::setNames(
      rep(list(c(0.6, 0.5, 0.5)), pipelines),
      letters[seq_len(pipelines)]
    )
    table <- scored_table(do.call(means_of, means), cases = cases, seeds = seeds)
    withr::with_seed(seed, {
      table$structure <- table$structure + stats::rnorm(nrow(table), 0, 0.05)
      table$flaws <- ifelse(stats::runif(nrow(table)) < 0.2, "broken", "")
    })
    table$picture <- paste(seed, seq_len(nrow(table)))
    table$request <- "same"
    worth(table)
  }

  list(old = one(seed), new = one(seed + 5000))
}

changes_between <- function(runs, ...) run_changes(runs$old, runs$new, ...)$scores

test_that("keepers that all turned in three takes are not called a change, in twelve they are", {
  for (cases in c(3, 12)) {
    runs <- two_runs(1, cases, 1, pipelines = 1)
    runs$old$keeper <- TRUE
    runs$new$keeper <- FALSE
    found <- changes_between(runs)
    kept <- found[found$score == "keeper", ]
    expect_equal(kept$change, -1)
    expect_equal(kept$changed, cases == 12)
    if (cases == 3) {
      expect_true(all(is.na(found$seen)))
    }
  }
})

test_that("luck is called a change no more often than is said, with few takes too", {
  for (cases in c(2, 3, 10)) {
    false <- vapply(1:60, function(i) any(changes_between(two_runs(i, cases, 1))$changed), NA)
    # 0.05 of 60 are three; eight or more come by luck less than once in a hundred times.
    expect_lte(sum(false), 7)
    if (cases < 6) {
      expect_equal(sum(false), 0)
    }
  }
})

test_that("a change is claimed where its interval leaves out 0, and only there", {
  runs <- two_runs(3, 8, 3)
  moved <- runs$new$pipeline == "a"
  runs$new$structure[moved] <- runs$new$structure[moved] - 0.1
  runs$new <- worth(runs$new)
  found <- changes_between(runs)
  expect_equal(found$changed, found$low > 0 | found$high < 0)
  own <- found[found$pipeline == "a" & found$score == "structure", ]
  expect_true(own$changed && own$low < -0.1 && own$high > -0.1)
  expect_false(any(found$changed[found$pipeline == "b"]))
  expect_identical(changes_between(runs), found)
})

test_that("a change as large as is said would have been seen", {
  found <- changes_between(two_runs(100, 12, 1))
  size <- found$seen[found$score == "structure" & found$pipeline == "a"]
  hits <- vapply(
    1:40,
    function(i) {
      runs <- two_runs(i, 12, 1)
      moved <- runs$new$pipeline == "a"
      runs$new$structure[moved] <- runs$new$structure[moved] + size
      found <- changes_between(runs)
      found$changed[found$score == "structure" & found$pipeline == "a"]
    },
    NA
  )
  expect_gte(mean(hits), 0.8)
})

test_that("the same pictures again leave nothing to be missed, other pictures do", {
  runs <- two_runs(5, 9, 1)
  runs$new <- runs$old
  same <- run_changes(runs$old, runs$new)
  expect_equal(same$pictures$same, c(9L, 9L))
  expect_equal(same$scores$seen, rep(0, nrow(same$scores)))
  runs$new$picture <- paste("other", runs$new$picture)
  other <- run_changes(runs$old, runs$new)
  expect_equal(other$pictures$same, c(0L, 0L))
  expect_gt(other$scores$seen[other$scores$score == "keeper"][1], 0.2)
})

test_that("as many takes as one likes are compared in bounded space", {
  many <- withr::with_seed(
    1,
    matrix(stats::rnorm(3000), 1500, dimnames = list(NULL, c("structure", "style")))
  )
  few <- few_rows(many, 500)
  expect_equal(nrow(few), 500)
  expect_equal(crossprod(few), crossprod(many), ignore_attr = TRUE)
})

test_that("compare says what would have been seen, and --strict tells a script", {
  folder <- small_trial(suite = change(small_suite, "seeds: [1, 2]", "seeds: [1, 2, 3, 4]"))
  run_trial(folder, "old", workers = 0)
  score_run(folder, "old")
  fs <- file.path(folder, "runs")
  file.copy(file.path(fs, "old"), tempdir(), recursive = TRUE)
  file.rename(file.path(tempdir(), "old"), file.path(fs, "new"))
  again <- run_cli("compare", folder, "old", "new", "--strict")
  expect_equal(again$status, 0)
  expect_match(again$out, "No change was detected", all = FALSE)
  expect_match(again$out, "byte for byte: all pipelines", all = FALSE)
  store <- open_store(folder, "new")
  first <- read_takes(store)$pipeline[1]
  DBI::dbExecute(
    store$db,
    paste0(
      "UPDATE takes SET file = '00/0000' || substr(file, 8), ",
      "sha256 = '0000' || substr(sha256, 5), request = 'other'"
    )
  )
  DBI::dbExecute(
    store$db,
    paste0(
      "UPDATE scores SET value = value * 0.5 WHERE measure = 'structure' AND take IN (SELECT ",
      "take FROM takes WHERE pipeline = ?)"
    ),
    params = list(first)
  )
  close_store(store)
  lower <- run_cli("compare", folder, "old", "new", "--strict")
  expect_equal(lower$status, 1)
  expect_match(lower$out, "Scores that changed", all = FALSE)
  expect_match(lower$out, "Nine out of ten comparisons like this one", all = FALSE)
  expect_equal(run_cli("compare", folder, "old", "new")$status, 0)
})
