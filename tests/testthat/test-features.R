# What a verdict is made of, piece by piece, on tables small enough to work out by hand.
verdict_table_of <- function(means, ...) {
  add_worth(scored_table(means, ...), core_brief)
}

test_that("a cliff is twice as steep as the rest, and no matter of chance", {
  cliff <- cliff_of
  draws_around <- function(score, spread) {
    withr::with_seed(
      1,
      t(vapply(score, function(s) stats::rnorm(400, s, spread), numeric(400)))
    )
  }

  value <- c(0.2, 0.4, 0.6, 0.7, 0.9)
  score <- c(0.10, 0.15, 0.20, 0.60, 0.65)
  found <- cliff(value, score, draws_around(score, 0.02))
  expect_equal(c(found$cliff_from, found$cliff_to, found$drop), c(0.6, 0.7, 0.4))
  expect_true(found$drop_low < 0.4 && found$drop_high > 0.4 && found$drop_low > 0.3)
  # The same step among draws that reach from nothing to all: chance may have made it.
  expect_true(is.na(cliff(value, score, draws_around(score, 0.5))$cliff_from))
  # An even line has none, nor has one whose steepest step is small.
  even <- seq(0.1, 0.9, length.out = 5)
  expect_true(is.na(cliff(c(0, 0.25, 0.5, 0.75, 1), even, draws_around(even, 0.01))$cliff_from))
  small <- c(0.50, 0.50, 0.50, 0.58, 0.58)
  expect_true(is.na(cliff(value, small, draws_around(small, 0.001))$cliff_from))
  # A fall is one as well, and told with its sign.
  expect_equal(cliff(value, rev(score), draws_around(rev(score), 0.02))$drop, -0.4)
  # Three settings can show one.
  three <- c(0.1, 0.15, 0.8)
  expect_equal(cliff(c(0.2, 0.5, 0.8), three, draws_around(three, 0.03))$cliff_from, 0.5)
  expect_true(is.na(cliff(c(0.2, 0.5, 0.8), three, draws_around(three, 0.3))$cliff_from))
  # Two settings show none, whatever lies between them.
  expect_true(
    is.na(cliff(c(0.2, 0.8), c(0, 1), draws_around(c(0, 1), 0.01))$cliff_from)
  )
})

test_that("on straight lines a cliff is found no more often than is said, and real ones are", {
  along <- function(truth, seed, cases = 10, noise = 0.08) {
    means <- means_of(cbind(truth, 0.5, 0.5))
    rownames(means) <- letters[seq_along(truth)]
    table <- scored_table(
      means,
      cases = cases,
      seeds = 1,
      by_case = noise,
      by_seed = 0.01,
      seed = seed
    )
    draws <- score_draws(table, "structure", 1000, 1)$structure
    value <- seq(0.1, 0.9, length.out = length(truth))
    !is.na(
      cliff_of(
        value,
        mean_by_pipeline(table, "structure"),
        draws
      )$cliff_from
    )
  }

  for (truth in list(
    seq(0.2, 0.8, length.out = 3),
    seq(0.2, 0.8, length.out = 7),
    rep(0.5, 5)
  )) {
    expect_lte(mean(vapply(1:40, function(seed) along(truth, seed), NA)), 0.05)
  }

  for (truth in list(c(0.3, 0.35, 0.8), c(0.2, 0.22, 0.24, 0.7, 0.72))) {
    expect_gte(mean(vapply(1:40, function(seed) along(truth, seed), NA)), 0.8)
  }
})

test_that("flat is the widest stretch within a twentieth", {
  flat <- flat_of
  expect_equal(
    unlist(flat(c(0, 0.2, 0.4, 0.6, 1), c(0.10, 0.12, 0.14, 0.50, 0.53))),
    c(flat_from = 0, flat_to = 0.4)
  )
  expect_equal(
    unlist(flat(c(0, 0.2, 0.9), c(0.5, 0.52, 0.54))),
    c(flat_from = 0, flat_to = 0.9)
  )
  expect_true(all(is.na(unlist(flat(c(0, 0.5, 1), c(0, 0.5, 1))))))
  # It is width that counts, not how many settings lie within.
  expect_equal(
    unlist(flat(c(0, 0.05, 0.1, 0.5, 1), c(0.1, 0.1, 0.1, 0.8, 0.8))),
    c(flat_from = 0.5, flat_to = 1)
  )
})

