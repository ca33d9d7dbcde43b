# Judges in a run: the questions, earlier answers, and the evidence from them. Answers are kept by
# judge, version, picture and statement as soon as they arrive, so nothing is asked twice and an
# interruption loses nothing.

# Asks the brief's judges the open questions about the takes that were made, and turns all answers
# into scores, with those that people gave in viewings. Returns a data frame with a row a judge:
# `judge`, `kind`, `version`, `asked` (calls), `from_before`, `problem` (NA, or why it stopped).
# `early` are those that were asked while the run made its takes.
ask_judges <- function(store, trial, lock, progress = NULL, early = list()) {
  judges <- trial$brief$judges
  beaten <- clock()
  # Other processes see the heartbeat.
  alive <- function() {
    if (clock() - beaten > 2) {
      beaten <<- clock()
      send_heartbeat(store, lock)
      if (is_asked_to_stop(store, lock)) {
        rlang::interrupt()
      }
    }
  }

  # Measuring again has deleted these scores; the answers are still there.
  record_viewed(store, trial$suite)
  forget_judges(store, names(judges))
  # A million takes are not read for nobody.
  takes <- if (length(judges) > 0) read_takes(store)
  takes <- takes[takes$state == "made" & is_judged(takes, trial), ]
  beliefs <- NULL
  shown <- NULL
  reports <- lapply(judges, function(judge) {
    # Also if this is interrupted.
    on.exit(judge$close())
    before <- Find(function(one) one$name == judge$name, early)
    found <- ask_judge(judge, store, trial, takes, alive, progress, before)
    if (!is.na(found$version)) {
      judged <- judged_scores(judge, found$version, store, trial, takes)
      measures <- c(judge$name, structure_measures(judge), flaw_measures(judge))
      replace_measures(store, measures, judged$scores)
      beliefs <<- rbind(beliefs, told_by(judge, judged$beliefs))
      shown <<- rbind(shown, told_by(judge, judged$shown))
    }

    found
  })
  none <- new_table(
    judge = character(),
    kind = character(),
    version = character(),
    asked = integer(),
    from_before = integer(),
    problem = character()
  )
  reports <- do.call(rbind, c(list(none), unname(reports)))
  set_facts(
    store,
    judges = to_json(
      lapply(seq_len(nrow(reports)), function(i) Filter(Negate(is.na), as.list(reports[i, ])))
    ),
    beliefs = to_json(beliefs),
    shown = to_json(shown)
  )
  reports
}

# Controls with another prompt are not judged, since they were not asked for these phrases.
is_judged <- function(takes, trial) {
  asked <- is.na(takes$control) | !control_inputs[takes$control] %in% "prompt"
  asked & takes$pipeline %in% trial$lineup$pipelines$pipeline
}

told_by <- function(judge, table) {
  if (!is.null(table)) {
    cbind(new_table(judge = rep(judge$name, nrow(table))), table)
  }
}

ask_judge <- function(judge, store, trial, takes, alive, progress, early = NULL) {
  report <- function(version, asked, before, problem) {
    said <- if (is.null(problem)) {
      NA_character_
    } else {
      safe_message(conditionMessage(problem), judge$secrets)
    }
    new_table(
      kind = judge$kind,
      version = version,
      asked = as.integer(asked),
      from_before = as.integer(before),
      problem = said,
      judge = judge$name
    )
  }

  version <- try_patiently(key = judge$name, between = alive, attempt = function() {
    tryCatch(judge$version(), sprenn_failure = identity, error = as_engine_error)
  })
  if (inherits(version, "condition")) {
    return(report(NA_character_, 0, 0, version))
  }

  known <- read_answers(store, judge$name, version)
  jobs <- open_questions(judge, trial, takes, known, store)
  done <- 0
  began <- clock()
  problem <- interview(
    jobs,
    judge,
    function(job, said) {
      record_answers(store, judge$name, version, answer_rows(judge, job, said))
      done <<- done + 1
      if (!is.null(progress)) {
        progress(
          done = done,
          total = length(jobs),
          failed = 0,
          seconds = clock() - began,
          words = paste("asking", judge$name)
        )
      }
    },
    alive
  )
  report(version, done + (early$asked %||% 0), nrow(known) - (early$kept %||% 0), problem)
}

# The open questions as jobs: `subjects` (a list of `sha256`, and how to get its `pixels`) and
# `statements`.
open_questions <- function(judge, trial, takes, known, store) {
  asked_before <- paste(known$subject, known$statement)
  decoys <- decoys_of(judge, trial$suite)
  takes <- takes[!duplicated(takes[c("case", "sha256")]), ]
  by_case <- split(takes, takes$case)
  own <- list()
  asked_now <- asked_before
  for (case in Filter(function(case) case$id %in% names(by_case), trial$suite$cases)) {
    asked <- questions_of_case(judge, case, trial$suite, by_case[[case$id]], decoys, asked_now)
    own <- c(own, list(asked))
    # Another case may have the same picture.
    asked_now <- c(asked_now, unlist(lapply(asked$jobs, pairs_asked)))
  }

  texts <- unique(as.character(unlist(lapply(own, `[[`, "texts"))))
  texts <- texts[!paste0(" ", texts, recycle0 = TRUE) %in% asked_before]
  jobs <- c(
    unlist(lapply(own, `[[`, "jobs"), recursive = FALSE),
    questions_about_others(judge, trial, takes, asked_before),
    lapply(in_chunks(texts, texts_at_once), function(chunk) {
      list(subjects = list(), statements = chunk)
    })
  )
  with_pixels(jobs, judge, trial, store)
}

