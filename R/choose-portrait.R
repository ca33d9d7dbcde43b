# Portraits: of one pipeline, one case, one step.

# The portrait of a pipeline: compared with each other one, case by case, and its flaws.

against_others <- function(pairs, pipeline) {
  own <- pairs[pairs$one == pipeline | pairs$other == pipeline, ]
  turned <- own$other == pipeline
  new_table(
    other = ifelse(turned, own$one, own$other),
    difference = ifelse(turned, -own$difference, own$difference),
    low = ifelse(turned, -own$high, own$low),
    high = ifelse(turned, -own$low, own$high),
    apart = own$apart
  )
}

case_portrait <- function(table, pipeline) {
  columns <- c("worth", axes, "keeper")
  means <- case_means(table, columns)
  own <- as_table(lapply(means, function(one) unname(one[, pipeline])))
  names(own)[5] <- "keepers"
  rest <- setdiff(colnames(means$worth), pipeline)
  others <- rowMeans(means$worth[, rest, drop = FALSE], na.rm = TRUE)
  takes <- table(
    factor(
      table$case[table$pipeline == pipeline & table$state != "planned"],
      rownames(means$worth)
    )
  )
  found <- new_table(
    case = rownames(means$worth),
    own,
    takes = as.vector(takes),
    others = unname(replace(others, is.nan(others), NA))
  )
  found[order(-found$worth, na.last = TRUE), ]
}

# Why takes are not keepers: failures, flaws, required phrases that are missing, floors.
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
  new_table(problem = names(counts), takes = as.integer(counts))
}

# What each step of a chain added or cost: a take compared with the one that it was made from.

# `table` is an axis table of all steps with `take` and `parent`, and what a take cost with
# all that led to it. Returns a row for each step
# that follows another and each score: `pipeline` (the step), `follows`, the means `before`
# and `after` it, the `gain` with an interval, and what the step itself cost in money and
# seconds a take.
stage_gains <- function(table, draws = 2000, seed = 1) {
  none <- new_table(
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
      gains <- new_table(
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
      new_table(
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

# The information in cases: those that separate pipelines, those that do not, those that agree,
# and the most useful kind of case to add.

# Pipelines whose worth in a case spreads by less than this are alike there. Cases in which leads
# differ by no less, in the same direction, are redundant; with few pipelines such pairs occur by
# luck.
alike_within <- 0.02
same_turns <- 0.95
fewest_for_twins <- 5

# `table` has worths. A row a case, the most informative first: `spread`, the standard deviation
# of pipelines' worth in it; `share` of the information in all cases; `keepers`; `agrees`, the
# correlation of its leads with those of all other cases (NA if it has no information); `twin`, an
# earlier case with the same leads; `leads`, the pipeline that would lead without it, by plain
# means, if that is another one.
case_table <- function(table, cells = judged_cells(table)) {
  if (nrow(cells) < 2 || ncol(cells) < 2) {
    return(NULL)
  }

  leads <- cells - rowMeans(cells)
  spread <- sqrt(rowMeans(leads^2))
  kept <- rowMeans(
    case_means(table, "keeper")[[1]][rownames(cells), , drop = FALSE],
    na.rm = TRUE
  )
  means <- colMeans(cells)
  without <- function(i) (means * nrow(cells) - cells[i, ]) / (nrow(cells) - 1)
  agrees <- vapply(
    seq_len(nrow(cells)),
    function(i) {
      rest <- without(i)
      if (spread[i] < alike_within || stats::sd(rest) == 0) {
        NA_real_
      } else {
        stats::cor(cells[i, ], rest)
      }
    },
    0
  )
  leader <- names(which.max(means))
  then <- vapply(seq_len(nrow(cells)), function(i) names(which.max(without(i))), "")
  found <- new_table(
    case = rownames(cells),
    spread = unname(spread),
    share = unname(spread^2 / max(sum(spread^2), 1e-12)),
    keepers = unname(kept),
    agrees = agrees,
    twin = twins_of(leads),
    leads = ifelse(then == leader, NA_character_, then)
  )
  found[order(-found$spread), ]
}

# Worth by case and pipeline, where there is evidence.
judged_cells <- function(table) {
  cells <- case_means(table, "worth")[[1]]
  known <- !is.na(cells)
  fill_by_sums(cells[rowSums(known) > 0, colSums(known) > 0, drop = FALSE])
}

# The first earlier case with the same leads: `leads` without their average.
twins_of <- function(leads) {
  n <- nrow(leads)
  if (ncol(leads) < fewest_for_twins) {
    return(rep(NA_character_, n))
  }

  turned <- beyond_sums(leads)
  size <- sqrt(rowMeans(turned^2))
  apart <- sqrt(pmax(0, outer(size^2, size^2, `+`) - 2 * tcrossprod(turned) / ncol(turned)))
  together <- tcrossprod(turned / sqrt(rowSums(turned^2)))
  alike <- apart < alike_within &
    together > same_turns &
    outer(size, size, pmin) >= alike_within
  alike[upper.tri(alike, diag = TRUE)] <- FALSE
  first <- apply(alike, 1, function(own) which(own)[1])
  rownames(leads)[first]
}

# The most informative kind of new case: one with another `reference` or one with another `look`,
# whichever leads vary more with, given how many of them were met; NULL where no cases share
# either.
most_useful <- function(table, cells = judged_cells(table)) {
  units <- independent_units(table[table$case %in% rownames(cells), ])
  is_shared <- function(unit) length(unique(unit)) > 1 && length(unique(unit)) < length(unit)
  shared <- Filter(is_shared, units)
  if (length(shared) == 0 || ncol(cells) < 2 || is.null(names(shared))) {
    return(NULL)
  }

  off <- beyond_sums(cells)
  size_of <- function(unit) sum(diag(covariance_of_mean(off, list(unit))$covariance))
  names(which.max(vapply(shared, size_of, 0)))
}
