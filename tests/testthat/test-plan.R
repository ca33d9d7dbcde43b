planned_with <- function(
  lineup,
  suite = small_suite,
  brief = small_brief,
  ...,
  env = parent.frame()
) {
  plan_run(small_trial(suite, lineup, brief, env = env), ...)
}

plan_of <- function(..., env = parent.frame()) planned_with(..., env = env)$takes

chained <- c(
  "engines:",
  "  mixer: {kind: function, file: mixer.R}",
  "pipelines:",
  "  - {id: plain, engine: mixer, hold: 0.5}",
  "  - id: twice",
  "    steps: [{engine: mixer, hold: 0.5}, {engine: mixer, hold: 0.9}]",
  "  - id: thrice",
  "    steps: [{engine: mixer, hold: 0.5}, {engine: mixer, hold: 0.9}, {engine: mixer, hold: 0.8}]",
  "  - id: apart",
  "    steps: [{engine: mixer, hold: 0.3}, {engine: mixer, hold: 0.9}]"
)

test_that("takes are planned breadth first, with ids that tell what determines the picture", {
  plan <- plan_of(small_lineup)
  expect_equal(plan$pipeline[1:4], c("firm", "loose", "firm", "loose"))
  expect_equal(plan$case[1:6], rep(c("one", "two", "three"), each = 2))
  expect_equal(plan$seed, rep(1:2, each = 6))
  expect_match(plan$take, "^[0-9a-f]{12}-[0-9a-f]{12}-[12]$")
  parts <- do.call(rbind, strsplit(plan$take, "-"))
  expect_equal(
    match(parts[, 1], unique(parts[, 1])),
    match(plan$pipeline, unique(plan$pipeline))
  )
  expect_equal(match(parts[, 2], unique(parts[, 2])), match(plan$case, unique(plan$case)))
  # The same trial elsewhere has the same ids.
  expect_equal(plan_of(small_lineup)$take, plan$take)
})

test_that("what chains begin with alike is planned once, and may be a pipeline of its own", {
  plan <- plan_of(chained)
  # plain, twice and thrice share their first step, the two chains the second too.
  expect_equal(
    as.list(table(plan$pipeline)),
    list(apart = 6L, `apart:1` = 6L, plain = 6L, thrice = 6L, twice = 6L)
  )
  of <- function(name) plan[plan$pipeline == name, ]
  expect_equal(of("twice")$parent, of("plain")$take)
  expect_equal(of("thrice")$parent, of("twice")$take)
  expect_equal(of("apart")$parent, of("apart:1")$take)
  expect_true(all(is.na(of("plain")$parent)))
  expect_equal(unique(of("thrice")$stage), 3)
})

test_that("a case that asks for the same as another has takes of its own, and that is said", {
  suite <- c(
    small_suite,
    "  - {id: again, job: vary, reference: references/two.png, prompt: a thing}"
  )
  planned <- plan_run(small_trial(suite = suite))
  plan <- planned$takes
  expect_equal(sum(plan$case == "again"), 4)
  expect_false(any(plan$take[plan$case == "again"] %in% plan$take[plan$case == "two"]))
  expect_match(planned$notes, "request the same: two and again", all = FALSE)
  # The earlier one's are what they were.
  expect_true(all(plan_run(small_trial())$takes$take %in% plan$take))
})

