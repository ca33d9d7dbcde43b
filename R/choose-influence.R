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
