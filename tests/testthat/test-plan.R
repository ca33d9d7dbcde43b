plan_of <- function(lineup, suite = small_suite, brief = small_brief, ..., env = parent.frame()) {
  plan_run(small_trial(suite, lineup, brief, env = env), ...)
}
chained <- c(
  "engines:", "  mixer: {kind: function, file: mixer.R}", "pipelines:", "  - {id: plain, engine: mixer, hold: 0.5}",
  "  - id: twice", "    steps: [{engine: mixer, hold: 0.5}, {engine: mixer, hold: 0.9}]",
  "  - id: thrice", "    steps: [{engine: mixer, hold: 0.5}, {engine: mixer, hold: 0.9}, {engine: mixer, hold: 0.8}]",
  "  - id: apart", "    steps: [{engine: mixer, hold: 0.3}, {engine: mixer, hold: 0.9}]"
)

test_that("takes are planned breadth first, with ids that tell what determines the picture", {
  plan <- plan_of(small_lineup)
  expect_equal(plan$pipeline[1:4], c("firm", "loose", "firm", "loose"))
  expect_equal(plan$case[1:6], rep(c("one", "two", "three"), each = 2))
  expect_equal(plan$seed, rep(1:2, each = 6))
  expect_match(plan$take, "^[0-9a-f]{12}-[0-9a-f]{12}-[12]$")
  parts <- do.call(rbind, strsplit(plan$take, "-"))
  expect_equal(match(parts[, 1], unique(parts[, 1])), match(plan$pipeline, unique(plan$pipeline)))
  expect_equal(match(parts[, 2], unique(parts[, 2])), match(plan$case, unique(plan$case)))
  # The same trial elsewhere has the same ids.
  expect_equal(plan_of(small_lineup)$take, plan$take)
})

test_that("what chains begin with alike is planned once, and may be a pipeline of its own", {
  plan <- plan_of(chained)
  # plain, twice and thrice share their first step, the two chains the second too.
  expect_equal(as.list(table(plan$pipeline)), list(apart = 6L, `apart:1` = 6L, plain = 6L, thrice = 6L, twice = 6L))
  of <- function(name) plan[plan$pipeline == name, ]
  expect_equal(of("twice")$parent, of("plain")$take)
  expect_equal(of("thrice")$parent, of("twice")$take)
  expect_equal(of("apart")$parent, of("apart:1")$take)
  expect_true(all(is.na(of("plain")$parent)))
  expect_equal(unique(of("thrice")$stage), 3)
})

test_that("a case that asks for the same as another has takes of its own, and that is said", {
  suite <- c(small_suite, "  - {id: again, job: vary, reference: references/two.png, prompt: a thing}")
  plan <- plan_run(small_trial(suite = suite))
  expect_equal(sum(plan$case == "again"), 4)
  expect_false(any(plan$take[plan$case == "again"] %in% plan$take[plan$case == "two"]))
  expect_match(attr(plan, "notes"), "same twice: again as for two", all = FALSE)
  # The earlier one's are what they were.
  expect_true(all(plan_run(small_trial())$take %in% plan$take))
})

test_that("controls change one thing, on a stated sample", {
  lineup <- c(small_lineup, "controls: [blank_prompt, swapped_prompt, no_reference, no_look, no_guide, repeat]", "control_sample: {cases: 2}")
  suite <- c(small_suite[1:5], sub("prompt: a thing", "prompt: another, look: l", small_suite[6]), small_suite[7], "looks: {l: {pictures: [references/three.png]}}")
  plan <- plan_of(lineup, suite)
  control <- plan[!is.na(plan$control), ]
  # 2 cases x 1 seed x 2 pipelines; only one case has a look, none a guide.
  expect_equal(as.list(table(control$control)), list(blank_prompt = 4L, no_look = 2L, no_reference = 4L, `repeat` = 4L, swapped_prompt = 4L))
  expect_equal(unique(control$seed), 1)
  expect_equal(sum(is.na(plan$control)), 12)
  expect_false(any(duplicated(plan$take)))
  expect_equal(summary(plan)$pipeline[3], "control: blank prompt")

  case <- read_trial(small_trial(suite))$suite$cases[[2]]
  changed <- function(control) internal("controlled_case")(case, control, read_trial(small_trial(suite))$suite)
  expect_length(changed("blank_prompt")$prompt, 0)
  expect_equal(changed("swapped_prompt")$prompt[[1]]$say, "a thing")
  expect_length(changed("no_reference")$references, 0)
  expect_true(is.na(changed("no_look")$look))
  expect_equal(changed("repeat"), case)
})