test_that("controls change one thing, on a stated sample", {
  lineup <- c(
    small_lineup,
    "controls: [blank_prompt, swapped_prompt, no_reference, no_look, no_guide, repeat]",
    "control_sample: {cases: 2}"
  )
  suite <- c(
    small_suite[1:5],
    sub("prompt: a thing", "prompt: another, look: l", small_suite[6]),
    small_suite[7],
    "looks: {l: {pictures: [references/three.png]}}"
  )
  planned <- planned_with(lineup, suite)
  plan <- planned$takes
  control <- plan[!is.na(plan$control), ]
  # 2 cases x 1 seed x 2 pipelines; only one case has a look, none a guide.
  expect_equal(
    as.list(table(control$control)),
    list(blank_prompt = 4L, no_look = 2L, no_reference = 4L, `repeat` = 4L, swapped_prompt = 4L)
  )
  expect_equal(unique(control$seed), 1)
  expect_equal(sum(is.na(plan$control)), 12)
  expect_false(any(duplicated(plan$take)))
  expect_equal(summary(planned)$pipeline[3], "control: blank prompt")

  case <- read_trial(small_trial(suite))$suite$cases[[2]]
  changed <- function(control) {
    controlled_case(case, control, read_trial(small_trial(suite))$suite)
  }

  expect_length(changed("blank_prompt")$prompt, 0)
  expect_equal(changed("swapped_prompt")$prompt[[1]]$say, "a thing")
  expect_length(changed("no_reference")$references, 0)
  expect_true(is.na(changed("no_look")$look))
  expect_equal(changed("repeat"), case)
})

test_that("controls can be kept to the pipelines that are named", {
  lineup <- c(
    chained,
    "controls: [repeat]",
    "control_sample: {pipelines: [apart, plain/hold=0.1]}",
    "sweeps: [{of: plain, vary: hold, over: [0.1, 0.2]}]"
  )
  plan <- plan_of(lineup)
  control <- plan[!is.na(plan$control), ]
  # With the step before the last.
  expect_setequal(control$pipeline, c("apart:1", "apart", "plain/hold=0.1"))
  problems <- check_trial(small_trial(lineup = sub("[apart,", "[appart,", lineup, fixed = TRUE)))
  expect_equal(problems$place, "control_sample.pipelines[1]")
  expect_equal(problems$near, "apart")
})

test_that("a budget buys whole comparisons, new cases before more seeds", {
  all <- plan_of(small_lineup)
  some <- plan_of(small_lineup, within = 3.4)
  expect_equal(some$take, all$take[1:6])
  expect_equal(planned_with(small_lineup, within = 3.4)$left_out, 6)
  expect_equal(length(unique(some$case)), 3)
  # 0.01 s a take on one engine, one at a time.
  expect_equal(nrow(plan_of(small_lineup, within = "0.09 s")), 8)
  expect_equal(nrow(plan_of(small_lineup, within = "1 h")), 12)
  expect_error(
    plan_of(small_lineup, within = 0.9),
    "does not buy one whole comparison.*1.00",
    class = "sprenn_error_argument"
  )
  for (wrong in list("soon", -1, "3 weeks", NA, c(1, 2))) {
    expect_error(
      plan_of(small_lineup, within = wrong),
      "30 min",
      class = "sprenn_error_argument"
    )
  }
})

test_that("a run over a limit wants to be asked for twice", {
  folder <- small_trial(brief = c(small_brief, "limits: {takes: 10, cost: 5.5}"))
  error <- expect_error(run_trial(folder)$takes, class = "sprenn_error_limit")
  expect_match(error$details, "12 takes, over the brief's limit of 10", all = FALSE)
  expect_match(error$details, "6 in cost, over the brief's limit of 5.5", all = FALSE)
  expect_match(run_cli("plan", folder)$out, "over a limit: 12 takes", all = FALSE)
  expect_equal(run_cli("run", folder)$status, 2)
  expect_equal(nrow(run_trial(folder, within = 3)$takes), 6)
  # What is made already needs no limit.
  expect_equal(nrow(run_trial(folder)$takes), 12)
  other <- small_trial(brief = c(small_brief, "limits: {hours: 0.00001}"))
  expect_error(run_trial(other)$takes, class = "sprenn_error_limit")
  expect_equal(nrow(run_trial(other, yes = TRUE)$takes), 12)
})

