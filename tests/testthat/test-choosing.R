# The methods of choosing on tables whose answer is known.
parts_of <- function(table) worth_parts(table, c("structure", "adherence"))

test_that(
  paste0(
    "the interval of the share of keepers is Wilson's where takes of a case are independent, and ",
    "wider where ",
    "they go together"
  ),
  {
    interval <- keepers_interval
    table <- tibble::tibble(
      pipeline = rep(c("a", "b"), each = 40),
      case = rep(sprintf("c%02d", rep(1:20, each = 2)), 2),
      seed = rep(1:2, 40)
    )
    table$keeper <- withr::with_seed(1, stats::runif(80)) < 0.5
    apart <- table
    apart$keeper <- rep(c(TRUE, FALSE), 40)
    p <- 0.5
    z <- stats::qnorm(0.95)
    half <- z /
      (1 + z^2 / 40) *
      sqrt(p * (1 - p) / 40 + z^2 / (4 * 40^2))
    # One of two is kept in every case: less apart than chance would have it.
    expect_equal(unname(interval(apart)[1, ]), c(0.5 - half, 0.5 + half), tolerance = 1e-6)
    together <- table
    together$keeper <- rep(rep(c(TRUE, FALSE), each = 2), 20)
    half <- z /
      (1 + z^2 / 20) *
      sqrt(p * (1 - p) / 20 + z^2 / (4 * 20^2))
    expect_equal(unname(interval(together)[1, ]), c(0.5 - half, 0.5 + half), tolerance = 1e-6)
    # Nothing but keepers in three cases can't show that a fourth will be kept.
    few <- tibble::tibble(
      pipeline = "a",
      case = rep(letters[1:3], each = 10),
      seed = rep(1:10, 3),
      keeper = TRUE
    )
    expect_lt(interval(few)[1, "from"], 0.6)
  }
)

test_that("regret is the distance to the best of each draw, and ranks are counted in it", {
  worth <- rbind(
    a = c(1, 0, 1, 1),
    b = c(0.5, 0.5, 0.5, 0.5),
    c = c(0, 0, 0, 0.9)
  )
  expect_equal(
    expected_regret(worth),
    c(a = 0.125, b = (0.5 + 0 + 0.5 + 0.5) / 4, c = (1 + 0.5 + 1 + 0.1) / 4)
  )
  expect_equal(rank_intervals(worth, 0.4)["a", ], c(from = 1, to = 1))
  expect_equal(rank_intervals(worth, 1)["c", ], c(from = 2, to = 3))
})

test_that("nothing beats what no other is at least as good as on all axes", {
  means <- means_of(
    a = c(0.9, 0.1, 0.5),
    b = c(0.5, 0.5, 0.5),
    c = c(0.5, 0.4, 0.5),
    d = c(0.1, 0.9, 0.5)
  )
  draws <- lapply(stats::setNames(nm = colnames(means)), function(axis) {
    matrix(means[, axis], 4, 10, dimnames = list(rownames(means), NULL))
  })
  found <- tradeoff_table(means, draws)
  expect_equal(found$pareto_front, c(TRUE, TRUE, FALSE, TRUE))
  expect_equal(found$chance, c(1, 1, 0, 1))
  means[1, "style"] <- NA
  expect_equal(tradeoff_table(means, draws)$pareto_front, c(TRUE, TRUE, FALSE, TRUE))
})

test_that("worth by other weights is what counting anew with them gives", {
  table <- scored_table(means_of(a = c(0.9, 0.2, 0.4), b = c(0.4, 0.8, 0.5)), seeds = 3)
  table$adherence[table$case == "c03"] <- NA
  table$flaws[5] <- "bars"
  axes <- c("structure", "adherence", "style")
  parts <- worth_parts(worth(table), axes)
  for (weights in list(c(0.2, 0.5, 0.3), c(1, 0, 0), c(0.25, 0.25, 0.5))) {
    other <- utils::modifyList(core_brief, list(weights = stats::setNames(weights, axes)))
    expect_equal(
      worth_by(parts, matrix(weights, 1))[1, ],
      mean_by_pipeline(worth(table, other), "worth")
    )
  }
})

