# Progress on standard error: a line that is redrawn in a terminal, and a new
# line every tenth of the way in a pipe or a log.

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
        if (left >= 90) paste(ceiling(left / 60), "min") else paste(left, "s"),
        " left"
      )
    } else {
      paste0(", ", round(seconds), " s")
    }
  )
}

# The same for a run: a head line, and a line an engine. In a terminal they are
# redrawn in place; elsewhere one line says it all, every tenth of the way and at
# least once a minute.
run_progress <- function(stream = stderr(), live = isatty(stream)) {
  shown <- list(share = -1, at = -Inf, lines = 0, words = "")
  function(
    done,
    total,
    failed,
    seconds,
    flying = 0,
    scored = 0,
    to_score = 0,
    cost = 0,
    left = NA,
    words = "",
    engines = NULL
  ) {
    over <- done >= total && scored >= to_score
    lines <- c(
      run_words(
        done,
        total,
        failed,
        seconds,
        flying,
        scored,
        to_score,
        cost,
        left,
        words,
        over
      ),
      if (!over) engine_words(engines)
    )
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

    share <- if (total + to_score > 0) floor(10 * (done + scored) / (total + to_score)) else 10
    if (share > shown$share || seconds - shown$at >= 60 || !identical(words, shown$words)) {
      shown <<- list(share = share, at = seconds, lines = 0, words = words)
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
    if (cost > 0) paste0(", cost ", formatC(cost, format = "f", digits = 2)),
    if (over) {
      paste0(", ", show_seconds(seconds))
    } else if (!is.na(left) && seconds > 2) {
      paste0(", about ", show_seconds(left), " left")
    },
    if (nzchar(words)) paste0(" - ", words)
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
