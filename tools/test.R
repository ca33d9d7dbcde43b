# Runs all tests against the installed package in parallel, one more process than there are
# cores, since many tests wait for a server. Ends with the failures and one line that counts.
cores <- max(1, parallel::detectCores(), na.rm = TRUE)
Sys.setenv(NOT_CRAN = "true", TESTTHAT_CPUS = min(4, cores + 1))
began <- Sys.time()

results <- as.data.frame(
  testthat::test_dir(
    "tests/testthat",
    package = "sprenn",
    load_package = "installed",
    reporter = testthat::SummaryReporter$new(max_reports = Inf),
    stop_on_failure = FALSE
  )
)

cat("\nAll tests took", round(as.numeric(Sys.time() - began, units = "mins"), 1), "min.\n")

wrong <- results[results$failed > 0 | results$error, ]

if (nrow(wrong)) {
  cat("\nFailures:\n", sprintf("  %s: %s\n", wrong$file, wrong$test), sep = "")
}

passed <- sum(results$passed)
failed <- sum(results$failed) + sum(results$error)
skipped <- sum(results$skipped)

cat(
  "\n", passed, " passed, ", failed, " failed",
  if (skipped) paste0(", ", skipped, " skipped"), "\n",
  sep = ""
)

quit(status = if (failed > 0 || passed == 0) 1 else 0)
