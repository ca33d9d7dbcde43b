# Runs that stop when they are decided, beside whole ones: six pipelines over twelve cases of six
# seeds, over 24 of two, and over 24 of two where whoever is within 0.03 of the best will do.

race_designs <- list(
  list(name = "12 cases x 6 seeds", cases = 12, seeds = 6, close = 0),
  list(name = "24 cases x 2 seeds", cases = 24, seeds = 2, close = 0),
  list(name = "24 cases x 2 seeds, within 0.03", cases = 24, seeds = 2, close = 0.03)
)

run_race <- function(seed, design) {
  brief$close_enough <- design$close
  world <- new_world(seed, kinds[seed %% length(kinds) + 1], pipelines = 6)
  truth <- truth_of(world, seed + 2e6)[, "worth"]
  table <- as_table(meet_world(world, design$cases, design$seeds, seed + 3e6, shared = FALSE))
  round_of <- core("race_rounds")(table, rep("restyle", nrow(table)))
  all <- list(cases = design$cases, seeds = design$seeds, looks = max(round_of))
  dropped <- character()
  seen <- table[0, ]
  for (round in seq_len(max(round_of))) {
    seen <- rbind(seen, table[round_of == round & !table$pipeline %in% dropped, ])
    step <- core("race_step")(seen, brief, all, dropped)
    dropped <- step$dropped
    if (step$state != "open") {
      break
    }
  }

  right <- names(truth)[truth >= max(truth) - design$close]
  whole <- core("ranked_pipelines")(core("add_worth")(table, brief), brief)
  whole_best <- whole$pipelines$pipeline[1]
  data.frame(
    takes = nrow(seen) / nrow(table),
    decided = step$state == "decided",
    whole_decided = whole_best %in% whole$close,
    stuck = step$state == "stuck",
    wrong = step$state == "decided" && !step$best %in% right,
    whole_wrong = whole_best %in% whole$close && !whole_best %in% right,
    best_dropped = names(which.max(truth)) %in% dropped
  )
}

race <- function(simulations) {
  ran <- lapply(race_designs, function(design) {
    rows <- do.call(
      rbind,
      each(5e6 + seq_len(simulations), run_race, design$name, design = design)
    )
    data.frame(race = design$name, t(round(colMeans(rows), 3)))
  })
  cat("\nRaces: shares of", simulations, "\n")
  print(do.call(rbind, ran), row.names = FALSE)
}
