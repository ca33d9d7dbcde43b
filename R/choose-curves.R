# How a score answers to a setting: where it is flat, where it gives way, which settings can
# be used.

# The pipelines that differ in one setting only, as lines along it. `recipes` has `pipeline`,
# `family` and `set`, a list of named values each. Returns a row a pipeline and line:
# `line` (the family, and what else is set where a family has several lines), `vary`,
# `value`, `pipeline`, in the order of `value`.
sweep_lines <- function(recipes, vary) {
  value <- vapply(recipes$set, function(one) if (is.numeric(one[[vary]])) as.numeric(one[[vary]]) else NA_real_, 0)
  others <- vapply(recipes$set, function(one) {
    rest <- one[setdiff(sort(names(one)), vary)]
    paste(names(rest), vapply(rest, format, ""), sep = "=", collapse = ", ")
  }, "")
  kept <- which(!is.na(value))
  key <- paste(recipes$family, others)[kept]
  kept <- kept[key %in% key[duplicated(key)]]
  several <- tapply(others[kept], recipes$family[kept], function(x) length(unique(x)) > 1)
  many <- as.vector(several[recipes$family[kept]])
  lines <- tibble::tibble(
    line = ifelse(many, paste0(recipes$family[kept], " (", differing(others[kept]), ")"), recipes$family[kept]),
    family = recipes$family[kept], vary = vary, value = value[kept], pipeline = recipes$pipeline[kept]
  )
  lines[order(match(lines$line, unique(lines$line)), lines$value), ]
}

# Of texts "a=1, b=2" what is not in all of them.
differing <- function(texts) {
  parts <- strsplit(texts, ", ", fixed = TRUE)
  shared <- Reduce(intersect, parts)
  vapply(parts, function(one) paste(setdiff(one, shared), collapse = ", "), "")
}

# The settings that some line runs along.
swept_settings <- function(recipes) {
  names <- unique(unlist(lapply(recipes$set, names)))
  Filter(function(vary) nrow(sweep_lines(recipes, vary)) > 0, names)
}

# The scores along each line, pooled over cases: a row for each line, value and column with
# `mean`, `low`, `high`; and, where `by_case`, one for each case with its mean alone.
curve_table <- function(lines, pipelines, table, columns = c(axes, "utility", "yield"), by_case = FALSE) {
  at <- match(lines$pipeline, pipelines$pipeline)
  pooled <- lapply(columns, function(column) {
    tibble::tibble(lines, score = column, case = NA_character_, mean = pipelines[[column]][at], low = pipelines[[paste0(column, "_low")]][at], high = pipelines[[paste0(column, "_high")]][at])
  })
  each <- if (by_case) lapply(setdiff(columns, "yield"), function(column) {
    means <- case_means(table, column)[[1]]
    rows <- lines[rep(seq_len(nrow(lines)), nrow(means)), ]
    case <- rep(rownames(means), each = nrow(lines))
    tibble::tibble(rows, score = column, case = case, mean = means[cbind(match(case, rownames(means)), match(rows$pipeline, colnames(means)))], low = NA_real_, high = NA_real_)
  })
  found <- do.call(rbind, c(pooled, each))
  found[!is.na(found$mean), ]
}

# What each line shows, a row each:
# `points`, how many settings; `cliff_from`, `cliff_to`: the two neighbours between which
# most of what changes in structure changes, and by how much (`drop`, with its interval);
# `flat_from`, `flat_to`: the widest stretch in which structure hardly changes;
# `window_from`, `window_to`: where the mean of every axis clears its floor, by straight
# lines between the settings tried, and whether that goes on beyond them (`open_low`,
# `open_high`); `best`: the setting with the most worth, and those among which it is in
# 90 % of draws (`best_from`, `best_to`).
curve_features <- function(lines, pipelines, draws, floors) {
  each <- split(lines, factor(lines$line, unique(lines$line)))
  rows <- lapply(each, function(own) {
    own <- own[own$pipeline %in% pipelines$pipeline[!is.na(pipelines$structure)], ]
    if (nrow(own) < 2) {
      return(NULL)
    }
    means <- axis_means(pipelines)[own$pipeline, , drop = FALSE]
    worth <- pipelines$utility[match(own$pipeline, pipelines$pipeline)]
    tibble::tibble(
      line = own$line[1], vary = own$vary[1], points = nrow(own),
      cliff_of(own$value, means[, "structure"], draws$structure[own$pipeline, , drop = FALSE]),
      flat_of(own$value, means[, "structure"]), window_of(own$value, means, floors),
      best = own$value[which.max(worth)], best_among(own$value, draws$utility[own$pipeline, , drop = FALSE])
    )
  })
  do.call(rbind, unname(rows))
}

# A cliff is a step that is at least twice as steep as the line on the whole, takes a third
# of all that changes or more, and is no matter of chance.
cliff_of <- function(value, score, draws) {
  none <- tibble::tibble(cliff_from = NA_real_, cliff_to = NA_real_, drop = NA_real_, drop_low = NA_real_, drop_high = NA_real_)
  if (length(value) < 3) {
    return(none)
  }
  change <- diff(score)
  steep <- which.max(abs(change) / diff(value))
  share <- abs(change[steep]) / sum(abs(change))
  way <- diff(value)[steep] / diff(range(value))
  ends <- interval(draws[steep + 1, ] - draws[steep, ])
  if (!isTRUE(share >= 1 / 3 && share >= 2 * way && abs(change[steep]) >= 0.1 && prod(ends) > 0)) {
    return(none)
  }
  tibble::tibble(cliff_from = value[steep], cliff_to = value[steep + 1], drop = unname(change[steep]), drop_low = ends[1], drop_high = ends[2])
}

# The widest stretch over which a score stays within a twentieth.
flat_of <- function(value, score, within = 0.05) {
  best <- c(NA_real_, NA_real_)
  for (i in seq_along(value)) {
    inside <- vapply(seq_along(value), function(j) j > i && diff(range(score[i:j])) <= within, NA)
    if (any(inside) && !isTRUE(diff(best) >= value[max(which(inside))] - value[i])) best <- c(value[i], value[max(which(inside))])
  }
  tibble::tibble(flat_from = best[1], flat_to = best[2])
}

window_of <- function(value, means, floors) {
  floors <- floors[!is.na(floors) & colSums(!is.na(means))[names(floors)] == length(value)]
  # Fine steps between the settings, each setting among them.
  fine <- sort(unique(c(value, seq(value[1], value[length(value)], length.out = 1001))))
  clear <- rep(TRUE, length(fine))
  for (axis in names(floors)) clear <- clear & stats::approx(value, means[, axis], fine)$y >= floors[[axis]]
  if (!any(clear)) {
    return(tibble::tibble(window_from = NA_real_, window_to = NA_real_, open_low = FALSE, open_high = FALSE))
  }
  runs <- rle(clear)
  end <- cumsum(runs$lengths)
  start <- end - runs$lengths + 1
  wide <- which(runs$values)[which.max((fine[end] - fine[start])[runs$values])]
  tibble::tibble(window_from = fine[start[wide]], window_to = fine[end[wide]], open_low = start[wide] == 1, open_high = end[wide] == length(fine))
}

best_among <- function(value, draws) {
  chance <- chance_best(draws)
  if (all(is.na(chance))) {
    return(tibble::tibble(best_from = min(value), best_to = max(value)))
  }
  # The fewest settings that hold the best in 90 % of draws.
  order <- order(-chance)
  kept <- value[order[seq_len(which(cumsum(chance[order]) >= 0.9 - 1e-9)[1])]]
  tibble::tibble(best_from = min(kept), best_to = max(kept))
}
