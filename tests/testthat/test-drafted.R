# Prompts that an engine drafts from the reference, for pipelines whose wording asks for them.

# An engine that says what is in a picture by its mean colour; how often it was asked is counted.
scribed <- new.env()
drafting_engine <- function() {
  engine(
    list(
      name = "scribe",
      version = scribed$version,
      checkpoints = list(plain = list()),
      hold = c(at_0 = 0, at_1 = 1)
    ),
    function(request) engine_result(request$reference, cost = 0),
    caption = function(picture) {
      scribed$asked <- scribed$asked + 1
      if (scribed$fails) {
        engine_failure("refused", "It does not describe this.")
      }

      c("a thing", paste("mostly", round(100 * mean(picture))))
    }
  )
}
assign("drafting_engine", drafting_engine, globalenv())

drafted_trial <- function(..., suite = given_suite, env = parent.frame()) {
  scribed$version <- "1"
  scribed$asked <- 0
  scribed$fails <- FALSE
  lineup <- sub("^engines:", "engines:\n  scribe: {kind: function, file: scribe.R}", given_lineup)
  folder <- small_trial(suite, c(lineup, ...), env = env)
  writeLines("get('witness_engine', globalenv())()", file.path(folder, "witness.R"))
  writeLines("get('drafting_engine', globalenv())()", file.path(folder, "scribe.R"))
  folder
}

by_scribe <- function(prompt) paste0("wording: {prompt: ", prompt, ", drafted_by: scribe}")

test_that("a draft takes the place of the prompt or is added to it, and is made once for a run", {
  folder <- drafted_trial(
    pipeline_line("own"),
    pipeline_line("drafted", by_scribe("caption"), "[swap, restyle]"),
    pipeline_line("both", by_scribe("both"))
  )
  expect_match(list_inputs(folder)$prompt, "(drafted by scribe)", fixed = TRUE, all = FALSE)
  expect_equal(scribed$asked, 0)
  run_trial(folder, workers = 0, score = FALSE)
  said <- function(pipeline, case = "one") witnessed[[paste(pipeline, case, 1)]]$prompt$say
  expect_equal(said("own"), c("a thing", "a red sky"))
  expect_match(said("drafted"), "^(a thing|mostly [0-9]+)$")
  expect_length(said("drafted"), 2)
  # What the prompt says already is not said twice.
  expect_equal(said("both"), c("a thing", "a red sky", said("drafted")[2]))
  expect_equal(said("drafted", "two")[1], "a thing")
  # Two cases, whoever needs them, and never again.
  expect_equal(scribed$asked, 2)
  suite <- readLines(file.path(folder, "suite.yml"))
  writeLines(sub("seeds: \\[1\\]", "seeds: [1, 2]", suite), file.path(folder, "suite.yml"))
  expect_message(run_trial(folder, workers = 0, score = FALSE), "has changed")
  expect_equal(scribed$asked, 2)
})

test_that("a recipe holds what was drafted, so that the take can be made again", {
  folder <- drafted_trial(pipeline_line("drafted", by_scribe("caption")))
  takes <- run_trial(folder, workers = 0, score = FALSE)$takes
  said <- witnessed[["drafted one 1"]]$prompt$say
  recipe <- read_recipe(takes$path[1])
  expect_equal(unlist(recipe$steps[[1]]$drafted), said)
  asked <- scribed$asked
  expect_equal(remake_take(recipe, folder)$same, "bytes")
  expect_equal(witnessed[["drafted one 1"]]$prompt$say, said)
  expect_equal(scribed$asked, asked)
})

test_that("another version of who drafts gives other takes; the suite stays as it is", {
  folder <- drafted_trial(pipeline_line("own"), pipeline_line("drafted", by_scribe("caption")))
  before <- plan_run(folder)$takes
  fingerprint <- read_trial(folder)$suite$fingerprint
  scribed$version <- "2"
  after <- plan_run(folder)$takes
  expect_equal(before$take == after$take, before$pipeline == "own")
  expect_identical(read_trial(folder)$suite$fingerprint, fingerprint)
})

test_that("who can't draft is named with who can, and a draft that fails stops before any take", {
  wrong <- check_trial(drafted_trial(
    pipeline_line("one", "wording: {prompt: caption, drafted_by: witness}"),
    pipeline_line("two", "wording: {prompt: both}"),
    "  - {id: three, engine: scribe, hold: 0.5, jobs: [restyle]}"
  ))
  wanted <- problem_at(wrong, "pipelines[1].wording.drafted_by")$wanted
  expect_match(wanted, "an engine that can caption: scribe")
  expect_equal(problem_at(wrong, "pipelines[2].wording.drafted_by")$found, "nothing")

  folder <- drafted_trial(pipeline_line("drafted", by_scribe("caption")))
  scribed$fails <- TRUE
  failed <- expect_error(run_trial(folder, workers = 0), class = "sprenn_error_run")
  expect_match(conditionMessage(failed), "scribe can't draft a prompt for one")
  scribed$fails <- FALSE
  expect_equal(run_trial(folder, workers = 0, score = FALSE)$takes$state, "made")
})
