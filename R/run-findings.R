# Judges that find what is in a picture, in a run: each picture is looked at once, references too.

#' @export
judged_phrases.sprenn_judge_of_contents <- function(judge, case) {
  Filter(function(phrase) length(phrase$find) > 0, asked_phrases(case))
}

#' @export
statement_of.sprenn_judge_of_contents <- function(judge, phrase) {
  paste(vapply(phrase$find, find_words, ""), collapse = "; ")
}

#' @export
case_statements.sprenn_judge_of_contents <- function(judge, case, decoys) ""

#' @export
case_subjects.sprenn_judge_of_contents <- function(judge, case, suite, takes) {
  reference <- if (!is.null(case$reference)) list(list(sha256 = reference_key(case, suite)))
  c(reference, NextMethod())
}

# The mean of what is looked for, as far as the judge tells of it.
#' @export
phrase_scorer.sprenn_judge_of_contents <- function(judge, hashes, decoys, said) {
  findings <- said(hashes, "")
  function(phrase) {
    each <- lapply(findings, function(finding) {
      found <- lapply(phrase$find, score_of_find, finding = finding)
      list(
        value = mean_of_told(vapply(found, `[[`, 0, "value")),
        raw = mean_of_told(vapply(found, `[[`, 0, "raw"))
      )
    })
    list(value = vapply(each, `[[`, 0, "value"), raw = vapply(each, `[[`, 0, "raw"))
  }
}

mean_of_told <- function(values) if (all(is.na(values))) NA_real_ else mean(values, na.rm = TRUE)

# What the judges that can be installed say on average of photographs that have nothing of the kind
# (people, smiles of others, lettering, words of others): the half `first` of bench/judges.R.
chance_on_photographs <- c(thing = 0.05, face = 0.25, lettering = 0.01, text = 0.14)

#' @export
usual_chance.sprenn_judge_of_contents <- function(judge, phrase) {
  mean(chance_on_photographs[vapply(phrase$find, `[[`, "", "kind")])
}

# What a job puts in another thing's place can't be there before. A judge that sees it in the
# reference sees something else.
#' @export
is_in_reference.sprenn_judge_of_contents <- function(judge, phrase, case, suite, decoys, said) {
  if (case$job != "swap" || is.null(case$reference) || phrase$unwanted) {
    return(FALSE)
  }

  score <- phrase_scorer(judge, reference_key(case, suite), decoys(case), said)(phrase)
  isTRUE(score$value > 0.5)
}

#' @export
case_scores.sprenn_judge_of_contents <- function(judge, takes, case, suite, said) {
  reference <- if (!is.null(case$reference)) said(reference_key(case, suite), "")[[1]]
  findings <- said(takes$sha256, "")
  rbind(
    if (!is.null(reference)) likeness_rows(judge, takes$take, findings, reference),
    do.call(rbind, lapply(case$flaws, flaw_rows, judge, takes$take, case, findings, reference))
  )
}

likeness_rows <- function(judge, takes, findings, reference) {
  each <- lapply(findings, function(finding) {
    if (!is.null(finding)) finding_likeness(finding, reference)
  })
  rows <- lapply(compared_parts, function(part) {
    value <- vapply(each, function(one) if (is.null(one)) NA_real_ else one[[part]], 0)
    new_table(
      value = value,
      raw = value,
      axis = "structure",
      take = takes,
      phrase = NA_character_,
      measure = paste0(judge$name, "_", part),
      level = NA_character_,
      place = NA_character_
    )
  })
  table <- do.call(rbind, rows)
  table[!is.na(table$value), ]
}

