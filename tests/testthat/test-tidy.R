# Results as tidy tables.

expect_interval <- function(rows) {
  known <- !is.na(rows$estimate) & !is.na(rows$conf.low)
  expect_true(all(rows$conf.low[known] <= rows$estimate[known] + 1e-9))
  expect_true(all(rows$conf.high[known] >= rows$estimate[known] - 1e-9))
}

swept_lineup <- c(
  small_lineup,
  "sweeps:",
  "  - {vary: hold, of: firm, over: [0.3, 0.5, 0.7]}",
  "  - {vary: hold, of: loose, over: [0.2, 0.4, 0.6]}"
)

test_that("a verdict is a tidy table, a row, and takes", {
  folder <- small_trial()
  run_trial(folder, workers = 0)
  verdict <- choose_pipeline(folder)
  rows <- tidy(verdict)
  expect_s3_class(rows, "tbl_df")
  expect_equal(
    names(rows),
    c("pipeline", "term", "estimate", "conf.low", "conf.high", "conf.level")
  )
  expect_equal(nrow(rows), 10)
  expect_interval(rows)
  worth <- rows[rows$term == "worth", ]
  expect_equal(worth$estimate, verdict$pipelines$worth)
  expect_equal(worth$conf.low, verdict$pipelines$worth_low)
  row <- glance(verdict)
  expect_equal(nrow(row), 1)
  expect_equal(row$best, verdict$best)
  expect_equal(c(row$pipelines, row$cases, row$takes), c(2, 3, 12))
  expect_equal(c(row$margin, row$margin.low, row$margin.high), verdict$margin)
  takes <- augment(verdict)
  expect_equal(nrow(takes), 12)
  expect_equal(mean(takes$keeper[takes$pipeline == "firm"]), verdict$pipelines$keepers[1])
})

test_that("a verdict on nothing is tidy too", {
  folder <- small_trial()
  fails <- mixing_engine(broken = function(request) engine_failure("out_of_credit", "None."))
  trial <- read_trial(folder, engines = list(mixer = fails))
  run_trial(trial, workers = 0)
  verdict <- choose_pipeline(trial)
  expect_equal(verdict$state, "nothing made")
  expect_equal(nrow(tidy(verdict)), 0)
  row <- glance(verdict)
  expect_equal(row$state, "nothing made")
  expect_true(is.na(row$best) && is.na(row$margin))
  expect_equal(nrow(augment(verdict)), 12)
})

test_that("curves and matches have a row for each point, with what it was set to", {
  folder <- small_trial(lineup = swept_lineup)
  run_trial(folder, workers = 0)
  curves <- response_curves(folder)
  rows <- tidy(curves)
  expect_equal(
    names(rows),
    c(
      "line", "family", "vary", "value", "pipeline", "case", "term", "estimate", "conf.low",
      "conf.high"
    )
  )
  expect_true(all(is.na(rows$case)))
  expect_interval(rows)
  expect_setequal(rows$value[rows$line == "loose"], c(0.1, 0.2, 0.4, 0.6))
  more <- tidy(curves, by_case = TRUE)
  expect_setequal(stats::na.omit(more$case), c("one", "two", "three"))
  row <- glance(curves)
  expect_equal(c(row$lines, row$points, row$cases), c(2, 8, 3))
  expect_equal(row$vary, "hold")
  match <- match_engines(folder)
  rows <- tidy(match)
  expect_equal(
    names(rows),
    c("line", "level", "setting", "term", "estimate", "conf.low", "conf.high", "reached")
  )
  expect_equal(nrow(rows), nrow(match$levels))
  expect_interval(rows)
  expect_equal(glance(match)$lines, length(unique(match$levels$line)))
})

test_that("changes are tidy by pipeline and score, and list the takes with another picture", {
  folder <- small_trial()
  run_trial(folder, "old", workers = 0)
  trial <- read_trial(folder, engines = list(mixer = mixing_engine(version = "2")))
  trial$lineup$pipelines$native_hold[2] <- 4
  run_trial(trial, "new", workers = 0)
  changes <- compare_runs(folder, "old", "new")
  rows <- tidy(changes)
  expect_equal(rows$estimate, changes$scores$change)
  expect_true("keepers" %in% rows$term)
  expect_equal(unique(rows$conf.level), 0.95)
  expect_interval(rows)
  row <- glance(changes)
  expect_equal(c(row$old, row$new), c("old", "new"))
  expect_equal(c(row$pipelines, row$takes), c(2, 12))
  expect_equal(augment(changes)$moved, changes$takes$moved)
})