with_pixels <- function(jobs, judge, trial, store) {
  lapply(jobs, function(job) {
    job$pixels <- function(subject) shown_pixels(subject, job$case, judge, trial, store)
    job
  })
}

# What a judge is asked about takes of one case, as `jobs`, and the `texts` that go with it.
questions_of_case <- function(judge, case, suite, takes, decoys, asked_before) {
  statements <- case_statements(judge, case, decoys)
  if (is.null(statements)) {
    return(NULL)
  }

  asked <- asked_of_pictures(judge, statements)
  lacking <- open_subjects(judge, case, suite, takes, asked, asked_before)
  list(
    jobs = lapply(in_chunks(lacking, judge$batch), function(chunk) {
      list(case = case, subjects = chunk, statements = asked)
    }),
    texts = asked_of_texts(judge, statements)
  )
}

texts_at_once <- 64

# The pictures of a case that have not been asked about everything.
open_subjects <- function(judge, case, suite, takes, asked, asked_before) {
  subjects <- case_subjects(judge, case, suite, takes)
  pairs <- pairs_asked(list(subjects = subjects, statements = asked))
  known <- matrix(pairs %in% asked_before, ncol = length(subjects))
  subjects[colSums(!known) > 0]
}

# Each picture of a job with each statement, all of the first picture before the next.
pairs_asked <- function(job) {
  hashes <- vapply(job$subjects, `[[`, "", "sha256")
  statements <- if (length(job$statements)) job$statements else ""
  paste(rep(hashes, each = length(statements)), rep(statements, times = length(hashes)))
}

# A picture as a judge is shown it: in its case's frame, no larger than it wants it.
shown_pixels <- function(subject, case, judge, trial, store) {
  frame <- case_frame(case, trial$suite)
  seen <- if (is.null(subject$take)) {
    fitted_reference(case, trial$suite)
  } else {
    bring_back(decode_picture(encoded_picture(take_bytes(store, subject$take))), frame)
  }
  # An engine may have made another size, and pictures of a call are of one.
  sized_for(judge, seen, frame)
}

# A picture of `size`, but no larger than a judge wants it.
sized_for <- function(judge, pixels, size = dim(pixels)[2:1]) {
  resize_picture(pixels, as.integer(pmax(1, round(size * min(1, judge$edge / max(size))))))
}

# What a judge says of pictures of no case: a list, or the failure that ended it. `pictures` are
# functions that return pixels.
said_of_pictures <- function(judge, pictures) {
  found <- vector("list", length(pictures))
  jobs <- lapply(seq_along(pictures), function(i) {
    list(
      subjects = list(list(sha256 = as.character(i))),
      statements = character(),
      pixels = function(subject) pictures[[i]]()
    )
  })
  problem <- interview(jobs, judge, function(job, said) {
    found[as.integer(job$subjects[[1]]$sha256)] <<- said[1]
  })
  problem %||% found
}

# Runs the jobs, with `at_once` calls in flight if the judge is a server; answers are kept as they
# arrive. Temporary failures are retried; any other ends the judge and is returned. Earlier
# answers are kept.
interview <- function(jobs, judge, land, alive = function() NULL) {
  talks <- Conversations$new(judge$at_once)
  waiting <- lapply(jobs, function(job) list(job = job, tries = 0, due = 0))
  problem <- NULL
  settle <- function(entry, said) {
    outcome <- settle_answer(judge, entry, said)
    if (!is.null(outcome$said)) {
      land(entry$job, outcome$said)
    }

    waiting <<- c(waiting, outcome$again)
    problem <<- problem %||% outcome$problem
  }

  send <- function(entry) {
    said <- put_to_judge(judge, entry$job)
    # R code would give the same answer again, so it is not retried.
    entry$tries <- if (is_turn(said)) entry$tries + 1 else most_tries
    talks$begin(said, function(said) settle(entry, said))
  }

  while (is.null(problem) && (length(waiting) || talks$count)) {
    alive()
    due <- if (talks$count < judge$at_once) first_due(waiting)
    if (is.null(due)) {
      talks$step(0.2)
      # Nothing is in flight, and the rest waits for its retry time.
      steady_sleep(if (talks$count == 0) 0.05 else 0)
    } else {
      entry <- waiting[[due]]
      waiting <- waiting[-due]
      send(entry)
    }
  }

  problem
}

put_to_judge <- function(judge, job) {
  tryCatch(
    {
      shown <- lapply(job$subjects, function(subject) {
        list(sha256 = subject$sha256, pixels = job$pixels(subject))
      })
      judge$ask(shown, job$statements)
    },
    sprenn_failure = identity,
    sprenn_error = stop,
    error = as_engine_error
  )
}

# The first of those that wait whose time has come; NULL if there is none.
first_due <- function(waiting) {
  Find(function(i) waiting[[i]]$due <= clock(), seq_along(waiting))
}

# The outcome of an answer: what was `said`, the entry `again` in a list, or a `problem`.
settle_answer <- function(judge, entry, said) {
  said <- checked_answer(judge, entry$job, said)
  if (!inherits(said, "condition")) {
    return(list(said = said))
  }

  pause <- retry_pause(said, entry$tries, judge$name)
  if (is.null(pause)) {
    return(list(problem = said))
  }

  entry$due <- clock() + pause
  list(again = list(entry))
}

checked_answer <- function(judge, job, said) {
  if (inherits(said, "condition")) {
    return(said)
  }

  tryCatch(check_said(judge, said, job$subjects, job$statements), sprenn_failure = identity)
}
