# Progress on standard error: a line that is redrawn in a terminal; in a pipe or a log, a new line
# for every tenth.

progress_bar <- function(what, stream = stderr(), live = isatty(stream)) {
  shown <- -1
  last <- ""
  function(done, total, failed, seconds, words = "", ...) {
    share <- done / total
    if (!identical(words, last)) {
      shown <<- -1
    }

    last <<- words
    text <- progress_text(if (nzchar(words)) words else what, done, total, failed, seconds)
    if (live) {
      filled <- floor(24 * share)
      bar <- paste0(strrep("#", filled), strrep(".", 24 - filled))
      cat(
        "\r", bar, " ", formatC(text, width = -64),
        if (done == total) "\n",
        sep = "",
        file = stream
      )
    } else if (floor(10 * share) > shown || done == 1) {
      shown <<- floor(10 * share)
      cat(text, "\n", sep = "", file = stream)
    }
  }
}

progress_text <- function(what, done, total, failed, seconds) {
  left <- ceiling(seconds / done * (total - done))
  paste0(
    what,
    " ",
    done,
    " of ",
    total,
    if (failed > 0) paste0(", ", failed, " failed"),
    if (done < total && done < 5) {
      ""
    } else if (done < total) {
      paste0(
        ", about ",
        show_seconds(left),
        " left"
      )
    } else {
      paste0(", ", round(seconds), " s")
    }
  )
}

# Progress of a run: a heading and a line for each engine. In a terminal they are redrawn in
# place; elsewhere there is one line for every tenth, and at least one a minute.
run_progress <- function(stream = stderr(), live = isatty(stream)) {
  shown <- list(share = -1, at = -Inf, lines = 0, words = "", asking = "")
  function(
    done,
    total,
    failed,
    seconds,
    flying = 0,
    scored = 0,
    to_score = 0,
    asked = 0,
    to_ask = 0,
    cost = 0,
    left = NA,
    words = "",
    engines = NULL
  ) {
    over <- done >= total && scored >= to_score && asked >= to_ask
    lines <- c(
      run_words(
        done,
        total,
        failed,
        seconds,
        flying,
        scored,
        to_score,
        asked,
        to_ask,
        cost,
        left,
        words,
        over
      ),
      if (!over) engine_words(engines)
    )
    asking <- if (to_ask > 0) words else ""
    if (asking != shown$asking) {
      # What the run or the judge before came to stays.
      shown <<- list(share = -1, at = -Inf, lines = 0, words = "", asking = asking)
    }

    if (live) {
      up <- if (shown$lines > 0) paste0("\033[", shown$lines, "A") else ""
      gone <- max(0, shown$lines - length(lines))
      cat(
        up,
        paste0("\r\033[K", substr(lines, 1, terminal_width() - 1), "\n"),
        rep("\033[K\n", gone),
        if (gone) paste0("\033[", gone, "A"),
        sep = "",
        file = stream
      )
      shown$lines <<- length(lines)
      return(invisible())
    }

    whole <- total + to_score + to_ask
    share <- if (whole > 0) floor(10 * (done + scored + asked) / whole) else 10
    if (share > shown$share || seconds - shown$at >= 60 || !identical(words, shown$words)) {
      shown[c("share", "at", "words")] <<- list(share, seconds, words)
      cat(paste(trimws(gsub(" +", " ", lines)), collapse = "; "), "\n", sep = "", file = stream)
    }
  }
}

run_words <- function(
  done,
  total,
  failed,
  seconds,
  flying,
  scored,
  to_score,
  asked,
  to_ask,
  cost,
  left,
  words,
  over
) {
  paste0(
    if (total > 0) paste0("made ", done - failed, " of ", total),
    if (failed > 0) paste0(", ", failed, " failed"),
    if (flying > 0) paste0(", ", flying, " in flight"),
    if (to_score > 0) paste0(if (total > 0) ", ", "measured ", scored, " of ", to_score),
    if (to_ask > 0) paste0(words, ": ", asked, " of ", to_ask, " calls"),
    if (cost > 0) paste0(", cost ", show_money(cost)),
    if (over) {
      paste0(", ", show_seconds(seconds))
    } else if (!is.na(left) && seconds > 2) {
      paste0(", about ", show_seconds(left), " left")
    },
    if (nzchar(words) && to_ask == 0) paste0(" - ", words)
  )
}