test_that("the window is where straight lines between settings clear every floor", {
  means <- cbind(
    structure = c(0.2, 0.4, 0.8),
    adherence = c(0.9, 0.9, 0.1),
    style = c(NA, NA, NA)
  )
  value <- c(0, 0.5, 1)
  draws <- lapply(stats::setNames(nm = colnames(means)), function(axis) {
    withr::with_seed(1, means[, axis] + matrix(stats::rnorm(3 * 300, 0, 0.03), 3))
  })
  window <- function(floors) window_of(value, means, floors, draws)
  found <- window(c(structure = 0.3, adherence = 0.5, style = 0.2))
  # Structure crosses 0.3 half way to 0.5; adherence falls through 0.5 half way from there.
  expect_equal(c(found$window_from, found$window_to), c(0.25, 0.75), tolerance = 0.004)
  expect_equal(c(found$open_low, found$open_high), c(FALSE, FALSE))
  # A step of 0.2 over 0.5: a spread of 0.02 half way there is one of 0.05.
  expect_equal(
    c(found$window_from_low, found$window_from_high),
    0.25 + c(-1, 1) * 1.645 * 0.053,
    tolerance = 0.1
  )
  expect_equal(found$window_chance, 1)
  open <- window(c(structure = 0.3, adherence = NA, style = NA))
  expect_equal(c(open$window_to, open$open_high), c(1, TRUE))
  none <- window(c(structure = 0.9, adherence = NA, style = NA))
  expect_true(is.na(none$window_from) && none$window_chance < 0.05)
  # Without any floor all of it is one.
  bare <- window(c(structure = NA, adherence = NA, style = NA))
  expect_equal(
    unlist(bare[1:4]),
    c(window_from = 0, window_to = 1, open_low = 1, open_high = 1)
  )
  expect_true(is.na(bare$window_chance))
})

test_that("of takes it is told where four of five are keepers", {
  keepers <- c(0.4, 0.6, 1)
  draws <- withr::with_seed(2, keepers + matrix(stats::rnorm(3 * 300, 0, 0.02), 3))
  found <- kept_window(c(0, 0.5, 1), keepers, draws)
  expect_equal(c(found$kept_from, found$kept_to), c(0.75, 1), tolerance = 0.004)
  expect_true(found$kept_open_high && found$kept_from_low < 0.75 && found$kept_from_high > 0.75)
  expect_match(
    window_words(found, "kept", c(FALSE, TRUE)),
    "^from 0.75 \\(0.7[0-9]* to 0.[78][0-9]*\\) to 1 or above$"
  )
})

test_that("the best settings are the fewest that hold it in nine of ten draws", {
  among <- best_among
  draws <- rbind(
    c(rep(1, 5), rep(0, 95)),
    c(rep(0, 5), rep(1, 60), rep(0, 35)),
    c(rep(0, 65), rep(1, 35))
  )
  expect_equal(unlist(among(c(0.2, 0.5, 0.8), draws)), c(best_from = 0.5, best_to = 0.8))
  expect_equal(
    unlist(among(c(0.2, 0.5, 0.8), draws[c(2, 1, 3), ])),
    c(best_from = 0.2, best_to = 0.8)
  )
  expect_equal(
    unlist(among(c(0.2, 0.5), matrix(0, 2, 10))),
    c(best_from = 0.2, best_to = 0.5)
  )
})

