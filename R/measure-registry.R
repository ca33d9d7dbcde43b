#' The measures that Sprenn takes of a picture
#'
#' Every measure declares what it sees, what it must not see, its range and
#' which way is better. Scores come as a `value` whose zero and one mean
#' something, beside the `raw` number that it was made from. What the numbers
#' mean in full, and how far they can be trusted, is in `docs/measures.md`.
#'
#' @return A tibble with one row a measure: `measure`, `axis` (`structure`,
#'   `adherence`, `style` or `flaws`), `range` (of the value), `better`
#'   (`higher`, `lower` or `as asked`), `sees`, `blind_to`, `cost` (`none`: it
#'   uses what others have worked out; `low`; `high`: some milliseconds a take)
#'   and `source` (the method).
#' @seealso [measure_function()] for measures of your own.
#' @export
#' @examples
#' list_measures()[, c("measure", "axis", "range", "sees")]
list_measures <- function() {
  facts <- c("measure", "axis", "range", "better", "sees", "blind_to", "cost", "source")
  measures <- c(all_measures(), across_measures())
  tibble::as_tibble(
    lapply(stats::setNames(nm = facts), function(fact) vapply(measures, `[[`, "", fact))
  )
}

all_measures <- function() {
  c(plain_measures(), all_probes())
}

plain_measures <- function() {
  list(
    measure_structure(),
    measure_registration(),
    measure_agreement(),
    measure_orientation(),
    measure_layout(),
    measure_local_correlation(),
    measure_shared_information(),
    measure_edges(),
    measure_vanished(),
    measure_new_details(),
    measure_framing(),
    measure_lines(),
    measure_watch_colour(),
    measure_ssim(),
    measure_multi_scale_ssim(),
    measure_style_change(),
    measure_look_match(),
    measure_look_rank(),
    measure_bars(),
    measure_wrong_size(),
    measure_blank(),
    measure_near_copy(),
    measure_mirrored(),
    measure_watch(),
    measure_blur(),
    measure_noise(),
    measure_unfinished(),
    measure_blocks(),
    measure_banding(),
    measure_burnt(),
    measure_crushed(),
    measure_local_damage(),
    measure_residual_damage(),
    measure_seam(),
    measure_patch(),
    measure_repeated(),
    measure_leak(),
    measure_guide_bleed()
  )
}

# Measures that compare takes with each other, once they are all there; `compute` is
# given what read_prints() makes of a group, and returns a number a take.
across_measures <- function() {
  list(measure_consistency(), measure_same_as_seed(), measure_erased())
}

# A measure: its facts, and the function that takes it. `compute(scene)` is
# given the scene of new_scene() and returns what new_scores() makes (a list of
# several where it has several), or NULL when the scene has nothing for it to
# measure. A probe's measure is given the probe as well.
new_measure <- function(
  measure,
  axis,
  range,
  better,
  sees,
  blind_to,
  source,
  compute,
  cost = "low",
  needs = character()
) {
  list(
    measure = measure,
    axis = axis,
    range = range,
    better = better,
    sees = sees,
    blind_to = blind_to,
    source = source,
    cost = cost,
    compute = compute,
    needs = needs
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

# A flaw's value is its number; the two bounds turn it into a level. Where a
# small number is the bad one, both bounds are given in falling order.
flaw_score <- function(number, slight, serious, place = NA_character_, raw = number) {
  worse <- if (serious > slight) number >= c(slight, serious) else number <= c(slight, serious)
  level <- c("none", "slight", "serious")[1 + sum(worse)]
  new_scores(number, raw, level, if (level == "none") NA_character_ else place)
}

# Zero is chance, one is the same picture.
from_chance <- function(scene, measure) {
  raw <- scene$raw[[measure]]
  new_scores(rescale_from_chance(raw, scene$chance[[measure]]), raw)
}

rescale_from_chance <- function(raw, chance) (raw - chance) / (1 - pmin(chance, 0.99))

# What a flaw's number is in the pictures that the take was made from: more than
# they have is the take's own doing.
known_before <- function(scene, what, part = NULL) {
  number <- function(view) if (is.null(part)) view[[what]] else view[[what]][[part]]
  max(0, unlist(lapply(c(list(scene$reference), scene$look), number)))
}

# How much of a look is drawn with thin lines: 0 if there is no look.
strokes_in <- function(scene) known_before(scene["look"], "lines")

# Pixels at an end of the scale beyond what was there: other contents in the same look
# may have several times as much as its examples, the same contents only a little more.
clipping_score <- function(scene, what) {
  spot <- scene$take[[what]]
  in_look <- known_before(scene["look"], what, "number")
  # A look that is made of flat black or of white paper makes whatever is dark or light so.
  if (in_look >= made_of_clipped) {
    in_look <- 1
  }

  before <- max(1.5 * known_before(scene["reference"], what, "number"), 4 * in_look)
  flaw_score(
    max(0, spot$number - before),
    0.03,
    0.14,
    place = worst_cell(spot),
    raw = spot$number
  )
}

made_of_clipped <- 0.05

# Flaws that a look may be made of (grain, halftone, few tones, white paper, black ink,
# tiles), each with how far such a look moves a manner, in typical distances between looks.
# The flaw alone seldom moves it so far (the `fit` half of bench/natural.R).
moved_by_such_looks <- c(
  noise = 0.85,
  unfinished = 0.4,
  banding = 0.55,
  burnt = 0.45,
  crushed = 0.45,
  blocks = 0.68
)

# Where nothing shows what the look is, and a take's manner has moved so far, or from
# nothing that we know, such a flaw is at most slight: nobody can say whether it was meant.
may_be_the_look <- function(scene) {
  if (length(scene$look) > 0) {
    return(character())
  }

  if (is.null(scene$reference)) {
    # A sky may end at a straight horizon, too.
    return(c(names(moved_by_such_looks), "bars"))
  }

  moved <- style_distance(scene$take$style, scene$reference$style) / style_space$between
  names(moved_by_such_looks)[moved > moved_by_such_looks]
}

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

# Changes whenever a measure does, so that old scores are never mixed with new.
measures_version <- "8"

axes <- c("structure", "adherence", "style")
