# What steps give their engines, held against what these take and what the cases have.

# Problems of a step with its engine; `step` is written out, `stage` its place in the chain.
gives_problems <- function(step, about, stage, problem) {
  bind_problems(
    guides_taken(step$guides, about, problem),
    reference_taken(step$reference, about, stage, problem),
    list(
      not_taken(step$look, !identical(step$look$from, "none"), "look", "look", about, problem),
      not_taken(step$mask, !identical(step$mask, "none"), "mask", "mask", about, problem),
      not_taken(step$wording$negative, TRUE, "negative", "wording.negative", about, problem)
    ),
    enlarge_taken(step, about, problem),
    phrases_taken(step, about, problem)
  )
}

enlarge_taken <- function(step, about, problem) {
  times <- step$enlarge %||% 1
  list(
    if (times > about$enlarge) {
      problem(
        "enlarge",
        times,
        if (about$enlarge == 1) {
          paste0("nothing: ", about$name, " does not enlarge")
        } else {
          paste0("no more than ", about$enlarge, ", which is what ", about$name, " can")
        }
      )
    },
    if (times > 1 && is.list(step$mask) && identical(step$mask$show, "part")) {
      problem("enlarge", "together with mask.show: part", "one of them: a part is put back")
    }
  )
}

not_taken <- function(value, used, input, key, about, problem) {
  if (!is.null(value) && used && !input %in% about$takes) {
    problem(
      key,
      paste0(input_words[[input]], ", which ", about$name, " does not take"),
      paste0("what it takes: ", listed(c("a prompt and a reference", input_words[about$takes])))
    )
  }
}

guides_taken <- function(guides, about, problem) {
  named <- intersect(guide_kinds, names(guides))
  used <- Filter(function(kind) !identical(as.numeric(guides[[kind]]$weight), 0), named)
  used <- c(used, intersect(guide_kinds, guides$kind))
  known <- intersect(guide_kinds, about$takes)
  lapply(setdiff(used, known), function(kind) {
    problem(
      if (kind %in% guides$kind) "guides.kind" else paste0("guides.", kind),
      paste0(input_words[[kind]], ", which ", about$name, " does not take"),
      if (length(known)) paste("one of its guides:", listed(known)) else "no guides: it takes none"
    )
  })
}

reference_taken <- function(reference, about, stage, problem) {
  sources <- if (stage == 1) c("case", "none") else c("before", "both", "none")
  from <- reference$from %||% sources[1]
  needs <- c(none = "text_alone", both = "references")[from]
  list(
    if (!from %in% sources) {
      problem(
        "reference.from",
        quoted(from),
        paste0(
          "one of ", listed(sources), " in a ", if (stage == 1) "first" else "later", " step"
        )
      )
    } else if (!is.na(needs)) {
      not_taken(reference, TRUE, needs, "reference.from", about, problem)
    },
    not_taken(reference$weights, TRUE, "references", "reference.weights", about, problem),
    if (all(c("weight", "weights") %in% names(reference))) {
      problem("reference.weights", "both weight and weights", "one of them")
    }
  )
}

phrases_taken <- function(step, about, problem) {
  stressed <- c(
    if (length(step$phrases)) "phrases",
    if (!is.null(step$wording$emphasis)) "wording.emphasis"
  )
  numbered <- grepl("^[1-9][0-9]?$", names(step$phrases))
  c(
    if (about$emphasis == "none") {
      lapply(stressed, function(key) {
        found <- paste0("emphasis, which ", about$name, " does not have")
        problem(key, found, "no weights of phrases on this engine")
      })
    },
    lapply(names(step$phrases)[!numbered], function(key) {
      problem(paste0("phrases.", key), quoted(key), "the place of a phrase: 1 is the first")
    }),
    if (!is.null(step$wording$before) && identical(step$wording$before, step$wording$after)) {
      list(problem("wording.after", "the same as before the prompt", "other words"))
    }
  )
}

