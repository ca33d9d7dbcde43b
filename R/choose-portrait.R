# One pipeline by itself: against each other one, case by case, and what goes wrong in it.

against_others <- function(pairs, pipeline) {
  own <- pairs[pairs$one == pipeline | pairs$other == pipeline, ]
  turned <- own$other == pipeline
  tibble::tibble(
    other = ifelse(turned, own$one, own$other),
    difference = ifelse(turned, -own$difference, own$difference),
    low = ifelse(turned, -own$high, own$low),
    high = ifelse(turned, -own$low, own$high),
    apart = own$apart
  )
}

case_portrait <- function(table, pipeline) {
  columns <- c("utility", axes, "keeper")
  means <- case_means(table, columns)
  own <- tibble::as_tibble(lapply(means, function(one) unname(one[, pipeline])))
  names(own)[5] <- "keepers"
  rest <- setdiff(colnames(means$utility), pipeline)
  others <- rowMeans(means$utility[, rest, drop = FALSE], na.rm = TRUE)
  takes <- table(
    factor(
      table$case[table$pipeline == pipeline & table$state != "planned"],
      rownames(means$utility)
    )
  )
  found <- tibble::tibble(
    case = rownames(means$utility),
    own,
    takes = as.vector(takes),
    others = unname(replace(others, is.nan(others), NA))
  )
  found[order(-found$utility, na.last = TRUE), ]
}

# Why takes are no keepers: what was not made, flaws, phrases that must be there, floors.
count_problems <- function(table, pipeline, brief) {
  own <- table[table$pipeline == pipeline, ]
  made <- own[own$state == "made", ]
  words <- function(column) unlist(strsplit(column[column != ""], ", ", fixed = TRUE))
  below <- unlist(lapply(names(brief$floors), function(axis) {
    rep(
      paste0("below the floor of ", axis),
      sum(made[[axis]] < brief$floors[[axis]], na.rm = TRUE)
    )
  }))
  what <- c(
    own$state[own$state %in% c("failed", "refused")],
    gsub("_", " ", words(made$flaws)),
    paste0("missing: ", words(made$missed), recycle0 = TRUE),
    below
  )
  counts <- sort(table(what), decreasing = TRUE)
  tibble::tibble(problem = names(counts), takes = as.integer(counts))
}
