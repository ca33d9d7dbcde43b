# What a lead asks of a run: which, why, what if, since when; through the exported functions
# and the command line.
swept_lineup <- c(small_lineup, "sweeps:", "  - {vary: hold, of: firm, over: [0.5, 0.7]}")

swept <- function(env = parent.frame()) {
  frame <- environment()
  copy_of(
    "swept",
    function() {
      folder <- small_trial(lineup = swept_lineup, env = frame)
      run_trial(folder, workers = 0)
      folder
    },
    env
  )
}

test_that("a choice can be made by another brief, without an engine, and with other weights", {
  folder <- swept()
  whole <- choose_pipeline(folder)
  expect_equal(whole$best, "firm")
  expect_false("firm" %in% choose_pipeline(folder, without = "firm")$pipelines$pipeline)
  other <- file.path(folder, "other.yml")
  writeLines(
    c(
      "brief: another",
      "weights: {style: 1}",
      "style: {change: [0.1, 0.9]}",
      "confidence: 0.6"
    ),
    other
  )
  by_other <- choose_pipeline(folder, brief = other)
  expect_equal(by_other$brief$confidence, 0.6)
  expect_equal(by_other$brief$weights, c(structure = 0, adherence = 0, style = 1))
  reweighed <- choose_pipeline(folder, weights = c(structure = 0.5, style = 0.5))
  expect_equal(reweighed$brief$weights, c(structure = 0.5, adherence = 0, style = 0.5))
  expect_error(
    choose_pipeline(folder, weights = c(structure = 0.6)),
    class = "sprenn_error_argument",
    "no weight"
  )
  expect_error(
    choose_pipeline(folder, weights = c(structure = 0.8, style = 0.4)),
    class = "sprenn_error_argument",
    "add up to 1.2"
  )
  expect_error(
    choose_pipeline(folder, weights = c(layout = 0.6)),
    class = "sprenn_error_argument",
    "no axis"
  )
  expect_error(
    choose_pipeline(folder, without = "mixre"),
    class = "sprenn_error_argument",
    "Did you mean \"mixer\""
  )
  expect_error(
    choose_pipeline(folder, without = "mixer"),
    class = "sprenn_error_argument",
    "Nothing is left"
  )
  writeLines("weights: {structure: none}", other)
  expect_error(
    choose_pipeline(folder, brief = other),
    class = "sprenn_error_trial",
    "other.yml"
  )
  expect_error(
    choose_pipeline(folder, brief = file.path(folder, "nowhere.yml")),
    class = "sprenn_error_trial",
    "no such file"
  )
})

test_that("curves say where floors are cleared and what was swept", {
  folder <- swept()
  found <- response_curves(folder)
  expect_equal(found$vary, "hold")
  expect_equal(found$features$points, 3)
  expect_equal(found$features$best, 0.9)
  pooled <- found$curves[is.na(found$curves$case) & found$curves$score == "structure", ]
  expect_true(all(diff(pooled$mean) > 0))
  expect_equal(length(unique(stats::na.omit(found$curves$case))), 3)
  expect_match(format(found), "highest worth at 0.9", all = FALSE)
  expect_s3_class(draw_curve(found$verdict, "hold"), "ggplot")
  expect_error(
    response_curves(folder, vary = "guidance"),
    class = "sprenn_error_run",
    "was swept"
  )
  alone <- small_trial()
  run_trial(alone, workers = 0)
  expect_error(response_curves(alone), class = "sprenn_error_run", "sweep")
})

