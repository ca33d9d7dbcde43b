# What more cases and seeds would tell: before a run, and after one that has not settled it.

# Worths that vary by known spreads.
spread_table <- function(cases, seeds, pipelines, by_case, by_seed, apart = 0, seed = 1) {
  means <- matrix(0.5, pipelines, 3, dimnames = list(letters[seq_len(pipelines)], axes_named))
  means[, "structure"] <- 0.5 - apart * (seq_len(pipelines) > 1)
  worth(scored_table(means, cases, seeds, by_case, by_seed, seed), only_structure)
}

axes_named <- c("structure", "adherence", "style")

only_structure <- utils::modifyList(
  core_brief,
  list(weights = c(structure = 1, adherence = 0, style = 0))
)

known_spreads <- function(by_case, by_seed, free = Inf) {
  list(by_case = by_case, case_free = free, by_seed = by_seed, seed_free = free)
}

assured <- function(parts, pipelines, cases, seeds, apart, confidence = 0.9, ...) {
  foreseen_assurance(parts, pipelines, cases, seeds, apart, confidence, ...)
}

test_that("spreads are found again, between cases and between seeds", {
  parts <- worth_parts_of(spread_table(120, 4, 4, 0.08, 0.05))
  expect_equal(parts$by_case, 0.08, tolerance = 0.07)
  expect_equal(parts$by_seed, 0.05, tolerance = 0.07)
  expect_equal(parts$case_free, 119 * 3)
  single <- worth_parts_of(spread_table(60, 1, 4, 0.08, 0.05))
  expect_true(is.na(single$by_seed))
  # What is due to seeds can't be told from what is due to cases: all of it is the cases'.
  expect_equal(single$by_case, sqrt(0.08^2 + 0.05^2), tolerance = 0.1)
  expect_true(is.na(worth_parts_of(spread_table(1, 3, 2, 0.1, 0.1))$by_case))
  expect_true(is.na(worth_parts_of(spread_table(5, 3, 1, 0.1, 0.1))$by_case))
})

test_that("cases of one picture count as what they are", {
  table <- spread_table(40, 2, 3, 0, 0.01, seed = 2)
  table$reference <- paste0("r", as.integer(factor(table$case)) %% 5)
  own <- withr::with_seed(3, stats::rnorm(15, 0, 0.1))
  table$worth <- table$worth +
    own[as.integer(factor(paste(table$reference, table$pipeline)))]
  parts <- worth_parts_of(table)
  expect_equal(parts$case_free, 4 * 2)
  expect_equal(parts$by_case, 0.1, tolerance = 0.5)
  table$reference <- NULL
  expect_equal(worth_parts_of(table)$case_free, 39 * 2)
})

test_that(
  paste0(
    "more cases, more seeds, a larger difference and fewer rivals are surer; one seed of more ",
    "cases is surer than more seeds"
  ),
  {
    parts <- known_spreads(0.08, 0.06)
    by_cases <- vapply(c(4, 10, 30, 90, 270), function(n) assured(parts, 5, n, 2, 0.05), 0)
    expect_true(all(diff(by_cases) > 0))
    expect_gt(by_cases[5], 0.99)
    expect_gt(assured(parts, 5, 40, 5, 0.05), assured(parts, 5, 40, 1, 0.05))
    expect_gt(assured(parts, 5, 40, 2, 0.06), assured(parts, 5, 40, 2, 0.04))
    expect_gt(assured(parts, 2, 40, 2, 0.05), assured(parts, 12, 40, 2, 0.05))
    expect_gt(assured(parts, 5, 80, 1, 0.05), assured(parts, 5, 40, 2, 0.05))
    # Who will do as well is right too.
    expect_gt(assured(parts, 5, 40, 2, 0.05, within = 0.05), assured(parts, 5, 40, 2, 0.05))
    expect_equal(assured(parts, 5, 2, 2, 0.05), 0)
    expect_equal(assured(parts, 5, 40, 2, 0.05), assured(parts, 5, 40, 2, 0.05))
  }
)