test_that("what would be unfair to compare is said", {
  notes <- function(...) planned_with(...)$notes
  mixed <- c(small_lineup, "  - {id: tinted, engine: mixer, hold: 0.5, settings: {tint: 0.3}}")
  expect_match(
    notes(mixed),
    "can't be attributed to one of them: firm and tinted \\(hold and tint\\) and loose and tinted",
    all = FALSE
  )
  expect_false(any(grepl("attributed", notes(small_lineup))))
  narrow <- engine(
    list(
      name = "narrow",
      version = "1",
      checkpoints = list(plain = list(sizes = list(c(64, 64)))),
      hold = c(at_0 = 0, at_1 = 1)
    ),
    function(request) engine_result(request$reference)
  )
  folder <- small_trial(
    lineup = c(
      small_lineup[1:2],
      "  narrow: {kind: function, file: mixer.R}",
      small_lineup[-(1:2)],
      "  - {id: tight, engine: narrow, hold: 0.9}"
    )
  )
  plan <- plan_run(read_trial(folder, engines = list(narrow = narrow)))
  expect_match(plan$notes, "different aspect ratios for 96 x 64", all = FALSE)
})

test_that("a plan can be read by people and by programs", {
  folder <- small_trial(lineup = c(chained, "controls: [repeat]"))
  shown <- run_cli("plan", folder)$out
  expect_match(shown, "^apart:1 +mixer +0.30 +6 +3.00", all = FALSE)
  expect_match(shown, "^control: repeat +15 +7.50", all = FALSE)
  expect_match(
    shown,
    "In total: 45 takes, cost 22.50, about 1 s with all engines at work",
    all = FALSE
  )
  json <- jsonlite::fromJSON(paste(run_cli("plan", folder, "--json")$out, collapse = "\n"))
  expect_equal(json$takes_in_all, 45)
  expect_equal(nrow(json$takes), 45)
  expect_equal(json$cost, 22.5)
  expect_named(
    json$takes,
    c(
      "take", "pipeline", "case", "seed", "engine", "stage", "price", "seconds", "parent",
      "control"
    ),
    ignore.order = TRUE
  )
})

test_that("an engine's price and pace may be set in the lineup", {
  lineup <- sub(
    "file: mixer.R",
    "file: mixer.R, price: 2, at_once: 4, per_minute: 30",
    small_lineup
  )
  trial <- read_trial(small_trial(lineup = lineup))
  expect_equal(sum(plan_run(trial)$takes$price), 24)
  expect_equal(trial$lineup$engines$mixer$about$at_once, 4)
  expect_equal(plan_seconds(plan_run(trial)$takes, trial$lineup), 12 * 0.01 / 4)
})

test_that("an engine is called no more often a minute than its lineup says", {
  calls <- function(per_minute, at) {
    engine <- list(about = list(at_once = Inf), per_minute = per_minute)
    queue <- EngineQueue$new(engine, "mixer", seq_along(at))
    vapply(at, function(now) {
      may <- queue$may_begin(now)
      if (may) {
        queue$begin_call("plain", now)
      }
      may
    }, NA)
  }
  expect_equal(which(!calls(30, c(1:30, 59, 61, 62))), 31)
  expect_equal(calls(0.5, c(100, 200, 219, 220, 221)), c(TRUE, FALSE, FALSE, TRUE, FALSE))
})

