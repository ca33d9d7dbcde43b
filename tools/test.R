# Runs all tests against the installed package in parallel, one more process than there are
# cores, since many tests wait for a server. Ends with the failures and one line that counts.
cores <- max(1, parallel::detectCores(), na.rm = TRUE)
Sys.setenv(NOT_CRAN = "true", TESTTHAT_CPUS = min(4, cores + 1))
began <- Sys.time()

tests <- testthat::test_dir(
  "tests/testthat",
  package = "sprenn",
  load_package = "installed",
  reporter = testthat::SummaryReporter$new(max_reports = Inf),
  stop_on_failure = FALSE
)

cat("\nAll tests took", round(as.numeric(Sys.time() - began, units = "mins"), 1), "min.\n")

is_wrong <- function(expectation) {
  inherits(expectation, c("expectation_failure", "expectation_error"))
}

# The first thing that went wrong in a test, in few lines: logs are often cut to their end.
first_failure <- function(test) {
  wrong <- Filter(is_wrong, test$results)
  if (!length(wrong)) {
    return(NULL)
  }

  said <- strsplit(conditionMessage(wrong[[1]]), "\n", fixed = TRUE)[[1]]
  lines <- substr(utils::head(said, 6), 1, 200)
  c(sprintf("  %s: %s", test$file, test$test), paste0("    ", lines))
}

failures <- unlist(lapply(tests, first_failure))

if (length(failures)) {
  cat("\nFailures:", failures, sep = "\n")
}

results <- as.data.frame(tests)
passed <- sum(results$passed)
failed <- sum(results$failed) + sum(results$error)
skipped <- sum(results$skipped)

cat(
  "\n", passed, " passed, ", failed, " failed",
  if (skipped) paste0(", ", skipped, " skipped"), "\n",
  sep = ""
)

quit(status = if (failed > 0 || passed == 0) 1 else 0)
