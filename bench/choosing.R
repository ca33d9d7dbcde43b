# Is what a verdict says of itself true? Made-up tables of scores whose truth is known: how
# often intervals hold it, whether a stated chance of being best is how often that is so, how
# often a wrong pipeline is declared, and what a run that stops when it is decided saves.
# From the root with the package installed:
#   Rscript bench/choosing.R [SIMULATIONS] [RACES]
# Draws bench/choosing.png.
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
given <- as.integer(commandArgs(trailingOnly = TRUE))
simulations <- if (length(given)) given[1] else 2000
races <- if (length(given) > 1) given[2] else 500
brief <- list(
  brief = "x", weights = c(structure = 0.4, adherence = 0.3, style = 0.3), floors = c(structure = 0.35, adherence = NA, style = NA),
  style = "reach the look", confidence = 0.9, draws = 1000L, seed = 1L
)

kinds <- c("plain", "family", "many", "outlier", "heavy tails", "two kinds of cases", "shared references")

# What a world is like: pipelines that differ by a little or a lot, on scores that go together;
# cases that are hard for all, or for some; luck; failures, which come in cases too. A family
# is one engine at several settings, whose worth runs in a curve; of "many" there are up to 30;
# an outlier is far worse than the others; in worlds of two kinds of cases some pipelines are
# better at one, some at the other; shared references come in several looks each.
new_world <- function(seed, kind = kinds[1], apart = NULL, pipelines = NULL) {
  withr::with_seed(seed, {
    n <- if (!is.null(pipelines)) pipelines else if (kind == "many") sample(c(12, 20, 30), 1) else sample(2:8, 1)
    apart <- if (is.null(apart)) sample(c(0.01, 0.03, 0.06, 0.12), 1) else apart
    own <- matrix(stats::rnorm(3 * n, 0, apart), n) + stats::rnorm(n, 0, apart)
    along <- seq(-1, 1, length.out = n)
    if (kind == "family") own <- own / 5 + outer(along, stats::rnorm(3, 0, apart)) - outer(along^2, stats::runif(3, 0, apart))
    if (kind == "outlier") own[1, ] <- own[1, ] - 0.3
    list(
      kind = kind, means = own + matrix(c(0.62, 0.6, 0.55), n, 3, byrow = TRUE), fails = stats::rbeta(n, 1, 9),
      case = stats::runif(1, 0.02, 0.1), own = stats::runif(1, 0.01, 0.08), luck = stats::runif(1, 0.02, 0.1),
      by_kind = stats::rnorm(n, 0, 0.1), reference = stats::runif(1, 0.01, 0.08), look = stats::runif(1, 0.01, 0.08),
      pipelines = paste0("p", seq_len(n))
    )
  })
}
# Every case has a picture of its own, but where references are shared and cases are few.
draw_world <- function(world, cases, seeds, seed, shared = world$kind == "shared references") {
  withr::with_seed(seed, {
    n <- length(world$pipelines)
    noise <- function(k, spread) if (world$kind == "heavy tails") stats::rt(k, 3) / sqrt(3) * spread else stats::rnorm(k, 0, spread)
    grid <- expand.grid(seed = seq_len(seeds), case = seq_len(cases), pipeline = seq_len(n))
    rows <- nrow(grid)
    of_case <- matrix(noise(3 * cases, world$case), cases) + noise(cases, world$case)
    own <- matrix(noise(3 * cases * n, world$own), cases * n) + noise(cases * n, world$own)
    at <- grid$case + cases * (grid$pipeline - 1)
    luck <- matrix(noise(3 * rows, world$luck), rows) + noise(rows, world$luck)
    second <- if (world$kind == "two kinds of cases") stats::runif(cases) < 0.3 else rep(FALSE, cases)
    references <- if (shared) max(3, round(sqrt(cases))) else cases
    reference <- (seq_len(cases) - 1) %% references + 1
    look <- if (shared) (seq_len(cases) - 1) %/% references + 1 else seq_len(cases)
    in_pictures <- 0
    if (world$kind == "shared references") {
      of_reference <- matrix(stats::rnorm(references * n, 0, world$reference), references)
      of_look <- matrix(stats::rnorm(max(look) * n, 0, world$look), max(look))
      in_pictures <- of_reference[cbind(reference[grid$case], grid$pipeline)] + of_look[cbind(look[grid$case], grid$pipeline)]
    }
    scores <- world$means[grid$pipeline, , drop = FALSE] + of_case[grid$case, ] + own[at, ] + luck +
      second[grid$case] * world$by_kind[grid$pipeline] + in_pictures
    scores <- pmin(pmax(scores, 0), 1)
    hard <- stats::rnorm(cases * n, 0, 1)[at]
    failed <- stats::runif(rows) < stats::plogis(stats::qlogis(world$fails[grid$pipeline]) + hard)
    tibble::tibble(
      pipeline = world$pipelines[grid$pipeline], case = sprintf("c%05d", grid$case), seed = grid$seed,
      reference = paste0("r", reference[grid$case]), look = paste0("l", look[grid$case]),
      state = ifelse(failed, "failed", "made"), cost = 0.1, seconds = 1, message = NA_character_,
      structure = ifelse(failed, NA, scores[, 1]), adherence = ifelse(failed, NA, scores[, 2]), style = ifelse(failed, NA, scores[, 3]),
      coverage = 1, flaws = "", slight = "", missed = ""
    )
  })
}
# The truth is what very many cases would show.
truth_of <- function(world, seed) {
  cases <- if (length(world$pipelines) > 8) 6000 else 15000
  table <- core("add_utility")(draw_world(world, cases, 1, seed, shared = FALSE), brief)
  vapply(c("utility", "structure", "keeper"), function(column) core("mean_by_pipeline")(table, column)[world$pipelines], numeric(length(world$pipelines)))
}
each <- function(seeds, f, ...) parallel::mclapply(seeds, f, ..., mc.cores = 2)

