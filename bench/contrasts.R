# How often do the 90 % intervals of contrasts hold the true difference? Pipelines that are alike in
# all but one thing are simulated: they share how easy each case is, and differ by a true difference,
# by how each takes to each case, and by seeds.
# From the root with the package installed:
#   Rscript bench/contrasts.R [TIMES]
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
given <- commandArgs(trailingOnly = TRUE)
times <- if (length(given)) as.integer(given[1]) else 400L

true_means <- c(0, 0.05, 0.1, -0.1, 0, 0.2)
# How differently pipelines take to a case: all alike, or some far more than others.
spreads <- list(even = rep(0.05, 6), uneven = c(0.01, 0.08, 0.02, 0.08, 0.01, 0.05))
luck <- list(normal = stats::rnorm, heavy = function(n) stats::rt(n, 3) / sqrt(3))

simulated_takes <- function(cases, many, spread, draw) {
  level <- 0.5 + 0.15 * draw(cases)
  each <- lapply(seq_len(many), function(j) {
    by_case <- level + true_means[j] + spread[j] * draw(cases)
    expand <- expand.grid(case = paste0("c", seq_len(cases)), seed = 1:2)
    data.frame(
      expand,
      reference = expand$case,
      look = "one",
      pipeline = paste0("p", j),
      structure = rep(by_case, 2) + 0.02 * draw(2 * cases)
    )
  })
  do.call(rbind, each)
}

# The share of intervals that hold the true difference to the first pipeline, and their width.
held <- function(cases, many, spread, draw) {
  found <- lapply(seq_len(times), function(seed) {
    set.seed(seed)
    takes <- simulated_takes(cases, many, spread, draw)
    drawn <- core("score_draws")(takes, "structure", 2000, seed, shrink = character())$structure
    vapply(
      2:many,
      function(j) {
        ends <- core("interval")(drawn[j, ] - drawn[1, ])
        apart <- true_means[j] - true_means[1]
        c(ends[1] <= apart && apart <= ends[2], ends[2] - ends[1])
      },
      c(0, 0)
    )
  })
  found <- do.call(cbind, found)
  c(mean(found[1, ]), stats::median(found[2, ]))
}

cat("luck    spreads  cases  pipelines  holds  width\n")

for (kind in names(luck)) {
  for (how in names(spreads)) {
    for (cases in c(3, 5, 8, 16)) {
      for (many in c(2, 3, 6)) {
        told <- held(cases, many, spreads[[how]], luck[[kind]])
        cat(sprintf(
          "%-7s %-7s %6d %10d %5.1f%% %6.3f\n",
          kind, how, cases, many, 100 * told[1], told[2]
        ))
      }
    }
  }
}
