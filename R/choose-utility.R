# What a take is worth to the brief.

# Adds `keeper` (made, no serious flaw, nothing missed that must be there, every floor
# cleared) and `utility` (the weighted mean of the axes, 0 for what is no keeper) to an axis
# table. Takes that were not made yet have neither. Where an axis has no evidence the others
# speak; evidence is counted evenly beforehand (see even_axes()), so that they do so for all
# pipelines alike. A floor on an axis without evidence is not cleared, and not missed either:
# nobody knows. Such a case has no keepers for anybody, and one without evidence on any axis
# that the brief weighs no worth.
add_utility <- function(table, brief) {
  scores <- as.matrix(table[names(brief$weights)])
  floors <- rep(brief$floors, each = nrow(scores))
  made <- table$state == "made"
  tried <- made | table$state %in% c("failed", "refused")
  below <- rowSums(scores < floors, na.rm = TRUE) > 0
  unknown <- made & rowSums(is.na(scores) & !is.na(floors)) > 0
  unjudged <- table$case %in% table$case[unknown]
  usable <- made & table$flaws == "" & table$missed == "" & !below
  table$keeper <- ifelse(tried & !unjudged, usable, NA)
  weights <- matrix(brief$weights, nrow(scores), ncol(scores), byrow = TRUE) * !is.na(scores)
  weighed <- rowSums(weights)
  worth <- rowSums(weights * replace(scores, is.na(scores), 0)) / weighed
  bare <- table$case %in% table$case[made & weighed == 0]
  table$utility <- ifelse(bare, NA_real_, ifelse(table$keeper, worth, 0))
  table
}
