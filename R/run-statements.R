# What judges are asked about a case, by their kind, and how their answers are read.

# How what is known is looked up: a list with what was said of each.
# The same is often looked up several times in a row, and unpacked once.
asking <- function(known, judge) {
  at <- stats::setNames(seq_len(nrow(known)), paste(known$subject, known$statement))
  last <- list()
  function(subject, statement) {
    rows <- at[paste(subject, statement)]
    if (!identical(rows, last$rows)) {
      last <<- list(rows = rows, said = unpack_said(judge, known$said[rows]))
    }

    last$said
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
    measure = judge$name,
    level = NA_character_,
    place = NA_character_
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

# The reference of a case as a subject: its picture, fitted in its way.
reference_key <- function(case, suite) {
  hash_of(list(
    suite$files[[case$reference$path]]$hash,
    case_frame(case, suite),
    case$reference[c("fit", "focus", "box", "fill")]
  ))
}
