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

# What a world is like: pipelines that differ by a little or a lot, on scores that go together;
# cases that are hard for all, or for some; luck; failures, which come in cases too.
new_world <- function(seed, apart = NULL, pipelines = NULL) {
  withr::with_seed(seed, {
    n <- if (is.null(pipelines)) sample(2:6, 1) else pipelines
    apart <- if (is.null(apart)) sample(c(0.01, 0.03, 0.06, 0.12), 1) else apart
    list(
      means = matrix(stats::rnorm(3 * n, 0, apart), n) + matrix(c(0.62, 0.6, 0.55), n, 3, byrow = TRUE) + stats::rnorm(n, 0, apart),
      fails = stats::rbeta(n, 1, 9), case = stats::runif(1, 0.02, 0.1), own = stats::runif(1, 0.01, 0.08), luck = stats::runif(1, 0.02, 0.1), pipelines = paste0("p", seq_len(n))
    )
  })
}
draw_world <- function(world, cases, seeds, seed) {
  withr::with_seed(seed, {
    n <- length(world$pipelines)
    grid <- expand.grid(seed = seq_len(seeds), case = seq_len(cases), pipeline = seq_len(n))
    rows <- nrow(grid)
    of_case <- matrix(stats::rnorm(3 * cases, 0, world$case), cases) + stats::rnorm(cases, 0, world$case)
    own <- matrix(stats::rnorm(3 * cases * n, 0, world$own), cases * n) + stats::rnorm(cases * n, 0, world$own)
    at <- grid$case + cases * (grid$pipeline - 1)
    luck <- matrix(stats::rnorm(3 * rows, 0, world$luck), rows) + stats::rnorm(rows, 0, world$luck)
    scores <- pmin(pmax(world$means[grid$pipeline, , drop = FALSE] + of_case[grid$case, ] + own[at, ] + luck, 0), 1)
    hard <- stats::rnorm(cases * n, 0, 1)[at]
    failed <- stats::runif(rows) < stats::plogis(stats::qlogis(world$fails[grid$pipeline]) + hard)
    tibble::tibble(
      pipeline = world$pipelines[grid$pipeline], case = sprintf("c%05d", grid$case), seed = grid$seed, state = ifelse(failed, "failed", "made"), cost = 0.1, seconds = 1,
      message = NA_character_, structure = ifelse(failed, NA, scores[, 1]), adherence = ifelse(failed, NA, scores[, 2]), style = ifelse(failed, NA, scores[, 3]),
      coverage = 1, flaws = "", slight = "", missed = ""
    )
  })
}
# The truth is what very many cases would show.
truth_of <- function(world, seed) {
  table <- core("add_utility")(draw_world(world, 15000, 1, seed), brief)
  vapply(c("utility", "structure", "keeper"), function(column) core("mean_by_pipeline")(table, column)[world$pipelines], numeric(length(world$pipelines)))
}
each <- function(seeds, f) parallel::mclapply(seeds, f, mc.cores = 2)

one <- function(seed) {
  world <- new_world(seed)
  withr::with_seed(seed + 1e6, {
    cases <- sample(c(4, 6, 8, 12, 20), 1)
    seeds <- sample(c(2, 3, 5), 1)
  })
  truth <- truth_of(world, seed + 2e6)
  verdict <- core("verdict_from")(draw_world(world, cases, seeds, seed + 3e6), brief)
  own <- verdict$pipelines
  true <- truth[own$pipeline, , drop = FALSE]
  holds <- function(column, score) mean(own[[paste0(column, "_low")]] <= true[, score] & true[, score] <= own[[paste0(column, "_high")]], na.rm = TRUE)
  pairs <- verdict$pairs
  apart <- truth[pairs$one, "utility"] - truth[pairs$other, "utility"]
  # A pair named beforehand, not by who leads.
  named <- core("interval")(verdict$draws$utility["p1", ] - verdict$draws$utility["p2", ])
  between <- truth["p1", "utility"] - truth["p2", "utility"]
  best <- world$pipelines[which.max(truth[, "utility"])]
  list(
    rows = data.frame(
      cases = cases, pipelines = length(world$pipelines), worth = holds("utility", "utility"), structure = holds("structure", "structure"), yield = holds("yield", "keeper"),
      difference = named[1] <= between && between <= named[2], all_pairs = all(pairs$low <= apart & apart <= pairs$high),
      declared = verdict$confidence >= brief$confidence, wrong = verdict$best != best, lost = max(truth[, "utility"]) - truth[verdict$best, "utility"], confidence = verdict$confidence
    ),
    chances = data.frame(pipeline = own$pipeline, said = own$chance_best, true = own$pipeline == best)
  )
}
cat(simulations, "simulations: 2 to 6 pipelines, 4 to 20 cases, 2 to 5 seeds\n")
found <- each(seq_len(simulations), one)
rows <- do.call(rbind, lapply(found, `[[`, "rows"))
chances <- do.call(rbind, lapply(found, `[[`, "chances"))
cat("\nHow often intervals of 90 % hold the truth\n")
what <- c("worth", "structure", "yield", "difference", "all_pairs")
print(round(rbind(vapply(split(rows[what], rows$cases), colMeans, numeric(length(what)), na.rm = TRUE) |> t(), all = colMeans(rows[what], na.rm = TRUE)), 3))
cat(sprintf("\nDeclared at 90 %%: %.1f %% of all; wrongly: %.1f %% of all, %.1f %% of those declared\n", 100 * mean(rows$declared), 100 * mean(rows$declared & rows$wrong), 100 * mean(rows$wrong[rows$declared])))
cat(sprintf("What a wrong one declared lost: %.3f of a take's worth on average\n", mean(rows$lost[rows$declared & rows$wrong])))
cat("\nChance of being best: said, and how often it was so\n")
chances$bin <- cut(chances$said, c(-0.01, 0.02, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.98, 1))
reliability <- do.call(rbind, lapply(split(chances, chances$bin), function(bin) data.frame(said = mean(bin$said), true = mean(bin$true), n = nrow(bin))))
print(round(reliability, 3))

