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
chance_on_photographs <- c(thing = 0.05, face = 0.25, lettering = 0.01, text = 0.12)

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
  if (is.null(reference)) {
    return(NULL)
  }

  each <- lapply(said(takes$sha256, ""), function(finding) {
    if (!is.null(finding)) finding_likeness(finding, reference)
  })
  rows <- lapply(compared_parts, function(part) {
    value <- vapply(each, function(one) if (is.null(one)) NA_real_ else one[[part]], 0)
    new_table(
      value = value,
      raw = value,
      axis = "structure",
      take = takes$take,
      phrase = NA_character_,
      measure = paste0(judge$name, "_", part)
    )
  })
  table <- do.call(rbind, rows)
  table[!is.na(table$value), ]
}

# A row for each statement and pipeline: how far what it speaks of is there in the takes whose case
# wants it (`wanted`) and in all others (`elsewhere`), on average; and of each score against the
# reference its mean. (A judge of contents has looked at every take for everything.)
#' @export
shown_by_pipeline.sprenn_judge_of_contents <- function(judge, cases, takes, scores, said) {
  phrases <- unlist(lapply(cases, judged_phrases, judge = judge), recursive = FALSE)
  phrases <- phrases[!duplicated(vapply(phrases, statement_of, "", judge = judge))]
  takes <- takes[is.na(takes$control), ]
  score <- phrase_scorer(judge, takes$sha256, character(), said)
  looked_for <- lapply(phrases, function(phrase) {
    statement <- statement_of(judge, phrase)
    wanting <- Filter(function(case) wants(judge, case, statement), cases)
    wanted <- takes$case %in% vapply(wanting, `[[`, "", "id")
    shown_rows(statement, takes$pipeline, presence(score(phrase)$value, phrase), wanted)
  })
  measures <- structure_measures(judge)
  compared <- lapply(measures, function(measure) {
    own <- scores[scores$measure == measure, ]
    value <- own$value[match(takes$take, own$take)]
    shown_rows(measure, takes$pipeline, value, rep(TRUE, nrow(takes)))
  })
  do.call(rbind, c(looked_for, compared))
}

wants <- function(judge, case, statement) {
  own <- Filter(
    function(phrase) statement_of(judge, phrase) == statement,
    judged_phrases(judge, case)
  )
  any(!vapply(own, is_to_be_absent, NA))
}

shown_rows <- function(statement, pipeline, value, wanted) {
  pipelines <- unique(pipeline)
  mean_where <- function(rows) {
    vapply(pipelines, function(one) mean_of_told(value[rows & pipeline == one]), 0)
  }
  means <- list(wanted = mean_where(wanted), elsewhere = mean_where(!wanted))
  if (all(is.na(unlist(means)))) {
    return(NULL)
  }

  as_table(c(list(statement = rep(statement, length(pipelines)), pipeline = pipelines), means))
}

#' @export
said_in_words.sprenn_judge_of_contents <- function(judge, said) finding_in_words(said)
