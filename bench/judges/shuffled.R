# A judge made worthless: the answers that a finished run has kept are shuffled among its pictures,
# and everything is scored again, in a copy of the trial. Which statements are still believed?
#   Rscript bench/judges.R shuffled TRIAL [TIMES]
given <- commandArgs(trailingOnly = TRUE)
trial <- given[2]
times <- if (length(given) > 2) as.integer(given[3]) else 3

copied <- file.path(tempfile("shuffled"), basename(trial))
dir.create(dirname(copied))
file.copy(trial, dirname(copied), recursive = TRUE)
records <- file.path(copied, "runs", "main", "run.sqlite")

told <- function(what) {
  score_run(copied)
  beliefs <- list_evidence(copied)$beliefs
  beliefs <- beliefs[beliefs$asked > 0, ]
  for (judge in unique(beliefs$judge)) {
    own <- beliefs[beliefs$judge == judge, ]
    wanted <- own[!own$absent, ]
    cat(sprintf(
      "%s, %s: %d of %d wanted statements believed (%d could be tested); of %d unwanted %d\n",
      what, judge, sum(wanted$believed), nrow(wanted), sum(!is.na(wanted$p)), sum(own$absent),
      sum(own$believed[own$absent])
    ))
  }
}

# Answers about pictures change places within each judge and statement.
shuffle_answers <- function() {
  records <- DBI::dbConnect(RSQLite::SQLite(), records)
  on.exit(DBI::dbDisconnect(records))
  answers <- DBI::dbGetQuery(
    records,
    "SELECT rowid AS at, judge, statement, said FROM answers WHERE subject != ''"
  )
  groups <- split(seq_len(nrow(answers)), paste(answers$judge, answers$statement))
  for (rows in groups) {
    answers$said[rows] <- answers$said[rows[sample.int(length(rows))]]
  }

  DBI::dbExecute(
    records,
    "UPDATE answers SET said = ? WHERE rowid = ?",
    params = list(answers$said, answers$at)
  )
}

told("as answered")
for (time in seq_len(times)) {
  set.seed(time)
  shuffle_answers()
  told(paste("shuffled", time))
}
unlink(dirname(copied), recursive = TRUE)
