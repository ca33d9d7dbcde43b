#' List a trial's judges, and try them
#'
#' `list_judges()` says which outside models the brief names; each is asked for
#' its version, and nothing else. `try_judges()` asks each about one picture.
#'
#' @inheritParams plan_run
#' @param case The id of the case whose phrases are asked about; the first with a
#'   reference and a prompt if `NULL`.
#' @param picture Path of the picture to ask about; the case's reference if `NULL`.
#' @return `list_judges()`: a tibble with one row a judge: `judge`, `kind`,
#'   `version`, `batch` (pictures at a time), `edge` (pixels) and `problem` (`NA`,
#'   or why it can't be asked). `try_judges()`: a tibble with one row a judge and
#'   phrase: `judge`, `phrase`, `value` (the evidence, 0 to 1), `raw` and `said`,
#'   and the attributes `case` and `picture`.
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
    tibble::tibble(
      kind = judge$kind,
      batch = as.integer(judge$batch),
      edge = as.integer(judge$edge),
      problem = if (failed) {
        mask_secrets(conditionMessage(version), judge$secrets)
      } else {
        NA_character_
      },
      version = if (failed) NA_character_ else version,
      judge = judge$name
    )
  })
  none <- tibble::tibble(
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
  none <- tibble::tibble(
    judge = character(),
    phrase = character(),
    value = numeric(),
    raw = numeric(),
    said = character()
  )
  structure(
    do.call(rbind, c(list(none), unname(rows))),
    case = case$id,
    picture = picture %||% "the reference"
  )
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

# What one judge says of a picture, seen as a case has it: a row a phrase.
try_judge <- function(judge, case, suite, seen) {
  size <- dim(seen)[2:1]
  shown <- resize_picture(
    seen,
    as.integer(pmax(1, round(size * min(1, judge$edge / max(size)))))
  )
  decoys <- decoys_of(judge, suite)
  statements <- case_statements(judge, case, decoys)
  asked <- if (judge$kind == "answering") statements else character()
  jobs <- list(list(subjects = list(list(sha256 = "shown")), statements = asked))
  if (judge$kind == "embedding") {
    jobs <- c(jobs, list(list(subjects = list(), statements = statements)))
  }

  jobs <- lapply(jobs, function(job) c(job, list(pixels = function(subject) shown)))
  known <- tibble::tibble(subject = character(), statement = character(), said = character())
  land <- function(job, said) {
    known <<- rbind(known, tibble::as_tibble(answer_rows(judge, job, said)))
  }

  words <- function(said, phrase = NA_character_, value = NA_real_, raw = NA_real_) {
    tibble::tibble(value = value, raw = raw, said = said, phrase = phrase, judge = judge$name)
  }

  problem <- interview(jobs, judge, land)
  if (!is.null(problem)) {
    return(words(mask_secrets(conditionMessage(problem), judge$secrets)))
  }

  if (judge$kind == "depth") {
    return(words("a depth map"))
  }

  if (judge$kind == "pose") {
    return(words(paste(length(unpack_said(known$said, judge$kind)[[1]]), "figures")))
  }

  takes <- tibble::tibble(take = "shown", sha256 = "shown")
  found <- phrase_rows(judge, takes, case, decoys(case), asking(known, judge))
  phrases <- vapply(asked_phrases(case), `[[`, "", "key")
  at <- match(phrases, found$phrase)
  said <- ifelse(is.na(at), "nothing that could be used", "")
  words(said, phrases, found$value[at], found$raw[at])
}

# From answers to scores: a row for each take and phrase, or for each take.
judged_scores <- function(judge, version, store, trial, takes) {
  said <- asking(read_answers(store, judge$name, version), judge)
  decoys <- decoys_of(judge, trial$suite)
  rows <- lapply(trial$suite$cases, function(case) {
    own <- takes[takes$case == case$id, ]
    by_reference <- judge$kind %in% c("pose", "depth")
    if (nrow(own) == 0 ||
      length(if (by_reference) case$reference else asked_phrases(case)) == 0) {
      return(NULL)
    }

    if (by_reference) {
      likeness_rows(judge, own, case, trial$suite, said)
    } else {
      phrase_rows(judge, own, case, decoys(case), said)
    }
  })
  do.call(rbind, rows)
}

# How what is known is looked up: a list with what was said of each.
asking <- function(known, judge) {
  at <- stats::setNames(seq_len(nrow(known)), paste(known$subject, known$statement))
  function(subject, statement) {
    unpack_said(known$said[at[paste(subject, statement)]], judge$kind)
  }
}

phrase_rows <- function(judge, takes, case, decoys, said) {
  decoys <- if (length(decoys)) {
    do.call(rbind, Filter(length, said("", fill_in(judge$pattern[1], decoys))))
  }
  vectors <- if (judge$kind == "embedding") said(takes$sha256, "")
  rows <- lapply(asked_phrases(case), function(phrase) {
    yes <- fill_in(judge$pattern[1], phrase$ask)
    if (judge$kind == "answering") {
      first <- unlist(said(takes$sha256, yes))
      scores <- list(
        value = answered_score(
          first,
          unlist(said(takes$sha256, fill_in(judge$pattern[2], phrase$ask)))
        ),
        raw = first
      )
    } else {
      own <- said("", yes)[[1]]
      each <- lapply(vectors, function(vector) {
        if (length(vector) && length(own)) {
          embedded_score(vector, own, decoys)
        }
      })
      scores <- list(
        value = vapply(each, function(one) one$value %||% NA_real_, 0),
        raw = vapply(each, function(one) one$raw %||% NA_real_, 0)
      )
    }

    as_evidence(c(scores, list(axis = "adherence", take = takes$take)), phrase)
  })
  table <- do.call(rbind, lapply(rows, tibble::as_tibble))
  table[!is.na(table$value), ]
}

likeness_rows <- function(judge, takes, case, suite, said) {
  reference <- said(reference_key(case, suite), "")[[1]]
  if (is.null(reference)) {
    return(NULL)
  }

  likeness <- if (judge$kind == "pose") pose_likeness else depth_likeness
  value <- vapply(
    said(takes$sha256, ""),
    function(one) if (is.null(one)) NA_real_ else likeness(one, reference),
    0
  )
  table <- tibble::tibble(
    value = pmax(0, value),
    raw = value,
    axis = "structure",
    take = takes$take,
    phrase = NA_character_
  )
  table[!is.na(table$value), ]
}
