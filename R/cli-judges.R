# The command for judges: listing, trying and installing them.

cli_judges <- function(given) {
  if (given$install) {
    return(cli_install_judges(given))
  }

  if (length(given$places) != 1) {
    stop_for_places("judges", "TRIAL", given$places)
  }

  show_trial_judges(given, read_shown(given$places))
}

show_trial_judges <- function(given, trial) {
  judges <- list_judges(trial)
  status <- if (all(is.na(judges$problem))) 0L else 1L
  tried <- if (given$try && nrow(judges)) try_judges(trial, given$case, given$picture)
  file <- if (length(tried$findings)) draw_found(tried, given)
  if (given$json) {
    said <- if (!is.null(tried)) c(unclass(tried)[c("answers", "case", "picture")], file = file)
    return(tell_json(list(judges = judges, tried = said), status))
  }

  if (nrow(judges) == 0) {
    cat(paste0(
      "The brief names no judges: only probes and viewings can say what is in a picture.\nHow ",
      "to name one: docs/judges.md\n"
    ))
    return(0L)
  }

  show_judges(judges)
  if (is.null(tried)) {
    return(status)
  }

  show_tried(tried)
  if (!is.null(file)) {
    cat("\nWhat was found, over the picture: ", file, "\n", sep = "")
  }

  0L
}

cli_install_judges <- function(given) {
  # With --json nothing but the result goes to the standard output.
  tell <- function(line) cat(line, "\n", sep = "", file = if (given$json) stderr() else "")
  found <- if (length(given$places)) {
    install_judges(given$places, tell)
  } else {
    list_local_judges()
  }
  if (given$json) {
    return(tell_json(list(judges = found)))
  }

  if (length(given$places)) {
    cat(paste0(
      "\nTo use ", if (length(given$places) > 1) "them" else "it", ", name ",
      if (length(given$places) > 1) "them" else "it", " in brief.yml:\n\n  judges:\n"
    ))
    cat(sprintf("    %s: {kind: local}\n", unique(given$places)), sep = "")
    return(0L)
  }

  for (i in seq_len(nrow(found))) {
    cat(found$judge[i], " ", found$version[i], ": finds ", found$finds[i], "\n", sep = "")
    say_item(paste0(found$size[i], "; ", found$licence[i]))
    say_item(if (found$installed[i]) "installed" else paste("not here:", found$lacks[i]))
  }

  cat("\n")
  next_steps(paste("sprenn judges --install", paste(found$judge, collapse = " ")))
  0L
}

draw_found <- function(tried, given) {
  file <- given$out %||% file.path(given$places, "found.png")
  size <- dim(tried$pixels)
  width <- min(1600, 640 * length(tried$findings) + 60)
  high <- size[1] / size[2] / length(tried$findings)
  save_figure(draw_findings(tried), file, width, round(width * high) + 150, times = 1)
  file
}

show_judges <- function(judges) {
  cat(
    text_table(list(
      judge = judges$judge,
      kind = judges$kind,
      version = ifelse(is.na(judges$version), "-", judges$version),
      batch = as.character(judges$batch),
      edge = as.character(judges$edge)
    )),
    sep = "\n"
  )
  for (i in which(!is.na(judges$problem))) {
    say_item(paste0(judges$judge[i], ": ", judges$problem[i]))
  }
}

show_tried <- function(tried) {
  answers <- tried$answers
  cat(
    "\nAnswers about ", tried$picture, ", as case ", tried$case, " shows it:\n",
    sep = ""
  )
  cat(
    text_table(list(
      judge = answers$judge,
      phrase = ifelse(is.na(answers$phrase), "", answers$phrase),
      value = two(answers$value),
      raw = two(answers$raw),
      said = answers$said
    )),
    sep = "\n"
  )
  cat(
    "\nThe value is the evidence: 0 absent, 1 present. Raw is the probability of the statement",
    "alone, or how many standard deviations nearer the phrase is than the decoys.",
    sep = "\n"
  )
}

# Reports the outcome of asking the judges in a run.
report_judged <- function(judged) {
  for (i in seq_len(NROW(judged))) {
    one <- judged[i, ]
    cat(
      one$judge, " (", one$kind, "): ",
      count_words(one$asked, "call"), ", ",
      count_words(one$from_before, "answer"), " from before.\n",
      sep = ""
    )
    if (!is.na(one$problem)) {
      cat(
        strwrap(
          paste0(
            "It has not answered everything: ", one$problem,
            " Its answers are kept; `sprenn score` asks the rest."
          ),
          100,
          initial = "  - ",
          prefix = "    "
        ),
        sep = "\n"
      )
    }
  }
}
