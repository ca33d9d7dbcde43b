#' List a trial's judges, and try them
#'
#' `list_judges()` lists the judges that the brief names, and asks each for its version.
#' `try_judges()` asks each about one picture.
#'
#' @inheritParams plan_run
#' @param case The id of the case whose phrases are asked about; the first with a
#'   reference and a prompt if `NULL`.
#' @param picture Path of the picture to ask about; the case's reference if `NULL`.
#' @return `list_judges()`: a data frame with one row a judge: `judge`, `kind`, `version`, `batch`
#'   (pictures at a time), `edge` (pixels) and `problem` (`NA`, or why it can't be asked).
#'   `try_judges()`: a list of class `sprenn_answers`: `answers`, a data frame with one row a judge
#'   and phrase (`judge`, `phrase`, `value` (the evidence, 0 to 1), `raw` and `said`); `case`;
#'   `picture`; `pixels`, the picture as they saw it; and `findings`, what judges that find things
#'   found, by judge, in the form that [judge()] describes.
#' @family measures and evidence
#' @export
#' @examples
#' folder <- file.path(tempdir(), "judges-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' list_judges(folder)
#' unlink(folder, recursive = TRUE)
list_judges <- function(trial) {
  judges <- as_trial(trial)$brief$judges
  rows <- lapply(judges, function(judge) {
    on.exit(judge$close())
    version <- tryCatch(judge$version(), sprenn_failure = identity, error = as_engine_error)
    failed <- inherits(version, "condition")
    new_table(
      kind = judge$kind,
      batch = as.integer(judge$batch),
      edge = as.integer(judge$edge),
      problem = if (failed) {
        safe_message(conditionMessage(version), judge$secrets)
      } else {
        NA_character_
      },
      version = if (failed) NA_character_ else version,
      judge = judge$name
    )
  })
  none <- new_table(
    judge = character(),
    kind = character(),
    version = character(),
    batch = integer(),
    edge = integer(),
    problem = character()
  )
  do.call(rbind, c(list(none), unname(rows)))
}

#' @rdname list_judges
#' @export
try_judges <- function(trial, case = NULL, picture = NULL) {
  check_arguments(
    case = checkmate::check_string(case, null.ok = TRUE),
    picture = checkmate::check_string(picture, null.ok = TRUE)
  )
  trial <- as_trial(trial)
  case <- case_to_ask(trial$suite, case)
  if (is.null(picture) && is.null(case$reference)) {
    stop_sprenn("argument", "This case has no reference: name a `picture`.")
  }

  frame <- case_frame(case, trial$suite)
  seen <- if (is.null(picture)) {
    fitted_reference(case, trial$suite)
  } else {
    bring_back(read_picture(picture), frame)
  }
  tried <- lapply(trial$brief$judges, try_judge, case, trial$suite, seen)
  rows <- lapply(tried, `[[`, "rows")
  none <- new_table(
    judge = character(),
    phrase = character(),
    value = numeric(),
    raw = numeric(),
    said = character()
  )
  structure(
    list(
      answers = do.call(rbind, c(list(none), unname(rows))),
      case = case$id,
      picture = picture %||% "the reference",
      pixels = seen,
      findings = Filter(Negate(is.null), lapply(tried, `[[`, "finding"))
    ),
    class = "sprenn_answers"
  )
}

#' @export
print.sprenn_answers <- function(x, ...) {
  cat("<answers> about", x$picture, "as case", x$case, "\n")
  print(x$answers)
  invisible(x)
}

case_to_ask <- function(suite, id) {
  if (!is.null(id)) {
    return(pick_case(suite, id))
  }

  fitting <- Filter(
    function(one) length(one$references) > 0 && length(asked_phrases(one)) > 0,
    suite$cases
  )
  if (length(fitting) == 0) {
    stop_sprenn(
      "argument",
      "No case has both a reference and a prompt: name one by `case`, and a picture."
    )
  }

  fitting[[1]]
}

# One judge's answers about a picture, seen as part of a case: `rows`, one for each phrase, and
# what it found, if it does (`finding`).
try_judge <- function(judge, case, suite, seen) {
  on.exit(judge$close())
  shown <- sized_for(judge, seen)
  decoys <- decoys_of(judge, suite)
  statements <- case_statements(judge, case, decoys)
  asked <- asked_of_pictures(judge, statements)
  jobs <- list(list(subjects = list(list(sha256 = "shown")), statements = asked))
  texts <- asked_of_texts(judge, statements)
  if (length(texts)) {
    jobs <- c(jobs, list(list(subjects = list(), statements = texts)))
  }

  jobs <- lapply(jobs, function(job) c(job, list(pixels = function(subject) shown)))
  known <- new_table(subject = character(), statement = character(), said = character())
  land <- function(job, said) {
    known <<- rbind(known, as_table(answer_rows(judge, job, said)))
  }

  words <- function(said, phrase = NA_character_, value = NA_real_, raw = NA_real_) {
    new_table(value = value, raw = raw, said = said, phrase = phrase, judge = judge$name)
  }

  problem <- interview(jobs, judge, land)
  if (!is.null(problem)) {
    return(list(rows = words(safe_message(conditionMessage(problem), judge$secrets))))
  }

  finding <- if (!inherits(judge, "sprenn_judge_of_phrases")) unpack_said(judge, known$said)[[1]]
  overall <- if (!is.null(finding)) words(said_in_words(judge, finding))

  takes <- new_table(take = "shown", sha256 = "shown", case = case$id)
  found <- as_evidence_rows(phrase_rows(judge, takes, case, decoys, asking(known, judge)))
  phrases <- vapply(judged_phrases(judge, case), `[[`, "", "key")
  if (length(phrases) == 0) {
    return(list(rows = overall, finding = finding_of(judge, finding)))
  }

  if (inherits(judge, "sprenn_judge_of_contents")) {
    # It is not asked about what it does not tell of.
    phrases <- intersect(phrases, found$phrase)
  }

  at <- match(phrases, found$phrase)
  said <- ifelse(is.na(at), "nothing that could be used", "")
  list(
    rows = rbind(overall, words(said, phrases, found$value[at], found$raw[at])),
    finding = finding_of(judge, finding)
  )
}

# What can be drawn over a picture: a finding, or the figures of a judge of poses.
finding_of <- function(judge, said) {
  switch(judge$kind,
    finding = said,
    pose = list(figures = said)
  )
}
