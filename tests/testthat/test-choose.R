# Tables with known truth. Each pipeline's structure is its own mean plus what
# the case and the seed do to all pipelines alike.
made_table <- function(means, n_cases = 6, n_seeds = 3, noise = 0.01, seed = 1) {
  withr::with_seed(seed, {
    grid <- expand.grid(
      pipeline = names(means),
      seed = seq_len(n_seeds),
      case = paste0("c", seq_len(n_cases)),
      stringsAsFactors = FALSE
    )
    shared <- stats::rnorm(n_cases, sd = 0.08)[as.integer(factor(grid$case))] +
      stats::rnorm(n_seeds, sd = 0.03)[grid$seed]
    tibble::tibble(
      pipeline = grid$pipeline,
      case = grid$case,
      seed = grid$seed,
      state = "made",
      cost = 0.1,
      seconds = 1,
      message = NA_character_,
      structure = pmin(
        1,
        pmax(0, means[grid$pipeline] + shared + stats::rnorm(nrow(grid), sd = noise))
      ),
      adherence = 0.5,
      coverage = 1,
      style = 0.5,
      flaws = "",
      slight = "",
      missed = ""
    )
  })
}

brief <- function(...) {
  utils::modifyList(
    list(
      brief = "x",
      weights = c(structure = 0.6, adherence = 0.2, style = 0.2),
      floors = c(structure = NA, adherence = NA, style = NA),
      style = "reach the look",
      confidence = 0.9,
      draws = 1000L,
      seed = 1L
    ),
    list(...)
  )
}


test_that("a clear winner is decided, with its margin, chance and reasons", {
  verdict <- verdict_from(made_table(c(a = 0.8, b = 0.6, c = 0.4)), brief())
  expect_equal(
    verdict[c("state", "best", "runner_up")],
    list(state = "decided", best = "a", runner_up = "b")
  )
  expect_equal(verdict$confidence, 1)
  expect_equal(verdict$margin[1], 0.6 * 0.2, tolerance = 0.1)
  expect_true(
    verdict$margin[2] > 0 &&
      verdict$margin[2] < verdict$margin[1] &&
      verdict$margin[1] < verdict$margin[3]
  )
  expect_equal(verdict$reasons$what[1], "structure")
  expect_equal(verdict$pipelines$pipeline, c("a", "b", "c"))
})

test_that("differences are paired: what cases and seeds do to all alike does not blur them", {
  table <- made_table(c(a = 0.55, b = 0.5), noise = 0.005)
  verdict <- verdict_from(table, brief())
  expect_gt(diff(range(table$structure)), 0.2)
  expect_lt(verdict$margin[3] - verdict$margin[2], 0.02)
  expect_gt(verdict$confidence, 0.99)
})

test_that("a tie is not decided, and too few cases never are", {
  ties <- lapply(1:20, function(seed) {
    verdict_from(made_table(c(a = 0.5, b = 0.5), noise = 0.05, seed = seed), brief())
  })
  close <- vapply(ties, `[[`, "", "state") == "too close"
  # A chance of 0.9 is passed by one of the two in a fifth of all ties.
  expect_gte(sum(close), 13)
  expect_setequal(ties[close][[1]]$in_the_race, c("a", "b"))
  expect_equal(
    verdict_from(made_table(c(a = 0.8, b = 0.3), n_cases = 2), brief())$state,
    "too few cases"
  )
  one <- verdict_from(made_table(c(a = 0.8)), brief())
  expect_true(is.na(one$runner_up))
})

test_that("identical pipelines share the chance of being best", {
  chance <- chance_best(
    rbind(
      a = c(1, 2, 3),
      b = c(1, 2, 0),
      c = c(0, 0, NA)
    )
  )
  expect_equal(chance, c(a = (0.5 + 0.5 + 1) / 3, b = 1 / 3, c = 0))
})

test_that("a take below a floor, with a serious flaw, or not made is no keeper and worth nothing", {
  table <- made_table(c(a = 0.8))
  table$structure[1] <- 0.2
  table$flaws[2] <- "bars"
  table$state[3] <- "failed"
  table[3, c("structure", "adherence", "style")] <- NA
  table$state[4] <- "planned"
  scored <- add_worth(
    table,
    brief(floors = c(structure = 0.3, adherence = NA, style = NA))
  )
  expect_equal(scored$keeper[1:5], c(FALSE, FALSE, FALSE, NA, TRUE))
  expect_equal(scored$worth[1:4], c(0, 0, 0, NA))
  expect_equal(scored$worth[5], 0.6 * table$structure[5] + 0.2)
})