test_that("the nearest weights that change the choice are found, and the share of weightings won", {
  # a leads by structure alone: 0.5 w1 against 0.4 w2, level at w2 = 1.25 w1.
  table <- worth(
    scored_table(
      means_of(a = c(0.9, 0.4, 0.5), b = c(0.4, 0.8, 0.5)),
      by_case = 0,
      by_seed = 0
    )
  )
  map <- weight_map(c("structure", "adherence"), parts_of(table), 0.01)
  expect_equal(mean(map$winner == "b"), 0.444, tolerance = 0.02)
  flip <- nearest_flips(c(structure = 0.6, adherence = 0.4), parts_of(table))
  expect_equal(flip$pipeline, "b")
  expect_equal(flip$adherence, 0.56)
  expect_equal(flip$moved, 0.16)
  always <- worth(
    scored_table(
      means_of(a = c(0.9, 0.9, 0.5), b = c(0.4, 0.8, 0.5)),
      by_case = 0,
      by_seed = 0
    )
  )
  expect_equal(
    nrow(nearest_flips(c(structure = 0.6, adherence = 0.4), parts_of(always))),
    0
  )
})

lines_of <- function(values, structure, style = 0.5, family = "f") {
  means <- means_of(cbind(structure, 0.5, style))
  rownames(means) <- paste0(family, "/", values)
  recipes <- tibble::tibble(
    pipeline = rownames(means),
    family = family,
    set = lapply(values, function(value) list(hold = value, checkpoint = "x"))
  )
  list(means = means, recipes = recipes)
}

along <- function(..., floors = c(structure = 0.35, adherence = NA, style = NA)) {
  all <- list(...)
  table <- scored_table(
    do.call(rbind, lapply(all, `[[`, "means")),
    cases = 10,
    by_case = 0.01,
    by_seed = 0.01
  )
  verdict <- verdict_from(
    table,
    utils::modifyList(core_brief, list(floors = floors))
  )
  recipes <- do.call(rbind, lapply(all, `[[`, "recipes"))
  keepers <- score_draws(verdict$table, "keeper", 500, 1)$keeper
  list(
    verdict = verdict,
    lines = sweep_lines(recipes, "hold"),
    recipes = recipes,
    keepers = keepers
  )
}

test_that("a cliff, a flat stretch and the window of a curve are where they were made", {
  made <- along(
    lines_of(c(0.1, 0.3, 0.5, 0.6, 0.9), c(0.1, 0.11, 0.12, 0.6, 0.62)),
    lines_of(c(0, 0.5, 1), c(0.2, 0.5, 0.8), family = "even")
  )
  found <- curve_features(
    made$lines,
    made$verdict$pipelines,
    made$verdict$draws,
    made$verdict$brief$floors,
    made$keepers
  )
  cliff <- found[found$line == "f", ]
  expect_equal(c(cliff$cliff_from, cliff$cliff_to), c(0.5, 0.6))
  expect_equal(cliff$drop, 0.48, tolerance = 0.1)
  expect_equal(c(cliff$flat_from, cliff$flat_to), c(0.1, 0.5))
  # 0.35 lies 0.23 of 0.48 above 0.12, on the way from 0.5 to 0.6.
  expect_equal(cliff$window_from, 0.5 + 0.1 * 0.23 / 0.48, tolerance = 0.02)
  expect_true(cliff$open_high && !cliff$open_low)
  even <- found[found$line == "even", ]
  expect_true(is.na(even$cliff_from))
  expect_equal(even$window_from, 0.25, tolerance = 0.1)
})

test_that("two points show no cliff, and where no floor is cleared there is no window", {
  made <- along(lines_of(c(0.2, 0.8), c(0.1, 0.3)))
  found <- curve_features(
    made$lines,
    made$verdict$pipelines,
    made$verdict$draws,
    c(structure = 0.9),
    made$keepers
  )
  expect_equal(found$points, 2)
  expect_true(is.na(found$cliff_from) && is.na(found$window_from))
})

test_that("lines run along one setting only: others apart make other lines", {
  recipes <- tibble::tibble(
    pipeline = c("p1", "p2", "p3", "p4", "p5"),
    family = "p",
    set = list(
      list(hold = 0.2, guidance = 4),
      list(hold = 0.8, guidance = 4),
      list(hold = 0.2, guidance = 8),
      list(hold = 0.8, guidance = 8),
      list(guidance = 9)
    )
  )
  lines <- sweep_lines(recipes, "hold")
  expect_equal(unique(lines$line), c("p (guidance=4)", "p (guidance=8)"))
  expect_equal(lines$value, c(0.2, 0.8, 0.2, 0.8))
  expect_equal(swept_settings(recipes), c("hold", "guidance"))
})

