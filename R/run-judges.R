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
#'   and phrase (`judge`, `phrase`, `value` (the evidence, 0 to 1), `raw` and `said`); `case`; and
#'   `picture`.
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
  rows <- lapply(trial$brief$judges, try_judge, case, trial$suite, seen)
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
      picture = picture %||% "the reference"
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

# One judge's answers about a picture, seen as part of a case: a row for each phrase.
try_judge <- function(judge, case, suite, seen) {
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
    return(words(safe_message(conditionMessage(problem), judge$secrets)))
  }

  if (inherits(judge, "sprenn_judge_of_references")) {
    return(words(said_in_words(judge, unpack_said(judge, known$said)[[1]])))
  }

  takes <- new_table(take = "shown", sha256 = "shown")
  found <- phrase_rows(judge, takes, case, decoys(case), asking(known, judge))
  phrases <- vapply(asked_phrases(case), `[[`, "", "key")
  at <- match(phrases, found$phrase)
  said <- ifelse(is.na(at), "nothing that could be used", "")
  words(said, phrases, found$value[at], found$raw[at])
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

# Scores of a case's takes: a row for each take and phrase, or for each take. NULL if there are
# none.
case_scores <- function(judge, takes, case, suite, decoys, said) UseMethod("case_scores")

# How phrases are scored: a function of a phrase that returns `value` and `raw`, one for each of the
# takes.
phrase_scorer <- function(judge, takes, decoys, said) UseMethod("phrase_scorer")

# An answer of a judge of references about one picture, in words.
said_in_words <- function(judge, said) UseMethod("said_in_words")

# How alike a take's answer and its reference's are, at most 1.
likeness <- function(judge, take, reference) UseMethod("likeness")

# A judge's scores of a run, from its stored answers.
judged_scores <- function(judge, version, store, trial, takes) {
  said <- asking(read_answers(store, judge$name, version), judge)
  decoys <- decoys_of(judge, trial$suite)
  rows <- lapply(trial$suite$cases, function(case) {
    own <- takes[takes$case == case$id, ]
    if (nrow(own) > 0) {
      case_scores(judge, own, case, trial$suite, decoys, said)
    }
  })
  do.call(rbind, rows)
}

#' @export
case_subjects.sprenn_judge <- function(judge, case, suite, takes) {
  lapply(seq_len(nrow(takes)), function(i) list(sha256 = takes$sha256[i], take = takes[i, ]))
}

# Judges of phrases.

#' @export
case_scores.sprenn_judge_of_phrases <- function(judge, takes, case, suite, decoys, said) {
  if (length(asked_phrases(case)) > 0) {
    phrase_rows(judge, takes, case, decoys(case), said)
  }
}

phrase_rows <- function(judge, takes, case, decoys, said) {
  scores_of <- phrase_scorer(judge, takes, decoys, said)
  rows <- lapply(asked_phrases(case), function(phrase) {
    as_evidence(c(scores_of(phrase), list(axis = "adherence", take = takes$take)), phrase)
  })
  table <- do.call(rbind, lapply(rows, as_table))
  table[!is.na(table$value), ]
}

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
phrase_scorer.sprenn_answering <- function(judge, takes, decoys, said) {
  function(phrase) {
    yes <- unlist(said(takes$sha256, fill_in(judge$pattern[1], phrase$ask)))
    no <- unlist(said(takes$sha256, fill_in(judge$pattern[2], phrase$ask)))
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
phrase_scorer.sprenn_embedding <- function(judge, takes, decoys, said) {
  vectors <- said(takes$sha256, "")
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
case_scores.sprenn_judge_of_references <- function(judge, takes, case, suite, decoys, said) {
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
    phrase = NA_character_
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
