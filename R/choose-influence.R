# The effect of each input of a pipeline: how far a take moves when the input is removed or
# swapped, compared with how far another seed moves it.

# The input that each control removes or swaps.
control_inputs <- c(
  blank_prompt = "prompt",
  swapped_prompt = "prompt",
  no_reference = "reference",
  no_look = "look",
  no_guide = "guide"
)

# `takes` has `take`, `pipeline`, `case`, `seed` and `control` (NA for ordinary takes) of what was
# made and measured; `prints` is what read_prints() makes of theirs, a row each. `unsure` names
# the pipelines whose engines don't repeat a seed. Returns a row for each pipeline and input:
# `pairs`, the number of controls; `moved`, the median of what they moved, where 1 is the effect
# of another seed, with the smallest and the largest (`low`, `high`); `influence` in words, and
# `why` if it is unknown. Independent differences add up in squares, so for a pipeline that gives
# another picture each time the square of what its own repeats move is subtracted. Without
# repeats, and if another seed moves nothing, the influence is unknown.
influence_table <- function(takes, prints, unsure = character()) {
  key <- paste(takes$pipeline, takes$case, takes$seed)
  proper <- which(is.na(takes$control))
  distance <- function(a, b) print_distance(prints, a, b)
  own <- proper[match(key, key[proper])]
  rows <- which(
    !is.na(takes$control) & !is.na(own) & takes$control %in% c(names(control_inputs), "repeat")
  )
  by_seed <- vapply(
    rows,
    function(i) {
      same <- takes$pipeline[proper] == takes$pipeline[i] & takes$case[proper] == takes$case[i]
      others <- proper[same & takes$seed[proper] != takes$seed[i]]
      if (length(others)) {
        mean(vapply(others, distance, 0, b = own[i])^2)
      } else {
        NA_real_
      }
    },
    0
  )
  found <- new_table(
    pipeline = takes$pipeline[rows],
    control = takes$control[rows],
    input = unname(control_inputs[takes$control[rows]]),
    moved = vapply(rows, function(i) distance(i, own[i]), 0)^2,
    seed = by_seed
  )
  again <- found[found$control == "repeat", ]
  found <- found[found$control != "repeat" & !is.na(found$seed), ]
  groups <- split(
    found,
    list(
      factor(found$pipeline, unique(takes$pipeline)),
      factor(found$input, unique(control_inputs))
    ),
    drop = TRUE,
    lex.order = TRUE
  )
  table <- lapply(unname(groups), function(group) {
    pipeline <- group$pipeline[1]
    repeats <- again$moved[again$pipeline == pipeline]
    why <- no_telling(group, repeats, pipeline %in% unsure)
    shares <- if (why == "") moved_shares(group, repeats) else NA_real_
    ends <- if (luck_of(repeats) > hardly_seen^2) {
      ends_beyond_luck(group, repeats)
    } else {
      stats::median(shares)
    }
    new_table(
      pipeline = pipeline,
      input = group$input[1],
      pairs = nrow(group),
      moved = stats::median(shares),
      low = min(shares),
      high = max(shares),
      influence = if (why == "") influence_words(ends) else "can't tell",
      why = why
    )
  })
  none <- new_table(
    pipeline = character(),
    input = character(),
    pairs = integer(),
    moved = numeric(),
    low = numeric(),
    high = numeric(),
    influence = character(),
    why = character()
  )
  do.call(rbind, c(list(none), table))
}

# `group` has squared distances, `repeats` those of repeated takes. Returns why they don't show
# what the input does; "" if they do.
no_telling <- function(group, repeats, unsure) {
  if (unsure && length(repeats) == 0) {
    return("no repeats")
  }

  luck <- luck_of(repeats)
  by_seed <- stats::median(group$seed) - luck
  # If nothing moves the picture at all, neither does the input.
  if (by_seed < hardly_seen^2 && stats::median(group$moved) >= hardly_seen^2) {
    return("seeds do nothing")
  }

  if (luck <= hardly_seen^2) {
    return("")
  }

  steps <- findInterval(ends_beyond_luck(group, repeats), influence_steps)
  if (diff(steps) > 1) "too few repeats" else ""
}

luck_of <- function(repeats) if (length(repeats)) mean(repeats) else 0

