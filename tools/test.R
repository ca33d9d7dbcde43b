# Runs all tests against the installed package and ends with one line that
# counts them.
library(testthat)
library(sprenn)
Sys.setenv(NOT_CRAN = "true")
results <- as.data.frame(test_dir(
  "tests/testthat",
  package = "sprenn", load_package = "installed", stop_on_failure = FALSE,
  reporter = if (isatty(stdout())) "progress" else "summary"
))
slow <- results[order(-results$real), ][1:12, ]
cat("\nThe slowest tests, in seconds:\n", sprintf("%6.1f  %s: %s\n", slow$real, slow$file, slow$test), sep = "")
failed <- sum(results$failed) + sum(results$error)
skipped <- sum(results$skipped)
cat("\n", sum(results$passed), " passed, ", failed, " failed", if (skipped) paste0(", ", skipped, " skipped"), "\n", sep = "")
quit(status = if (failed > 0 || sum(results$passed) == 0) 1 else 0)