test_that("at equal structure scores are read off between settings", {
  made <- along(
    lines_of(c(0, 1), c(0.2, 0.8), style = c(0.8, 0.2)),
    lines_of(c(0.1, 0.9), c(0.3, 0.7), style = c(0.9, 0.5), family = "g")
  )
  scored <- scored_lines(made$lines, made$verdict$pipelines, made$verdict$draws)
  found <- match_table(scored, 0.5)
  style <- found[found$score == "style", ]
  expect_equal(style$mean, c(0.5, 0.7), tolerance = 0.05)
  expect_equal(style$setting, c(0.5, 0.5), tolerance = 0.1)
  expect_true(all(style$low < style$mean & style$mean < style$high))
  expect_equal(nrow(match_table(scored, 0.95)), 0)
  expect_equal(
    shared_levels(made$lines, made$verdict$pipelines),
    c(0.3, 0.7),
    tolerance = 0.05
  )
  areas <- frontier_areas(scored, seq(0.3, 0.7, 0.1))
  own <- areas[areas$score == "style", ]
  expect_equal(own$difference, -0.2, tolerance = 0.1)
  expect_lt(own$high, 0)
})

# Two lines that keep and restyle alike, one of five settings and one of `fine`, as luck has it.
lucky_lines <- function(seed, fine, luck) {
  withr::local_seed(seed)
  value <- c(seq(0, 1, length.out = 5), seq(0, 1, length.out = fine))
  line <- rep(c("coarse", "fine"), c(5, fine))
  pipeline <- paste0(line, seq_along(line))
  around <- function(truth) truth + stats::rnorm(length(truth), 0, luck)
  pipelines <- tibble::tibble(
    pipeline = pipeline,
    structure = around(0.2 + 0.6 * value),
    style = around(0.85 - 0.5 * value),
    adherence = NA_real_,
    worth = (structure + style) / 2
  )
  draws <- lapply(pipelines[-1], function(means) {
    drawn <- means + matrix(stats::rnorm(length(means) * 60, 0, luck), length(means))
    `rownames<-`(drawn, pipeline)
  })
  lines <- tibble::tibble(line = line, pipeline = pipeline, value = value)
  list(lines = lines, pipelines = pipelines, draws = draws)
}

test_that("a line of many settings gains nothing by luck at equal structure", {
  found <- vapply(
    1:60,
    function(seed) {
      made <- lucky_lines(seed, 21, 0.08)
      scored <- scored_lines(made$lines, made$pipelines, made$draws)
      areas <- frontier_areas(scored, seq(0.3, 0.7, 0.05))
      areas$difference[areas$score == "style"]
    },
    0
  )
  expect_lt(abs(mean(found)), 2.5 * stats::sd(found) / sqrt(60))
})

test_that("structure goes one way by luck, and turns where that is more than luck", {
  value <- seq(0, 1, length.out = 9)
  along <- function(truth, luck) {
    withr::local_seed(4)
    seen <- truth + stats::rnorm(9, 0, luck)
    cbind(seen, seen + matrix(stats::rnorm(900, 0, luck), 9))
  }

  rising <- steady_structure(along(0.2 + 0.6 * value, 0.05))
  expect_true(all(apply(rising, 2, diff) >= 0))
  falling <- steady_structure(along(0.8 - 0.6 * value, 0.05))
  expect_true(all(apply(falling, 2, diff) <= 0))
  turning <- along(0.8 - 2 * abs(value - 0.5)^1.5, 0.02)
  expect_identical(steady_structure(turning), turning)
})

