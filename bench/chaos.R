# The test bed: does to Sprenn what happens to programs. Run from the root with the package
# installed:
#   Rscript bench/chaos.R PART [AMOUNT] [SEED]
# PART is kills, viewing, stages, server, inputs, database, words, leaks or short. Every part
# prints what it finds as it goes, and ends with one line of figures; the exit status is 1 if there
# was a find. docs/reliability.md says what is promised, and what the parts found.
given <- commandArgs(TRUE)
part <- c(given, "short")[1]
amount <- if (length(given) > 1) as.integer(given[2])
seed <- if (length(given) > 2) as.integer(given[3]) else 25L
set.seed(seed)

for (file in list.files(file.path("bench", "chaos"), "[.]R$", full.names = TRUE)) {
  source(file)
}

only <- Sys.getenv("CHAOS_ONLY")
# What CI runs, in a minute or two: a little of what needs no other programs.
run_short <- function() {
  run_kills(8, quick = TRUE)
  run_inputs(800)
}

parts <- list(
  short = function(amount = NULL) run_short(),
  kills = function(amount = 550) run_kills(amount, only = if (nzchar(only)) only),
  inputs = function(amount = 100000) run_inputs(amount),
  viewing = function(amount = 60) run_viewing(amount),
  server = function(amount = NULL) run_server(if (nzchar(only)) only),
  stages = function(amount = 12) run_stages(amount),
  database = function(amount = 10) run_database(amount),
  words = function(amount = NULL) run_words(),
  leaks = function(amount = 10000) run_leaks(amount)
)

parts[[part]](if (is.null(amount)) formals(parts[[part]])$amount else amount)
unlink(work, recursive = TRUE)
quit(status = if (length(finds)) 1 else 0)