within <- 0.03
one <- function(seed) {
  world <- new_world(seed, kinds[seed %% length(kinds) + 1])
  withr::with_seed(seed + 1e6, {
    cases <- sample(c(4, 6, 8, 12, 20, 40), 1)
    seeds <- sample(c(1, 2, 3, 5), 1)
  })
  if (world$kind == "shared references") cases <- max(cases, 12)
  truth <- truth_of(world, seed + 2e6)
  verdict <- core("verdict_from")(draw_world(world, cases, seeds, seed + 3e6), brief)
  own <- verdict$pipelines
  worth <- verdict$draws$utility[own$pipeline, , drop = FALSE]
  true <- truth[own$pipeline, , drop = FALSE]
  holds <- function(column, score) own[[paste0(column, "_low")]] <= true[, score] & true[, score] <= own[[paste0(column, "_high")]]
  pairs <- verdict$pairs
  apart <- truth[pairs$one, "utility"] - truth[pairs$other, "utility"]
  # A pair named beforehand, not by who leads.
  named <- core("interval")(verdict$draws$utility["p1", ] - verdict$draws$utility["p2", ])
  between <- truth["p1", "utility"] - truth["p2", "utility"]
  best <- world$pipelines[which.max(truth[, "utility"])]
  is_close <- truth[own$pipeline, "utility"] >= max(truth[, "utility"]) - within
  close <- core("chance_close")(worth, within)
  list(
    rows = data.frame(
      kind = world$kind, cases = cases, worth = mean(holds("utility", "utility")), structure = mean(holds("structure", "structure"), na.rm = TRUE),
      yield = mean(holds("yield", "keeper"), na.rm = TRUE), leader = holds("utility", "utility")[1], bias = own$utility[1] - true[1, "utility"],
      difference = named[1] <= between && between <= named[2], all_pairs = all(pairs$low <= apart & apart <= pairs$high),
      declared = verdict$confidence >= brief$confidence, wrong = verdict$best != best, lost = max(truth[, "utility"]) - truth[verdict$best, "utility"],
      close_declared = close[1] >= brief$confidence, close_wrong = !is_close[1]
    ),
    chances = data.frame(said = own$chance_best, true = own$pipeline == best, leads = seq_len(nrow(own)) == 1, close_said = unname(close), close = unname(is_close))
  )
}
cat(simulations, "simulations of seven kinds of worlds: 2 to 30 pipelines, 4 to 40 cases, 1 to 5 seeds\n")
found <- each(seq_len(simulations), one)
rows <- do.call(rbind, lapply(found, `[[`, "rows"))
chances <- do.call(rbind, lapply(found, `[[`, "chances"))
summed <- function(by) {
  t(vapply(split(rows, rows[[by]]), function(own) c(
    worlds = nrow(own), colMeans(own[c("worth", "structure", "yield", "leader", "bias", "difference", "all_pairs", "declared")], na.rm = TRUE),
    wrong = mean(own$declared & own$wrong), close = mean(own$close_declared), close_wrong = mean(own$close_declared & own$close_wrong)
  ), numeric(12)))
}
cat("\nHow often intervals of 90 % hold the truth, the leader's bias, and shares declared at 90 %\n")
print(round(summed("cases"), 3))
print(round(summed("kind"), 3))
cat(sprintf("What a wrong one declared lost: %.3f of a take's worth on average\n", mean(rows$lost[rows$declared & rows$wrong])))
bins <- c(-0.01, 0.006, 0.02, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.98, 1)
reliable <- function(said, true) {
  bin <- cut(said, bins)
  table <- data.frame(said = tapply(said, bin, mean), true = tapply(true, bin, mean), n = as.vector(table(bin)))
  table[table$n > 0, ]
}
reliability <- reliable(chances$said, chances$true)
cat("\nChance of being best: said, and how often it was so: leaders\n")
print(round(reliable(chances$said[chances$leads], chances$true[chances$leads]), 3))
cat("others\n")
print(round(reliable(chances$said[!chances$leads], chances$true[!chances$leads]), 3))
cat("Chance of being within", within, "of the best\n")
print(round(reliable(chances$close_said, chances$close), 3))