test_that("a sweep is read off at equal structure, and what no sweep reaches is said", {
  folder <- swept()
  found <- match_engines(folder)
  expect_equal(unique(found$table$line), "firm")
  expect_true(found$table$setting[1] > 0.5 && found$table$setting[1] < 0.9)
  expect_match(format(match_engines(folder, at = 0.001)), "No sweep reaches", all = FALSE)
  expect_match(
    format(found),
    "no two sweeps|nothing to compare",
    ignore.case = TRUE,
    all = FALSE
  )
  expect_s3_class(draw_match(found), "ggplot")
  # One take of each setting: no bands, but lines.
  single <- small_trial(
    suite = c("suite: small", "seeds: [1]", small_suite[3:5]),
    lineup = swept_lineup
  )
  run_trial(single, workers = 0)
  alone <- match_engines(single)
  expect_true(all(is.na(alone$levels$reached)))
  expect_gt(nrow(draw_match(alone)$data), 5)
})

test_that("a pipeline is told by itself: its place, its cases, what goes wrong, and its steps", {
  folder <- small_trial(
    lineup = c(
      small_lineup,
      "  - id: mended",
      "    steps: [{engine: mixer, hold: 0.9}, {engine: mixer, hold: 0.5}]"
    )
  )
  run_trial(folder, workers = 0)
  found <- explain_pipeline(folder, "loose")
  expect_equal(found$standing$rank, 3)
  expect_equal(
    sum(found$problems$takes[found$problems$problem == "below the floor of structure"]),
    6
  )
  expect_setequal(found$cases$case, c("one", "two", "three"))
  expect_true(all(found$against$difference < 0))
  expect_equal(nrow(found$stages), 0)
  steps <- explain_pipeline(folder, "mended")$stages
  # Its first step is what firm makes too.
  expect_equal(steps$follows[1], "firm")
  expect_lt(steps$gain[1], -0.03)
  expect_true(
    steps$before[1] > 0 && abs(steps$after[1] - steps$before[1] - steps$gain[1]) < 1e-9
  )
  expect_match(format(explain_pipeline(folder, "mended")), "later steps", all = FALSE)
  expect_error(
    explain_pipeline(folder, "lose"),
    class = "sprenn_error_argument",
    "Did you mean \"loose\""
  )
})

test_that("an engine that changed behind its name is found, and nothing else is called changed", {
  folder <- small_trial(
    lineup = c(
      "engines:",
      "  mixer: {kind: function, file: mixer.R}",
      "  twin: {kind: function, file: twin.R}",
      "pipelines:",
      "  - {id: firm, engine: mixer, hold: 0.9}",
      "  - {id: other, engine: twin, hold: 0.8}",
      "  - {id: loose, engine: mixer, hold: 0.3}"
    )
  )
  run_trial(folder, "old", workers = 0)
  writeLines(
    c(
      "engine <- get('mixing_engine', globalenv())('twin')",
      "own <- engine$make",
      paste0(
        "engine$make <- function(request) { request$native_hold <- request$native_hold * 0.4; ",
        "own(request) }"
      ),
      "engine"
    ),
    file.path(folder, "twin.R")
  )
  run_trial(folder, "new", workers = 0)
  found <- compare_runs(folder, "old", "new")
  expect_equal(found$pictures$pipeline[found$pictures$silent], "other")
  expect_equal(
    found$pictures$other,
    c(0, 6, 0)[match(found$pictures$pipeline, c("firm", "other", "loose"))]
  )
  expect_setequal(unique(found$scores$pipeline[found$scores$changed]), "other")
  expect_lt(
    found$scores$change[found$scores$pipeline == "other" & found$scores$score == "structure"],
    -0.02
  )
  expect_equal(
    found$scores$change[found$scores$pipeline == "firm" & found$scores$score == "structure"],
    0
  )
  expect_match(format(found), "Changed without a new version number", all = FALSE)
  expect_s3_class(draw_changes(found), "ggplot")
  expect_error(compare_runs(folder, "old", "old"), class = "sprenn_error_argument", "itself")
  # Of another suite only what both have is compared.
  writeLines(
    change(small_suite, "seeds: [1, 2]", "seeds: [1, 3]"),
    file.path(folder, "suite.yml")
  )
  run_trial(folder, "later", workers = 0)
  found <- compare_runs(folder, "old", "later")
  expect_equal(unique(found$pictures$takes), 3)
  expect_equal(found$common$seeds, 1)
})