test_that("what is foreseen is what verdicts then say", {
  cases <- 30
  foreseen <- assured(known_spreads(0.06, 0.05), 4, cases, 2, 0.06)
  brief <- utils::modifyList(only_structure, list(draws = 400L))
  right <- vapply(
    1:60,
    function(i) {
      table <- spread_table(cases, 2, 4, 0.06, 0.05, 0.06, seed = i)
      ranked <- ranked_pipelines(table, brief)
      ranked$pipelines$pipeline[1] == "a" && "a" %in% ranked$close
    },
    NA
  )
  expect_equal(
    mean(right),
    foreseen,
    tolerance = 3 * sqrt(foreseen * (1 - foreseen) / 60) / foreseen
  )
  expect_true(foreseen > 0.4 && foreseen < 0.95)
})

test_that("the least that is told is told, and less is not", {
  parts <- known_spreads(0.08, 0.06)
  least <- least_told(parts, 5, 40, 2, 0.9, 0.8)
  expect_gte(assured(parts, 5, 40, 2, least), 0.8)
  expect_lt(assured(parts, 5, 40, 2, least * 0.8), 0.8)
  expect_lt(least_told(parts, 5, 40, Inf, 0.9, 0.8), least)
  expect_true(is.na(least_told(parts, 5, 3, 2, 0.999, 0.99)))
})

test_that("what more would settle is foretold where more helps, and not where it does not", {
  needed_for <- function(table) {
    draws <- score_draws(table, "worth", 1000, 1)$worth
    evidence_needed(table, draws, 0.9, 0)
  }

  clear <- needed_for(spread_table(4, 2, 2, 0.03, 0.05, apart = 0.05, seed = 6))
  expect_true(is.finite(clear$more_cases) && clear$more_cases < 200)
  # Where it is the cases that differ, no number of seeds helps.
  cases_differ <- needed_for(spread_table(6, 2, 2, 0.1, 0.001, apart = 0.06, seed = 4))
  expect_equal(cases_differ$more_seeds, Inf)
  expect_lt(cases_differ$with_seeds, 0.8)
  alike <- needed_for(spread_table(6, 2, 2, 0.1, 0.05, seed = 4))
  expect_equal(alike$more_cases, Inf)
  single <- needed_for(spread_table(4, 1, 2, 0.03, 0.05, apart = 0.05, seed = 6))
  expect_true(is.na(single$more_seeds) && is.na(single$with_seeds))
  expect_null(needed_for(spread_table(6, 2, 1, 0.1, 0.05)))
})

test_that("a forecast of nothing more says what the verdict says", {
  for (seed in 1:6) {
    table <- spread_table(8, 2, 3, 0.06, 0.05, apart = 0.02, seed = seed)
    draws <- score_draws(table, "worth", 1000, 1)$worth
    known <- list(
      worth = draws,
      means = mean_by_pipeline(table, "worth")[rownames(draws)],
      parts = worth_parts_of(table),
      cases = 8,
      seeds = 2,
      within = 0
    )
    leads <- max(chance_best(draws))
    settles_at <- function(confidence) {
      chance_of_settling(
        known,
        0,
        0,
        wanted_of_forecast(known, confidence)
      )
    }

    expect_gt(settles_at(leads - 0.02), 0.9)
    expect_lt(settles_at(leads + 0.02), 0.1)
  }
})

test_that("what no outcome showed is not called impossible", {
  hopeless <- spread_table(6, 2, 2, 0.1, 0.001, apart = 0.06, seed = 2)
  draws <- score_draws(hopeless, "worth", 1000, 1)$worth
  needed <- evidence_needed(hopeless, draws, 0.9, 0)
  expect_gt(needed$with_seeds, 0)
  expect_lt(needed$with_seeds, 0.01)
})