# Races of six pipelines: over twelve cases of six seeds, over 24 of two, and over 24 of two where
# whoever is within 0.03 of the best will do.
designs <- list(
  list(name = "12 cases x 6 seeds", cases = 12, seeds = 6, close = 0),
  list(name = "24 cases x 2 seeds", cases = 24, seeds = 2, close = 0),
  list(name = "24 cases x 2 seeds, within 0.03", cases = 24, seeds = 2, close = 0.03)
)
race <- function(seed, design) {
  brief$close_enough <- design$close
  world <- new_world(seed, pipelines = 6)
  truth <- truth_of(world, seed + 2e6)[, "utility"]
  table <- draw_world(world, design$cases, design$seeds, seed + 3e6)
  round_of <- core("race_rounds")(table, rep("restyle", nrow(table)))
  all <- list(cases = design$cases, seeds = design$seeds, looks = max(round_of))
  dropped <- character()
  seen <- table[0, ]
  for (round in seq_len(max(round_of))) {
    seen <- rbind(seen, table[round_of == round & !table$pipeline %in% dropped, ])
    step <- core("race_step")(seen, brief, all, dropped)
    dropped <- step$dropped
    if (step$state != "open") break
  }
  right <- names(truth)[truth >= max(truth) - design$close]
  whole <- core("verdict_from")(table, brief)
  data.frame(
    share = nrow(seen) / nrow(table), decided = step$state == "decided", stuck = step$state == "stuck",
    whole_decided = whole$confidence >= brief$confidence, same = step$best == whole$best,
    wrong = !step$best %in% right, best_dropped = names(which.max(truth)) %in% dropped, whole_wrong = !whole$best %in% right
  )
}
cat("\nRaces: takes made of all, decided, stuck, decided wrongly, the best one dropped; beside whole runs\n")
for (design in designs) {
  ran <- do.call(rbind, each(5e6 + seq_len(races), race, design = design))
  cat(sprintf(
    "%s (%d races): takes %.3f, decided %.3f (whole runs %.3f), stuck %.3f, wrong %.3f (%.3f), best dropped %.3f\n",
    design$name, races, mean(ran$share), mean(ran$decided), mean(ran$whole_decided), mean(ran$stuck),
    mean(ran$decided & ran$wrong), mean(ran$whole_decided & ran$whole_wrong), mean(ran$best_dropped)
  ))
}