engine_words <- function(engines) {
  if (is.null(engines) || nrow(engines) == 0) {
    return(NULL)
  }

  width <- max(nchar(engines$engine))
  count <- paste0(engines$made, "/", engines$total)
  trimws(
    paste0(
      "  ", formatC(engines$engine, width = -width), "  ",
      formatC(count, width = max(nchar(count))),
      ifelse(engines$flying > 0, paste0("  ", engines$flying, " in flight"), ""),
      ifelse(engines$failed > 0, paste0("  ", engines$failed, " failed"), ""),
      ifelse(nzchar(engines$words), paste0("  ", engines$words), "")
    ),
    "right"
  )
}

terminal_width <- function() {
  width <- suppressWarnings(as.integer(Sys.getenv("COLUMNS", "")))
  if (is.na(width)) cli::console_width() else width
}

# Reports the outcome of a race: a run that stops once the choice is settled.
report_race <- function(race, takes) {
  if (is.null(race)) {
    return(invisible())
  }

  for (job in names(race$jobs)) {
    own <- race$jobs[[job]]
    cat(
      strwrap(
        paste0(
          if (length(race$jobs) > 1) paste0(job, ": "),
          switch(own$state,
            decided = paste0(
              "decided after ", count_words(race$rounds, "round"), ", for ", own$best
            ),
            stuck = paste0(
              "not decided, and the remaining takes would hardly settle it; ", own$best, " leads"
            ),
            paste0(
              if (isTRUE(race$closed)) {
                "not decided with all takes made"
              } else {
                paste("still open after", count_words(race$rounds, "round"))
              },
              if (!is.null(own$best)) paste0("; ", own$best, " leads")
            )
          ),
          if (length(own$dropped)) paste0(". Dropped: ", listed(own$dropped)),
          "."
        ),
        100,
        initial = "  - ",
        prefix = "    "
      ),
      sep = "\n"
    )
  }

  if (isTRUE(race$closed) && any(takes$state == "planned")) {
    cat(
      strwrap(
        paste0(
          sum(takes$state == "planned"), " of ", nrow(takes),
          " planned takes were not needed. `sprenn run` without --until makes them."
        ),
        100
      ),
      sep = "\n"
    )
  }
}

report_takes <- function(made) {
  takes <- made$takes
  failed <- takes[takes$state %in% c("failed", "refused"), ]
  cat(format(made), sep = "\n")
  why <- failed[!duplicated(failed[c("pipeline", "failure", "message")]), ]
  for (i in seq_len(min(5, nrow(why)))) {
    cat(
      strwrap(
        paste0(
          why$pipeline[i], ", ", why$case[i], ", seed ",
          why$seed[i], ", ",
          gsub("_", " ", why$failure[i]), ": ",
          why$message[i]
        ),
        100,
        initial = "  - ",
        prefix = "    "
      ),
      sep = "\n"
    )
  }

  if (nrow(why) > 5) {
    cat("  - and", nrow(why) - 5, "more\n")
  }

  todo <- unique(why$failure)
  for (failure in intersect(names(failure_words), todo)) {
    cat(
      strwrap(
        paste0(gsub("_", " ", failure), ": ", failure_words[[failure]]),
        100,
        initial = "  What to do when ",
        prefix = "    "
      ),
      sep = "\n"
    )
  }
}

# Reports the takes that people have still to make, and the problems with those they made.
report_by_hand <- function(reports) {
  for (name in names(reports)) {
    found <- reports[[name]]$found
    counts <- table(
      factor(found$state, c("taken in", "not taken in", "missing", "extra", "changed"))
    )
    cat(
      "\n", name, ", by hand: ",
      paste0(counts[counts > 0], " ", names(counts)[counts > 0], collapse = ", "),
      ".\n",
      sep = ""
    )
    odd <- found[found$state %in% c("not taken in", "extra", "changed"), ]
    for (i in seq_len(min(8, nrow(odd)))) {
      cat(
        strwrap(
          paste0(odd$file[i], ", ", odd$state[i], ": ", odd$why[i]),
          100,
          initial = "  - ",
          prefix = "    "
        ),
        sep = "\n"
      )
    }

    if (nrow(odd) > 8) {
      cat("  - and", nrow(odd) - 8, "more\n")
    }

    if (counts[["missing"]] > 0) {
      cat(
        "  The checklist says what to make and how to name it: ",
        reports[[name]]$checklist, "\n",
        sep = ""
      )
    }
  }
}