# Races: twelve cases, six rounds of a seed each, at most.
race <- function(seed) {
  world <- new_world(seed, pipelines = 6)
  truth <- truth_of(world, seed + 2e6)[, "utility"]
  table <- draw_world(world, 12, 6, seed + 3e6)
  dropped <- character()
  made <- 0
  for (round in 1:6) {
    made <- made + 12 * (6 - length(dropped))
    so_far <- table[table$seed <= round & !(table$pipeline %in% dropped & table$seed == round), ]
    if (round == 1) seen <- so_far else seen <- rbind(seen, so_far[so_far$seed == round, ])
    step <- core("race_step")(seen, brief, 6, dropped)
    dropped <- step$dropped
    if (step$state != "open") break
  }
  whole <- core("verdict_from")(table, brief)
  data.frame(
    share = made / nrow(table), decided = step$state == "decided", stuck = step$state == "stuck", whole_decided = whole$confidence >= brief$confidence, same = step$best == whole$best, rounds = round,
    wrong = step$best != names(which.max(truth)), best_dropped = names(which.max(truth)) %in% dropped, whole_wrong = whole$best != names(which.max(truth))
  )
}
ran <- do.call(rbind, each(5e6 + seq_len(races), race))
cat("\n", races, " races of six pipelines over twelve cases, six seeds at most, stopped when decided or stuck\n", sep = "")
state <- ifelse(ran$decided, "decided", ifelse(ran$stuck, "stuck", "to the end"))
print(do.call(rbind, lapply(split(ran, state), function(own) data.frame(races = nrow(own), takes = round(mean(own$share), 3), same_leader = round(mean(own$same), 3), whole_decided = round(mean(own$whole_decided), 3)))))
same <- ran$same & ran$decided == ran$whole_decided | !ran$decided & !ran$whole_decided
cat(sprintf("takes made: %.3f of all; same verdict as with all (the same pipeline, or that it is too close): %.3f\n", mean(ran$share), mean(same)))
cat(sprintf("another pipeline declared than with all takes: %.3f; decided only by all takes: %.3f; decided only on the way: %.3f\n", mean(ran$decided & ran$whole_decided & !ran$same), mean(!ran$decided & ran$whole_decided), mean(ran$decided & !ran$whole_decided)))
cat(sprintf("declared wrongly: %.1f %% of all (whole runs: %.1f %%); the best one dropped: %.1f %%\n", 100 * mean(ran$decided & ran$wrong), 100 * mean(ran$whole_decided & ran$whole_wrong), 100 * mean(ran$best_dropped)))

figure <- ggplot2::ggplot(reliability, ggplot2::aes(said, true)) +
  ggplot2::geom_abline(linetype = 2, colour = "#888888") +
  ggplot2::geom_linerange(ggplot2::aes(ymin = pmax(0, true - 1.645 * sqrt(true * (1 - true) / n)), ymax = pmin(1, true + 1.645 * sqrt(true * (1 - true) / n))), colour = "#0072B2") +
  ggplot2::geom_point(ggplot2::aes(size = n), colour = "#0072B2") +
  ggplot2::scale_size_area(max_size = 6, guide = "none") +
  ggplot2::coord_equal(xlim = 0:1, ylim = 0:1) +
  ggplot2::labs(title = "Is a stated chance of being best true?", subtitle = paste(simulations, "simulations; dashed: said is so; the larger, the more were said"), x = "chance said", y = "share in which it was the best") +
  core("theme_sprenn")()
core("save_figure")(figure, "bench/choosing.png", 700, 640)