test_that("a take's id changes with all that determines the picture, and with nothing else", {
  change <- function(lines, from, to) {
    stopifnot(any(grepl(from, lines, fixed = TRUE)))
    sub(from, to, lines, fixed = TRUE)
  }

  before <- plan_of(small_lineup)
  kept <- function(after) {
    vapply(
      c("one", "two", "three"),
      function(case) mean(before$take[before$case == case] %in% after$take),
      0
    )
  }

  all_kept <- c(one = 1, two = 1, three = 1)
  none_kept <- 0 * all_kept
  # What the picture does not depend on: names, titles, order, the brief, what is beside it.
  expect_equal(
    kept(plan_of(small_lineup, c(small_suite[1], "title: another", small_suite[-1]))),
    all_kept
  )
  expect_equal(kept(plan_of(small_lineup, small_suite[c(1:4, 7, 6, 5)])), all_kept)
  expect_equal(
    kept(plan_of(small_lineup, change(small_suite, "seeds: [1, 2]", "seeds: [3, 2, 1]"))),
    all_kept
  )
  expect_equal(
    kept(
      plan_of(
        small_lineup,
        brief = c("brief: another", "weights: {style: 1}", "style: {change: [0.2, 0.4]}")
      )
    ),
    all_kept
  )
  expect_equal(
    kept(plan_of(c(small_lineup, "  - {id: more, engine: mixer, hold: 0.4}"))),
    all_kept
  )
  expect_equal(kept(plan_of(change(small_lineup, "id: firm", "id: hard"))), all_kept)
  renamed <- change(small_suite, "id: one", "id: uno")
  expect_equal(
    sum(before$take[before$case == "one"] %in% plan_of(small_lineup, renamed)$take),
    4
  )
  # How a phrase is checked is not told to the engine; how it is weighed is.
  expect_equal(
    kept(plan_of(small_lineup, change(small_suite, "at most 0.9", "at most 0.8"))),
    all_kept
  )
  expect_equal(
    kept(plan_of(small_lineup, change(small_suite, "say: dark,", "say: dark, weight: 2,"))),
    c(one = 0, two = 1, three = 1)
  )
  expect_equal(
    kept(
      plan_of(
        small_lineup,
        change(small_suite, "two.png, prompt: a thing", "two.png, prompt: a Thing")
      )
    ),
    c(one = 1, two = 0, three = 1)
  )
  expect_equal(
    kept(plan_of(small_lineup, change(small_suite, "[96, 64]", "[96, 72]"))),
    none_kept
  )
  expect_equal(kept(plan_of(change(small_lineup, "hold: 0.9}", "hold: 0.91}"))), all_kept / 2)
  expect_equal(
    kept(plan_of(change(small_lineup, "hold: 0.9}", "hold: 0.9, settings: {tint: 0.5}}"))),
    all_kept / 2
  )
  engine_of <- function(version) {
    mixer <- mixing_engine(version = version)
    plan_run(read_trial(small_trial(), engines = list(mixer = mixer)))$takes
  }

  expect_equal(kept(engine_of("1")), all_kept)
  expect_equal(kept(engine_of("2")), none_kept)
})

test_that("a reference counts by its pixels, however they are stored", {
  folder <- small_trial()
  before <- plan_run(folder)$takes
  path <- file.path(folder, "references", "two.png")
  pixels <- png::readPNG(path)
  magick::image_write(magick::image_read(path), path, format = "png", depth = 16, quality = 0)
  expect_equal(plan_run(folder)$takes$take, before$take)
  # One value, of one pixel, by the least that can be told.
  pixels[10, 20, 1] <- pixels[10, 20, 1] + if (pixels[10, 20, 1] < 0.5) 1 / 255 else -1 / 255
  png::writePNG(pixels, path)
  after <- plan_run(folder)$takes
  expect_equal(before$take == after$take, before$case != "two")
})

test_that("what may be used is read as money or time, and anything else is told", {
  read <- read_within
  expect_null(read(NULL))
  expect_equal(read(2.5), list(money = 2.5))
  expect_equal(read("0.16"), list(money = 0.16))
  expect_equal(read("90 s"), list(seconds = 90))
  expect_equal(read(" 1.5 h "), list(seconds = 5400))
  expect_equal(read("30min"), list(seconds = 1800))
  expect_equal(read("2 d"), list(seconds = 172800))
  for (wrong in list("much", "-1", "0", 0, "5 weeks", "", NA, c(1, 2), "1e3")) {
    expect_error(read(wrong), "money as a number, or time", class = "sprenn_error_argument")
  }
})

test_that("engines are expected to work beside each other, each on as many calls as it takes", {
  plan <- tibble::tibble(
    engine = rep(c("slow", "wide"), c(3, 8)),
    seconds = rep(c(4, 6), c(3, 8))
  )
  lineup <- list(
    engines = list(
      slow = list(about = list(at_once = 1)),
      wide = list(about = list(at_once = 6))
    )
  )
  seconds <- plan_seconds
  expect_equal(seconds(plan, lineup), 12)
  lineup$engines$slow$about$at_once <- 2
  expect_equal(seconds(plan, lineup), 8)
  expect_equal(seconds(plan[0, ], lineup), 0)
  plan$seconds[1] <- NA
  expect_equal(seconds(plan, lineup), NA_real_)
})
