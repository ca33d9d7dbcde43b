# The form of a measure, and what it returns.

# A measure: its facts, and the function that takes it. `compute(scene)` is
# given the scene of new_scene() and returns what new_scores() makes (a list of
# several where it has several), or NULL when the scene has nothing for it to
# measure. A probe's measure is given the probe as well. `shown_as` says which picture shows
# why a score is what it is (score-explain.R).
new_measure <- function(
  measure,
  axis,
  range,
  better,
  sees,
  blind_to,
  formula,
  source,
  compute,
  cost = "low",
  needs = character(),
  shown_as = switch(axis,
    style = "palette",
    flaws = "place",
    "contours"
  )
) {
  list(
    measure = measure,
    axis = axis,
    range = range,
    better = better,
    sees = sees,
    blind_to = blind_to,
    formula = formula,
    source = source,
    cost = cost,
    compute = compute,
    needs = needs,
    shown_as = shown_as
  )
}

# One measured number. `level` is for flaws (none, slight, serious), `place`
# says where in the picture, `phrase` which phrase of the prompt was checked.
new_scores <- function(
  value,
  raw,
  level = NA_character_,
  place = NA_character_,
  phrase = NA_character_
) {
  list(
    value = as.numeric(value),
    raw = as.numeric(raw),
    level = level,
    place = if (is.null(place)) NA_character_ else place,
    phrase = phrase
  )
}

# A flaw's value is its number; its `bounds` (slight, serious) turn it into a level. If small
# numbers are bad, the bounds are falling.
flaw_score <- function(number, bounds, place = NA_character_, raw = number) {
  worse <- if (bounds[[2]] > bounds[[1]]) number >= bounds else number <= bounds
  level <- c("none", "slight", "serious")[1 + sum(worse)]
  new_scores(number, raw, level, if (level == "none") NA_character_ else place)
}

# Zero is chance, one is the same picture.
from_chance <- function(scene, measure) {
  raw <- scene$raw[[measure]]
  new_scores(rescale_from_chance(raw, scene$chance[[measure]]), raw)
}

rescale_from_chance <- function(raw, chance) (raw - chance) / (1 - pmin(chance, 0.99))

# A flaw's value in the pictures that the take was made from; only what exceeds it is the take's
# own doing.
known_before <- function(scene, what, part = NULL) {
  number <- function(view) if (is.null(part)) view[[what]] else view[[what]][[part]]
  max(0, unlist(lapply(c(list(scene$reference), scene$look), number)))
}

# How much of a look is drawn with thin lines: 0 if there is no look.
strokes_in <- function(scene) known_before(scene["look"], "lines")

# Places in words: one of nine cells, or a box in shares.
worst_cell <- function(spot) {
  cells <- spot$cells
  if (max(cells) < 2 * mean(cells)) {
    return("whole")
  }

  at <- which.max(cells) - 1
  across <- c("left", "middle", "right")[1 + at %% 3]
  down <- c("top", "middle", "bottom")[1 + at %/% 3]
  if (across == down) "middle" else paste(down, across)
}

say_box <- function(box) {
  paste0("box ", paste(formatC(box, format = "f", digits = 2), collapse = " "))
}

# The box around most of what a map (rows x columns) has.
map_box <- function(map) {
  ends <- function(sums) {
    share <- cumsum(sums) / max(sum(sums), 1e-12)
    c(sum(share < 0.1), min(length(sums), 1 + sum(share < 0.9))) / length(sums)
  }

  across <- ends(colSums(map))
  down <- ends(rowSums(map))
  say_box(c(across[1], down[1], across[2], down[2]))
}

resize_map <- function(map, size) {
  core_resize_mask(array(map, c(dim(map)[1:2], 3)), size[1], size[2])[
    , ,
    1
  ]
}

view_oklab <- function(view) core_view_oklab(view$handle)

# The picture that says where a take should be plain: its reference, but for what was
# grown, whose plainest part is the padding that was to be filled.
plainest_in <- function(take, reference, added) {
  if (is.null(reference) || !is.null(added)) take else reference
}
