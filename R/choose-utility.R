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
