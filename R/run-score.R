#' Measure the takes of a run
#'
#' Measures every take that was made and has not been measured yet, in the frame of its case. The
#' level of chance comes from the suite's other references, and from built-in pictures if the
#' suite has too few.
#'
#' @inheritParams run_trial
#' @param again Whether to measure all takes again.
#' @param workers,wait As for [run_options()].
#' @param progress A function called with `done`, `total`, `failed` and `seconds`
#'   as takes are measured, or `NULL`.
#' @return A list of class `sprenn_scores`, invisibly: `scores`, a data frame in long form with
#'   one number a row (`take`, `pipeline`, `case`, `seed`, `axis`, `measure`, `phrase`, `value`,
#'   `raw`, `level`, `place`); and `judged`, a data frame about the judges, or `NULL`.
#' @section Errors: `sprenn_error_store` if a picture on disk is not the one that was recorded.
#' @family runs
#' @export
#' @examples
#' folder <- file.path(tempdir(), "score-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' score_run(trial)$scores[, c("take", "axis", "measure", "value")]
#' unlink(folder, recursive = TRUE)
score_run <- function(
  trial,
  run = "main",
  again = FALSE,
  workers = NULL,
  wait = 0,
  progress = NULL
) {
  check_arguments(
    again = checkmate::check_flag(again),
    workers = check_workers(workers),
    wait = checkmate::check_number(wait, lower = 0),
    progress = checkmate::check_function(progress, null.ok = TRUE)
  )
  workers <- as_workers(workers)
  trial <- as_trial(trial)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  stop_for_read_only(store)
  asked <- plan_takes(trial)
  tell_changes(store, trial, asked)
  lock <- lock_run(store, wait)
  on.exit(unlock_run(store, lock), add = TRUE, after = FALSE)
  in_transaction(store, bring_to_suite(store, trial, asked))
  takes <- read_takes(store)
  to_score <- unscored_takes(store, takes, version_of_measures(trial$suite), again)
  stopping <- FALSE
  if (length(to_score)) {
    shown <- if (!is.null(progress)) {
      function(scored, to_score, seconds, ...) {
        if (to_score > 0) {
          progress(done = scored, total = to_score, failed = 0, seconds = seconds)
        }
      }
    }
    runner <- Runner$new(
      store,
      lock,
      trial,
      takes,
      rep(FALSE, nrow(takes)),
      to_score,
      score = TRUE,
      workers = workers,
      outage = 0,
      progress = noted_progress(store, lock, shown)
    )
    on.exit(runner$close(), add = TRUE, after = FALSE)
    runner$run()
    stopping <- runner$stopping
  }

  # Also where nothing was left to measure: an earlier command may have been killed just before.
  compare_across(store, trial$suite)
  if (stopping) {
    rlang::interrupt()
  }

  judged <- ask_judges(store, trial, lock, progress)
  invisible(structure(
    list(scores = read_scores(store), judged = if (nrow(judged)) judged),
    class = "sprenn_scores"
  ))
}

#' @export
print.sprenn_scores <- function(x, ...) {
  cat("<scores> of", count_words(length(unique(x$scores$take)), "take"), "\n")
  print(x$scores)
  invisible(x)
}

# Measures that compare takes with each other: whether two seeds gave one picture, and
# whether a pipeline has one hand. Each take leaves a print when it is measured, and
# what has changed is compared when a run has measured all there is.

# Compares the takes of the pipelines that have any without such a comparison: what is
# measured anew has lost it. Consistency is one look's takes, or one case's where none
# was asked for; controls are no takes proper.
compare_across <- function(store, suite) {
  changed <- read_uncompared(store)
  if (length(changed) == 0) {
    return(invisible())
  }

  takes <- read_takes(store, deciding_columns)
  takes <- takes[takes$state == "made" & is.na(takes$control), ]
  # Before pipelines are: once these are compared, nothing tells that repairs are not.
  compare_repairs(store, suite, takes)
  for (pipeline in unique(takes$pipeline[takes$take %in% changed])) {
    own <- read_prints_of_pipeline(store, pipeline)
    own <- own[own$take %in% takes$take, ]
    own[c("case", "seed")] <- takes[match(own$take, takes$take), c("case", "seed")]
    own <- own[order(own$case, own$seed), ]
    if (nrow(own) == 0) {
      next
    }

    cases <- suite$cases[match(own$case, vapply(suite$cases, `[[`, "", "id"))]
    scores <- across_scores(
      own,
      vapply(cases, `[[`, "", "look"),
      vapply(cases, `[[`, "", "job") %in% jobs_that_keep_looks
    )
    replace_scores(store, scores, own$take, unique(scores$measure))
  }
}

