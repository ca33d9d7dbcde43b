# Response of a score to a setting: where it is flat, where it drops, which settings can be used.

# The pipelines that differ in one setting only, as lines along it. `recipes` has `pipeline`,
# `family` and `set`, a list of named values each. Returns a row a pipeline and line:
# `line` (the family, and what else is set where a family has several lines), `vary`,
# `value`, `pipeline`, in the order of `value`.
sweep_lines <- function(recipes, vary) {
  value <- vapply(
    recipes$set,
    function(one) if (is.numeric(one[[vary]])) as.numeric(one[[vary]]) else NA_real_,
    0
  )
  others <- vapply(
    recipes$set,
    function(one) {
      rest <- one[setdiff(sort(names(one)), vary)]
      paste(names(rest), vapply(rest, format, ""), sep = "=", collapse = ", ")
    },
    ""
  )
  kept <- which(!is.na(value))
  key <- paste(recipes$family, others)[kept]
  kept <- kept[key %in% key[duplicated(key)]]
  several <- tapply(others[kept], recipes$family[kept], function(x) length(unique(x)) > 1)
  many <- as.vector(several[recipes$family[kept]])
  lines <- new_table(
    line = ifelse(
      many,
      paste0(recipes$family[kept], " (", differing(others[kept]), ")"),
      recipes$family[kept]
    ),
    family = recipes$family[kept],
    vary = vary,
    value = value[kept],
    pipeline = recipes$pipeline[kept]
  )
  lines[order(match(lines$line, unique(lines$line)), lines$value), ]
}

# The parts of texts such as "a=1, b=2" that they do not all share.
differing <- function(texts) {
  parts <- strsplit(texts, ", ", fixed = TRUE)
  shared <- Reduce(intersect, parts)
  vapply(parts, function(one) paste(setdiff(one, shared), collapse = ", "), "")
}

# The settings that have a line.
swept_settings <- function(recipes) {
  names <- unique(unlist(lapply(recipes$set, names)))
  Filter(function(vary) nrow(sweep_lines(recipes, vary)) > 0, names)
}

# The scores along each line, pooled over cases: a row for each line, value and column with
# `mean`, `low`, `high`; and, where `by_case`, one for each case with its mean alone.
curve_table <- function(
  lines,
  pipelines,
  table,
  columns = c(axes, "worth", "keepers"),
  by_case = FALSE
) {
  at <- match(lines$pipeline, pipelines$pipeline)
  pooled <- lapply(columns, function(column) {
    new_table(
      lines,
      score = column,
      case = NA_character_,
      mean = pipelines[[column]][at],
      low = pipelines[[paste0(column, "_low")]][at],
      high = pipelines[[paste0(column, "_high")]][at]
    )
  })
  each <- if (by_case) {
    lapply(setdiff(columns, "keepers"), function(column) {
      means <- case_means(table, column)[[1]]
      rows <- lines[rep(seq_len(nrow(lines)), nrow(means)), ]
      case <- rep(rownames(means), each = nrow(lines))
      new_table(
        rows,
        score = column,
        case = case,
        mean = means[cbind(
          match(case, rownames(means)),
          match(rows$pipeline, colnames(means))
        )],
        low = NA_real_,
        high = NA_real_
      )
    })
  }
  found <- do.call(rbind, c(pooled, each))
  found[!is.na(found$mean), ]
}

