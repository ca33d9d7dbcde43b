verdict_of <- function(folder, ...) {
  trial <- read_trial(folder, ...)
  run_trial(trial)
  score_run(trial)
  choose_pipeline(trial)
}

test_that("a decided verdict says which, how sure, why, and how to use it", {
  verdict <- verdict_of(small_trial())
  text <- format(verdict)
  expect_equal(verdict$state, "decided")
  expect_equal(text[1], "Use firm.")
  expect_true(all(nchar(text) <= 100))
  expect_match(text, "hold: 0.9", all = FALSE)
  expect_match(text, "^Why$", all = FALSE)
  expect_snapshot(print(verdict))
})

test_that("the recipe that it ends with is a pipeline that the reader takes", {
  verdict <- verdict_of(small_trial())
  recipe <- recipe_words(verdict)
  expect_equal(nrow(problems_of(lineup = c(small_lineup[1:3], paste0("  ", recipe)))), 0)
})

test_that("a floor that nobody clears is told with the numbers below it", {
  lineup <- sub("hold: 0.9", "hold: 0.3", small_lineup)
  verdict <- verdict_of(
    small_trial(
      lineup = lineup,
      brief = c(
        "brief: x",
        "weights: {structure: 1}",
        "floors: {structure: 0.999}",
        "style: stay"
      )
    )
  )
  expect_equal(verdict$state, "no keepers")
  text <- paste(format(verdict), collapse = " ")
  expect_match(text, "No pipeline can be used")
  expect_match(text, "takes are below the floor of structure \\(1.00\\)")
  expect_no_match(text, "To use it")
})

test_that("refused takes are told with the engine's reason", {
  broken <- function(request) engine_failure("refused", "not this text")
  verdict <- verdict_of(small_trial(), engines = list(mixer = mixing_engine(broken = broken)))
  text <- paste(format(verdict), collapse = " ")
  expect_match(text, "12 takes failed or were refused: not this text")
})

test_that("a run of few cases says that it can't speak for other pictures", {
  verdict <- verdict_of(small_trial(suite = small_suite[1:6]))
  expect_match(format(verdict)[1], "2 cases are too few to generalise from")
})

test_that("without takes or scores the next step is named", {
  folder <- small_trial()
  expect_error(choose_pipeline(folder), "no run", class = "sprenn_error_run")
  run_trial(folder, score = FALSE)
  error <- expect_error(
    choose_pipeline(folder),
    "not been measured",
    class = "sprenn_error_run"
  )
  expect_match(error$details, "sprenn score", all = FALSE)
})

test_that("numbers are written plainly", {
  expect_equal(
    percent(c(0, 0.004, 0.5, 0.999, 1, NA)),
    c("0 %", "<1 %", "50 %", ">99 %", "100 %", "-")
  )
  expect_equal(two(c(-0.001, 1, NA)), c("-0.00", "1.00", "-"))
  expect_equal(
    text_table(list(name = c("a", "bcd"), n = c("1", "20"))),
    c("name   n", "a      1", "bcd   20")
  )
})

test_that("an open verdict says who is still in the race and what is missing", {
  lineup <- c(
    "engines:",
    "  mixer: {kind: function, file: mixer.R}",
    "  twin: {kind: function, file: twin.R}",
    "pipelines:",
    "  - {id: a, engine: mixer, hold: 0.7}",
    "  - {id: b, engine: twin, hold: 0.7}"
  )
  verdict <- verdict_of(small_trial(lineup = lineup))
  expect_equal(verdict$confidence, 0.5)
  text <- paste(format(verdict), collapse = " ")
  expect_match(text, "^Not decided: [ab] and [ab] gave the same results in every case")
  expect_match(text, "Still in the race: [ab] \\(")
})

test_that("a run that was stopped early says how much is missing", {
  folder <- small_trial()
  calls <- 0
  stop_at_nine <- function(request) {
    calls <<- calls + 1
    if (calls == 9) {
      rlang::interrupt()
    }
  }

  trial <- read_trial(folder, engines = list(mixer = mixing_engine(broken = stop_at_nine)))
  tryCatch(run_trial(trial)$takes, interrupt = function(e) NULL)
  score_run(trial)
  verdict <- choose_pipeline(trial)
  expect_equal(verdict$state, "unfinished")
  expect_match(format(verdict)[1], "3 of 12 takes are still missing; so far firm leads")
})