test_that("chances foreseen are those of the same draws made one by one", {
  means <- rbind(c(0.05, -0.02, -0.03), c(-0.2, 0.1, 0.1))
  grid <- list(spreads = 0.1, log_prior = 0, scales = 1)
  normal <- withr::with_seed(1, matrix(stats::rnorm(300), 100))
  even <- dealt_evenly(100)
  foreseen <- function(within) {
    core_foreseen_chances(means, c(0.01, 0.001), grid, t(normal), even, within)
  }

  by_hand <- function(row, variance, best, within) {
    kept <- 1 / (1 + variance / 0.1^2)
    worth <- t(means[row, ] * kept + sqrt(variance * kept) * t(normal))
    mean(worth[, best] >= apply(worth, 1, max) - within)
  }

  expect_equal(foreseen(0), c(by_hand(1, 0.01, 1, 0), by_hand(2, 0.001, 2, 0)))
  expect_equal(foreseen(0.03), c(by_hand(1, 0.01, 1, 0.03), by_hand(2, 0.001, 2, 0.03)))
  # Spreads are drawn as likely as they are: one that explains the means well, and one that can't.
  grid <- list(spreads = c(0.0001, 0.1), log_prior = c(0, 0), scales = 1)
  expect_equal(
    core_foreseen_chances(means, c(1e-4, 1e-4), grid, t(normal), even, 0)[1],
    1
  )
})

test_that("the prior of a spread has its mass where it is said to lie", {
  density <- function(spread) exp(log_prior_of_spread(spread)) / spread
  usual <- usual_spread
  below <- stats::integrate(density, 0, usual)$value
  all <- stats::integrate(density, 0, Inf)$value
  expect_equal(below / all, 0.5, tolerance = 1e-4)
  # No two pipelines are the same: hardly any mass lies near 0.
  expect_lt(stats::integrate(density, 0, usual / 10)$value / all, 0.02)
})

test_that("a plan says how many cases and seeds it takes, and what that rests on", {
  folder <- small_trial()
  usual <- plan_design(folder, 0.1)
  expect_equal(usual$from, "usual")
  expect_equal(usual$suite$cases, 3)
  one <- usual$designs[usual$designs$cases == 8 & usual$designs$seeds == 2, ]
  expect_equal(one$takes, 8 * 2 * usual$pipelines)
  expect_true(all(diff(usual$designs$assurance[usual$designs$seeds == 2]) >= -0.03))
  expect_gte(usual$best$assurance, 0.9)
  expect_true(all(usual$best$cost <= usual$designs$cost[usual$designs$assurance >= 0.9]))
  run_trial(folder, workers = 0)
  own <- plan_design(folder, 0.1)
  expect_equal(own$from, "main")
  expect_false(own$spreads$by_case == usual$spreads$by_case)
  other <- small_trial()
  like <- plan_design(other, 0.1, like = file.path(folder, "runs", "main"))
  expect_equal(like$spreads, own$spreads)
  # The same twice is known better.
  expect_equal(
    plan_design(other, 0.1, like = c(folder, folder))$spreads$case_free,
    2 * own$spreads$case_free
  )
  words <- format(own)
  expect_match(words, "The cheapest that is sure enough|Nothing up to", all = FALSE)
  expect_match(words, "as in run main", all = FALSE)
  expect_match(format(usual), "since there is no", all = FALSE)
  expect_output(print(usual), "The suite as it is")
})

test_that("what can't be planned for is said", {
  folder <- small_trial()
  expect_error(plan_design(folder, 2), class = "sprenn_error_argument")
  expect_error(
    plan_design(folder, 0.1, like = tempdir()),
    class = "sprenn_error_argument",
    "neither a run"
  )
  expect_error(
    plan_design(folder, 0.1, like = file.path(folder, "nowhere")),
    class = "sprenn_error_argument",
    "neither a run"
  )
  trial <- read_trial(folder)
  trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
  expect_error(
    plan_design(trial, 0.1),
    class = "sprenn_error_argument",
    "nothing to tell apart"
  )
  said <- run_cli("plan", folder, "--tell", "0.1", "--sure", "0.8")
  expect_equal(said$status, 0)
  expect_match(said$out, "1 seed  2 seeds", all = FALSE)
  facts <- jsonlite::parse_json(
    paste(run_cli("plan", folder, "--tell", "0.1", "--json")$out, collapse = "")
  )
  expect_equal(facts$tell, 0.1)
  expect_gt(length(facts$designs), 20)
})
