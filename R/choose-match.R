# Like with like: what engines reach at equal structure, since their own knobs can't be
# compared.

# Between the settings of a line scores run straight. For each of `levels` of structure and
# each line that reaches it: the `setting` there and the other axes' scores (`mean`, and
# `low` to `high` from the draws in which the line reaches it). A line that reaches a level
# more than once is taken where it does best in `by`.
match_table <- function(lines, pipelines, draws, levels, by = "utility") {
  each <- split(lines, factor(lines$line, unique(lines$line)))
  rows <- lapply(each, function(own) {
    at <- match(own$pipeline, pipelines$pipeline)
    own <- own[!is.na(pipelines$structure[at]), ]
    at <- match(own$pipeline, pipelines$pipeline)
    if (nrow(own) < 2) {
      return(NULL)
    }
    others <- Filter(function(column) !anyNA(pipelines[[column]][at]), c("adherence", "style", "utility"))
    mean_of <- stats::setNames(lapply(c("structure", others), function(column) matrix(pipelines[[column]][at], ncol = 1)), c("structure", others))
    drawn <- lapply(stats::setNames(nm = c("structure", others)), function(column) draws[[column]][own$pipeline, , drop = FALSE])
    found <- lapply(levels, function(level) {
      middle <- reach_level(own$value, mean_of, level, by)
      if (is.na(middle[["setting"]])) {
        return(NULL)
      }
      spread <- vapply(reach_draws(own$value, drawn, level, by), identity, numeric(ncol(drawn$structure)))
      tibble::tibble(
        line = own$line[1], level = level, setting = middle[["setting"]], score = others, mean = unname(middle[others]),
        low = clamp_share(vapply(others, function(column) interval(spread[, column])[1], 0)), high = clamp_share(vapply(others, function(column) interval(spread[, column])[2], 0)),
        # From one take of each setting nothing can be drawn.
        reached = if (all(is.na(drawn$structure))) NA_real_ else mean(!is.na(spread[, "setting"]))
      )
    })
    do.call(rbind, found)
  })
  none <- tibble::tibble(line = character(), level = numeric(), setting = numeric(), score = character(), mean = numeric(), low = numeric(), high = numeric(), reached = numeric())
  do.call(rbind, c(list(none), unname(rows)))
}

reach_level <- function(value, scores, level, by) {
  found <- reach_draws(value, scores, level, by)
  vapply(found, `[`, 0, 1)
}

# `scores` are matrices settings x draws. Returns a list of vectors over draws: `setting`,
# and each score but structure; NA where the level is not reached.
reach_draws <- function(value, scores, level, by) {
  structure <- scores$structure
  others <- scores[setdiff(names(scores), "structure")]
  draws <- ncol(structure)
  best <- rep(-Inf, draws)
  out <- c(list(setting = rep(NA_real_, draws)), lapply(others, function(one) rep(NA_real_, draws)))
  for (i in seq_len(length(value) - 1)) {
    from <- structure[i, ]
    to <- structure[i + 1, ]
    crossed <- (from - level) * (to - level) <= 0 & from != to
    share <- (level - from) / (to - from)
    there <- if (is.null(others[[by]])) -abs(share - 0.5) else others[[by]][i, ] + share * (others[[by]][i + 1, ] - others[[by]][i, ])
    better <- crossed & !is.na(there) & there > best
    best[better] <- there[better]
    out$setting[better] <- (value[i] + share * (value[i + 1] - value[i]))[better]
    for (name in names(others)) out[[name]][better] <- (others[[name]][i, ] + share * (others[[name]][i + 1, ] - others[[name]][i, ]))[better]
  }
  out
}

# The levels of structure that every line reaches, or the most lines: from, to.
shared_levels <- function(lines, pipelines) {
  own <- match(lines$pipeline, pipelines$pipeline)
  structure <- pipelines$structure[own]
  ends <- vapply(split(structure, lines$line), range, numeric(2), na.rm = TRUE)
  ends <- ends[, is.finite(ends[1, ]) & is.finite(ends[2, ]), drop = FALSE]
  if (ncol(ends) == 0) {
    return(c(NA_real_, NA_real_))
  }
  stops <- sort(unique(c(ends)))
  middle <- (utils::head(stops, -1) + stops[-1]) / 2
  reached <- vapply(middle, function(level) sum(ends[1, ] <= level & level <= ends[2, ]), 0L)
  if (length(middle) == 0) {
    return(rep(stops[1], 2))
  }
  # Of neighbouring stretches that as many reach, all.
  most <- which(reached == max(reached))
  first <- most[1]
  last <- first
  while ((last + 1) %in% most) last <- last + 1
  c(stops[first], stops[last + 1])
}

# How much higher one line lies than another on a score, on average over the levels that
# both reach: a row for each two lines and score, with intervals.
frontier_areas <- function(lines, pipelines, draws, levels, by = "utility") {
  names <- unique(lines$line)
  if (length(names) < 2) {
    return(tibble::tibble(one = character(), other = character(), score = character(), difference = numeric(), low = numeric(), high = numeric(), levels = integer()))
  }
  reach <- lapply(stats::setNames(nm = names), function(name) {
    own <- lines[lines$line == name, ]
    at <- match(own$pipeline, pipelines$pipeline)
    columns <- c("structure", Filter(function(column) !anyNA(pipelines[[column]][at]), c("adherence", "style", "utility")))
    drawn <- lapply(stats::setNames(nm = columns), function(column) cbind(pipelines[[column]][at], draws[[column]][own$pipeline, , drop = FALSE]))
    lapply(levels, function(level) reach_draws(own$value, drawn, level, by))
  })
  pairs <- utils::combn(names, 2)
  rows <- lapply(seq_len(ncol(pairs)), function(k) {
    a <- reach[[pairs[1, k]]]
    b <- reach[[pairs[2, k]]]
    shared <- which(vapply(seq_along(levels), function(l) !is.na(a[[l]]$setting[1] + b[[l]]$setting[1]), NA))
    columns <- setdiff(intersect(names(a[[1]]), names(b[[1]])), "setting")
    if (length(shared) == 0 || length(columns) == 0) {
      return(NULL)
    }
    do.call(rbind, lapply(columns, function(column) {
      apart <- rowMeans(vapply(shared, function(l) a[[l]][[column]] - b[[l]][[column]], a[[1]]$setting), na.rm = TRUE)
      ends <- interval(apart[-1])
      tibble::tibble(one = pairs[1, k], other = pairs[2, k], score = column, difference = apart[1], low = ends[1], high = ends[2], levels = length(shared))
    }))
  })
  do.call(rbind, rows)
}