# Features of each line, one row a line:
# `points`, how many settings; `cliff_from`, `cliff_to`: the two neighbours between which
# structure drops most, and by how much (`drop`, with its interval); `flat_from`, `flat_to`: the
# widest stretch in which structure hardly changes; `window_from`, `window_to`: where the mean of
# every axis clears its floor, by linear interpolation between the settings tried, and whether
# that goes on beyond them (`open_low`, `open_high`), with intervals (see window_of());
# `kept_from`, `kept_to` and so on: the same for the share of takes that are keepers, of which
# `keepers` are draws; `best`: the setting with the highest mean worth, and the range that it is
# in for 90 % of draws (`best_from`, `best_to`).
curve_features <- function(lines, pipelines, draws, floors, keepers) {
  each <- split(lines, factor(lines$line, unique(lines$line)))
  rows <- lapply(each, function(own) {
    own <- own[own$pipeline %in% pipelines$pipeline[!is.na(pipelines$structure)], ]
    if (nrow(own) < 2) {
      return(NULL)
    }

    means <- axis_means(pipelines)[own$pipeline, , drop = FALSE]
    worth <- pipelines$worth[match(own$pipeline, pipelines$pipeline)]
    new_table(
      line = own$line[1],
      vary = own$vary[1],
      points = nrow(own),
      cliff_of(own$value, means[, "structure"], draws$structure[own$pipeline, , drop = FALSE]),
      flat_of(own$value, means[, "structure"]),
      window_of(
        own$value,
        means,
        floors,
        lapply(draws[axes], function(one) one[own$pipeline, , drop = FALSE])
      ),
      kept_window(
        own$value,
        pipelines$keepers[match(own$pipeline, pipelines$pipeline)],
        keepers[own$pipeline, , drop = FALSE]
      ),
      best = own$value[which.max(worth)],
      best_among(own$value, draws$worth[own$pipeline, , drop = FALSE])
    )
  })
  do.call(rbind, unname(rows))
}

# A cliff is a step that is more than twice as steep as the rest of the line, changes a score by a
# tenth or more, and is significant: on a straight line one is found in at most `false_cliffs` of
# cases, over all steps together. Three settings can show one.
false_cliffs <- 0.05

cliff_of <- function(value, score, draws) {
  none <- new_table(
    cliff_from = NA_real_,
    cliff_to = NA_real_,
    drop = NA_real_,
    drop_low = NA_real_,
    drop_high = NA_real_
  )
  if (length(value) < 3 || anyNA(draws)) {
    return(none)
  }

  change <- diff(score)
  width <- diff(value)
  steep <- which.max(abs(change) / width)
  changes <- draws[-1, , drop = FALSE] - draws[-nrow(draws), , drop = FALSE]
  own <- sign(change[steep]) * changes[steep, ] / width[steep]
  rest <- colSums(abs(changes[-steep, , drop = FALSE])) / sum(width[-steep])
  surely <- stats::quantile(own - 2 * rest, false_cliffs / length(change), names = FALSE) > 0
  if (!surely || abs(change[steep]) < 0.1) {
    return(none)
  }

  ends <- interval(changes[steep, ])
  new_table(
    cliff_from = value[steep],
    cliff_to = value[steep + 1],
    drop = unname(change[steep]),
    drop_low = ends[1],
    drop_high = ends[2]
  )
}

# The widest stretch over which a score stays within a twentieth.
flat_of <- function(value, score, within = 0.05) {
  best <- c(NA_real_, NA_real_)
  for (i in seq_along(value)) {
    inside <- vapply(
      seq_along(value),
      function(j) j > i && diff(range(score[i:j])) <= within,
      NA
    )
    if (any(inside) && !isTRUE(diff(best) >= value[max(which(inside))] - value[i])) {
      best <- c(value[i], value[max(which(inside))])
    }
  }

  new_table(flat_from = best[1], flat_to = best[2])
}

# Where straight lines between settings clear every floor, with 90 % intervals of both ends
# (`window_from_low`, ...) by draws, a list of matrices settings x draws, of those draws that have
# a window there at all; how many do is `window_chance`.
window_of <- function(value, means, floors, draws) {
  floors <- floors[!is.na(floors) & colSums(!is.na(means))[names(floors)] == length(value)]
  found <- widest_window(value, lapply(names(floors), function(axis) means[, axis]), floors)
  out <- new_table(
    window_from = found[1],
    window_to = found[2],
    open_low = found[1] %in% value[1],
    open_high = found[2] %in% value[length(value)]
  )
  known <- length(floors) > 0 && !anyNA(unlist(lapply(draws[names(floors)], `[`, , 1)))
  each <- if (known) {
    vapply(
      seq_len(min(window_draws, ncol(draws[[1]]))),
      function(d) {
        widest_window(value, lapply(names(floors), function(axis) draws[[axis]][, d]), floors)
      },
      c(0, 0)
    )
  } else {
    matrix(NA_real_, 2, 1)
  }
  ends <- apply(each, 1, interval)
  new_table(
    out,
    window_from_low = ends[1, 1],
    window_from_high = ends[2, 1],
    window_to_low = ends[1, 2],
    window_to_high = ends[2, 2],
    window_chance = if (known) mean(!is.na(each[1, ])) else NA_real_
  )
}

