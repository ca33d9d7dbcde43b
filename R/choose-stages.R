# What each step of a chain added or cost: a take against the one that it was made from.

# `table` is an axis table of all steps with `take` and `parent`, and what a take cost with
# all that led to it. Returns a row for each step
# that follows another and each score: `pipeline` (the step), `follows`, the means `before`
# and `after` it, the `gain` with an interval, and what the step itself cost in money and
# seconds a take.
stage_gains <- function(table, draws = 2000, seed = 1) {
  none <- tibble::tibble(
    pipeline = character(),
    follows = character(),
    score = character(),
    before = numeric(),
    after = numeric(),
    gain = numeric(),
    low = numeric(),
    high = numeric(),
    takes = integer(),
    cost = numeric(),
    seconds = numeric()
  )
  if (NROW(table) == 0) {
    return(none)
  }

  before <- match(table$parent, table$take)
  own <- table[!is.na(before) & table$state == "made", ]
  first <- table[before[!is.na(before) & table$state == "made"], ]
  rows <- lapply(unique(own$pipeline), function(step) {
    at <- own$pipeline == step
    lapply(axes, function(axis) {
      gains <- tibble::tibble(
        pipeline = step,
        case = own$case[at],
        seed = own$seed[at],
        gain = own[[axis]][at] - first[[axis]][at],
        after = own[[axis]][at],
        before = first[[axis]][at]
      )
      gains <- gains[!is.na(gains$gain), ]
      if (nrow(gains) == 0) {
        return(NULL)
      }

      ends <- interval(score_draws(gains, "gain", draws, seed)$gain[1, ])
      means <- vapply(
        c("before", "after", "gain"),
        function(column) mean_by_pipeline(gains, column)[[1]],
        0
      )
      tibble::tibble(
        pipeline = step,
        follows = first$pipeline[at][1],
        score = axis,
        before = means[[1]],
        after = means[[2]],
        gain = means[[3]],
        low = ends[1],
        high = ends[2],
        takes = nrow(gains),
        cost = mean(own$cost[at] - first$cost[at], na.rm = TRUE),
        seconds = mean(own$seconds[at] - first$seconds[at], na.rm = TRUE)
      )
    })
  })
  do.call(rbind, c(list(none), unlist(rows, recursive = FALSE)))
}
