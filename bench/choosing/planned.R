# Planned beforehand: how often a run of so many cases and seeds names the right pipeline, said
# from a run of eight cases of two seeds, and so it was. All others are as far behind the best.
# And afterwards: how often "so many more cases would settle it" comes true.

plan_designs <- data.frame(
  pipelines = c(3, 3, 3, 6, 6, 6, 6, 12, 12, 12, 2, 20),
  by_case = c(5, 10, 5, 5, 10, 5, 8, 5, 10, 5, 10, 6) / 100,
  by_seed = c(5, 5, 10, 5, 5, 10, 8, 5, 5, 10, 10, 6) / 100,
  seeds = c(1, 2, 3, 1, 2, 3, 2, 1, 2, 3, 2, 2),
  apart = c(6, 8, 6, 6, 10, 6, 8, 6, 10, 6, 10, 6) / 100
)

pilot_cases <- 8
pilot_seeds <- 2

worth_table <- function(cases, seeds, design, truth) {
  n <- length(truth)
  of_case <- stats::rnorm(cases, 0, 0.1)
  means <- 0.6 + outer(of_case, truth, `+`) + stats::rnorm(cases * n, 0, design$by_case)
  case <- rep(seq_len(cases), n * seeds)
  pipeline <- rep(rep(seq_len(n), each = cases), seeds)
  worth <- means[cbind(case, pipeline)] + stats::rnorm(length(case), 0, design$by_seed)
  tibble::tibble(
    case = sprintf("c%04d", case),
    pipeline = paste0("p", pipeline),
    seed = rep(seq_len(seeds), each = cases * n),
    worth = worth
  )
}

decided_right <- function(table, truth, seed) {
  draws <- core("score_draws")(table, "worth", brief$draws, seed)$worth
  best <- which.max(rowMeans(draws))
  right <- names(truth)[truth == max(truth)]
  rownames(draws)[best] %in% right && core("chance_best")(draws)[[best]] >= brief$confidence
}

run_planned <- function(seed, design) {
  withr::local_seed(seed)
  truth <- c(0, rep(-design$apart, design$pipelines - 1))
  names(truth) <- paste0("p", seq_along(truth))
  pilot <- core("worth_parts_of")(worth_table(pilot_cases, pilot_seeds, design, truth))
  assured <- function(cases) {
    core("foreseen_assurance")(
      pilot,
      design$pipelines,
      cases,
      design$seeds,
      design$apart,
      brief$confidence
    )
  }

  tried <- c(4:12, round(exp(seq(log(13), log(300), length.out = 24))))
  at <- core("fewest")(seq_along(tried), function(k) assured(tried[k]) >= 0.9)
  cases <- tried[min(at, length(tried))]
  said <- assured(cases)
  table <- worth_table(cases, design$seeds, design, truth)
  data.frame(cases = cases, said = said, right = decided_right(table, truth, seed))
}

plan_ahead <- function(simulations) {
  cat("\nPlanned to be right with 0.90; median of cases, said, and so it was\n")
  ran <- lapply(seq_len(nrow(plan_designs)), function(k) {
    design <- plan_designs[k, ]
    jobs <- 9e6 + seq_len(simulations)
    rows <- do.call(rbind, each(jobs, run_planned, paste("planned", k), design = design))
    data.frame(
      design,
      cases = stats::median(rows$cases),
      said = round(mean(rows$said), 3),
      right = round(mean(rows$right), 3)
    )
  })
  print(do.call(rbind, ran), row.names = FALSE)
}

# A run that has not settled the matter, and the same world met again with as many more cases as
# were said to settle it with a chance of four in five.
run_settled <- function(seed) {
  world <- new_world(seed, kinds[seed %% length(kinds) + 1])
  withr::with_seed(seed + 1e6, {
    cases <- sample(c(4, 6, 8, 12, 20), 1)
    seeds <- sample(1:3, 1)
  })
  met <- meet_world(world, cases, seeds, seed + 3e6, shared = FALSE)
  table <- as_table(met)
  verdict <- core("verdict_from")(table, brief)
  more <- verdict$needed$more_cases
  none <- data.frame(kind = world$kind, cases = cases, more = NA, settled = NA)
  if (verdict$state != "too close" || is.null(more)) {
    return(none)
  }

  none$more <- more
  if (is.infinite(more)) {
    return(none)
  }

  others <- as_table(meet_world(world, more, seeds, seed + 4e6, shared = FALSE))
  for (column in c("case", "reference", "look")) {
    others[[column]] <- paste0(others[[column]], "b")
  }

  all <- core("add_worth")(rbind(table, others), brief)
  none$settled <- length(core("ranked_pipelines")(all, brief)$close) > 0
  none
}

settle <- function(simulations) {
  rows <- do.call(rbind, each(6e6 + seq_len(simulations), run_settled, "settled"))
  open <- rows[!is.na(rows$more), ]
  tried <- open[is.finite(open$more), ]
  tried$size <- cut(tried$more, c(0, 10, 30, 100, 200))
  cat(
    sprintf(
      "\n%d of %d runs unsettled; of %d a number of cases was said to settle it; it did in %.3f\n",
      nrow(open),
      nrow(rows),
      nrow(tried),
      mean(tried$settled)
    )
  )
  print(stats::aggregate(settled ~ size, tried, function(x) c(n = length(x), so = mean(x))))
  print(stats::aggregate(settled ~ cases, tried, function(x) c(n = length(x), so = mean(x))))
}
