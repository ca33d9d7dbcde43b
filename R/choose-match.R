# Engines compared at equal structure, since their own knobs can't be compared.

# Scores are interpolated linearly between the settings of a line. For each of `levels` of
# structure and each line that reaches it: the `setting` there and the other axes' scores (`mean`,
# and `low` to `high` from the draws in which the line reaches it). If a line truly reaches a
# level more than once, the point with the highest worth counts (see steady_structure()). `scored`
# is what scored_lines() returned.
match_table <- function(scored, levels) {
  rows <- lapply(names(scored), function(line) {
    do.call(rbind, lapply(levels, function(level) matched_at(line, scored[[line]], level)))
  })
  none <- new_table(
    line = character(),
    level = numeric(),
    setting = numeric(),
    score = character(),
    mean = numeric(),
    low = numeric(),
    high = numeric(),
    reached = numeric()
  )
  do.call(rbind, c(list(none), rows))
}

# A line at one level of structure: a row for each other score; NULL where it is not reached.
matched_at <- function(line, scores, level) {
  found <- reach_level(scores$value, scores$of, level)
  setting <- found$setting[1]
  if (is.na(setting)) {
    return(NULL)
  }

  others <- setdiff(names(found), "setting")
  ends <- vapply(found[others], function(values) clamp_share(interval(values[-1])), numeric(2))
  # With one take per setting there are no draws.
  drawn <- !all(is.na(scores$of$structure[, -1]))
  new_table(
    line = line,
    level = level,
    setting = setting,
    score = others,
    mean = unname(vapply(found[others], `[`, 0, 1)),
    low = ends[1, ],
    high = ends[2, ],
    reached = if (drawn) mean(!is.na(found$setting[-1])) else NA_real_
  )
}

# The scores of each line along its settings, a list by line: `value`, the settings, and `of`, for
# structure and each other score that all settings have, a matrix settings x (1 + draws) with the
# expected value in its first column. Lines with structure at fewer than two settings are left
# out.
scored_lines <- function(lines, pipelines, draws) {
  others <- c("adherence", "style", "worth")
  scored <- lapply(split(lines, factor(lines$line, unique(lines$line))), function(own) {
    at <- match(own$pipeline, pipelines$pipeline)
    own <- own[!is.na(pipelines$structure[at]), ]
    if (nrow(own) < 2) {
      return(NULL)
    }

    at <- match(own$pipeline, pipelines$pipeline)
    known <- Filter(function(column) !anyNA(pipelines[[column]][at]), others)
    of <- lapply(stats::setNames(nm = c("structure", known)), function(column) {
      unname(cbind(pipelines[[column]][at], draws[[column]][own$pipeline, , drop = FALSE]))
    })
    of$structure <- steady_structure(of$structure)
    list(value = own$value, of = of)
  })
  Filter(Negate(is.null), scored)
}

# Structure along a line without luck. A line with many settings goes up and down by luck and so
# reaches a level many times, the best of which flatters it. So structure is taken to be monotone
# (isotonic regression, for each draw), unless that fits worse than luck explains: then it truly
# turns.
steady_structure <- function(structure) {
  if (anyNA(structure) || nrow(structure) < 3) {
    return(structure)
  }

  expected <- structure[, 1]
  one_way <- function(values, falls) {
    fitted <- stats::isoreg(if (falls) -values else values)$yf
    if (falls) -fitted else fitted
  }

  off <- function(falls) sum((expected - one_way(expected, falls))^2)
  falls <- off(TRUE) < off(FALSE)
  luck <- structure[, -1, drop = FALSE] - rowMeans(structure[, -1, drop = FALSE])
  spread <- pmax(sqrt(rowMeans(luck^2)), 1e-12)
  by_luck <- stats::quantile(apply(abs(luck) / spread, 2, max), 0.95, names = FALSE)
  if (any(abs(expected - one_way(expected, falls)) / spread > by_luck)) {
    return(structure)
  }

  apply(structure, 2, one_way, falls = falls)
}

# `scores` are matrices settings x draws. Returns a list of vectors over draws: `setting`,
# and each score but structure; NA where the level is not reached.
reach_level <- function(value, scores, level) {
  structure <- scores$structure
  others <- scores[setdiff(names(scores), "structure")]
  draws <- ncol(structure)
  best <- rep(-Inf, draws)
  unknown <- rep(NA_real_, draws)
  out <- c(list(setting = unknown), lapply(others, function(one) unknown))
  for (i in seq_len(length(value) - 1)) {
    from <- structure[i, ]
    to <- structure[i + 1, ]
    crossed <- (from - level) * (to - level) <= 0 & from != to
    share <- (level - from) / (to - from)
    between <- function(one) one[i, ] + share * (one[i + 1, ] - one[i, ])
    there <- if (is.null(others$worth)) -abs(share - 0.5) else between(others$worth)
    better <- crossed & !is.na(there) & there > best
    best[better] <- there[better]
    out$setting[better] <- (value[i] + share * (value[i + 1] - value[i]))[better]
    for (name in names(others)) {
      out[[name]][better] <- between(others[[name]])[better]
    }
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

  # Adjacent stretches reached by as many lines belong together.
  most <- which(reached == max(reached))
  first <- most[1]
  last <- first
  while ((last + 1) %in% most) {
    last <- last + 1
  }

  c(stops[first], stops[last + 1])
}

# The mean difference of two lines in a score, over the levels that both reach: a row for each
# pair and score, with intervals.
frontier_areas <- function(scored, levels) {
  none <- new_table(
    one = character(),
    other = character(),
    score = character(),
    difference = numeric(),
    low = numeric(),
    high = numeric(),
    levels = integer()
  )
  if (length(scored) < 2) {
    return(none)
  }

  reach <- lapply(scored, function(scores) {
    lapply(levels, function(level) reach_level(scores$value, scores$of, level))
  })
  pairs <- utils::combn(names(reach), 2)
  rows <- lapply(seq_len(ncol(pairs)), function(k) {
    area_between(reach, pairs[1, k], pairs[2, k])
  })
  do.call(rbind, c(list(none), rows))
}

area_between <- function(reach, one, other) {
  reached <- function(at) !is.na(at$setting[1])
  shared <- which(vapply(reach[[one]], reached, NA) & vapply(reach[[other]], reached, NA))
  columns <- setdiff(intersect(names(reach[[one]][[1]]), names(reach[[other]][[1]])), "setting")
  if (length(shared) == 0) {
    return(NULL)
  }

  do.call(
    rbind,
    lapply(columns, function(column) {
      apart <- vapply(
        shared,
        function(level) {
          reach[[one]][[level]][[column]] - reach[[other]][[level]][[column]]
        },
        numeric(length(reach[[one]][[1]]$setting))
      )
      apart <- rowMeans(apart, na.rm = TRUE)
      ends <- interval(apart[-1])
      new_table(
        one = one,
        other = other,
        score = column,
        difference = apart[1],
        low = ends[1],
        high = ends[2],
        levels = length(shared)
      )
    })
  )
}
