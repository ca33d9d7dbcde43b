# What a take is worth to the brief.

# Adds `keeper` (made, no serious flaw, nothing missed that must be there, every
# floor cleared) and `utility` (the
# weighted mean of the axes, 0 for what is no keeper) to an axis table. An axis
# without evidence in a case is left out there, for all pipelines alike. Takes
# that were not made yet have neither.
add_utility <- function(table, brief) {
  scores <- as.matrix(table[names(brief$weights)])
  cleared <- rowSums(scores < rep(brief$floors, each = nrow(scores)), na.rm = TRUE) == 0
  tried <- table$state %in% c("made", "failed", "refused")
  table$keeper <- ifelse(tried, table$state == "made" & table$flaws == "" & table$missed == "" & cleared, NA)
  weights <- matrix(brief$weights, nrow(scores), ncol(scores), byrow = TRUE) * !is.na(scores)
  worth <- rowSums(weights * replace(scores, is.na(scores), 0)) / rowSums(weights)
  table$utility <- ifelse(table$keeper, worth, 0)
  table
}

# Mean over cases of the means over seeds, per pipeline.
mean_by_pipeline <- function(table, column) {
  pipelines <- unique(table$pipeline)
  cases <- unique(table$case)
  values <- as.numeric(table[[column]])
  known <- !is.na(values)
  cell <- match(table$case, cases)[known] + length(cases) * (match(table$pipeline, pipelines)[known] - 1)
  sums <- rowsum(cbind(values[known], rep(1, sum(known))), cell)
  per_case <- matrix(NA_real_, length(cases), length(pipelines))
  per_case[as.numeric(rownames(sums))] <- sums[, 1] / sums[, 2]
  means <- colMeans(per_case, na.rm = TRUE)
  stats::setNames(replace(means, is.nan(means), NA), pipelines)
}