test_that("failures count against a pipeline and planned takes leave it undecided", {
  table <- made_table(c(a = 0.8, b = 0.6))
  table$state[table$pipeline == "a" & table$seed < 3] <- "refused"
  verdict <- verdict_from(table, brief())
  expect_equal(verdict$best, "b")
  expect_equal(verdict$pipelines$failed, c(0, 12))
  expect_equal(verdict$pipelines$keepers[2], 1 / 3)
  table$state[1] <- "planned"
  expect_equal(verdict_from(table, brief())$state, "unfinished")
})

test_that("an axis without evidence is left out for all alike, and said", {
  table <- made_table(c(a = 0.8, b = 0.6))
  table$adherence[table$case == "c1"] <- NA
  verdict <- verdict_from(table, brief())
  first <- verdict$table[verdict$table$case == "c1", ][1, ]
  expect_true(first$keeper)
  expect_equal(first$worth, (0.6 * first$structure + 0.2 * 0.5) / 0.8)
  expect_equal(verdict$unchecked, c(adherence = 1L))
  # Under a floor nobody knows: the case counts for none.
  verdict <- verdict_from(table, brief(floors = c(structure = NA, adherence = 0.2, style = NA)))
  first <- verdict$table[verdict$table$case == "c1", ]
  expect_true(all(is.na(first$keeper)) && all(is.na(first$worth)))
  expect_equal(verdict$unjudged, "c1")
  expect_equal(verdict$pictures$cases, 5)
})

test_that("nobody over the floors, and nothing made, are verdicts too", {
  nobody <- verdict_from(
    made_table(c(a = 0.5, b = 0.4)),
    brief(floors = c(structure = 0.95, adherence = NA, style = NA))
  )
  expect_equal(nobody$state, "no keepers")
  table <- made_table(c(a = 0.5))
  table$state <- "planned"
  expect_equal(verdict_from(table, brief())$state, "nothing made")
})

test_that("money and time are counted over all takes and divided by keepers", {
  table <- made_table(c(a = 0.8))
  table$flaws[1:9] <- "blank"
  one <- verdict_from(table, brief())$pipelines
  expect_equal(
    one[c("cost_per_keeper", "seconds_per_keeper")],
    new_table(cost_per_keeper = 0.2, seconds_per_keeper = 2)
  )
})

test_that("the draws of a mean are distributed as Student's t has it", {
  # One seed a case: what textbooks say of a mean of normal values.
  scores <- withr::with_seed(3, stats::rnorm(40))
  table <- tibble::tibble(pipeline = "a", case = sprintf("c%02d", 1:40), seed = 1, x = scores)
  draws <- score_draws(table, "x", 20000, 5)$x["a", ]
  expect_equal(mean(draws), mean(scores), tolerance = 0.02)
  expect_equal(sd(draws), sd(scores) / sqrt(40) * sqrt(39 / 37), tolerance = 0.03)
  few <- withr::with_seed(5, stats::rnorm(6))
  table <- tibble::tibble(pipeline = "a", case = letters[1:6], seed = 1, x = few)
  ends <- interval(score_draws(table, "x", 40000, 5)$x["a", ])
  expect_equal(ends, as.vector(stats::t.test(few, conf.level = 0.9)$conf.int), tolerance = 0.03)
})

test_that("a single case is spoken for by its seeds, and a single take by nothing", {
  table <- tibble::tibble(
    pipeline = rep(c("a", "b"), each = 4),
    case = "one",
    seed = rep(1:4, 2),
    x = c(0.1, 0.2, 0.3, 0.4, 0.5, 0.5, 0.5, 0.6)
  )
  draws <- score_draws(table, "x", 500, 1)$x
  expect_gt(sd(draws["a", ]), 0.02)
  expect_gt(mean(draws["b", ]), mean(draws["a", ]))
  expect_true(all(is.na(score_draws(table[table$seed == 1, ], "x", 50, 1)$x)))
})

