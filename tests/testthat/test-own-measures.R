redness <- paste0(
  "measure_function('redness', function(take, reference) mean(take[, , 1] - take[, , 3]), axis = ",
  "'style', range = '-1 blue to 1 red', sees = 'red against blue', blind_to = 'all else')"
)

with_measures <- function(code, more = character(), env = parent.frame()) {
  folder <- small_trial(brief = c(small_brief, "measures: own.R", more), env = env)
  writeLines(code, file.path(folder, "own.R"))
  folder
}

test_that("a measure of one's own is taken of every take, and can make up structure", {
  folder <- with_measures(redness, "structure_from: {orientation: 3, redness: 1}")
  run_trial(folder)
  scores <- score_run(folder)$scores
  own <- scores[scores$measure == "redness", ]
  expect_equal(nrow(own), 12)
  expect_true(all(own$axis == "style" & abs(own$value) < 1))
  table <- choose_pipeline(folder)$table
  value <- function(measure) {
    scores$value[scores$measure == measure][match(
      table$take,
      scores$take[scores$measure == measure]
    )]
  }

  expect_equal(
    table$structure,
    pmin(1, pmax(0, (3 * value("orientation") + value("redness")) / 4))
  )
})

test_that("a change of one's own measure has all takes measured anew", {
  folder <- with_measures(redness)
  run_trial(folder)
  before <- score_run(folder)$scores
  expect_identical(score_run(folder)$scores, before)
  writeLines(sub("mean(", "2 * mean(", redness, fixed = TRUE), file.path(folder, "own.R"))
  after <- score_run(folder)$scores
  expect_equal(
    after$value[after$measure == "redness"],
    2 * before$value[before$measure == "redness"]
  )
})

test_that("what is wrong with the file or the weights is said when the trial is read", {
  found <- function(code, more = character()) {
    check_trial(with_measures(code, more, env = parent.frame()))
  }

  expect_match(found("1")$found, "its last value is neither a measure_function")
  expect_match(found("stop('broken')")$found, "broken")
  expect_match(found(sub("'redness'", "'orientation'", redness))$found, "new name")
  problem <- found(redness, "structure_from: {orientaton: 1}")
  expect_equal(problem$place, "structure_from.orientaton")
  expect_equal(problem$near, "orientation")
  expect_match(found(redness, "structure_from: {redness: 0}")$found, "no weight above 0")
})

test_that("a measure that returns no single number is named; a flaw gets its level", {
  own <- function(...) {
    measure_function("odd", ..., range = "any", sees = "things", blind_to = "others")
  }

  scene <- list(pixels = list(take = scene(1), reference = scene(2)))
  for (bad in list(
    function(take, reference) c(1, 2),
    function(take, reference) NaN,
    function(take, reference) "a",
    function(take, reference) stop("no")
  )) {
    expect_error(
      own(bad)$compute(scene),
      "The measure odd can't be taken",
      class = "sprenn_error_measure"
    )
  }

  flaw <- own(function(take, reference) 0.4, axis = "flaws", bounds = c(0.2, 0.6))
  expect_equal(flaw$compute(scene)$level, "slight")
  expect_error(
    own(function(take, reference) 1, axis = "flaws"),
    "`bounds`",
    class = "sprenn_error_argument"
  )
  expect_output(print(flaw), "measure odd, flaws")
})

test_that("seeds that make no difference are noticed, and one hand is told from several", {
  prints <- function(positions, patches) list(position = positions, patches = patches)
  one <- matrix(rep(1:3, each = 4), 4)
  same <- measure_consistency()$compute(prints(one, NULL))
  expect_equal(same, rep(1, 4))
  one[4, ] <- 30
  expect_lt(measure_consistency()$compute(prints(one, NULL))[4], same[4])
  patches <- rbind(rep(0.2, 6), rep(0.2, 6), rep(0.9, 6))
  expect_equal(
    measure_same_as_seed()$compute(prints(NULL, patches)),
    c(0, 0, sqrt(3) * 0.7)
  )
  folder <- small_trial()
  run_trial(folder)
  scores <- score_run(folder)$scores
  expect_equal(sum(scores$measure == "same_as_seed"), 12)
  expect_true(all(scores$value[scores$measure == "consistency"] <= 1))
})

