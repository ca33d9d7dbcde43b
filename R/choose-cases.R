# Which pictures decide: cases that tell pipelines apart, those that tell nothing, those that say
# the same, and what kind of case would be the most useful to add.

# Pipelines whose worth in a case spreads by less than this are alike there. Cases that turn leads
# by no less, and both in the same way, say the same; of fewer pipelines luck makes such pairs.
alike_within <- 0.02
same_turns <- 0.95
fewest_for_twins <- 5

# `table` has worths. A row a case, the most telling first: `spread`, the standard deviation of
# pipelines' worth in it; `share` of all that cases tell; `keepers`; `agrees`, how its leads go
# with those of all other cases (correlation; NA where it tells nothing); `twin`, an earlier case
# that turns leads in the same way; `leads`, who would lead without it, by plain means, where
# that is another than with it.
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
  found <- tibble::tibble(
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

# Worth by case and pipeline, of what anybody can judge.
judged_cells <- function(table) {
  cells <- case_means(table, "utility")[[1]]
  known <- !is.na(cells)
  fill_by_sums(cells[rowSums(known) > 0, colSums(known) > 0, drop = FALSE])
}

# The first earlier case that turns leads in the same way: `leads` less what they are on average.
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

# What kind of case would say most that is new: of another `reference` or of another `look`,
# whichever leads vary more with for how many of them were met; NULL where cases don't share
# any.
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
