# A run grows and changes with its suite, and comes to what it would be if it had been made of
# this suite from the start.

growing_engine <- c(
  "sprenn::engine(list(name = 'mixer', version = '1', checkpoints = list(plain = list()), ",
  "  price = 1, hold = c(at_0 = 0, at_1 = 1), takes = 'text_alone'), function(request) {",
  "  calls <- file.path(Sys.getenv('SPRENN_TEST_CALLS'), 'calls')",
  "  cat(request$key, '\\n', file = calls, append = TRUE)",
  "  shift <- (nchar(request$text) + request$seed) / 40",
  "  picture <- request$reference",
  "  if (is.null(picture)) picture <- array(shift, c(64, 96, 3))",
  "  sprenn::engine_result((picture + shift * (1 - request$hold)) %% 1, cost = 1)",
  "})"
)

growing_trial <- function(env = parent.frame()) {
  place <- withr::local_tempdir(.local_envir = env)
  withr::local_envvar(SPRENN_TEST_CALLS = place, .local_envir = env)
  folder <- small_trial(
    lineup = c(
      "engines:",
      "  mixer: {kind: function, file: mixer.R}",
      "pipelines:",
      "  - {id: firm, engine: mixer, hold: 0.9}",
      "  - {id: loose, engine: mixer, hold: 0.1}",
      "controls: [swapped_prompt, blank_prompt]"
    ),
    env = env
  )
  writeLines(growing_engine, file.path(folder, "mixer.R"))
  folder
}

calls_made <- function() {
  file <- file.path(Sys.getenv("SPRENN_TEST_CALLS"), "calls")
  if (file.exists(file)) length(readLines(file)) else 0
}

suite_of <- function(seeds, ...) {
  c(
    "suite: small",
    paste0("seeds: [", seeds, "]"),
    "size: [96, 64]",
    "cases:",
    paste0("  - ", c(...))
  )
}

case_one <- paste0(
  "{id: one, job: restyle, reference: references/one.png, ",
  "prompt: [a thing, {say: dark, probe: {brightness: at most 0.9}}]}"
)
case_two <- "{id: two, job: restyle, reference: references/two.png, prompt: a mill}"
case_three <- "{id: three, job: restyle, reference: references/three.png, prompt: a kite}"
change_suite <- function(folder, ...) writeLines(suite_of(...), file.path(folder, "suite.yml"))

# Runs, and compares with a run of its own of the same suite.
expect_as_fresh <- function(folder, calls = NULL) {
  before <- calls_made()
  made <- suppressMessages(run_trial(folder, workers = 0))
  if (!is.null(calls)) {
    expect_equal(calls_made() - before, calls)
  }

  fresh <- paste0("fresh", calls_made())
  run_trial(folder, fresh, workers = 0)
  asked <- function(run) {
    store <- open_store(folder, run)
    on.exit(close_store(store))
    takes <- read_takes(store)
    scores <- read_scores(store)
    scores <- scores[scores$take %in% takes$take, ]
    columns <- c(
      "take", "pipeline", "case", "seed", "control", "parent", "state", "sha256", "cost"
    )
    list(
      takes = takes[columns],
      scores = scores[
        order(scores$take, scores$axis, scores$measure, scores$phrase),
        c("take", "axis", "measure", "phrase", "value", "raw", "level")
      ]
    )
  }
  grown <- asked("main")
  whole <- asked(fresh)
  expect_equal(as.data.frame(grown$takes), as.data.frame(whole$takes))
  expect_equal(as.data.frame(grown$scores), as.data.frame(whole$scores), ignore_attr = TRUE)
  invisible(made)
}

test_that("seeds and cases are added, and nothing is made twice", {
  folder <- growing_trial()
  change_suite(folder, "1", case_one, case_two)
  # Two pipelines on two cases and one seed, with a control of each prompt twice.
  expect_as_fresh(folder, 2 * 2 + 2 * 4)
  change_suite(folder, "1, 2", case_one, case_two)
  expect_as_fresh(folder, 2 * 2)
  # Another prompt to swap with: its controls are made anew.
  change_suite(folder, "1, 2", case_one, case_two, case_three)
  expect_as_fresh(folder, 4 + 2 * 2 + 2)
  # The same again makes nothing.
  expect_as_fresh(folder, 0)
})

