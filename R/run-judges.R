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
  size <- dim(seen)[2:1]
  shown <- resize_picture(
    seen,
    as.integer(pmax(1, round(size * min(1, judge$edge / max(size)))))
  )
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

# How what is known is looked up: a list with what was said of each.
asking <- function(known, judge) {
  at <- stats::setNames(seq_len(nrow(known)), paste(known$subject, known$statement))
  function(subject, statement) {
    unpack_said(judge, known$said[at[paste(subject, statement)]])
  }
}

# What a judge is asked about a case, and how its answers become scores: by phrase for judges of
# phrases, by picture for judges of references.

# The texts that a judge is given for a case; NULL if there is nothing to ask. `decoys` is a
# function of the case.
case_statements <- function(judge, case, decoys) UseMethod("case_statements")

# The pictures of a case that a judge is shown.
case_subjects <- function(judge, case, suite, takes) UseMethod("case_subjects")

# Scores of a case's takes against its reference: a row for each take, or several with their
# `measure`. NULL if there are none.
case_scores <- function(judge, takes, case, suite, said) UseMethod("case_scores")

# The phrases of a case that a judge is asked about, or looks for.
judged_phrases <- function(judge, case) UseMethod("judged_phrases")

# How phrases are scored: a function of a phrase that returns `value` and `raw`, one for each of
# the pictures with these hashes.
phrase_scorer <- function(judge, hashes, decoys, said) UseMethod("phrase_scorer")

# An answer of a judge of references about one picture, in words.
said_in_words <- function(judge, said) UseMethod("said_in_words")

# How alike a take's answer and its reference's are, at most 1.
likeness <- function(judge, take, reference) UseMethod("likeness")

#' @export
judged_phrases.sprenn_judge <- function(judge, case) list()

#' @export
judged_phrases.sprenn_judge_of_phrases <- function(judge, case) asked_phrases(case)

#' @export
case_subjects.sprenn_judge <- function(judge, case, suite, takes) {
  lapply(seq_len(nrow(takes)), function(i) list(sha256 = takes$sha256[i], take = takes[i, ]))
}

# Judges of phrases.

fill_in <- function(pattern, said) {
  vapply(said, function(one) gsub("{say}", one, pattern, fixed = TRUE), "", USE.NAMES = FALSE)
}

#' @export
case_statements.sprenn_answering <- function(judge, case, decoys) {
  asked <- vapply(asked_phrases(case), `[[`, "", "ask")
  if (length(asked)) {
    unique(c(fill_in(judge$pattern[1], asked), fill_in(judge$pattern[2], asked)))
  }
}

#' @export
phrase_scorer.sprenn_answering <- function(judge, hashes, decoys, said) {
  function(phrase) {
    yes <- unlist(said(hashes, fill_in(judge$pattern[1], phrase$ask)))
    no <- unlist(said(hashes, fill_in(judge$pattern[2], phrase$ask)))
    list(value = answered_score(yes, no), raw = yes)
  }
}

#' @export
case_statements.sprenn_embedding <- function(judge, case, decoys) {
  asked <- vapply(asked_phrases(case), `[[`, "", "ask")
  if (length(asked)) {
    unique(fill_in(judge$pattern[1], c(asked, decoys(case))))
  }
}

#' @export
phrase_scorer.sprenn_embedding <- function(judge, hashes, decoys, said) {
  vectors <- said(hashes, "")
  others <- if (length(decoys)) {
    do.call(rbind, Filter(length, said("", fill_in(judge$pattern[1], decoys))))
  }

  function(phrase) {
    own <- said("", fill_in(judge$pattern[1], phrase$ask))[[1]]
    each <- lapply(vectors, function(vector) {
      if (length(vector) && length(own)) {
        embedded_score(vector, own, others)
      }
    })
    list(
      value = vapply(each, function(one) one$value %||% NA_real_, 0),
      raw = vapply(each, function(one) one$raw %||% NA_real_, 0)
    )
  }
}

# The decoys of a case, as a function of it; only judges that embed are asked about any.
decoys_of <- function(judge, suite) {
  if (!inherits(judge, "sprenn_embedding")) {
    return(function(case) character())
  }

  spoken <- Filter(function(one) !one$neutral, suite$cases)
  find <- decoy_finder(
    unlist(lapply(spoken, function(one) vapply(one$prompt, `[[`, "", "ask")))
  )
  function(case) find(unlist(lapply(asked_phrases(case), `[`, c("ask", "say"))))
}

# Judges of references.

#' @export
case_statements.sprenn_judge_of_references <- function(judge, case, decoys) {
  if (!is.null(case$reference)) ""
}

#' @export
case_subjects.sprenn_judge_of_references <- function(judge, case, suite, takes) {
  c(list(list(sha256 = reference_key(case, suite))), NextMethod())
}

#' @export
case_scores.sprenn_judge <- function(judge, takes, case, suite, said) NULL

#' @export
case_scores.sprenn_judge_of_references <- function(judge, takes, case, suite, said) {
  reference <- if (!is.null(case$reference)) said(reference_key(case, suite), "")[[1]]
  if (is.null(reference)) {
    return(NULL)
  }

  value <- vapply(
    said(takes$sha256, ""),
    function(one) if (is.null(one)) NA_real_ else likeness(judge, one, reference),
    0
  )
  table <- new_table(
    value = pmax(0, value),
    raw = value,
    axis = "structure",
    take = takes$take,
    phrase = NA_character_,
    measure = judge$name
  )
  table[!is.na(table$value), ]
}

#' @export
likeness.sprenn_pose <- function(judge, take, reference) pose_likeness(take, reference)

#' @export
likeness.sprenn_depth <- function(judge, take, reference) depth_likeness(take, reference)

#' @export
said_in_words.sprenn_pose <- function(judge, said) paste(length(said), "figures")

#' @export
said_in_words.sprenn_depth <- function(judge, said) "a depth map"
