# Progress on standard error: a line that is redrawn in a terminal, and a new
# line every tenth of the way in a pipe or a log.

progress_bar <- function(what, stream = stderr(), live = isatty(stream)) {
  shown <- -1
  function(done, total, failed, seconds) {
    share <- done / total
    text <- progress_text(what, done, total, failed, seconds)
    if (live) {
      filled <- floor(24 * share)
      bar <- paste0(strrep("#", filled), strrep(".", 24 - filled))
      cat("\r", bar, " ", formatC(text, width = -64), if (done == total) "\n", sep = "", file = stream)
    } else if (floor(10 * share) > shown || done == 1) {
      shown <<- floor(10 * share)
      cat(text, "\n", sep = "", file = stream)
    }
  }
}

progress_text <- function(what, done, total, failed, seconds) {
  left <- ceiling(seconds / done * (total - done))
  paste0(
    what, " ", done, " of ", total, if (failed > 0) paste0(", ", failed, " failed"),
    if (done < total && done < 5) "" else if (done < total) paste0(", about ", if (left >= 90) paste(ceiling(left / 60), "min") else paste(left, "s"), " left") else paste0(", ", round(seconds), " s")
  )
}
