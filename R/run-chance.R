# A judge's answers as scores: evidence for phrases, less what is chance, and scores against
# references.

# A judge's `scores` of a run, from its stored answers, and its `beliefs`: a row for each statement
# that is told from chance or not.
judged_scores <- function(judge, version, store, trial, takes) {
  said <- asking(read_answers(store, judge$name, version), judge)
  decoys <- decoys_of(judge, trial$suite)
  cases <- Filter(function(case) any(takes$case == case$id), trial$suite$cases)
  of_case <- function(case) takes[takes$case == case$id, ]
  shown_phrases <- phrases_to_show(judge, cases)
  each <- lapply(cases, function(case) {
    own <- of_case(case)
    list(
      evidence = phrase_rows(judge, own, case, decoys, said),
      shown = shown_in_case(judge, own, case, shown_phrases, said),
      against = case_scores(judge, own, case, trial$suite, said)
    )
  })
  all_of <- function(part) do.call(rbind, lapply(each, `[[`, part))
  evidence <- all_of("evidence")
  beliefs <- beliefs_of(judge, evidence, cases, trial$suite, takes, decoys, said)
  believed <- believed_rows(evidence, beliefs)
  if (!is.null(believed)) {
    none <- rep(NA_character_, nrow(believed))
    own <- list(measure = rep(judge$name, nrow(believed)), level = none, place = none)
    believed <- as_table(c(believed, own))
  }

  against <- without_vain_flaws(all_of("against"), beliefs)
  list(
    scores = rbind(believed, against),
    beliefs = beliefs,
    shown = rbind(shown_by_pipeline(all_of("shown")), compared_by_pipeline(judge, takes, against))
  )
}

# How far takes of a case show what a judge looks for anywhere: NULL for judges that are asked about
# some takes only.
shown_in_case <- function(judge, takes, case, phrases, said) UseMethod("shown_in_case")

#' @export
shown_in_case.sprenn_judge <- function(judge, takes, case, phrases, said) NULL

# What an answering judge is asked about pictures that nobody asked its statements of, beside its
# own questions.
questions_about_others <- function(judge, trial, takes, asked_before) {
  if (!inherits(judge, "sprenn_answering")) {
    return(list())
  }

  cases <- Filter(function(case) any(takes$case == case$id), trial$suite$cases)
  pictures <- pictures_of_all(judge, cases, trial$suite, takes)
  phrases <- unlist(lapply(cases, judged_phrases, judge = judge), recursive = FALSE)
  phrases <- phrases[!duplicated(vapply(phrases, statement_of, "", judge = judge))]
  wanted <- do.call(rbind, lapply(phrases, function(phrase) {
    others <- unasked_pictures(judge, phrase, cases, pictures)
    both <- c(fill_in(judge$pattern[1], phrase$ask), fill_in(judge$pattern[2], phrase$ask))
    new_table(
      sha256 = rep(others$sha256, length(both)),
      case = rep(others$case, length(both)),
      statement = rep(both, each = nrow(others))
    )
  }))
  wanted <- wanted[!paste(wanted$sha256, wanted$statement) %in% asked_before, ]
  jobs <- lapply(split(wanted, factor(wanted$sha256, unique(wanted$sha256))), function(own) {
    case <- case_named(trial$suite, own$case[1])
    take <- takes[takes$sha256 == own$sha256[1] & takes$case == case$id, ][1, ]
    lapply(in_chunks(unique(own$statement), texts_at_once), function(statements) {
      subjects <- list(list(sha256 = own$sha256[1], take = take))
      list(case = case, subjects = subjects, statements = statements)
    })
  })
  unlist(unname(jobs), recursive = FALSE)
}