test_that("lines without structure, or that share no level, are held against nobody", {
  made <- lucky_lines(1, 6, 0)
  scored_of <- function(pipelines) scored_lines(made$lines, pipelines, made$draws)
  areas_of <- function(pipelines) frontier_areas(scored_of(pipelines), c(0.4, 0.6))
  expect_equal(unique(areas_of(made$pipelines)$score), c("style", "worth"))
  expect_equal(unique(areas_of(made$pipelines)$levels), 2)
  unknown <- made$pipelines
  unknown$structure[unknown$pipeline != "coarse1" & grepl("coarse", unknown$pipeline)] <- NA
  expect_named(scored_of(unknown), "fine")
  expect_equal(nrow(areas_of(unknown)), 0)
  expect_named(
    areas_of(unknown),
    c("one", "other", "score", "difference", "low", "high", "levels")
  )
  higher <- made$pipelines
  coarse <- grepl("coarse", higher$pipeline)
  higher$structure[coarse] <- 0.9 + higher$structure[coarse] / 100
  expect_equal(nrow(areas_of(higher)), 0)
  partly <- made$pipelines
  partly$style[1] <- NA
  expect_equal(areas_of(partly)$score, "worth")
})

test_that("a level is read off straight between two settings", {
  scores <- list(
    structure = matrix(c(0.2, 0.8)),
    style = matrix(c(1, 0)),
    worth = matrix(c(0, 1))
  )
  found <- reach_level(c(10, 20), scores, 0.35)
  expect_equal(found, list(setting = 12.5, style = 0.75, worth = 0.25))
  expect_true(all(is.na(unlist(reach_level(c(10, 20), scores, 0.9)))))
  # A line that turns is taken where it is worth more.
  turning <- list(structure = matrix(c(0.8, 0.2, 0.8)), worth = matrix(c(0.5, 0.4, 0.9)))
  expect_gt(reach_level(1:3, turning, 0.5)$setting, 2)
  turning$worth <- NULL
  expect_equal(reach_level(1:3, turning, 0.5)$setting, 1.5)
})

test_that("who is far off is called so, and who is just short of enough is not called enough", {
  below <- words_below
  expect_equal(below(0.8996, 0.9), "just under 90 %")
  expect_equal(below(0.62, 0.9), "62 %")
  expect_equal(below(c(0.001, 0.897), 0.9), c("<1 %", "just under 90 %"))
  expect_equal(below(NA_real_, 0.9), "-")
})

test_that("in a whole grid the shares of variation are those of its formula", {
  grid <- expand.grid(hold = c(0.2, 0.5, 0.8), guidance = c(4, 8))
  score <- grid$hold + 0.5 * (grid$guidance == 8) * grid$hold
  shares <- variation_shares
  design <- data.frame(hold = format(grid$hold), guidance = format(grid$guidance))
  all <- mean((score - mean(score))^2)
  expect_equal(shares(design, "hold", score)$alone, mean((1.25 * (grid$hold - 0.5))^2) / all)
  expect_equal(shares(design, "guidance", score)$alone, mean((0.125)^2) / all)
  expect_equal(shares(design, "guidance", score)$in_all, mean((0.25 * grid$hold)^2) / all)
  expect_true(is.na(shares(design[-1, ], "hold", score[-1])$alone))
  pairs <- single_pairs(design, "guidance")
  expect_equal(ncol(pairs), 3)
})

test_that("a step's gain is taken against the takes that it was made from", {
  first <- scored_table(means_of(base = c(0.5, 0.5, 0.5)), cases = 6)
  second <- first
  second$take <- paste0("u", seq_len(nrow(first)))
  second$parent <- first$take
  second$pipeline <- "base+refine"
  second$structure <- first$structure + 0.1
  second$style <- NA
  gains <- stage_gains(rbind(first, second))
  expect_equal(gains$score, c("structure", "adherence"))
  expect_equal(gains$gain, c(0.1, 0))
  expect_equal(gains$low[1], 0.1)
  expect_equal(gains$follows, c("base", "base"))
})