# The inputs of a case, as a step gives it, that an engine may or may not take.
inputs_of <- function(case) {
  c(
    if (!is.na(case$look) || shows_reference_as_look(case)) "look",
    if (!is.null(case$mask) || any(case$grow > 0) || identical(case$reference$fit, "extend")) {
      "mask"
    },
    if (length(case$references) > 1) "references",
    if (length(case$references) == 0) "text_alone",
    if (length(case$negative)) "negative",
    names(case$guides)
  )
}

# The reference may be shown for its manner, in place of a look or beside it.
shows_reference_as_look <- function(case) {
  isTRUE(case$look_from %in% c("reference", "both")) && !is.null(case$reference)
}

# A later step has the picture of the step before in place of the references.
step_inputs <- function(case, stage) {
  if (stage == 1) {
    return(inputs_of(case))
  }

  c(
    setdiff(inputs_of(case), c("references", "text_alone")),
    switch(case$reference_from %||% "before",
      both = "references",
      none = "text_alone"
    )
  )
}

# Inputs of a pipeline that its engine does not take, or that its cases don't have: an error before
# anything is made, unless the pipeline says to leave them out. A fresh picture or several
# references can't be left out, since then something else would be asked. `ids` are those of all
# pipelines of the file.
fit_problems <- function(trial, ids) {
  steps <- all_steps(trial$lineup)
  cases <- trial$suite$cases
  owner <- sub(":[0-9]+$", "", steps$pipeline)
  written <- is.na(steps$sweep) | steps$sweep == owner
  # Of a sweep's members, only what differs in the inputs that they give.
  shape <- vapply(
    seq_len(nrow(steps)),
    function(i) {
      hash_of(list(
        steps$engine[i], steps$stage[i], steps$jobs[[i]], steps$if_missing[i],
        shape_of_gives(steps$gives[[i]])
      ))
    },
    ""
  )
  checked <- written | (!duplicated(shape) & !shape %in% shape[written])
  bind_problems(
    controlled_problems(trial, ids),
    lapply(which(checked), function(i) {
      place <- if (written[i]) paste0("pipelines[", match(owner[i], ids), "]") else "sweeps"
      whose <- if (written[i]) "" else paste0(steps$pipeline[i], ": ")
      mine <- Filter(function(case) case$job %in% steps$jobs[[i]], cases)
      if (length(mine) == 0) {
        return(if (is.na(steps$follows[i])) no_case_problem(place, cases))
      }

      about <- trial$lineup$engines[[steps$engine[i]]]$about
      bind_problems(
        misfits(steps[i, ], mine, about, place, whose),
        drafter_problems(steps[i, ], mine, trial$lineup$engines, place, whose)
      )
    })
  )
}

# Pipelines that are to get controls and don't exist; those of engines that could not be reached
# were left out with them.
controlled_problems <- function(trial, ids) {
  named <- trial$lineup$control_sample$pipelines
  known <- trial$lineup$pipelines$pipeline
  left_out <- unlist(trial$unreached$pipelines)
  missing <- which(!named %in% known & !sub("/.*$", "", named) %in% left_out)
  bind_problems(lapply(missing, function(k) {
    new_problem(
      "lineup.yml",
      paste0("control_sample.pipelines[", k, "]"),
      quoted(named[k]),
      paste("one of the pipelines:", shorten_list(known, most = 12)),
      nearest_word(named[k], known)
    )
  }))
}

