# Which setting matters: how much of what pipelines of one family differ by comes from
# each thing that was set otherwise.

# For each family (pipelines of one engine that differ in settings), setting and score a row:
# `moved`, by how much two pipelines that differ in nothing else differ on average, with an
# interval; `pairs`, how many such there are; and, where every combination was tried,
# `alone`, the share of all variation that the setting explains by itself, and `in_all`,
# the share that it has a part in (Sobol's first-order and total shares, 1993).
setting_importance <- function(recipes, pipelines, draws, columns = c(axes, "utility")) {
  recipes <- recipes[recipes$pipeline %in% pipelines$pipeline, ]
  rows <- lapply(unique(recipes$family), function(family) {
    own <- recipes[recipes$family == family, ]
    design <- design_of(own$set)
    if (nrow(own) < 2 || ncol(design) == 0) {
      return(NULL)
    }

    at <- match(own$pipeline, pipelines$pipeline)
    found <- lapply(names(design), function(setting) {
      pairs <- single_pairs(design, setting)
      lapply(columns, function(column) {
        score <- pipelines[[column]][at]
        drawn <- draws[[column]][own$pipeline, , drop = FALSE]
        moved <- if (ncol(pairs)) mean(abs(score[pairs[1, ]] - score[pairs[2, ]])) else NA_real_
        ends <- if (ncol(pairs)) {
          interval(
            colMeans(abs(drawn[pairs[1, ], , drop = FALSE] - drawn[pairs[2, ], , drop = FALSE]))
          )
        } else {
          c(NA, NA)
        }
        tibble::tibble(
          family = family,
          setting = setting,
          score = column,
          pairs = ncol(pairs),
          moved = moved,
          low = ends[1],
          high = ends[2],
          variation_shares(design, setting, pipelines[[column]][at])
        )
      })
    })
    do.call(rbind, unlist(found, recursive = FALSE))
  })
  none <- tibble::tibble(
    family = character(),
    setting = character(),
    score = character(),
    pairs = integer(),
    moved = numeric(),
    low = numeric(),
    high = numeric(),
    alone = numeric(),
    in_all = numeric()
  )
  found <- do.call(rbind, c(list(none), rows))
  found[!is.na(found$moved), ]
}

# What differs between settings: a data frame of texts with a column for each.
design_of <- function(settings) {
  names <- unique(unlist(lapply(settings, names)))
  design <- lapply(stats::setNames(nm = names), function(name) {
    vapply(
      settings,
      function(one) if (is.null(one[[name]])) "" else format(one[[name]], digits = 8),
      ""
    )
  })
  as.data.frame(
    Filter(function(column) length(unique(column)) > 1, design),
    check.names = FALSE,
    stringsAsFactors = FALSE
  )
}

# Pairs of rows that differ in one setting only: a matrix of two rows.
single_pairs <- function(design, setting) {
  rest <- do.call(
    paste,
    c(list("", sep = "\r"), unname(design[setdiff(names(design), setting)]))
  )
  pairs <- utils::combn(nrow(design), 2)
  pairs[
    ,
    rest[pairs[1, ]] == rest[pairs[2, ]] &
      design[[setting]][pairs[1, ]] != design[[setting]][pairs[2, ]],
    drop = FALSE
  ]
}

variation_shares <- function(design, setting, score) {
  whole <- nrow(unique(design)) == nrow(design) &&
    nrow(design) == prod(vapply(design, function(column) length(unique(column)), 0L))
  all <- mean((score - mean(score))^2)
  if (ncol(design) < 2 || !whole || !isTRUE(all > 1e-12)) {
    return(tibble::tibble(alone = NA_real_, in_all = NA_real_))
  }

  by_itself <- tapply(score, design[[setting]], mean)
  rest <- do.call(paste, c(list(sep = "\r"), unname(design[setdiff(names(design), setting)])))
  within <- tapply(score, rest, function(x) mean((x - mean(x))^2))
  tibble::tibble(alone = mean((by_itself - mean(score))^2) / all, in_all = mean(within) / all)
}
