#' Draft checks of what prompts say
#'
#' Reads every phrase of a suite, in English, and writes the checks that it can think of into
#' `suite.yml`, for a person to look at: colours and where they are, light, tones, how full or plain
#' a picture is. Each carries how the phrase was understood, and a mark: it counts as drafted until
#' somebody edits it. Nothing else in the file changes, comments included.
#'
#' Phrases with a check of a person's own are left alone; drafted checks that nobody has edited are
#' replaced. What is not understood for certain is left unread. Things, people and lettering are
#' drafted as what a judge is to look for if the brief names one that tells of them (kind `local` or
#' `finding`), and only named if not.
#'
#' @param trial A trial's folder. Its suite must have no other problem than drafted checks of words
#'   that were edited since.
#' @param cases Ids of the cases to draft checks for; all if `NULL`.
#' @return A data frame with a row for each phrase: `case`, `part` (`prompt` or `negative`),
#'   `phrase`, `state` (`drafted`, `own` where a person wrote the check, `for a judge`, `unread`),
#'   `read_as` (how it was understood, `NA` if it was not) and `check` (what is measured, `NA` where
#'   nothing is). Invisibly.
#' @section Errors: `sprenn_error_trial` when the suite has other problems;
#'   `sprenn_error_argument` for an unknown case; `sprenn_error_draft` if the file can't be edited
#'   or written; it is then left unchanged.
#' @family trials
#' @export
#' @examples
#' folder <- file.path(tempdir(), "evidence-example")
#' new_trial(folder, demo = TRUE, cases = 4)
#' draft_evidence(folder)[c("phrase", "state", "read_as")]
#' unlink(folder, recursive = TRUE)
draft_evidence <- function(trial, cases = NULL) {
  check_arguments(
    trial = checkmate::check_directory_exists(trial),
    cases = checkmate::check_character(cases, any.missing = FALSE, null.ok = TRUE)
  )
  folder <- normalizePath(trial, winslash = "/")
  own <- read_draftable(folder, "[.]drafted$")
  ids <- vapply(own$cases, `[[`, "", "id")
  stop_for_unknown(cases, ids, "The suite", "case")
  tells <- parts_told(read_trial_file(folder, "brief.yml")$value$judges)
  todo <- if (is.null(cases)) seq_along(ids) else match(cases, ids)
  rows <- list()
  lines <- own$text
  wanted <- own$value
  # From the last case to the first, so that line numbers stay valid.
  for (i in sort(todo, decreasing = TRUE)) {
    for (part in c("negative", "prompt")) {
      written <- own$written[[i]][[part]]
      read <- draft_part(written, tells)
      rows <- c(lapply(read, shown_draft, ids[i], part), rows)
      changed <- which(vapply(read, `[[`, NA, "changed"))
      if (length(changed)) {
        phrases <- lapply(read, `[[`, "phrase")
        lines <- put_changed(lines, own$written[[i]], i, part, phrases, changed)
        wanted$cases[[i]][[part]] <- phrases
        own$written[[i]][[part]] <- phrases
      }
    }
  }

  if (!identical(lines, own$text)) {
    write_suite(folder, lines, wanted)
  }

  invisible(do.call(rbind, c(list(no_drafts()), rows)))
}

# The drafted checks of a suite that nobody has edited: a row for each phrase.
drafted_checks <- function(suite) {
  rows <- lapply(suite$cases, function(case) {
    lapply(Filter(function(phrase) length(phrase$read_as) > 0, asked_phrases(case)), function(one) {
      new_table(case = case$id, phrase = one$key, read_as = paste(one$read_as, collapse = "; "))
    })
  })
  none <- new_table(case = character(), phrase = character(), read_as = character())
  do.call(rbind, c(list(none), unlist(rows, recursive = FALSE)))
}

no_drafts <- function() {
  new_table(
    case = character(),
    part = character(),
    phrase = character(),
    state = character(),
    read_as = character(),
    check = character()
  )
}

# The phrases of a prompt or negative prompt, as written, each with what is drafted for it: `phrase`
# (as it is to be written), whether it is `changed`, its `state`, and how it was `read`.
draft_part <- function(written, tells) {
  if (is.null(written) || identical(written, "neutral")) {
    return(list())
  }

  lapply(as.list(written), function(phrase) {
    record <- as_phrase(phrase)
    checks <- c(probes_of(record), finds_of(record))
    by_hand <- Filter(function(check) draft_state(record$say, check) == "own", checks)
    if (length(by_hand)) {
      return(list(phrase = phrase, changed = FALSE, state = "own", read = NA_character_))
    }

    draft_phrase(phrase, record, tells)
  })
}

draft_phrase <- function(phrase, record, tells) {
  drafted <- draft_checks(record$say, tells)
  before <- record[c("probe", "find")]
  record$probe <- one_or_list(drafted$probes)
  record$find <- one_or_list(drafted$finds)
  same <- identical(before, record[c("probe", "find")])
  read <- c(drafted$read_as, drafted$for_judges)
  list(
    phrase = if (same) phrase else record,
    changed = !same,
    state = if (length(drafted$probes) + length(drafted$finds)) {
      "drafted"
    } else if (length(drafted$for_judges)) {
      "for a judge"
    } else {
      "unread"
    },
    read = if (length(read)) paste(read, collapse = "; ") else NA_character_
  )
}

# Checks as a file has them: one alone, or a list.
one_or_list <- function(checks) if (length(checks) == 1) checks[[1]] else if (length(checks)) checks

shown_draft <- function(one, case, part) {
  record <- as_phrase(one$phrase)
  checks <- c(
    vapply(probes_of(record), function(probe) probe_words(build_probe(probe)), ""),
    vapply(finds_of(record), function(find) find_words(build_find(find)), "")
  )
  new_table(
    case = case,
    part = part,
    phrase = record$say,
    state = one$state,
    read_as = one$read,
    check = if (length(checks)) paste(checks, collapse = "; ") else NA_character_
  )
}

# Puts phrases into the lines of a case: only the `changed` ones where each begins a line of its
# own, and else all of them.
put_changed <- function(lines, case, i, part, phrases, changed) {
  places <- locate_places(lines)
  first <- places[paste0("cases[", i, "].", part, "[", seq_along(phrases), "]")]
  apart <- !anyNA(first) && !anyDuplicated(first) && all(grepl("^ *- ", lines[first]))
  if (!apart) {
    return(put_phrases(lines, case, i, phrases, part))
  }

  for (k in rev(changed)) {
    from <- first[[k]]
    indent <- sub("^( *).*", "\\1", lines[from])
    last <- end_of_value(lines, from, length(lines), indent)
    # What follows on the same level is the next phrase.
    if (k < length(phrases)) {
      last <- min(last, first[[k + 1]] - 1)
    }

    last <- last_said(lines, from, last)
    block <- with_comments(yaml_block(list(phrases[[k]]), indent), lines[from:last])
    lines <- c(lines[seq_len(from - 1)], block, lines[-seq_len(last)])
  }

  lines
}