test_that("a lead is taken apart into what the case and what the seed does", {
  table <- tibble::tibble(
    pipeline = rep(c("a", "b"), each = 6),
    case = rep(rep(c("x", "y", "z"), each = 2), 2),
    seed = rep(1:2, 6),
    worth = c(0.9, 0.7, 0.6, 0.6, 0.8, 0.6, 0.5, 0.5, 0.5, 0.5, 0.5, 0.5)
  )
  parts <- paired_parts(table, "a", "b")
  lead <- c(0.4, 0.2, 0.1, 0.1, 0.3, 0.1)
  means <- c(0.3, 0.1, 0.2)
  within <- sum((lead - rep(means, each = 2))^2) / 3
  expect_equal(parts$lead, 0.2)
  expect_equal(parts$by_seed, sqrt(within))
  expect_equal(parts$by_case, sqrt(max(0, stats::var(means) - within / 2)))
  expect_equal(c(parts$cases, parts$seeds), c(3, 2))
  # What one of them has no take of is left out of both.
  some <- paired_parts(table[-1, ], "a", "b")
  expect_equal(some$lead, mean(c(0.2, 0.1, 0.2)))
  # One seed a case can't tell the two apart.
  single <- paired_parts(table[table$seed == 1, ], "a", "b")
  expect_true(is.na(single$by_seed))
  expect_equal(single$by_case, stats::sd(c(0.4, 0.1, 0.3)))
})

test_that("the first number that is enough is found by halving", {
  expect_equal(fewest(0:100, function(n) n >= 37), 37)
  expect_equal(fewest(0:100, function(n) n >= 101), Inf)
  expect_equal(fewest(0:100, function(n) TRUE), 0)
})

test_that("information is the share of its final precision, and all of it at the end", {
  of <- function(parts, seeds, cases = 6) {
    information_of(parts, list(cases = cases, seeds = seeds))
  }

  parts <- list(lead = 0.1, by_case = 0.1, by_seed = 0.2, cases = 6, seeds = 2)
  expect_equal(of(parts, 6), (0.01 + 0.04 / 6) / (0.01 + 0.04 / 2))
  expect_equal(of(utils::modifyList(parts, list(seeds = 6)), 6), 1)
  expect_equal(of(utils::modifyList(parts, list(seeds = 1)), 4), 1 / 4)
  expect_equal(of(utils::modifyList(parts, list(by_case = 0, by_seed = 0)), 4), 1 / 2)
  expect_equal(of(utils::modifyList(parts, list(by_case = NA_real_)), 4), 1 / 2)
  # Of a third of the cases a third is known, and seeds count as before.
  expect_equal(of(parts, 6, 18), of(parts, 6) / 3)
})

test_that("the chance that all seeds will settle it is high for a clear lead, low for none", {
  settle <- function(parts, seeds, confidence, cases = 8) {
    chance_to_settle(
      parts,
      list(cases = cases, seeds = seeds, looks = 6),
      confidence
    )
  }

  parts <- list(lead = 0.3, by_case = 0.05, by_seed = 0.1, cases = 8, seeds = 2)
  expect_gt(settle(parts, 6, 0.9), 0.99)
  expect_lt(settle(utils::modifyList(parts, list(lead = 0)), 6, 0.9), 0.2)
  leads <- vapply(
    seq(0, 0.2, 0.01),
    function(lead) settle(utils::modifyList(parts, list(lead = lead)), 6, 0.9),
    0
  )
  expect_true(all(diff(leads) >= 0))
  # From a single seed it can't be said, so nobody is stopped for it.
  expect_equal(settle(utils::modifyList(parts, list(seeds = 1)), 6, 0.9), 1)
  # Nothing more to come: settled or not.
  expect_true(settle(utils::modifyList(parts, list(seeds = 6)), 6, 0.9) %in% 0:1)
  # New cases may settle what more seeds of these would not.
  stuck <- utils::modifyList(parts, list(lead = 0.01, by_seed = 0.001))
  expect_gt(settle(stuck, 6, 0.9, cases = 40), settle(stuck, 6, 0.9) + 0.1)
  # With one seed a case in all, the cases tell.
  expect_lt(
    settle(
      utils::modifyList(parts, list(seeds = 1, by_seed = NA_real_, lead = 0)),
      1,
      0.9,
      cases = 16
    ),
    0.3
  )
})

