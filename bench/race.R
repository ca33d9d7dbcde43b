# Does a run of the demo that stops when it is decided come to the same verdicts as a whole
# one, and with how many takes? From the root with the package installed:
#   Rscript bench/race.R [SEEDS]
library(sprenn)
given <- as.integer(commandArgs(trailingOnly = TRUE))
seeds <- c(11L, 23L, 47L, 71L, 83L, 97L)[seq_len(if (length(given)) given[1] else 4)]
folder <- tempfile("race-")
new_trial(folder, demo = TRUE)
trial <- read_trial(folder)
trial$suite$seeds <- seeds

# Controls are made either way, and a folder is filled by hand for two seeds.
trial$lineup$controls <- character()
trial$lineup$pipelines <- trial$lineup$pipelines[trial$lineup$pipelines$engine != "handmade", ]
run_trial(trial, "whole")
run_trial(trial, "race", until = "decided")

for (job in c("restyle", "repair", "vary")) {
  both <- lapply(c("whole", "race"), function(run) choose_pipeline(trial, run, job = job))
  made <- vapply(
    both,
    function(verdict) sum(verdict$table$state %in% c("made", "failed", "refused")),
    0L
  )
  say <- function(verdict) {
    paste0(
      verdict$best,
      if (verdict$state == "decided") ", decided" else paste(",", verdict$state),
      " (", round(100 * verdict$confidence), " %)"
    )
  }

  cat(
    sprintf(
      "%-8s whole: %s; race: %s; takes %d of %d (%.2f)\n",
      job,
      say(both[[1]]),
      say(both[[2]]),
      made[2],
      made[1],
      made[2] / made[1]
    )
  )
}

unlink(folder, recursive = TRUE)