test_that("every case counts alike, however many seeds it has", {
  table <- tibble::tibble(
    pipeline = "a",
    case = c("x", rep("y", 9)),
    seed = 1:10,
    s = c(1, rep(0, 9))
  )
  expect_equal(mean_by_pipeline(table, "s"), c(a = 0.5))
  expect_equal(
    stats::median(score_draws(table, "s", 20000, 1)$s),
    0.5,
    tolerance = 0.02
  )
})

test_that("draws are the same for the same seed, and do not touch R's own", {
  table <- made_table(c(a = 0.5, b = 0.6))
  set.seed(4)
  before <- .Random.seed
  first <- score_draws(table, "structure", 200, 9)
  expect_identical(first, score_draws(table, "structure", 200, 9))
  expect_identical(.Random.seed, before)
  expect_false(identical(first, score_draws(table, "structure", 200, 10)))
})

test_that("90 % intervals of a mean cover the truth about 90 times in 100", {
  covered <- vapply(
    1:200,
    function(i) {
      table <- made_table(c(a = 0.5), n_cases = 25, n_seeds = 2, seed = i)
      ends <- interval(
        score_draws(table, "structure", 400, i)$structure["a", ]
      )
      # Seeds shift all cases alike here, so the truth is their mean, not 0.5.
      truth <- withr::with_seed(i, {
        stats::rnorm(25)
        0.5 + mean(stats::rnorm(2, sd = 0.03))
      })
      ends[1] <= truth && truth <= ends[2]
    },
    NA
  )
  expect_gt(mean(covered), 0.82)
  expect_lt(mean(covered), 0.97)
})

test_that("style is worth what the brief wants of it", {
  style <- function(change, match, aim) {
    style_of(change, match, aim)
  }

  expect_equal(style(0.8, 0.6, "reach the look"), 0.6)
  expect_equal(style(0.8, -0.4, "reach the look"), 0)
  expect_equal(style(0.3, 0, "stay"), 0.7)
  expect_equal(style(0.5, 0, c(0.4, 0.8)), 1)
  expect_equal(style(1, 0, c(0.4, 0.8)), 0.5)
  expect_true(is.na(style(0.8, NA, "reach the look")))
})

# Adherence and coverage of takes of case x, whose phrases weigh 1, 3, 4 and 2.
graded <- function(rows, takes = unique(rows$take)) {
  phrases <- tibble::tibble(
    case = "x",
    phrase = c("dark", "red", "a mill", "no lettering"),
    weight = c(1, 3, 4, 2),
    must = c(FALSE, TRUE, FALSE, FALSE),
    unwanted = c(FALSE, FALSE, FALSE, TRUE)
  )
  takes <- tibble::tibble(take = takes, case = "x", state = "made")
  evidence <- phrase_evidence(
    takes,
    tibble::tibble(axis = "adherence", rows),
    phrases
  )
  list(
    axis = adherence_of(takes, evidence, phrases),
    missed = missed_phrases(takes, evidence, phrases),
    evidence = evidence
  )
}

spoken <- function(...) tibble::tribble(~take, ~phrase, ~value, ...)

test_that("adherence weighs phrases, and coverage is the weight with evidence", {
  got <- graded(spoken("t1", "dark", 1, "t1", "red", 0.5), c("t1", "t2"))$axis
  expect_equal(got$adherence, c(0.625, NA))
  expect_equal(got$coverage, c(0.4, 0))
})

test_that("what is not wanted counts where it is present, and its absence makes up for nothing", {
  got <- graded(
    spoken("t1", "red", 0.5, "t1", "no lettering", 1, "t2", "red", 0.5, "t2", "no lettering", 0)
  )$axis
  expect_equal(got$adherence, c(0.5, 1.5 / 5))
  expect_equal(got$coverage, c(0.5, 0.5))
  expect_equal(graded(spoken("t1", "no lettering", 0.25))$axis$adherence, 0.25)
})

test_that("several sources of one phrase are averaged, once counted, and said to be apart", {
  got <- graded(spoken("t1", "red", 1, "t1", "red", 0.2, "t1", "red", 0.6, "t1", "a mill", 1))
  expect_equal(got$axis$adherence, (3 * 0.6 + 4) / 7)
  expect_equal(got$axis$coverage, 0.7)
  expect_equal(got$evidence$sources, c(3, 1))
  expect_equal(got$evidence$apart, c(0.8, 0))
  expect_equal(got$missed, "")
  expect_equal(graded(spoken("t1", "red", 0.7, "t1", "red", 0.2))$missed, "red")
})
