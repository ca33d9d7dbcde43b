# Runs all tests against the installed package, each file in a process of its own and one
# more at a time than there are cores, as many tests wait; at most four.
# Ends with what failed and one line that counts. `test.R FILE RESULTS` is what such a
# process does.
Sys.setenv(NOT_CRAN = "true")
given <- commandArgs(TRUE)

if (length(given) == 2) {
  library(testthat)
  library(sprenn)
  results <- as.data.frame(
    test_file(
      given[1],
      package = "sprenn",
      load_package = "installed",
      stop_on_failure = FALSE,
      reporter = "summary"
    )
  )
  saveRDS(results[c("file", "test", "passed", "failed", "error", "skipped", "real")], given[2])
  quit()
}

files <- list.files("tests/testthat", "^test-.*[.]R$", full.names = TRUE)

# The long ones begin, so that none is left over at the end.
long <- paste0(
  "test-",
  c(
    "help-examples", "examples", "survival", "faults", "cli", "elsewhere", "conform", "works", "calibrate",
    "standins", "characters", "kinds", "plan", "recipe", "export", "postgres"
  ),
  ".R"
)

waiting <- files[order(match(basename(files), long))]
at_once <- max(1, min(4, parallel::detectCores() + 1, na.rm = TRUE))
rscript <- file.path(R.home("bin"), "Rscript")
began <- Sys.time()
running <- list()
results <- NULL

repeat {
  while (length(running) < at_once && length(waiting)) {
    out <- tempfile()
    process <- processx::process$new(
      rscript,
      c("--no-save", "--no-restore", "tools/test.R", waiting[1], paste0(out, ".rds")),
      stdout = out,
      stderr = "2>&1",
      cleanup_tree = TRUE
    )
    running <- c(running, list(list(file = basename(waiting[1]), process = process, out = out)))
    waiting <- waiting[-1]
  }

  over <- !vapply(running, function(one) one$process$is_alive(), NA)
  for (one in running[over]) {
    cat(readLines(one$out, warn = FALSE), sep = "\n")
    rds <- paste0(one$out, ".rds")
    # A process that ended early has failed as a whole.
    results <- rbind(
      results,
      if (file.exists(rds)) {
        readRDS(rds)
      } else {
        data.frame(
          file = one$file,
          test = "the file as a whole",
          passed = 0,
          failed = 1,
          error = FALSE,
          skipped = FALSE,
          real = 0
        )
      }
    )
  }

  running <- running[!over]
  if (length(running) == 0 && length(waiting) == 0) {
    break
  }

  Sys.sleep(0.2)
}

slow <- results[order(-results$real), ][1:12, ]

cat(
  "\nThe slowest tests, in seconds:\n",
  sprintf("%6.1f  %s: %s\n", slow$real, slow$file, slow$test),
  sep = ""
)

cat(
  "\nAll of them took ",
  round(as.numeric(Sys.time() - began, units = "mins"), 1),
  " min, ", at_once, " files at a time.\n",
  sep = ""
)

wrong <- results[results$failed > 0 | results$error, ]

if (nrow(wrong)) {
  cat("\nWhat failed:\n", sprintf("  %s: %s\n", wrong$file, wrong$test), sep = "")
}

failed <- sum(results$failed) + sum(results$error)
skipped <- sum(results$skipped)

cat(
  "\n", sum(results$passed), " passed, ", failed, " failed",
  if (skipped) paste0(", ", skipped, " skipped"), "\n",
  sep = ""
)

quit(status = if (failed > 0 || sum(results$passed) == 0) 1 else 0)
