# What each input of a pipeline really does: how far a take moves when it is taken away or
# swapped, as against what another seed does.

# What a control takes away.
control_inputs <- c(blank_prompt = "prompt", swapped_prompt = "prompt", no_reference = "reference", no_look = "look", no_guide = "guide")

# `takes` has `take`, `pipeline`, `case`, `seed` and `control` (NA for the takes proper) of
# what was made and measured; `prints` is what read_prints() makes of theirs, a row each.
# Returns a row for each pipeline and input: `pairs`, how many controls there were; `moved`,
# the median of what they moved, where 1 is what another seed moves, with the least and the
# most (`low`, `high`); `influence` in words. A pipeline that gives another picture each
# time is held against its own repeats.
influence_table <- function(takes, prints) {
  key <- paste(takes$pipeline, takes$case, takes$seed)
  proper <- which(is.na(takes$control))
  distance <- function(a, b) print_distance(prints, a, b)
  own <- proper[match(key, key[proper])]
  rows <- which(!is.na(takes$control) & !is.na(own) & takes$control %in% c(names(control_inputs), "repeat"))
  moved <- vapply(rows, function(i) distance(i, own[i]), 0)
  # What chance does: the same again where an engine is not repeatable, and another seed.
  again <- takes$control[rows] == "repeat"
  by_chance <- tapply(moved[again], takes$pipeline[rows[again]], mean)
  noise <- as.vector(by_chance[takes$pipeline[rows]])
  noise[is.na(noise)] <- 0
  by_seed <- vapply(rows, function(i) {
    others <- proper[takes$pipeline[proper] == takes$pipeline[i] & takes$case[proper] == takes$case[i] & takes$seed[proper] != takes$seed[i]]
    if (length(others)) mean(vapply(others, distance, 0, b = own[i])) else NA_real_
  }, 0)
  found <- tibble::tibble(
    pipeline = takes$pipeline[rows], input = unname(control_inputs[takes$control[rows]]),
    moved = pmax(0, moved - noise) / pmax(by_seed - noise, hardly_seen)
  )[!again & !is.na(by_seed), ]
  groups <- split(found, list(factor(found$pipeline, unique(takes$pipeline)), factor(found$input, unique(control_inputs))), drop = TRUE, lex.order = TRUE)
  table <- lapply(groups, function(group) {
    tibble::tibble(
      pipeline = group$pipeline[1], input = group$input[1], pairs = nrow(group), moved = stats::median(group$moved), low = min(group$moved), high = max(group$moved),
      influence = influence_words(stats::median(group$moved))
    )
  })
  none <- tibble::tibble(pipeline = character(), input = character(), pairs = integer(), moved = numeric(), low = numeric(), high = numeric(), influence = character())
  do.call(rbind, c(list(none), unname(table)))
}

# A distance that is hardly seen: less than this another seed is not taken to move.
hardly_seen <- 0.05

influence_words <- function(moved) as.character(cut(moved, c(-Inf, influence_steps, Inf), c("ignored", "weak", "clear", "dominant"), right = FALSE))
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
  none <- tibble::tibble(pipeline = character(), without = character(), input = character(), axis = character(), pairs = integer(), change = numeric(), low = numeric(), high = numeric(), effect = character())
  rows <- lapply(names(input_axes), function(input) {
    axis <- input_axes[[input]]
    change <- table[[axis]] - table[[axis]][own]
    rows <- which(!is.na(change) & made & !is.na(taken) & taken != input)
    groups <- split(rows, list(factor(table$pipeline[rows], unique(table$pipeline)), factor(taken[rows], unique(taken))), drop = TRUE, lex.order = TRUE)
    lapply(unname(groups), function(group) {
      n <- length(group)
      by <- mean(change[group])
      half <- if (n > 1) stats::qt(0.95, n - 1) * stats::sd(change[group]) / sqrt(n) else NA_real_
      effect <- if (is.na(half) || abs(by) <= max(half, least_effect)) "can't tell" else if (by > 0) "fights" else "helps"
      tibble::tibble(pipeline = table$pipeline[group[1]], without = taken[group[1]], input = input, axis = axis, pairs = n, change = by, low = by - half, high = by + half, effect = effect)
    })
  })
  do.call(rbind, c(list(none), unlist(rows, recursive = FALSE)))
}

# Where each input has its say; a guide's is the structure too, whose say there is the
# reference's already.
input_axes <- c(prompt = "adherence", reference = "structure", look = "style")
# What nobody would see.
least_effect <- 0.02