test_that("a change is told beyond the noise, and pictures that should be the same are", {
  old <- worth(
    scored_table(
      means_of(
        a = c(0.6, 0.5, 0.5),
        b = c(0.5, 0.5, 0.5),
        c = c(0.4, 0.5, 0.5)
      )
    )
  )
  old$picture <- paste0("f", seq_len(nrow(old)))
  old$request <- "same"
  new <- old
  noise <- withr::with_seed(9, stats::rnorm(nrow(new), 0, 0.01))
  b <- new$pipeline == "b"
  new$structure[b] <- new$structure[b] - 0.1
  new$picture[b] <- paste0("g", which(b))
  c <- new$pipeline == "c"
  new$structure[c] <- new$structure[c] + noise[c]
  new <- worth(new)
  found <- run_changes(old, new)
  changed <- found$scores[found$scores$changed, ]
  expect_equal(unique(changed$pipeline), "b")
  expect_setequal(changed$score, c("structure", "worth"))
  expect_equal(changed$change[changed$score == "structure"], -0.1, tolerance = 0.01)
  expect_equal(found$pictures$other, c(0, sum(b), 0))
  new$request[b] <- "other"
  expect_equal(run_changes(old, new)$pictures$other, c(0, 0, 0))
})

test_that("weights that side with people are those by which they chose, and none is negative", {
  values <- withr::with_seed(
    2,
    matrix(
      stats::runif(300),
      100,
      dimnames = list(paste0("t", 1:100), c("structure", "adherence", "style"))
    )
  )
  ballots <- withr::with_seed(3, {
    one <- sample(100, 400, TRUE)
    other <- sample(100, 400, TRUE)
    lead <- drop((values[one, ] - values[other, ]) %*% c(8, 4, -2))
    tibble::tibble(
      one_take = paste0("t", one),
      other_take = paste0("t", other),
      share = as.numeric(stats::runif(400) < stats::plogis(lead))
    )
  })
  found <- suggested_weights(ballots, values)
  expect_equal(found$weight, c(2 / 3, 1 / 3, 0), tolerance = 0.2)
  expect_equal(sum(found$weight), 1)
  expect_true(all(found$low <= found$weight + 1e-9 & found$weight <= found$high + 1e-9))
  expect_gt(found$sides[1], 0.7)
  expect_null(suggested_weights(ballots[1:10, ], values))
})

test_that("who peeks pays: the stretch grows with looks and with how early they are", {
  stretch <- peeking_stretch
  expect_equal(stretch(0.9, 1, 1), 1)
  expect_gt(stretch(0.9, 1, 6), 1.05)
  expect_equal(stretch(0.9, 0.25, 6), 2 * stretch(0.9, 1, 6))
  # Brownian motion looked at six times stays below the boundary in nine of ten.
  steps <- withr::with_seed(1, matrix(stats::rnorm(6 * 20000), 20000) / sqrt(6))
  highest <- apply(t(apply(steps, 1, cumsum)), 1, max)
  expect_equal(mean(highest < stretch(0.9, 1, 6) * stats::qnorm(0.9)), 0.9, tolerance = 0.015)
})

test_that("as many drop out as may be the best one together, those who went before included", {
  chance <- c(a = 0.8, b = 0.12, c = 0.05, d = 0.02, e = 0.01, f = NA)
  expect_setequal(hopeless(chance, character(), 0.05), c("d", "e"))
  expect_setequal(hopeless(chance, "d", 0.05), "e")
  expect_equal(hopeless(chance, c("c", "d"), 0.05), character())
})

test_that("a race drops who can't win, stops when decided, and says when it is stuck", {
  whole <- list(cases = 10, seeds = 4, looks = 4)
  race <- function(table, brief) race_step(table, brief, whole)
  clear <- scored_table(
    means_of(
      a = c(0.8, 0.5, 0.5),
      b = c(0.5, 0.5, 0.5),
      c = c(0.1, 0.5, 0.5)
    ),
    cases = 10
  )
  step <- race(clear, core_brief)
  expect_equal(step[c("state", "best")], list(state = "decided", best = "a"))
  expect_setequal(step$dropped, c("b", "c"))
  tie <- scored_table(
    means_of(
      a = c(0.5, 0.5, 0.5),
      b = c(0.5, 0.5, 0.5),
      c = c(0.1, 0.5, 0.5)
    ),
    cases = 10,
    by_case = 0.1,
    by_seed = 0.005,
    seed = 3
  )
  step <- race(tie, core_brief)
  expect_equal(step$state, "stuck")
  expect_equal(step$dropped, "c")
  # From a single seed nothing is known of seeds yet.
  expect_equal(race(tie[tie$seed == 1, ], core_brief)$state, "open")
  expect_equal(race(clear[clear$case %in% c("c01", "c02"), ], core_brief)$state, "open")
})