# Prompts that are to be drafted by an engine that can't, or for cases with nothing to draft from.
drafter_problems <- function(step, cases, engines, place, whose) {
  wording <- step$gives[[1]]$wording
  if (!isTRUE(wording$prompt %in% drafting)) {
    return(no_problems())
  }

  able <- names(Filter(function(engine) !is.null(engine$caption), engines))
  bare <- vapply(cases, function(case) is.null(case$reference), NA)
  ids <- vapply(cases, `[[`, "", "id")
  bind_problems(list(
    if (!isTRUE(wording$drafted_by %in% able)) {
      new_problem(
        "lineup.yml",
        paste0(place, ".wording.drafted_by"),
        paste0(
          whose,
          if (is.null(wording$drafted_by)) "nothing" else quoted(wording$drafted_by)
        ),
        if (length(able)) {
          paste("an engine that can caption:", listed(able))
        } else {
          "an engine that can caption; none of this lineup can"
        }
      )
    },
    if (any(bare)) {
      new_problem(
        "lineup.yml",
        paste0(place, ".wording.prompt"),
        paste0(whose, quoted(wording$prompt), " for ", shorten_list(ids[bare])),
        "cases with a reference to draft a prompt from, or jobs: a list of those that have one"
      )
    }
  ))
}

# What decides which inputs a step gives: not how much of each.
shape_of_gives <- function(gives) {
  if (is.list(gives)) {
    lapply(gives, shape_of_gives)
  } else if (is.numeric(gives)) {
    gives > 0
  } else {
    gives
  }
}

no_case_problem <- function(place, cases) {
  has <- unique(vapply(cases, `[[`, "", "job"))
  new_problem(
    "lineup.yml",
    paste0(place, ".jobs"),
    "no case of these jobs",
    paste("jobs that the suite has:", listed(has))
  )
}

# Where a step and the cases that it meets do not fit.
misfits <- function(step, cases, about, place, whose) {
  ids <- vapply(cases, `[[`, "", "id")
  given <- lapply(cases, given_case, step$gives[[1]], step$stage)
  drops <- step$if_missing == "drop"
  kept <- c("text_alone", "references")
  lacking <- lapply(given, function(case) setdiff(step_inputs(case, step$stage), about$takes))
  if (drops) {
    lacking <- lapply(lacking, intersect, kept)
  }

  problem <- function(wrong, found, wanted) {
    new_problem("lineup.yml", place, paste0(whose, shorten_list(ids[wrong]), found), wanted)
  }
  has <- function(lists, one) vapply(lists, function(own) one %in% own, NA)
  not_taken <- lapply(unique(unlist(lacking)), function(input) {
    problem(
      has(lacking, input),
      paste0(" with ", input_words[[input]], ", which ", about$name, " does not take"),
      if (input %in% kept) {
        "jobs: a list of those that it can do"
      } else {
        "if_missing: drop, to leave it out, or jobs: a list of those that it can do"
      }
    )
  })
  missing <- if (drops) list() else lapply(given, `[[`, "lacking")
  not_there <- lapply(unique(unlist(missing)), function(one) {
    problem(
      has(missing, one),
      paste0(" without ", one, ", which the pipeline gives"),
      "if_missing: drop, to go without it there, or jobs: a list of those that have it"
    )
  })
  bind_problems(
    not_taken,
    not_there,
    list(
      twice_said(cases, given, problem),
      lost_reference(given, problem)
    )
  )
}

# Wording that says what a phrase of the case says already.
twice_said <- function(cases, given, problem) {
  says <- function(case) tolower(vapply(case$prompt, `[[`, "", "say"))
  twice <- mapply(
    function(case, own) anyDuplicated(says(own)) > 0 && anyDuplicated(says(case)) == 0,
    cases,
    given
  )
  if (any(twice)) {
    problem(
      twice,
      " with a phrase that the pipeline's wording says again",
      "wording that is not a phrase of the prompt"
    )
  }
}

# What may not change needs its reference.
lost_reference <- function(given, problem) {
  lost <- vapply(
    given,
    function(case) {
      identical(case$reference_from, "none") &&
        !is.null(case$reference) &&
        (case$job %in% c("repair", "edit", "extend", "blend") || "mask" %in% inputs_of(case))
    },
    NA
  )
  if (any(lost)) {
    problem(
      lost,
      " without their reference",
      "a reference wherever a part of it is to stay, or jobs: a list of the others"
    )
  }
}