test_that("a run that stops when it is decided leaves the rest unmade, and goes on where it was", {
  folder <- small_trial(
    suite = change(small_suite, "seeds: [1, 2]", "seeds: [1, 2, 3, 4]"),
    brief = c(small_brief, "confidence: 0.8")
  )
  made <- run_trial(folder, until = "decided", workers = 0)
  takes <- made$takes
  race <- made$race
  expect_equal(race$jobs$all$state, "decided")
  expect_equal(race$jobs$all$best, "firm")
  expect_lt(sum(takes$state == "made"), nrow(takes) / 2 + 1)
  verdict <- choose_pipeline(folder)
  expect_equal(verdict$best, "firm")
  expect_equal(verdict$looks, 4)
  expect_match(format(verdict), "widened for the interim looks", all = FALSE)
  # Again it finds that all is done.
  again <- run_trial(folder, until = "decided", workers = 0)$takes
  expect_equal(again$state, takes$state)
  # Whoever wants the rest gets it, and the looks are not forgotten.
  whole <- run_trial(folder, workers = 0)$takes
  expect_true(all(whole$state == "made"))
  expect_equal(choose_pipeline(folder)$looks, 4)
  expect_error(
    run_trial(folder, until = "decided", score = FALSE)$takes,
    class = "sprenn_error_argument",
    "needs scores"
  )
})

test_that("a race that is stopped goes on in its round, with the same end", {
  suite <- change(small_suite, "seeds: [1, 2]", "seeds: [1, 2, 3, 4]")
  twins <- c(
    "engines:",
    "  mixer: {kind: function, file: mixer.R}",
    "pipelines:",
    "  - {id: firm, engine: mixer, hold: 0.7}",
    "  - {id: near, engine: mixer, hold: 0.69}",
    "  - {id: loose, engine: mixer, hold: 0.1}"
  )
  undisturbed <- small_trial(suite = suite, lineup = twins)
  whole <- run_trial(undisturbed, until = "decided", workers = 0)
  folder <- small_trial(suite = suite, lineup = twins)
  stops <- FALSE
  stopped <- tryCatch(
    run_trial(folder, until = "decided", workers = 0, progress = function(done, ...) {
      if (done == 4 && !stops) {
        stops <<- TRUE
        rlang::interrupt()
      }
    }),
    interrupt = function(e) "stopped"
  )
  expect_equal(stopped, "stopped")
  after <- run_trial(folder, until = "decided", workers = 0)
  expect_equal(
    after$takes[c("pipeline", "case", "seed", "state")],
    whole$takes[c("pipeline", "case", "seed", "state")]
  )
  expect_equal(after$race$jobs, whole$race$jobs)
})

test_that("the commands say the same in words and as JSON", {
  folder <- swept()
  said <- run_cli("choose", folder, "--json")
  verdict <- jsonlite::fromJSON(said$out)
  expect_equal(verdict$best, "firm")
  expect_equal(said$status, 0)
  expect_match(
    run_cli("choose", folder, "--if", "style=0.5,structure=0.5")$out,
    "structure 0.50",
    all = FALSE
  )
  expect_equal(run_cli("choose", folder, "--if", "style")$status, 2)
  expect_match(run_cli("explain", folder, "firm")$out, "the best of 4", all = FALSE)
  curves <- jsonlite::fromJSON(run_cli("curves", folder, "--json")$out)
  expect_equal(curves$features$best, 0.9)
  drawn <- file.path(folder, "match.png")
  expect_match(run_cli("match", folder, "--out", drawn)$out, "Drawn in", all = FALSE)
  expect_true(file.exists(drawn))
  run_trial(folder, "again", workers = 0)
  expect_match(
    run_cli("compare", folder, "main", "again")$out,
    "No change was detected",
    all = FALSE
  )
  expect_match(
    run_cli("run", folder, "--run", "raced", "--until", "decided")$out,
    "decided after|not decided|still open",
    all = FALSE
  )
})