test_that("each aim of style has its own words", {
  reason <- tibble::tibble(
    what = "style",
    value = 0.5,
    low = 0.4,
    high = 0.6,
    against = 0.3,
    gain = 0.1
  )
  say <- function(style, gain = 0.1) {
    one_reason(utils::modifyList(reason, list(gain = gain)), list(style = style))
  }

  expect_match(
    say("reach the look"),
    "moves further towards the look: style 0.50 \\(0.40 to 0.60\\); the others' median is 0.30"
  )
  expect_match(say("stay"), "changes the style less")
  expect_match(say(c(0.2, 0.8)), "nearer to the amount wanted")
  expect_match(say("stay", -0.1), "changes the style more")
  expect_match(say("stay", 0), "changes the style as much")
})

test_that("a chance that rounds to what is wanted is said to be under it", {
  verdict <- list(
    state = "too close",
    best = "a",
    confidence = 0.897,
    brief = list(confidence = 0.9)
  )
  expect_match(
    headline_words(verdict),
    "is just under 90 %, and the brief wants 90 %"
  )
  verdict$confidence <- 0.8
  expect_match(headline_words(verdict), "is 80 %, and the brief wants 90 %")
})

test_that(
  paste0(
    "a change that is sure and too small for three digits is no news, and level pairs are not ",
    "called equal"
  ),
  {
    scores <- tibble::tibble(
      pipeline = "firm",
      score = c("structure", "style"),
      old = 0.5,
      new = c(0.5001, 0.45),
      change = c(0.0001, -0.05),
      low = c(0.00005, -0.06),
      high = c(0.0002, -0.04),
      takes = 12L,
      changed = TRUE,
      seen = c(0.0001, 0.02)
    )
    pictures <- tibble::tibble(
      pipeline = c("firm", "loose"),
      engine = "mixer",
      silent = FALSE,
      takes = 12L,
      same = 2L,
      other = 0L,
      asked_alike = 12L,
      lost = 0L,
      gained = 0L
    )
    changes <- structure(
      list(
        runs = c("old", "new"),
        confidence = 0.95,
        scores = scores,
        pictures = pictures,
        versions = tibble::tibble(engine = character()),
        only = list()
      ),
      class = "sprenn_changes"
    )
    text <- format(changes)
    expect_match(text, "style +0.50 +0.45 +-0.050", all = FALSE)
    expect_no_match(grep("firm", text, value = TRUE), "structure")
    expect_match(text, "No change detected: loose", all = FALSE)
    changes$scores <- scores[1, ]
    expect_match(
      format(changes),
      "No change was detected from old to new",
      all = FALSE
    )
    folder <- small_trial()
    run_trial(folder, workers = 0)
    portrait <- explain_pipeline(folder, "loose")
    portrait$against$apart <- FALSE
    expect_match(
      format(portrait),
      "Not distinguishable, with all pairs compared at once, from: firm",
      all = FALSE
    )
    expect_no_match(paste(format(portrait), collapse = " "), "told apart")
  }
)

test_that("a word that is nearly one that is known is guessed, and one that is not is left", {
  near <- nearest_word
  known <- c("structure", "adherence", "style", "flaws")
  expect_equal(near("structur", known), "structure")
  expect_equal(near("STYLE", known), "style")
  expect_equal(near("adherance", known), "adherence")
  expect_equal(near("flwas", known), "flaws")
  expect_equal(near("price", known), NA_character_)
  expect_equal(near("", known), NA_character_)
  expect_equal(near("style", character()), NA_character_)
})

test_that("long lists are cut short, and what is left out is counted", {
  short <- shorten_list
  expect_equal(short(character()), character())
  expect_equal(short("one"), "one")
  expect_equal(short(c("one", "two")), "one and two")
  expect_equal(short(letters[1:4]), "a, b, c and d")
  expect_equal(short(letters[1:5]), "a, b, c and 2 more")
  expect_equal(short(letters, most = 2), "a and 25 more")
})
