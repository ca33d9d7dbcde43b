# What was built into the stand-ins, beside what Sprenn says of them.
rows <- list()

is_so <- function(what, truth, found, agrees) {
  rows[[length(rows) + 1]] <<- data.frame(
    what = what,
    truth = truth,
    found = found,
    agrees = if (isTRUE(agrees)) "yes" else "NO"
  )
}

two <- function(x) formatC(x, format = "f", digits = 2)

tell_truths <- function() {
  table <- do.call(rbind, rows)
  for (i in seq_len(nrow(table))) {
    cat(
      strwrap(paste0(table$what[i], ": ", table$truth[i], "."), 100, exdent = 2),
      strwrap(
        paste0("found: ", table$found[i], "  [", table$agrees[i], "]"),
        100,
        indent = 4,
        exdent = 6
      ),
      sep = "\n"
    )
  }

  cat("\n", sum(table$agrees == "yes"), " of ", nrow(table), " agree\n", sep = "")
}