test_that("rounds are blocks of cases that are like the whole, first seeds first", {
  grid <- expand.grid(
    pipeline = c("a", "b"),
    case = sprintf("c%02d", 1:14),
    seed = c(3, 5),
    stringsAsFactors = FALSE
  )
  jobs <- ifelse(grid$case <= "c10", "restyle", "repair")
  round <- race_rounds(grid, jobs)
  of <- function(job, seed) {
    tapply(
      round[jobs == job & grid$seed == seed],
      grid$case[jobs == job & grid$seed == seed],
      unique
    )
  }

  expect_equal(as.vector(of("restyle", 3)), rep(1:2, 5))
  expect_equal(as.vector(of("restyle", 5)), rep(3:4, 5))
  # Four cases of a job are one block.
  expect_equal(as.vector(of("repair", 3)), rep(1, 4))
  expect_equal(as.vector(of("repair", 5)), rep(2, 4))
  expect_true(all(round[grid$pipeline == "a"] == round[grid$pipeline == "b"]))
})

test_that("of who drops out, no more may together be the best than is allowed", {
  chance <- c(a = 0.7, b = 0.24, c = 0.03, d = 0.02, e = 0.01, f = NA)
  expect_equal(hopeless(chance, character(), 0.05), c("e", "d"))
  expect_equal(hopeless(chance, character(), 0.07), c("e", "d", "c"))
  # Those who went before count too.
  expect_equal(hopeless(chance, "d", 0.05), "e")
  expect_equal(hopeless(chance, c("d", "e", "c"), 0.05), character())
})

test_that("a portrait holds a pipeline against every other, whichever stands first", {
  pairs <- tibble::tibble(
    one = c("a", "a", "b"),
    other = c("b", "c", "c"),
    difference = c(0.1, 0.3, 0.2),
    low = c(-0.1, 0.2, 0.1),
    high = c(0.3, 0.4, 0.3),
    apart = c(FALSE, TRUE, TRUE)
  )
  found <- against_others(pairs, "b")
  expect_equal(found$other, c("a", "c"))
  expect_equal(found$difference, c(-0.1, 0.2))
  expect_equal(c(found$low[1], found$high[1]), c(-0.3, 0.1))
  expect_equal(found$apart, c(FALSE, TRUE))
})

test_that("a portrait's cases are means over seeds beside the others', the best first", {
  table <- verdict_table_of(
    means_of(
      a = c(0.9, 0.5, 0.5),
      b = c(0.5, 0.5, 0.5),
      c = c(0.3, 0.5, 0.5)
    ),
    cases = 3
  )
  found <- case_portrait(table, "a")
  expect_false(is.unsorted(-found$worth))
  own <- table[table$pipeline == "a" & table$case == found$case[1], ]
  expect_equal(found$worth[1], mean(own$worth))
  expect_equal(found$structure[1], mean(own$structure))
  rest <- table[table$pipeline != "a" & table$case == found$case[1], ]
  expect_equal(found$others[1], mean(tapply(rest$worth, rest$pipeline, mean)))
  expect_equal(found$takes, rep(2L, 3))
  alone <- case_portrait(table[table$pipeline == "a", ], "a")
  expect_true(all(is.na(alone$others)))
})

test_that("what keeps takes from being keepers is counted, the commonest first", {
  table <- verdict_table_of(means_of(a = c(0.9, 0.5, 0.5), b = c(0.5, 0.5, 0.5)), cases = 3)
  own <- which(table$pipeline == "b")
  table$flaws[own[1:2]] <- c("bars", "bars, near_copy")
  table$missed[own[3]] <- "a cream sky"
  table$state[own[4]] <- "refused"
  table$structure[own[4]] <- NA
  brief <- core_brief
  brief$floors[["structure"]] <- 0.99
  found <- count_problems(table, "b", brief)
  expect_equal(
    stats::setNames(found$takes, found$problem)[c(
      "below the floor of structure",
      "bars",
      "near copy",
      "missing: a cream sky",
      "refused"
    )],
    c(5L, 2L, 1L, 1L, 1L),
    ignore_attr = TRUE
  )
  expect_equal(found$problem[1], "below the floor of structure")
  expect_equal(nrow(count_problems(table, "a", core_brief)), 0)
})