# The effect of each control of a group, relative to another seed (1).
moved_shares <- function(group, repeats) {
  luck <- luck_of(repeats)
  if (stats::median(group$seed) - luck < hardly_seen^2) {
    return(rep(0, nrow(group)))
  }

  sqrt(pmax(0, group$moved - luck) / pmax(group$seed - luck, hardly_seen^2))
}

# The 90 % interval of a control's effect beyond luck.
ends_beyond_luck <- function(group, repeats) {
  spread_of <- function(x, usual) if (length(x) > 1) stats::sd(x) else usual
  own <- spread_of(group$moved, spread_of(repeats, mean(repeats) / 2))
  of_repeats <- spread_of(repeats, own)
  error <- 1.645 * sqrt(own^2 / nrow(group) + of_repeats^2 / length(repeats))
  beyond <- stats::median(group$moved) - mean(repeats) + c(-error, error)
  by_seed <- stats::median(group$seed) - mean(repeats)
  sqrt(pmax(0, beyond) / max(by_seed, hardly_seen^2))
}

# A distance that is hardly visible: below it, another seed counts as having no effect.
hardly_seen <- 0.05

# In one word, or two if the interval covers both.
influence_words <- function(moved) {
  words <- c("ignored", "weak", "clear", "dominant")[findInterval(moved, influence_steps) + 1]
  paste(unique(words), collapse = " or ")
}

influence_steps <- c(0.15, 0.5, 1.5)

# The distance of two takes: by their patches' lightness and colour (a tenth of OKLab is a lot),
# and by their manner (1 is the distance of two looks).
print_distance <- function(prints, a, b) {
  patches <- sqrt(mean((prints$patches[a, ] - prints$patches[b, ])^2)) / 0.1
  manner <- sqrt(sum((prints$position[a, ] - prints$position[b, ])^2)) / style_space$between
  sqrt(patches^2 + manner^2)
}

# Inputs that conflict. `table` has the ordinary takes and the controls with their axes;
# `input_axes` maps each input to its axis. If an axis improves when another input is removed, the
# two conflict; if it gets worse, the other one supports it. Returns a row for each pipeline,
# input removed and axis of another input: `pairs`, `change`, its 90 % interval (`low`, `high`,
# from two pairs on) and `effect`: `conflicts`, `supports` or `can't tell`.
input_conflicts <- function(table) {
  key <- paste(table$pipeline, table$case, table$seed, sep = "\r")
  made <- table$state == "made"
  own <- match(key, ifelse(is.na(table$control) & made, key, NA))
  taken <- unname(control_inputs[table$control])
  none <- new_table(
    pipeline = character(),
    without = character(),
    input = character(),
    axis = character(),
    pairs = integer(),
    change = numeric(),
    low = numeric(),
    high = numeric(),
    effect = character()
  )
  rows <- lapply(names(input_axes), function(input) {
    axis <- input_axes[[input]]
    change <- table[[axis]] - table[[axis]][own]
    rows <- which(!is.na(change) & made & !is.na(taken) & taken != input)
    groups <- split(
      rows,
      list(
        factor(table$pipeline[rows], unique(table$pipeline)),
        factor(taken[rows], unique(taken))
      ),
      drop = TRUE,
      lex.order = TRUE
    )
    lapply(unname(groups), function(group) {
      n <- length(group)
      by <- mean(change[group])
      half <- if (n > 1) {
        stats::qt(0.95, n - 1) * stats::sd(change[group]) / sqrt(n)
      } else {
        NA_real_
      }
      effect <- if (is.na(half) || abs(by) <= max(half, least_effect)) {
        "can't tell"
      } else if (by > 0) {
        "conflicts"
      } else {
        "supports"
      }
      new_table(
        pipeline = table$pipeline[group[1]],
        without = taken[group[1]],
        input = input,
        axis = axis,
        pairs = n,
        change = by,
        low = by - half,
        high = by + half,
        effect = effect
      )
    })
  })
  do.call(rbind, c(list(none), unlist(rows, recursive = FALSE)))
}

# The axis of each input. A guide steers structure too, which the reference already stands for.
input_axes <- c(prompt = "adherence", reference = "structure", look = "style")

# Effects below this are invisible.
least_effect <- 0.02