test_that("what has changed is made or measured anew, and what is gone is listed for prune", {
  folder <- growing_trial()
  change_suite(folder, "1, 2", case_one, case_two, case_three)
  expect_as_fresh(folder)
  # Another check is measured, and costs no call.
  checked <- sub("at most 0.9", "at least 0.2", case_one)
  change_suite(folder, "1, 2", checked, case_two, case_three)
  expect_as_fresh(folder, 0)
  # Another prompt is another picture.
  asked <- sub("a mill", "a red mill", case_two)
  change_suite(folder, "1, 2", checked, asked, case_three)
  made <- expect_as_fresh(folder)
  expect_gt(made$left_over, 0)
  listed <- prune_run(folder)
  expect_setequal(unique(sub(",.*", "", listed$words)), c("firm", "loose"))
  expect_equal(sum(listed$kind == "take"), made$left_over)
  # A case gone, a seed gone, another name.
  change_suite(folder, "2", sub("id: one", "id: first", checked), case_three)
  expect_as_fresh(folder)
  prune_run(folder, yes = TRUE)
  expect_equal(nrow(check_run(folder)), 0)
  expect_as_fresh(folder, 0)
  expect_equal(nrow(choose_pipeline(folder)$pipelines), 2)
})

test_that("the lineup may change too: old takes of a name are not mixed with new ones", {
  folder <- growing_trial()
  expect_as_fresh(folder)
  lineup <- file.path(folder, "lineup.yml")
  writeLines(sub("hold: 0.9", "hold: 0.8", readLines(lineup)), lineup)
  expect_as_fresh(folder)
  table <- choose_pipeline(folder)$table
  expect_equal(anyDuplicated(table[c("pipeline", "case", "seed")]), 0)
  # Back again: they are still there.
  writeLines(sub("hold: 0.8", "hold: 0.9", readLines(lineup)), lineup)
  expect_as_fresh(folder, 0)
})

test_that("it is said what has changed, and another suite is refused", {
  folder <- growing_trial()
  change_suite(folder, "1", case_one, case_two)
  run_trial(folder, workers = 0)
  change_suite(folder, "1, 2", case_one, case_two)
  verdict <- choose_pipeline(folder)
  expect_match(format(verdict), "suite has changed since run main", all = FALSE)
  expect_match(
    paste(format(verdict), collapse = " "),
    paste0("fingerprint ", substr(verdict$suite$fingerprint, 1, 12))
  )
  expect_message(
    run_trial(folder, workers = 0),
    "begun \\(seeds\\). Of its 12 pictures, 12 are still asked for and kept.$",
    class = "sprenn_message_suite"
  )
  expect_false(any(grepl("has changed since", format(choose_pipeline(folder)))))
  writeLines(
    sub("size: .*", "size: [64, 96]", readLines(file.path(folder, "suite.yml"))),
    file.path(folder, "suite.yml")
  )
  error <- expect_error(run_trial(folder, workers = 0), class = "sprenn_error_run")
  expect_match(error$details, "size", all = FALSE)
  expect_match(error$headline, "another suite")
})

test_that("another case gives few cases another level of chance", {
  case <- function(i) {
    list(id = paste0("c", i), reference = list(path = paste0("p", i)), look = NA_character_)
  }
  suite <- list(
    cases = lapply(1:60, case),
    files = lapply(stats::setNames(nm = paste0("p", 1:60)), function(path) {
      list(hash = sha256_of(path))
    })
  )
  decoys <- function(suite, i) {
    vapply(decoy_cases(suite, suite$cases[[i]]), `[[`, "", "id")
  }
  smaller <- suite
  smaller$cases <- suite$cases[-60]
  before <- lapply(1:59, decoys, suite = smaller)
  after <- lapply(1:59, decoys, suite = suite)
  expect_equal(unique(lengths(after)), enough_decoys)
  expect_equal(sum(!mapply(identical, before, after)), enough_decoys)
  expect_false(any(mapply(`%in%`, paste0("c", 1:59), after)))
  # Each is a decoy about as often as the others.
  expect_lt(max(table(unlist(after))), 3 * enough_decoys)
})

test_that("runs of a suite that has grown are compared on what they have in common", {
  folder <- growing_trial()
  change_suite(folder, "1, 2", case_one, case_two)
  run_trial(folder, "old", workers = 0)
  change_suite(folder, "1, 2, 3", case_one, sub("a mill", "a red mill", case_two), case_three)
  run_trial(folder, "new", workers = 0)
  # In a suite this small, another reference changes what chance is for all.
  expect_error(compare_runs(folder, "old", "new"), class = "sprenn_error_run")
  change_suite(folder, "1, 2, 3", case_one, sub("a mill", "a red mill", case_two))
  run_trial(folder, "newer", workers = 0)
  found <- compare_runs(folder, "old", "newer")
  expect_equal(found$common$cases, "one")
  expect_equal(found$common$of, 2)
  expect_equal(unique(found$pictures$takes), 2)
  expect_match(
    paste(format(found), collapse = " "),
    "Compared: 1 of 2 cases, 2 of 3 seeds"
  )
})
