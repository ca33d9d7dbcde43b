#' List the measures
#'
#' Every measure declares what it sees, what it must not see, its range and its direction. A score
#' has a `value` on the measure's scale and the `raw` number before rescaling. `docs/measures.md`
#' describes every measure with its formula, and how far it can be trusted.
#'
#' @return A data frame with one row a measure: `measure`, `axis` (`structure`, `adherence`, `style`
#'   or `flaws`), `range` (of the value), `better` (`higher`, `lower` or `as asked`), `sees`,
#'   `blind_to`, `cost` (`none`: it reuses other results; `low`; `high`: some milliseconds per
#'   take), `formula` and `source` (the method).
#' @seealso [measure_function()] for measures of your own.
#' @family measures and evidence
#' @export
#' @examples
#' list_measures()[, c("measure", "axis", "range", "sees")]
list_measures <- function() {
  facts <- c(
    "measure", "axis", "range", "better", "sees", "blind_to", "cost", "formula", "source"
  )
  measures <- c(all_measures(), across_measures())
  as_table(
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
    measure_guide_bleed(),
    measure_detail_gained(),
    measure_invented(),
    measure_halos(),
    measure_enlarged_blocks()
  )
}

# Measures that compare takes with each other, once they are all there; `compute` is
# given what read_prints() makes of a group, and returns a number a take.
across_measures <- function() {
  list(measure_consistency(), measure_same_as_seed(), measure_erased())
}

# Changes whenever a measure does, so that old scores are never mixed with new.
measures_version <- "9"

axes <- c("structure", "adherence", "style")

#' Define your own measure
#'
#' Adds a number to the scores of every take. Name an R file whose last value is such a measure,
#' or a list of them, as `measures` in `brief.yml`; give it weight in `structure_from`. The guide
#' is `docs/adding-measures.md`.
#'
#' @param measure Its name: lower case letters, digits and `_`, and none that
#'   [list_measures()] has.
#' @param compute A function of `take` and `reference`, both arrays rows x columns x 3 with sRGB
#'   values from 0 to 1 in the case's frame, that returns one number, or `NA` if it is undefined.
#'   It must return the same number for the same pictures.
#' @param axis `"structure"`, `"style"` or `"flaws"`.
#' @param range What its values mean, in words: "0 chance, 1 the same layout".
#' @param sees,blind_to What changes it, and what must not.
#' @param better `"higher"`, `"lower"` or `"as asked"`.
#' @param source Where the method comes from.
#' @param bounds For a flaw, the numbers from which it is slight and serious: rising if more is
#'   worse, falling if less is.
#' @param needs_reference Whether it is left out for pictures made from text
#'   alone; without this `reference` may be `NULL`.
#' @return A measure, to be returned by the file that brief.yml names.
#' @section Errors: `sprenn_error_argument`. Errors of `compute` in a run are raised as
#'   `sprenn_error_measure`, which names the measure.
#' @family measures and evidence
#' @export
#' @examples
#' measure_function(
#'   "redness", function(take, reference) mean(take[, , 1] - take[, , 3]),
#'   axis = "style", range = "-1 blue to 1 red", sees = "red against blue", blind_to = "all else"
#' )
measure_function <- function(
  measure,
  compute,
  axis = "structure",
  range,
  sees,
  blind_to,
  better = "higher",
  source = "own method",
  bounds = NULL,
  needs_reference = TRUE
) {
  text <- function(x) checkmate::check_string(x, min.chars = 3)
  known <- vapply(c(all_measures(), across_measures()), `[[`, "", "measure")
  check_arguments(
    measure = checkmate::check_string(measure, pattern = "^[a-z][a-z0-9_]{1,39}$"),
    measure = if (isTRUE(measure %in% known)) {
      paste0("must be a new name: there is a measure ", measure)
    } else {
      TRUE
    },
    compute = checkmate::check_function(compute, args = c("take", "reference")),
    axis = checkmate::check_choice(axis, c("structure", "style", "flaws")),
    range = text(range),
    sees = text(sees),
    blind_to = text(blind_to),
    source = text(source),
    better = checkmate::check_choice(better, c("higher", "lower", "as asked")),
    bounds = checkmate::check_numeric(
      bounds,
      len = 2,
      any.missing = FALSE,
      finite = TRUE,
      unique = TRUE,
      null.ok = !identical(axis, "flaws")
    ),
    needs_reference = checkmate::check_flag(needs_reference)
  )
  own <- new_measure(
    measure,
    axis,
    range = range,
    better = better,
    sees = sees,
    blind_to = blind_to,
    formula = "compute(take, reference)",
    source = source,
    cost = "high",
    needs = if (needs_reference) "reference" else character(),
    compute = function(scene) {
      number <- one_number(measure, function() {
        compute(scene$pixels$take, scene$pixels$reference)
      })
      if (axis == "flaws" && !is.na(number)) {
        flaw_score(number, bounds, place = "whole")
      } else {
        new_scores(number, number)
      }
    }
  )
  structure(own, class = "sprenn_measure")
}

one_number <- function(measure, compute) {
  number <- tryCatch(compute(), error = function(e) {
    stop_for_measure(measure, paste0("It stopped: ", conditionMessage(e)))
  })
  # Undefined values are NA, never NaN or infinite.
  is_one <- (is.numeric(number) || is.logical(number)) && length(number) == 1
  if (!is_one || is.nan(number) || is.infinite(number)) {
    stop_for_measure(
      measure,
      paste0(
        "It returned ", paste(class(number), collapse = " "), " of length ",
        length(number),
        if (length(number) == 1) paste0(" (", format(number), ")"),
        "."
      )
    )
  }

  as.numeric(number)
}

stop_for_measure <- function(measure, found) {
  stop_sprenn(
    "measure",
    c(
      paste0("The measure ", measure, " can't be taken."),
      x = found,
      i = "A measure of your own returns one finite number, or NA."
    )
  )
}