window_draws <- 400L

# The widest range in which all of `scores` (a list of vectors along `value`) clear their floors;
# NA if there is none.
widest_window <- function(value, scores, floors) {
  # Fine steps between the settings, each setting among them.
  fine <- sort(unique(c(value, seq(value[1], value[length(value)], length.out = 501))))
  clear <- rep(TRUE, length(fine))
  for (k in seq_along(floors)) {
    clear <- clear & stats::approx(value, scores[[k]], fine)$y >= floors[[k]]
  }

  if (!any(clear)) {
    return(c(NA_real_, NA_real_))
  }

  runs <- rle(clear)
  end <- cumsum(runs$lengths)
  start <- end - runs$lengths + 1
  wide <- which(runs$values)[which.max((fine[end] - fine[start])[runs$values])]
  c(fine[start[wide]], fine[end[wide]])
}

# The window in which at least four of five takes are keepers, counting single takes and not
# means.
mostly_kept <- 0.8

kept_window <- function(value, keepers, draws) {
  found <- window_of(
    value,
    matrix(keepers, dimnames = list(NULL, "keeper")),
    c(keeper = mostly_kept),
    list(keeper = draws)
  )
  stats::setNames(found, sub("^window", "kept", sub("^open", "kept_open", names(found))))
}

best_among <- function(value, draws) {
  chance <- chance_best(draws)
  if (all(is.na(chance))) {
    return(new_table(best_from = min(value), best_to = max(value)))
  }

  # The fewest settings that hold the best in 90 % of draws.
  order <- order(-chance)
  kept <- value[order[seq_len(which(cumsum(chance[order]) >= 0.9 - 1e-9)[1])]]
  new_table(best_from = min(kept), best_to = max(kept))
}

# Sensitivity to settings: how much of the variation within a family is due to each setting.

# One row for each family (pipelines of one engine that differ in settings), setting and score:
# `moved`, the mean size of the difference between two pipelines that differ in nothing else, with
# an interval; `pairs`, the number of such pairs; and, if every combination was tried, `alone`, the
# share of variance that the setting explains by itself, and `in_all`, the share in which it has a
# part (Sobol's first-order and total indices, 1993).
# `draws_of` returns the draws of some pipelines, by column.
setting_importance <- function(recipes, pipelines, draws_of, columns = c(axes, "worth")) {
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
      draws <- if (ncol(pairs)) draws_of(own$pipeline[unique(c(pairs))])
      lapply(columns, function(column) {
        score <- pipelines[[column]][at]
        moved <- moved_by(pairs, score, draws[[column]], own$pipeline)
        new_table(
          family = family,
          setting = setting,
          score = column,
          pairs = ncol(pairs),
          moved,
          variation_shares(design, setting, pipelines[[column]][at])
        )
      })
    })
    do.call(rbind, unlist(found, recursive = FALSE))
  })
  none <- new_table(
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

# The mean size of the differences of `pairs` of pipelines: the median of draws, as luck makes
# differences only larger and plain means would lie below the interval; plain without draws.
moved_by <- function(pairs, score, drawn, pipelines) {
  if (ncol(pairs) == 0) {
    return(new_table(moved = NA_real_, low = NA_real_, high = NA_real_))
  }

  one <- pipelines[pairs[1, ]]
  other <- pipelines[pairs[2, ]]
  apart <- colMeans(abs(drawn[one, , drop = FALSE] - drawn[other, , drop = FALSE]))
  ends <- interval(apart)
  plain <- mean(abs(score[pairs[1, ]] - score[pairs[2, ]]))
  new_table(
    moved = if (anyNA(ends)) plain else stats::median(apart, na.rm = TRUE),
    low = ends[1],
    high = ends[2]
  )
}

# The settings that differ: a data frame of texts with a column for each.
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
    c(list(rep("", nrow(design)), sep = "\r"), unname(design[setdiff(names(design), setting)]))
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
    return(new_table(alone = NA_real_, in_all = NA_real_))
  }

  by_itself <- tapply(score, design[[setting]], mean)
  rest <- do.call(paste, c(list(sep = "\r"), unname(design[setdiff(names(design), setting)])))
  within <- tapply(score, rest, function(x) mean((x - mean(x))^2))
  new_table(alone = mean((by_itself - mean(score))^2) / all, in_all = mean(within) / all)
}
