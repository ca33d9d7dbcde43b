#' A measure of your own
#'
#' Adds a number to what is measured of every take. Name an R file whose last
#' value is one of these, or a list of them, as `measures` in brief.yml; give
#' them weight by naming them in `structure_from`. The guide is
#' `docs/adding-measures.md`.
#'
#' @param measure Its name: lower case letters, digits and `_`, and none that
#'   [list_measures()] has.
#' @param compute A function of `take` and `reference`, both arrays rows x
#'   columns x 3 with sRGB values from 0 to 1 in the case's frame, that returns
#'   one number, or `NA` where there is nothing to say. It must give the same
#'   number for the same pictures.
#' @param axis `"structure"`, `"style"` or `"flaws"`.
#' @param range What its values mean, in words: "0 chance, 1 the same layout".
#' @param sees,blind_to What moves it, and what must not.
#' @param better `"higher"`, `"lower"` or `"as asked"`.
#' @param source Where the method comes from.
#' @param bounds For a flaw, the numbers from which it is slight and serious:
#'   rising where more is worse, falling where less is.
#' @param needs_reference Whether it is left out for pictures made from text
#'   alone; without this `reference` may be `NULL`.
#' @return A measure, to be returned by the file that brief.yml names.
#' @section Errors: `sprenn_error_argument`. What `compute` does wrong in a run
#'   is a `sprenn_error_measure` that names the measure.
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
    source = source,
    cost = "high",
    needs = if (needs_reference) "reference" else character(),
    compute = function(scene) {
      number <- one_number(measure, function() {
        compute(scene$pixels$take, scene$pixels$reference)
      })
      if (axis == "flaws" && !is.na(number)) {
        flaw_score(number, bounds[1], bounds[2], place = "whole")
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
  # What is undefined is NA, and never NaN or infinite.
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