test_that("an R file of a trial has Sprenn's functions at hand where the package is not attached", {
  folder <- with_measures(redness)
  code <- sprintf(
    paste0(
      "stopifnot(!\"package:sprenn\" %%in%% search()); trial <- sprenn::read_trial('%s'); ",
      "cat(basename(trial$suite$measures))"
    ),
    folder
  )
  mixer <- paste0(
    "sprenn::engine(list(name = 'mixer', version = '1', checkpoints = list(plain = list()), hold ",
    "= c(at_0 = 0, at_1 = 10)), function(request) stop('none'))"
  )
  writeLines(sub("sprenn::", "", mixer, fixed = TRUE), file.path(folder, "mixer.R"))
  made <- processx::run(
    file.path(R.home("bin"), "Rscript"),
    c("--no-save", "-e", code),
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")),
    error_on_status = FALSE
  )
  expect_equal(made$stderr, "")
  expect_equal(made$stdout, "own.R")
  # What it defines stays its own, and it sees nothing of Sprenn's inside.
  file <- withr::local_tempfile(
    fileext = ".R",
    lines = c(
      "secret <- exists('add_worth')",
      "list(secret = secret, two = exists('two'), engine = is.function(engine))"
    )
  )
  expect_equal(
    value_of_file(file),
    list(secret = FALSE, two = FALSE, engine = TRUE)
  )
  expect_false(exists("secret"))
})

test_that("own measures have columns in the tables that are exported, whatever their names", {
  folder <- with_measures(redness)
  run_trial(folder)
  scores <- score_run(folder)$scores
  store <- open_store(folder, "main")
  odd <- "a\"b'); DROP TABLE takes; --"
  write_db(
    store,
    "INSERT INTO scores SELECT take, 'style', ?, NULL, 0.5, NULL, NULL, NULL FROM takes",
    list(odd)
  )
  write_db(
    store,
    "INSERT INTO scores SELECT take, 'style', 'cost', NULL, 0.25, NULL, NULL, NULL FROM takes"
  )
  close_store(store)
  tables <- export_run(folder, as = "csv", file = withr::local_tempfile())$path
  takes <- utils::read.csv(file.path(tables, "takes.csv"), check.names = FALSE)
  own <- scores[scores$measure == "redness", ]
  expect_equal(takes$redness, own$value[match(takes$take, own$take)])
  expect_equal(unique(takes[[odd]]), 0.5)
  expect_equal(unique(takes$measure_cost), 0.25)
  expect_false(any(takes$cost == 0.25))
  described <- jsonlite::read_json(file.path(tables, "csv-metadata.json"))$tables[[1]]
  columns <- vapply(described$tableSchema$columns, `[[`, "", "name")
  expect_equal(columns, names(takes))
})

test_that("a command that finds nothing to measure still compares what was not compared", {
  # As after a kill between measuring and comparing.
  folder <- small_trial()
  run_trial(folder, workers = 0)
  store <- open_store(folder, "main")
  withr::defer(close_store(store))
  compared <- function() {
    scores <- read_scores(store)
    scores <- scores[scores$measure %in% vapply(across_measures(), `[[`, "", "measure"), ]
    scores <- scores[order(scores$take, scores$measure), c("take", "measure", "value")]
    row.names(scores) <- NULL
    scores
  }
  before <- compared()
  expect_gt(nrow(before), 0)
  write_db(store, "DELETE FROM scores WHERE measure IN ('consistency', 'same_as_seed')")
  expect_lt(nrow(compared()), nrow(before))
  score_run(folder, workers = 0)
  expect_equal(compared(), before)
})
