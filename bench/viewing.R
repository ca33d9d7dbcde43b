# Simulated viewers with a known preference: do the strengths recover it, and how many
# ballots does picking save? From the root with the package installed:
#   Rscript bench/viewing.R [SIMULATIONS]
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
given <- commandArgs(trailingOnly = TRUE)
times <- if (length(given)) as.integer(given[1]) else 60
names <- sprintf("p%02d", 1:10)

# One viewing: pairs picked or drawn, and after each how near the strengths are to the truth.
viewing <- function(seed, pick, ballots = 300) {
  withr::with_seed(seed, {
    truth <- stats::setNames(stats::rnorm(length(names), sd = 1.5), names)
    pairs <- t(utils::combn(names, 2))
    seen <- tibble::tibble(one = character(), other = character(), share = numeric())
    near <- numeric(ballots)
    for (k in seq_len(ballots)) {
      if (pick) {
        worth <- core("pair_worth")(seen, names)
        at <- which.max(worth$worth + stats::runif(nrow(worth), 0, 1e-6))
        pair <- c(worth$one[at], worth$other[at])
      } else {
        pair <- pairs[sample(nrow(pairs), 1), ]
      }
      share <- as.numeric(stats::runif(1) < 1 / (1 + exp(truth[[pair[2]]] - truth[[pair[1]]])))
      seen <- rbind(seen, tibble::tibble(one = pair[1], other = pair[2], share = share))
      if (k %% 5 == 0) near[k] <- stats::cor(core("fit_strengths")(seen, names)$strength, truth, method = "spearman")
    }
    table <- core("strength_table")(seen, names)
    list(near = near[seq(5, ballots, 5)], covered = mean(table$low <= truth[table$pipeline] - mean(truth) & table$high >= truth[table$pipeline] - mean(truth)))
  })
}
run <- function(pick) parallel::mclapply(seq_len(times), viewing, pick = pick, mc.cores = 2)
random <- run(FALSE)
picked <- run(TRUE)
curve <- function(some) rowMeans(vapply(some, `[[`, numeric(60), "near"))
at <- 5 * seq_len(60)
cat(sprintf("rank correlation with the truth after 300 ballots: random pairs %.3f, picked %.3f (%d viewings)\n", curve(random)[60], curve(picked)[60], times))
cat(sprintf("90 %% intervals hold the truth: random %.3f, picked %.3f\n", mean(vapply(random, `[[`, 0, "covered")), mean(vapply(picked, `[[`, 0, "covered"))))
for (wanted in c(0.9, 0.93, curve(random)[60])) {
  first <- function(values) at[which(values >= wanted)[1]]
  cat(sprintf("ballots to a mean rank correlation of %.3f: random %s, picked %s: %.2f\n", wanted, first(curve(random)), first(curve(picked)), first(curve(picked)) / first(curve(random))))
}