# Planned beforehand: how often a run of so many cases and seeds names the right pipeline, said
# from a small run and so it was. All others are as far behind the best.
planned_cases <- list(
  c(3, 0.05, 0.05, 1, 0.06), c(3, 0.1, 0.05, 2, 0.08), c(3, 0.05, 0.1, 3, 0.06), c(6, 0.05, 0.05, 1, 0.06),
  c(6, 0.1, 0.05, 2, 0.1), c(6, 0.05, 0.1, 3, 0.06), c(6, 0.08, 0.08, 2, 0.08), c(12, 0.05, 0.05, 1, 0.06),
  c(12, 0.1, 0.05, 2, 0.1), c(12, 0.05, 0.1, 3, 0.06), c(2, 0.1, 0.1, 2, 0.1), c(20, 0.06, 0.06, 2, 0.06)
)
worths_of <- function(n, pipelines, by_case, by_seed, seeds, apart) {
  truth <- c(0, rep(-apart, pipelines - 1))
  found <- matrix(0.6 + truth, n, pipelines, byrow = TRUE) + stats::rnorm(n, 0, 0.1) + stats::rnorm(n * pipelines, 0, by_case)
  grid <- expand.grid(case = sprintf("c%04d", seq_len(n)), pipeline = paste0("p", seq_len(pipelines)), seed = seq_len(seeds), stringsAsFactors = FALSE)
  grid$utility <- found[cbind(match(grid$case, unique(grid$case)), match(grid$pipeline, unique(grid$pipeline)))] + stats::rnorm(nrow(grid), 0, by_seed)
  tibble::as_tibble(grid)
}
planned <- function(seed, design) {
  withr::with_seed(seed, {
    pilot <- core("worth_parts_of")(worths_of(8, design[1], design[2], design[3], 2, 0.05))
    assured <- function(n) core("foreseen_assurance")(pilot, design[1], n, design[4], design[5], 0.9)
    tried <- c(4:12, round(exp(seq(log(13), log(300), length.out = 24))))
    cases <- tried[which(vapply(tried, assured, 0) >= 0.9)[1]]
    if (is.na(cases)) cases <- max(tried)
    table <- worths_of(cases, design[1], design[2], design[3], design[4], design[5])
  })
  draws <- core("score_draws")(table, "utility", 1000, seed)$utility
  best <- which.max(rowMeans(draws))
  data.frame(cases = cases, right = best == 1 && core("chance_best")(draws)[best] >= 0.9)
}
cat("\nPlanned from a run of eight cases to be right with 0.90: pipelines, spreads by case and seed, seeds, apart; cases, right\n")
for (design in planned_cases) {
  ran <- do.call(rbind, each(9e6 + seq_len(races), planned, design = design))
  cat(sprintf("%2d  %.2f %.2f  %d  %.2f   %3.0f  %.3f\n", design[1], design[2], design[3], design[4], design[5], stats::median(ran$cases), mean(ran$right)))
}

figure <- ggplot2::ggplot(reliability, ggplot2::aes(said, true)) +
  ggplot2::geom_abline(linetype = 2, colour = "#888888") +
  ggplot2::geom_linerange(ggplot2::aes(ymin = pmax(0, true - 1.645 * sqrt(true * (1 - true) / n)), ymax = pmin(1, true + 1.645 * sqrt(true * (1 - true) / n))), colour = "#0072B2") +
  ggplot2::geom_point(ggplot2::aes(size = n), colour = "#0072B2") +
  ggplot2::scale_size_area(max_size = 6, guide = "none") +
  ggplot2::coord_equal(xlim = 0:1, ylim = 0:1) +
  ggplot2::labs(title = "Is a stated chance of being best true?", subtitle = paste(simulations, "simulations; dashed: said is so; the larger, the more were said"), x = "chance said", y = "share in which it was the best") +
  core("theme_sprenn")()
core("save_figure")(figure, "bench/choosing.png", 700, 640)
