# How engines are tried on the command line: pictures side by side, and what described services
# were sent, answered, and what was read of it.

# One picture of each engine, side by side.
show_tries <- function(trial, names, given) {
  tried <- try_engines(trial, given$case, names)
  tries <- tried$tries
  file <- given$out %||% file.path(given$places, "tried.png")
  draw_tries(tried, file, given$width)
  failed <- tries[tries$state != "made", ]
  status <- if (nrow(failed)) 1L else 0L
  if (given$json) {
    return(tell_json(
      list(
        case = tried$case,
        file = file,
        tries = tries[c("engine", "state", "message", "seconds", "waited", "cost")],
        answers = tried$answers
      ),
      status
    ))
  }

  cat("\nOne picture each, of ", tried$case, ":\n", sep = "")
  cat(
    text_table(list(
      engine = tries$engine,
      state = gsub("_", " ", tries$state),
      seconds = two(tries$seconds),
      "in queue" = two(tries$waited),
      cost = ifelse(is.na(tries$cost), "-", format(tries$cost))
    )),
    sep = "\n"
  )
  for (i in seq_len(nrow(failed))) {
    words <- paste0(
      failed$engine[i], ": ",
      sub("[.]?$", ". ", failed$message[i]), "What to do: ",
      failure_words[[failed$state[i]]], "."
    )
    cat(strwrap(words, 100, initial = "  - ", prefix = "    "), sep = "\n")
  }

  show_answers(trial, tried$answers, dirname(file))
  cat("\nThey are drawn side by side in ", file, "\n", sep = "")
  status
}

# What described services answered and what was read of it; each answer is kept in a file, to be
# read again with --replay.
show_answers <- function(trial, answers, folder) {
  for (name in unique(answers$engine)) {
    cat("\n", name, ", what was sent, answered and read:\n", sep = "")
    service <- trial$lineup$engines[[name]]$service
    own <- answers[answers$engine == name, ]
    nth <- stats::ave(seq_len(nrow(own)), own$role, FUN = seq_along)
    of_role <- paste0(own$role, ifelse(nth > 1, paste0("-", nth), ""))
    for (i in seq_len(nrow(own))) {
      sent <- strsplit(own$sent[i], "\n", fixed = TRUE)[[1]]
      cat("  ", own$role[i], ": ", own$call[i], "\n", sep = "")
      cat(paste0("    ", c(sent, paste(">", answer_headline(own[i, ]))), "\n"), sep = "")
      if (!is.na(own$status[i]) && own$role[i] != "picture") {
        tryCatch(
          show_readings(readings_of(service, own$role[i], answer_from_message(own$message[i]))),
          sprenn_failure = function(e) cat("    ", conditionMessage(e), "\n", sep = "")
        )
        kept <- file.path(folder, paste0("tried-", name, "-", of_role[i], ".http"))
        write_lines(own$message[i], kept)
        cat("    kept in ", kept, "\n", sep = "")
      }
    }
  }
}

answer_headline <- function(row) {
  if (is.na(row$status)) {
    return(row$message)
  }

  type <- sub(".*\ncontent-type: *([^\n]*)\n.*", "\\1", row$message)
  paste0(row$status, " after ", two(row$seconds), " s", if (type != row$message) paste0(", ", type))
}

show_readings <- function(readings, indent = "    ") {
  lines <- text_table(list(
    read = readings$field,
    at = readings$at,
    found = ifelse(is.na(readings$found), "nothing", clean_text(readings$found))
  ))
  cat(paste0(indent, lines[-1], recycle0 = TRUE), sep = "\n")
}

show_preview <- function(trial, names, given) {
  described <- described_engines(trial)
  chosen <- intersect(names %||% described, described)
  others <- setdiff(names %||% names(trial$lineup$engines), described)
  preview <- preview_calls(trial, given$case, chosen)
  if (given$json) {
    return(tell_json(preview[c("case", "calls")]))
  }

  cat(format(preview), sep = "\n")
  if (length(others)) {
    cat("Only described services are shown, so not: ", toString(others), "\n", sep = "")
  }

  cat("Nothing was sent.\n")
  0L
}

show_replay <- function(trial, names, given) {
  if (length(names) != 1) {
    stop_sprenn(
      "usage",
      c(
        "--replay needs one --engine.",
        i = "Such as `sprenn engines my-trial --engine burdock --replay answer.json`."
      )
    )
  }

  readings <- replay_answer(trial, names, given$replay)
  if (given$json) {
    return(tell_json(readings))
  }

  show_readings(readings, "")
  0L
}