test_that("reasons are what the leader is ahead in, by weight, against the others' median", {
  table <- verdict_table_of(
    means_of(
      a = c(0.9, 0.5, 0.2),
      b = c(0.5, 0.5, 0.5),
      c = c(0.3, 0.5, 0.6)
    )
  )
  table$cost[table$pipeline == "a"] <- 0.05
  verdict <- verdict_from(table, core_brief)
  reasons <- verdict$reasons
  expect_equal(verdict$best, "a")
  expect_equal(reasons$what[1], "structure")
  own <- reasons[reasons$what == "structure", ]
  of <- function(pipeline) verdict$pipelines$structure[verdict$pipelines$pipeline == pipeline]
  expect_equal(own$against, stats::median(c(of("b"), of("c"))))
  expect_equal(own$gain, 0.6 * (own$value - own$against))
  expect_lt(reasons$gain[reasons$what == "style"], 0)
  # A keeper at half the price is a reason, though a small one.
  money <- reasons[reasons$what == "cost_per_keeper", ]
  expect_equal(c(money$value, money$against, money$gain), c(0.05, 0.1, 0.05 * 0.5))
  expect_false(is.unsorted(-reasons$gain))
})

test_that("where the leader does worst, what fails and what nobody checked are told", {
  table <- verdict_table_of(means_of(a = c(0.9, 0.5, 0.5), b = c(0.5, 0.5, 0.5)), cases = 4)
  at <- table$pipeline == "a" & table$case == "c02"
  table$worth[at] <- 0.1
  table$keeper[at] <- c(TRUE, FALSE)
  weakest <- weakest_case(table, "a")
  expect_equal(weakest, list(case = "c02", worth = 0.1, keepers = 0.5))
  table$state[which(table$pipeline == "a")[1]] <- "failed"
  table$flaws[which(table$pipeline == "a")[3]] <- "bars, blank"
  failures <- count_failures(table, "a")
  expect_equal(failures$failed, 1)
  expect_equal(as.vector(failures$flaws[c("bars", "blank")]), c(1, 1))
  table$adherence[table$case %in% c("c01", "c03")] <- NA
  expect_equal(unchecked_axes(table, core_brief), c(adherence = 2L))
})

test_that("leads lie between -1 and 1 however few the cases", {
  table <- verdict_table_of(
    means_of(a = c(0.95, 0.95, 0.95), b = c(0.05, 0.05, 0.05)),
    cases = 3,
    by_case = 0.05
  )
  table$worth[table$pipeline == "b" & table$case == "c01"] <- 1
  verdict <- verdict_from(table, core_brief)
  expect_true(all(abs(verdict$margin) <= 1))
})

test_that("every weighting is a share of one, and the steps meet every corner", {
  all <- all_weightings(3, 0.25)
  expect_equal(rowSums(all), rep(1, nrow(all)))
  expect_equal(nrow(all), choose(4 + 2, 2))
  expect_equal(nrow(unique(all)), nrow(all))
  for (corner in 1:3) {
    expect_true(any(all[, corner] == 1))
  }

  expect_equal(nrow(all_weightings(2, 0.5)), 3)
})

test_that("the map of weights puts all weight on one axis at its corner", {
  corners <- weight_corners(3)
  # Equal sides.
  expect_equal(as.vector(stats::dist(corners)), rep(1, 3))
  expect_equal(as.vector(rbind(c(1, 1, 1) / 3) %*% corners), c(0.5, sqrt(3) / 6))
  expect_equal(weight_corners(2), cbind(0:1, 0))
})

test_that("a chance is never told as certain, nor as none", {
  words <- chance_words
  expect_equal(
    words(c(0, 0.001, 0.006, 0.5, 0.994, 0.9999, 1, NA)),
    c("<1 %", "<1 %", "1 %", "50 %", "99 %", ">99 %", ">99 %", "-")
  )
  expect_equal(signed(c(0.1234, -0.5, 0)), c("+0.123", "-0.500", "+0.000"))
  expect_equal(
    small_sum(c(0, 0.0043, 0.27, 12, Inf)),
    c(
      small_sum(0),
      "0.0043",
      small_sum(0.27),
      small_sum(12),
      "-"
    )
  )
  expect_equal(show_money(c(1.5, Inf, NA)), c("1.50", "-", "-"))
})