across_scores <- function(own, look, kept_jobs) {
  prints <- read_prints(own$print)
  part <- function(at) lapply(prints, function(matrix) matrix[at, , drop = FALSE])
  compared <- function(measure, groups) {
    value <- rep(NA_real_, nrow(own))
    for (at in split(seq_len(nrow(own)), groups)) {
      value[at] <- measure$compute(part(at))
    }

    value
  }

  one_hand <- compared(measure_consistency(), ifelse(is.na(look), own$case, look))
  # Mended well, every seed gives the same picture; and a copy is a usable picture, only
  # no second one, so that it is never serious.
  copies <- ifelse(kept_jobs, NA_real_, compared(measure_same_as_seed(), own$case))
  level <- ifelse(!is.na(copies) & copies <= 0.004, "slight", "none")
  numbers <- c(one_hand, copies)
  new_table(
    take = rep(own$take, 2),
    axis = rep(c("style", "flaws"), each = nrow(own)),
    measure = rep(c("consistency", "same_as_seed"), each = nrow(own)),
    phrase = NA_character_,
    value = numbers,
    raw = numbers,
    level = c(rep(NA_character_, nrow(own)), level),
    place = NA_character_
  )
}

# The marks that stayed, a row a take; of takes of one case, so all have as many.
read_marks <- function(prints) {
  from <- 2 * length(style_space$centre) + 3 * print_patches
  bits <- lapply(prints, function(print) {
    rawToBits(utils::tail(jsonlite::base64_dec(print), -from)) == 1
  })
  do.call(rbind, bits)
}

# Only the takes of a case together can tell damage from content: marks of the reference that some
# of them removed are damage. Each take is judged by the share of these that it left, and by what
# it alone removed.
compare_repairs <- function(store, suite, takes) {
  for (case in Filter(function(case) case$job == "repair", suite$cases)) {
    own <- read_prints_of_case(store, case$id)
    own <- own[own$take %in% takes$take, ]
    if (nrow(own) < 2) {
      next
    }

    stayed <- read_marks(own$print)
    left <- damage_left(stayed)
    if (is.null(left)) {
      next
    }

    reference <- reference_view(case, suite, case_frame(case, suite))
    places <- core_places_of_marks(reference$handle)
    drop_view(reference)
    # Bits come in whole bytes.
    stayed <- stayed[, seq_len(nrow(places)), drop = FALSE]
    residual <- lapply(
      left,
      flaw_score,
      bounds = c(slight = 0.3, serious = damage_plainly_left),
      place = "whole"
    )
    erased <- measure_erased()$compute(stayed, places, left)
    scores <- rbind(
      rows_of_repairs(own$take, "residual_damage", residual),
      rows_of_repairs(own$take, "erased", erased)
    )
    replace_scores(store, scores, scores$take, unique(scores$measure))
  }
}

rows_of_repairs <- function(takes, measure, scores) {
  field <- function(name, type) vapply(scores, `[[`, type, name)
  new_table(
    take = takes,
    axis = "flaws",
    measure = measure,
    phrase = NA_character_,
    value = field("value", 0),
    raw = field("raw", 0),
    level = field("level", ""),
    place = field("place", "")
  )
}

# Of `stayed` (a row a take, a column a mark): the share of the damage that each take left,
# or NULL where next to nothing was taken away. One take in five must have mended a mark, so
# that what a single one erased is no damage to all others.
damage_left <- function(stayed) {
  mended <- colSums(!stayed) >= max(1, nrow(stayed) / 5)
  if (sum(mended) < fewest_marks) {
    return(NULL)
  }

  rowMeans(stayed[, mended, drop = FALSE])
}

fewest_marks <- 60