# What a judge said of a case's phrases: a row for each take and phrase, `value` for how far what
# the phrase speaks of is there, wanted or not, and whether it is wanted to be `absent`.
phrase_rows <- function(judge, takes, case, decoys, said) {
  phrases <- judged_phrases(judge, case)
  if (length(phrases) == 0) {
    return(NULL)
  }

  scores_of <- phrase_scorer(judge, takes$sha256, decoys(case), said)
  rows <- lapply(phrases, function(phrase) {
    said <- scores_of(phrase)
    as_table(c(
      list(value = presence(said$value, phrase), raw = said$raw),
      list(
        take = takes$take,
        sha256 = takes$sha256,
        case = takes$case,
        group = paste(takes$case, takes$pipeline),
        phrase = phrase$key,
        statement = statement_of(judge, phrase),
        absent = is_to_be_absent(phrase)
      )
    ))
  })
  do.call(rbind, rows)
}

# "No lettering" is as true of most pictures as "lettering" is false: what such a phrase is worth is
# told by what it denies.
presence <- function(value, phrase) if (denies(phrase)) 1 - value else value

# Whether what a phrase speaks of is to be absent.
is_to_be_absent <- function(phrase) xor(phrase$unwanted, denies(phrase))

denies <- function(phrase) {
  if (length(phrase$find)) {
    all(vapply(phrase$find, is_denial, NA))
  } else {
    grepl("^(no|without|not)\\b", tolower(phrase$ask))
  }
}

is_denial <- function(find) {
  switch(find$kind,
    thing = find$bound[2] == 0,
    lettering = find$of == "none",
    FALSE
  )
}

# What phrases of several cases have in common, if they ask the same.
statement_of <- function(judge, phrase) UseMethod("statement_of")

#' @export
statement_of.sprenn_judge <- function(judge, phrase) phrase$ask

# As evidence: what is wanted to be absent scores fully where it is.
as_evidence_rows <- function(rows) {
  if (is.null(rows)) {
    return(NULL)
  }

  rows$value <- ifelse(rows$absent, 1 - rows$value, rows$value)
  rows$axis <- rep("adherence", nrow(rows))
  rows <- rows[c("value", "raw", "axis", "take", "phrase")]
  rows[!is.na(rows$value), ]
}

# Evidence less chance, without what is not believed.
believed_rows <- function(rows, beliefs) {
  if (is.null(rows)) {
    return(NULL)
  }

  at <- match(statement_key(rows), statement_key(beliefs))
  rows$value <- above_chance(rows$value, beliefs$chance[at])
  as_evidence_rows(rows[beliefs$believed[at], ])
}

statement_key <- function(rows) paste(rows$statement, rows$absent)

# Pictures that nobody asked a statement of are spread over all cases: the first of each, and then
# the second. At most so many are compared where the judge has seen them anyway.
most_unasked_seen <- 60

# An answering judge is asked about `unasked` of them.
most_unasked <- function(judge) {
  if (inherits(judge, "sprenn_answering")) judge$unasked else most_unasked_seen
}

beliefs_of <- function(judge, evidence, cases, suite, takes, decoys, said) {
  none <- new_table(
    statement = character(),
    absent = logical(),
    asked = integer(),
    unasked = integer(),
    level = numeric(),
    chance = numeric(),
    p = numeric(),
    believed = logical()
  )
  if (is.null(evidence)) {
    return(none)
  }

  pictures <- pictures_of_all(judge, cases, suite, takes)
  keys <- statement_key(evidence)
  rows <- lapply(unique(keys), function(key) {
    own <- evidence[keys == key, ]
    # Takes of an engine that ignores seeds are one picture.
    own <- own[!duplicated(own$sha256), ]
    case <- case_named(suite, own$case[1])
    phrase <- Find(function(one) one$key == own$phrase[1], judged_phrases(judge, case))
    others <- unasked_pictures(judge, phrase, cases, pictures)
    value <- phrase_scorer(judge, others$sha256, decoys(case), said)(phrase)$value
    value <- presence(value, phrase)
    found <- if (own$absent[1]) {
      belief_in_absence(own$value, own$group, value)
    } else {
      belief_in(own$value, value)
    }
    new_table(
      statement = own$statement[1],
      absent = own$absent[1],
      asked = sum(!is.na(own$value)),
      unasked = found$unasked,
      level = mean_of_told(own$value),
      chance = found$chance,
      usual = usual_chance(judge, phrase),
      p = found$p,
      least = found$least,
      nowhere = found$nowhere,
      shown_before = is_in_reference(judge, phrase, case, suite, decoys, said)
    )
  })
  settle_beliefs(do.call(rbind, rows))
}

