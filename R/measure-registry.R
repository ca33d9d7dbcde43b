#' The measures that Sprenn takes of a picture
#'
#' Every measure declares what it sees, what it must not see, its range and
#' which way is better. Scores come as a `value` whose zero and one mean
#' something, beside the `raw` number that it was made from.
#'
#' @return A tibble with one row a measure: `measure`, `axis` (`structure`,
#'   `adherence`, `style` or `flaws`), `range` (of the value), `better`
#'   (`higher`, `lower` or `as asked`), `sees`, `blind_to` and `source`.
#' @export
#' @examples
#' list_measures()[, c("measure", "axis", "range", "sees")]
list_measures <- function() {
  facts <- c("measure", "axis", "range", "better", "sees", "blind_to", "source")
  rows <- lapply(all_measures(), function(measure) tibble::as_tibble(measure[facts]))
  do.call(rbind, rows)
}

all_measures <- function() {
  list(
    measure_orientation(),
    measure_style_change(),
    measure_look_match(),
    measure_colour_share(),
    measure_brightness(),
    measure_monochrome(),
    measure_bars(),
    measure_blank(),
    measure_near_copy(),
    measure_mirrored()
  )
}

# A measure: its facts, and the function that takes it. `compute(scene)` is
# given the scene of score_scene() and returns rows made by new_scores(), or
# NULL when the scene has nothing for it to measure. A probe's measure is given
# the probe as well.
new_measure <- function(measure, axis, range, better, sees, blind_to, source, compute, needs_reference = FALSE) {
  list(
    measure = measure, axis = axis, range = range, better = better, sees = sees,
    blind_to = blind_to, source = source, compute = compute, needs_reference = needs_reference
  )
}

# One measured number. `level` is for flaws (none, slight, serious), `place`
# says where in the picture, `phrase` which phrase of the prompt was checked.
new_scores <- function(value, raw, level = NA_character_, place = NA_character_,
                       phrase = NA_character_) {
  # new_tibble() because a run makes ten of these a take, and tibble() is slow.
  tibble::new_tibble(
    list(value = as.numeric(value), raw = as.numeric(raw), level = level, place = place, phrase = phrase),
    nrow = 1L
  )
}

# A flaw's value is its number; the two bounds turn it into a level. Where a
# small number is the bad one, both bounds are given in falling order.
flaw_score <- function(number, slight, serious, place = NA_character_) {
  worse <- if (serious > slight) number >= c(slight, serious) else number <= c(slight, serious)
  level <- c("none", "slight", "serious")[1 + sum(worse)]
  new_scores(number, number, level, if (level == "none") NA_character_ else place)
}