# A flaw that a case asks judges to look for, in the takes that this one tells of.
flaw_rows <- function(kind, judge, takes, case, findings, reference) {
  keeps_look <- case$job %in% jobs_that_keep_looks
  each <- lapply(findings, function(finding) judged_flaw(kind, finding, reference, keeps_look))
  told <- !vapply(each, is.null, NA)
  of_each <- function(name, type) vapply(each[told], `[[`, type, name)
  new_table(
    value = of_each("value", 0),
    raw = of_each("raw", 0),
    axis = rep("flaws", sum(told)),
    take = takes[told],
    phrase = rep(NA_character_, sum(told)),
    measure = rep(paste0(judge$name, "_", judged_flaw_names[[kind]]), sum(told)),
    level = of_each("level", ""),
    place = of_each("place", "")
  )
}

# What is told of each pipeline: of the statements that most cases have, so many.
most_shown <- 12

# A phrase for each of these statements.
phrases_to_show <- function(judge, cases) {
  phrases <- unlist(lapply(cases, judged_phrases, judge = judge), recursive = FALSE)
  statements <- vapply(phrases, statement_of, "", judge = judge)
  often <- names(sort(table(factor(statements, unique(statements))), decreasing = TRUE))
  phrases[match(utils::head(often, most_shown), statements)]
}

# A row for each statement and pipeline: the `sum` of how far what it speaks of is there in the
# takes of a case, over how many `takes`, and whether the case is `wanting` it. (A judge of contents
# has looked at every take for everything.)
#' @export
shown_in_case.sprenn_judge_of_contents <- function(judge, takes, case, phrases, said) {
  score <- phrase_scorer(judge, takes$sha256, character(), said)
  own <- Filter(Negate(is_to_be_absent), judged_phrases(judge, case))
  wanting <- vapply(own, statement_of, "", judge = judge)
  rows <- lapply(phrases, function(phrase) {
    value <- presence(score(phrase)$value, phrase)
    told <- !is.na(value) & is.na(takes$control)
    pipelines <- unique(takes$pipeline[told])
    at <- factor(takes$pipeline[told], pipelines)
    statement <- statement_of(judge, phrase)
    as_table(list(
      statement = rep(statement, length(pipelines)),
      pipeline = pipelines,
      wanting = rep(statement %in% wanting, length(pipelines)),
      sum = as.vector(rowsum(value[told], at)),
      takes = tabulate(at)
    ))
  })
  do.call(rbind, rows)
}

# The means over all cases: `wanted` over those that want it, `elsewhere` over all others.
shown_by_pipeline <- function(rows) {
  if (NROW(rows) == 0) {
    return(NULL)
  }

  each <- split(rows, factor(paste(rows$statement, rows$pipeline, sep = "\r")))
  mean_of <- function(rows) if (nrow(rows)) sum(rows$sum) / sum(rows$takes) else NA_real_
  as_table(list(
    statement = vapply(each, function(own) own$statement[1], "", USE.NAMES = FALSE),
    pipeline = vapply(each, function(own) own$pipeline[1], "", USE.NAMES = FALSE),
    wanted = vapply(each, function(own) mean_of(own[own$wanting, ]), 0, USE.NAMES = FALSE),
    elsewhere = vapply(each, function(own) mean_of(own[!own$wanting, ]), 0, USE.NAMES = FALSE)
  ))
}

# The same of scores against references, which are wanted everywhere.
compared_by_pipeline <- function(judge, takes, scores) {
  takes <- takes[is.na(takes$control), ]
  own <- scores[scores$measure %in% structure_measures(judge) & scores$take %in% takes$take, ]
  if (!inherits(judge, "sprenn_judge_of_contents") || NROW(own) == 0) {
    return(NULL)
  }

  own <- as_table(own)
  own$pipeline <- takes$pipeline[match(own$take, takes$take)]
  names <- list(statement = own$measure, pipeline = own$pipeline)
  means <- stats::aggregate(list(wanted = own$value), names, mean)
  as_table(c(means, list(elsewhere = rep(NA_real_, nrow(means)))))
}

#' @export
said_in_words.sprenn_judge_of_contents <- function(judge, said) finding_in_words(said)
