#' Compare pipelines that differ in one thing
#'
#' Finds pipelines that differ in one thing, all else equal: a number, a word, a guide, the wording
#' around the prompt, a later step, the engine. There a difference can be credited to that thing.
#' Each is compared with one of them, on the same cases and seeds. Intervals come from the takes of
#' these pipelines alone: being alike in all else they go up and down together, so that much smaller
#' differences show than between any two pipelines.
#'
#' @inheritParams choose_pipeline
#' @param vary The path of what differs, such as `"guides.edges.weight"`, `"guides"`,
#'   `"wording.after"`, `"steps.2"` or `"engine"`; all that there is if `NULL`.
#' @return An object of class `sprenn_contrasts`, a list: `contrasts`, a data frame with a row for
#'   each contrast and pipeline (`contrast`, its number; `vary`; `pipeline`; `value` as text, empty
#'   where a pipeline leaves it to the case or the engine; `takes`; and the means `structure`,
#'   `adherence`, `style`, `worth` and `keepers`); and `differences`, a row for each pipeline that
#'   is compared and score (`contrast`, `pipeline`, `to`, what it is compared with: the one that
#'   leaves the thing out, or else the first, `score`, `difference`, and its 90 % interval `low`
#'   and `high`, `NA` with one take of each).
#' @section Errors: `sprenn_error_run` if nothing was made, or no two pipelines differ in one thing
#'   (or in `vary`) alone.
#' @family choosing
#' @export
#' @examples
#' folder <- file.path(tempdir(), "contrasts-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' two <- trial$lineup$pipelines$pipeline %in% c("yarrow", "yarrow/hold=0.2")
#' trial$lineup$pipelines <- trial$lineup$pipelines[two, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' list_contrasts(trial)
#' unlink(folder, recursive = TRUE)
list_contrasts <- function(trial, run = "main", job = NULL, vary = NULL) {
  check_arguments(vary = checkmate::check_string(vary, null.ok = TRUE))
  verdict <- choose_pipeline(trial, run, job)
  stop_if_nothing_made(verdict)
  contrasts_of(verdict, vary)
}

# As list_contrasts(), out of a verdict; `most` is how many contrasts to tell of.
contrasts_of <- function(verdict, vary = NULL, most = Inf) {
  recipes <- tried_recipes(verdict)
  found <- find_contrasts(stats::setNames(recipes$set, recipes$pipeline))
  stop_for_no_contrast(found, vary)
  if (!is.null(vary)) {
    found <- found[found$vary == vary, ]
  }

  found <- found[found$contrast %in% utils::head(unique(found$contrast), most), ]
  # What is compared here was not picked for its worth, so its plain mean is told.
  means <- verdict$pipelines[match(found$pipeline, verdict$pipelines$pipeline), ]
  means$worth <- as.vector(mean_by_pipeline(verdict$table, "worth")[found$pipeline])
  structure(
    list(
      contrasts = new_table(found, means[c("takes", axes, "worth", "keepers")]),
      differences = contrast_differences(found, verdict),
      verdict = verdict
    ),
    class = "sprenn_contrasts"
  )
}

stop_for_no_contrast <- function(found, vary) {
  if (nrow(found) == 0) {
    stop_sprenn(
      "run",
      c(
        "No two pipelines of this choice differ in one thing alone.",
        i = "A sweep varies one: sweeps: [{vary: guides.edges.weight, of: ..., over: [...]}]."
      )
    )
  }

  if (!is.null(vary) && !vary %in% found$vary) {
    near <- nearest_word(vary, unique(found$vary))
    stop_sprenn(
      "run",
      c(
        paste0("No two pipelines differ in ", quoted(vary), " alone."),
        i = paste0(
          "What some differ in: ", listed(unique(found$vary)), ".",
          if (!is.na(near)) paste0(" Did you mean ", quoted(near), "?")
        )
      )
    )
  }
}

# Draws of the means of pipelines that are alike in most, from their own takes: they go up and down
# together from case to case, and all others say nothing about how far these do.
draws_among <- function(verdict, pipelines) {
  score_draws(
    verdict$table[verdict$table$pipeline %in% pipelines, ],
    c(axes, "worth"),
    verdict$brief$draws,
    verdict$brief$seed,
    shrink = character()
  )
}

# Each pipeline of a contrast against the one that leaves the thing out, or else the first.
contrast_differences <- function(found, verdict) {
  means <- lapply(stats::setNames(nm = c(axes, "worth")), mean_by_pipeline, table = verdict$table)
  rows <- lapply(split(found, found$contrast), function(own) {
    drawn_for <- draws_among(verdict, own$pipeline)
    base <- own$pipeline[c(which(!nzchar(own$value)), 1)[1]]
    others <- setdiff(own$pipeline, base)
    each <- lapply(names(means), function(score) {
      drawn <- drawn_for[[score]]
      ends <- vapply(others, function(other) interval(drawn[other, ] - drawn[base, ]), c(0, 0))
      new_table(
        contrast = own$contrast[1],
        pipeline = others,
        to = base,
        score = score,
        difference = as.vector(means[[score]][others] - means[[score]][base]),
        low = ends[1, ],
        high = ends[2, ]
      )
    })
    do.call(rbind, each)
  })
  found <- do.call(rbind, unname(rows))
  found[!is.na(found$difference), ]
}
