# What each input of a pipeline really does: how far a take moves when it is taken away or
# swapped, as against what another seed does.

# What a control takes away.
control_inputs <- c(
  blank_prompt = "prompt",
  swapped_prompt = "prompt",
  no_reference = "reference",
  no_look = "look",
  no_guide = "guide"
)

# `takes` has `take`, `pipeline`, `case`, `seed` and `control` (NA for the takes proper) of
# what was made and measured; `prints` is what read_prints() makes of theirs, a row each.
# `unsure` names the pipelines whose engines don't repeat a seed.
# Returns a row for each pipeline and input: `pairs`, how many controls there were; `moved`,
# the median of what they moved, where 1 is what another seed moves, with the least and the
# most (`low`, `high`); `influence` in words, and `why` where there is no
# telling. What has nothing to do with each other adds up
# in squares, so a pipeline that gives another picture each time has the square of what its
# own repeats move taken off. Without repeats, and where another seed moves nothing, there is
# no telling.
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
  found <- tibble::tibble(
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
    tibble::tibble(
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
  none <- tibble::tibble(
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

# `group` has squares of distances, `repeats` those of the same made once more: why they don't
# tell what the input does; "" where they do.
no_telling <- function(group, repeats, unsure) {
  if (unsure && length(repeats) == 0) {
    return("no repeats")
  }

  luck <- luck_of(repeats)
  by_seed <- stats::median(group$seed) - luck
  # Where nothing moves it at all, an input doesn't either.
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

# How far each control of a group moved, where another seed moves by 1.
moved_shares <- function(group, repeats) {
  luck <- luck_of(repeats)
  if (stats::median(group$seed) - luck < hardly_seen^2) {
    return(rep(0, nrow(group)))
  }

  sqrt(pmax(0, group$moved - luck) / pmax(group$seed - luck, hardly_seen^2))
}

# From where to where what a control moves on top of luck may lie (90 %).
ends_beyond_luck <- function(group, repeats) {
  spread_of <- function(x, usual) if (length(x) > 1) stats::sd(x) else usual
  own <- spread_of(group$moved, spread_of(repeats, mean(repeats) / 2))
  of_repeats <- spread_of(repeats, own)
  error <- 1.645 * sqrt(own^2 / nrow(group) + of_repeats^2 / length(repeats))
  beyond <- stats::median(group$moved) - mean(repeats) + c(-error, error)
  by_seed <- stats::median(group$seed) - mean(repeats)
  sqrt(pmax(0, beyond) / max(by_seed, hardly_seen^2))
}

# A distance that is hardly seen: less than this another seed is not taken to move.
hardly_seen <- 0.05

# In one word, or two where it is known only from where to where it lies.
influence_words <- function(moved) {
  words <- c("ignored", "weak", "clear", "dominant")[findInterval(moved, influence_steps) + 1]
  paste(unique(words), collapse = " or ")
}

influence_steps <- c(0.15, 0.5, 1.5)

# How far two takes are apart: by their patches' lightness and colour (a tenth of OKLab is
# much), and by their manner (1 is two looks).
print_distance <- function(prints, a, b) {
  patches <- sqrt(mean((prints$patches[a, ] - prints$patches[b, ])^2)) / 0.1
  manner <- sqrt(sum((prints$position[a, ] - prints$position[b, ])^2)) / style_space$between
  sqrt(patches^2 + manner^2)
}

# Inputs that fight. `table` has the takes proper and the controls with their axes; `input_axes`
# says on which axis each input has its say. Where an axis comes out better once another
# input is taken away, the two pull against each other; where it comes out worse, the other
# one helps. Returns a row for each pipeline, input taken away and axis that is another's:
# `pairs`, `change`, its 90 % interval (`low`, `high`, from two pairs on) and `effect`:
# `fights`, `helps` or `can't tell`.
input_fights <- function(table) {
  key <- paste(table$pipeline, table$case, table$seed, sep = "\r")
  made <- table$state == "made"
  own <- match(key, ifelse(is.na(table$control) & made, key, NA))
  taken <- unname(control_inputs[table$control])
  none <- tibble::tibble(
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
        "fights"
      } else {
        "helps"
      }
      tibble::tibble(
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

# Where each input has its say; a guide's is the structure too, whose say there is the
# reference's already.
input_axes <- c(prompt = "adherence", reference = "structure", look = "style")

# What nobody would see.
least_effect <- 0.02
