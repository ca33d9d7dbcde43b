#' Explain one pipeline
#'
#' Its rank, its differences to the other pipelines, its best and worst cases, its flaws and
#' failures, and what it would take for it to win.
#'
#' @inheritParams choose_pipeline
#' @param pipeline A pipeline of the lineup.
#' @return An object of class `sprenn_portrait`, a list: `pipeline`; `standing`, its row of the
#'   verdict's table, with its `rank`; `against`, a data frame of its differences to the other
#'   pipelines with simultaneous intervals; `cases`, a row a case, best first: `worth`, the axes,
#'   `keepers`, `takes`, and `others`, the other pipelines' mean worth there; `problems`, why
#'   takes were not keepers, with counts; `flip`, the nearest weights with which it would lead, or
#'   no row; `stages`, for a chain a row for each later step and axis: the mean `before` and
#'   `after` it, the `gain` with its 90 % interval (`low`, `high`), and what the step cost a take
#'   (`cost`, `seconds`); `influence`, from its controls, or `NULL`.
#' @section Errors: `sprenn_error_argument` for a pipeline that is not part of the choice.
#' @family choosing
#' @export
#' @examples
#' folder <- file.path(tempdir(), "portrait-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1:2, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' explain_pipeline(trial, "yarrow")
#' unlink(folder, recursive = TRUE)
explain_pipeline <- function(trial, pipeline, run = "main", job = NULL) {
  check_arguments(pipeline = checkmate::check_string(pipeline))
  trial <- as_trial(trial)
  verdict <- choose_pipeline(trial, run, job)
  stop_if_nothing_made(verdict)
  if (pipeline %in% verdict$left_out) {
    stop_sprenn("argument", c(
      paste0("Pipeline ", quoted(pipeline), " was left out while the run was made."),
      i = "`sprenn watch --take-back` takes it back in; `sprenn run` then makes the rest of it."
    ))
  }

  stop_for_unknown(pipeline, verdict$pipelines$pipeline, "This choice", "pipeline")
  influence <- tryCatch(measure_influence(trial, run), sprenn_error_run = function(e) NULL)
  structure(
    list(
      pipeline = pipeline,
      standing = new_table(
        rank = rank_of(pipeline, verdict$pipelines),
        verdict$pipelines[verdict$pipelines$pipeline == pipeline, ]
      ),
      against = against_others(verdict$pairs, pipeline),
      cases = case_portrait(verdict$table, pipeline),
      problems = count_problems(verdict$table, pipeline, verdict$brief),
      flip = verdict$flips[verdict$flips$pipeline == pipeline, ],
      stages = chain_gains(trial, pipeline, run, verdict$brief, verdict$recipes),
      influence = lapply(influence, function(part) part[part$pipeline == pipeline, ]),
      verdict = verdict
    ),
    class = "sprenn_portrait"
  )
}

# The gain from each step of a chain; no row for a pipeline of one step.
chain_gains <- function(trial, pipeline, run, brief, recipes) {
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  takes <- takes_for(store, trial, brief, recipes$pipeline)
  chain <- chain_rows(takes, pipeline)
  own <- if (any(!is.na(takes$parent[chain]))) {
    axes_of(store, trial, brief, takes[sort(chain), ])
  }
  stage_gains(own, brief$draws, brief$seed)
}

# Which takes are a pipeline's own or led to them, the first steps first. These may have been
# made for another pipeline, which starts with the same.
chain_rows <- function(takes, pipeline) {
  last <- which(takes$pipeline == pipeline)
  chain <- last
  while (length(last <- setdiff(match(takes$parent[last], takes$take), c(chain, NA)))) {
    chain <- c(last, chain)
  }

  chain
}

# By worth: a preference may have put another in front.
rank_of <- function(pipeline, pipelines) {
  match(pipeline, pipelines$pipeline[order(-pipelines$worth)])
}

# Where a trial leaves the measures less to go by than they could have: said before a run,
# with the verdict and in the report.

# In words, one piece an item; none if there is nothing to say. `cases` are those that count.
weak_spots <- function(trial, cases = trial$suite$cases) {
  ids <- function(of) shorten_list(vapply(of, `[[`, "", "id"))
  makes_anew <- function(case) case$job %in% c("restyle", "vary", "blend", "fresh")
  unshown <- Filter(function(case) makes_anew(case) && is.na(case$look), cases)
  unwatched <- Filter(function(case) case$job == "restyle" && length(case$watch) == 0, cases)
  repairs <- Filter(function(case) case$job == "repair", cases)
  able <- vapply(trial$lineup$pipelines$jobs, function(jobs) "repair" %in% jobs, NA)
  pipelines <- sum(able & is.na(trial$lineup$pipelines$follows))
  few_repairs <- pipelines * length(trial$suite$seeds) < fewest_repairs
  c(
    if (length(unshown)) {
      paste0(
        "No picture shows the look of ", ids(unshown),
        ": grain, blotches, few tones and clipped ",
        "light may be intended, and count as slight flaws at most. Add pictures of the look."
      )
    },
    if (length(unwatched)) {
      paste0(
        "Nothing is watched in ", ids(unwatched),
        ": a spoilt face in a picture that is fine ",
        "otherwise may go unnoticed. Add regions to watch."
      )
    },
    if (length(repairs) && few_repairs) {
      paste0(
        "Fewer than ",
        fewest_repairs,
        " takes of ",
        ids(repairs),
        ": damage that stayed, and ",
        "what a repair erased, are found by comparing a case's repairs. More seeds or pipelines ",
        "help."
      )
    },
    shared_words(trial$suite, cases)
  )
}

# Cases that share a reference, or one of several looks, are not independent.
shared_words <- function(suite, cases) {
  pictures <- with_pictures(new_table(case = vapply(cases, `[[`, "", "id")), suite)
  independent <- independent_pictures(pictures)
  if (length(cases) < 2 || independent == length(cases)) {
    return(NULL)
  }

  of <- if (independent == length(unique(pictures$reference))) "reference" else "look"
  paste0(
    "These ", length(cases), " cases have ", count_words(independent, of),
    " between them. About other pictures they say no more than ", independent,
    " independent cases would; cases with other ", of, "s would add more."
  )
}

# A take and two others that mended it as well.
fewest_repairs <- 3