# With too few pictures to tell, a judge is believed, less its usual chance. One that told anything
# that is wanted is believed in what is to be absent too; one that told nothing of several
# statements is believed in none, and not to see nothing either.
settle_beliefs <- function(beliefs) {
  absent <- beliefs$absent
  told <- told_from_chance(beliefs$p, beliefs$least, ifelse(absent, 0, beliefs$chance))
  told[beliefs$shown_before] <- FALSE
  tested <- told[!absent & !is.na(told)]
  unproven <- (is.na(told) | (beliefs$nowhere & !told)) & !beliefs$shown_before
  proven <- told %in% TRUE
  worthless <- length(tested) >= fewest_tested && !any(tested)
  beliefs$believed <- proven | (unproven & !worthless) | (absent & any(tested))
  beliefs$chance <- ifelse(is.na(beliefs$chance), beliefs$usual, beliefs$chance)
  beliefs[c("statement", "absent", "asked", "unasked", "level", "chance", "p", "believed")]
}

# A judge that is believed in nothing finds no flaws either.
without_vain_flaws <- function(scores, beliefs) {
  vain <- nrow(beliefs) > 0 && !any(beliefs$believed)
  if (vain && NROW(scores)) scores[scores$axis != "flaws", ] else scores
}

# How often a judge says yes by chance where the suite can't tell.
usual_chance <- function(judge, phrase) UseMethod("usual_chance")

#' @export
usual_chance.sprenn_judge <- function(judge, phrase) 0

# Whether a job that puts something in another's place asks for what its reference has already.
is_in_reference <- function(judge, phrase, case, suite, decoys, said) UseMethod("is_in_reference")

#' @export
is_in_reference.sprenn_judge <- function(judge, phrase, case, suite, decoys, said) FALSE

# All pictures that a judge is shown, each once, in their order of comparison.
pictures_of_all <- function(judge, cases, suite, takes) {
  rows <- lapply(cases, function(case) {
    own <- takes[takes$case == case$id, ]
    hashes <- unique(vapply(case_subjects(judge, case, suite, own), `[[`, "", "sha256"))
    new_table(sha256 = sort(hashes), rank = seq_along(hashes), case = case$id)
  })
  table <- do.call(rbind, rows)
  table[order(table$rank), ]
}

# Of these, the pictures that nobody asked a phrase of, and of cases that speak of other things. A
# case that does not want what the phrase does is one of them.
unasked_pictures <- function(judge, phrase, cases, pictures) {
  words <- telling_words(c(phrase$ask, phrase$say))
  spoken <- function(phrases) {
    if (is_to_be_absent(phrase)) phrases else Filter(Negate(is_to_be_absent), phrases)
  }
  other <- Filter(function(case) {
    said <- telling_words(unlist(lapply(spoken(asked_phrases(case)), `[`, c("ask", "say"))))
    asked <- vapply(spoken(judged_phrases(judge, case)), statement_of, "", judge = judge)
    !any(words %in% said) && !statement_of(judge, phrase) %in% asked
  }, cases)
  pictures <- pictures[pictures$case %in% vapply(other, `[[`, "", "id"), ]
  utils::head(pictures[!duplicated(pictures$sha256), ], most_unasked(judge))
}

telling_words <- function(texts) {
  words <- tolower(unlist(strsplit(as.character(texts), "[^[:alnum:]]+")))
  unique(words[nchar(words) >= 4])
}
