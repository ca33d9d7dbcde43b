# Tables of takes with known answers, for the methods of choosing.
core_brief <- list(
  brief = "x",
  job = NA_character_,
  weights = c(structure = 0.6, adherence = 0.2, style = 0.2),
  floors = c(structure = NA, adherence = NA, style = NA),
  style = "reach the look",
  confidence = 0.9,
  draws = 1000L,
  seed = 1L
)

# A table of takes by what each pipeline scores, `means` a matrix pipelines x axes.
scored_table <- function(
  means,
  cases = 8,
  seeds = 2,
  by_case = 0.02,
  by_seed = 0.02,
  seed = 1
) {
  withr::with_seed(seed, {
    grid <- expand.grid(
      seed = seq_len(seeds),
      case = sprintf("c%02d", seq_len(cases)),
      pipeline = rownames(means),
      stringsAsFactors = FALSE
    )
    noise <- function(name) {
      own <- stats::rnorm(cases * nrow(means), 0, by_case)
      own[as.integer(factor(grid$case)) + cases * (match(grid$pipeline, rownames(means)) - 1)] +
        stats::rnorm(nrow(grid), 0, by_seed)
    }

    scores <- lapply(colnames(means), function(axis) {
      pmin(1, pmax(0, means[grid$pipeline, axis] + noise(axis)))
    })
    names(scores) <- colnames(means)
    tibble::tibble(
      take = paste0("t", seq_len(nrow(grid))),
      parent = NA_character_,
      pipeline = grid$pipeline,
      case = grid$case,
      seed = grid$seed,
      state = "made",
      cost = 0.1,
      seconds = 1,
      message = NA_character_,
      !!!scores,
      coverage = 1,
      flaws = "",
      slight = "",
      missed = ""
    )
  })
}

means_of <- function(...) {
  rows <- rbind(...)
  colnames(rows) <- c("structure", "adherence", "style")
  rows
}

worth <- function(table, brief = core_brief) add_worth(table, brief)