test_that("a budget buys whole comparisons, new cases before more seeds", {
  all <- plan_of(small_lineup)
  some <- plan_of(small_lineup, within = 3.4)
  expect_equal(some$take, all$take[1:6])
  expect_equal(attr(some, "left_out"), 6)
  expect_equal(length(unique(some$case)), 3)
  # 0.01 s a take on one engine, one at a time.
  expect_equal(nrow(plan_of(small_lineup, within = "0.09 s")), 8)
  expect_equal(nrow(plan_of(small_lineup, within = "1 h")), 12)
  expect_error(plan_of(small_lineup, within = 0.9), "does not buy one whole comparison.*1.00", class = "sprenn_error_argument")
  for (wrong in list("soon", -1, "3 weeks", NA, c(1, 2))) expect_error(plan_of(small_lineup, within = wrong), "30 min", class = "sprenn_error_argument")
})

test_that("a run over a limit wants to be asked for twice", {
  folder <- small_trial(brief = c(small_brief, "limits: {takes: 10, cost: 5.5}"))
  error <- expect_error(run_trial(folder), class = "sprenn_error_limit")
  expect_match(error$details, "12 takes, over the brief's limit of 10", all = FALSE)
  expect_match(error$details, "6 in cost, over the brief's limit of 5.5", all = FALSE)
  expect_match(run_cli("plan", folder)$out, "over a limit: 12 takes", all = FALSE)
  expect_equal(run_cli("run", folder)$status, 2)
  expect_equal(nrow(run_trial(folder, within = 3)), 6)
  # What is made already needs no limit.
  expect_equal(nrow(run_trial(folder)), 12)
  other <- small_trial(brief = c(small_brief, "limits: {hours: 0.00001}"))
  expect_error(run_trial(other), class = "sprenn_error_limit")
  expect_equal(nrow(run_trial(other, yes = TRUE)), 12)
})

test_that("what would be unfair to compare is said", {
  notes <- function(...) attr(plan_of(...), "notes")
  mixed <- c(small_lineup, "  - {id: tinted, engine: mixer, hold: 0.5, settings: {tint: 0.3}}")
  expect_match(notes(mixed), "can't be credited to one of them: firm and tinted \\(hold and tint\\) and loose and tinted", all = FALSE)
  expect_false(any(grepl("credited", notes(small_lineup))))
  narrow <- engine(list(name = "narrow", version = "1", checkpoints = list(plain = list(sizes = list(c(64, 64)))), hold = c(at_0 = 0, at_1 = 1)), function(request) take_result(request$reference))
  folder <- small_trial(lineup = c(small_lineup[1:2], "  narrow: {kind: function, file: mixer.R}", small_lineup[-(1:2)], "  - {id: tight, engine: narrow, hold: 0.9}"))
  plan <- plan_run(read_trial(folder, engines = list(narrow = narrow)))
  expect_match(attr(plan, "notes"), "different aspects for 96 x 64", all = FALSE)
})

test_that("a plan can be read by people and by programs", {
  folder <- small_trial(lineup = c(chained, "controls: [repeat]"))
  shown <- run_cli("plan", folder)$out
  expect_match(shown, "^apart:1 +mixer +0.30 +6 +3.00", all = FALSE)
  expect_match(shown, "^control: repeat +15 +7.50", all = FALSE)
  expect_match(shown, "In all: 45 takes, cost 22.50, about 1 s with all engines at work", all = FALSE)
  json <- jsonlite::fromJSON(paste(run_cli("plan", folder, "--json")$out, collapse = "\n"))
  expect_equal(json$takes_in_all, 45)
  expect_equal(nrow(json$takes), 45)
  expect_equal(json$cost, 22.5)
  expect_named(json$takes, c("take", "pipeline", "case", "seed", "engine", "stage", "price", "seconds", "parent", "control"), ignore.order = TRUE)
})

test_that("an engine's price and pace may be set in the lineup", {
  lineup <- sub("file: mixer.R", "file: mixer.R, price: 2, at_once: 4, per_minute: 30", small_lineup)
  trial <- read_trial(small_trial(lineup = lineup))
  expect_equal(sum(plan_run(trial)$price), 24)
  expect_equal(trial$lineup$engines$mixer$about$at_once, 4)
  expect_equal(internal("plan_seconds")(plan_run(trial), trial$lineup), 12 * 0.01 / 4)
  lane <- as.environment(list(engine = trial$lineup$engines$mixer, starts = 1:29))
  expect_true(internal("within_rate")(lane, 59))
  lane$starts <- 1:30
  expect_false(internal("within_rate")(lane, 59))
  expect_true(internal("within_rate")(lane, 62))
  lane$engine$per_minute <- 0.5
  expect_false(internal("within_rate")(as.environment(list(engine = lane$engine, starts = numeric(), last = 100)), 200))
  expect_true(internal("within_rate")(as.environment(list(engine = lane$engine, starts = numeric(), last = 100)), 221))
})
