# The share of lines of R and C++ code that the tests run, the least covered files last. With a
# pattern, only the test files that match it are run.
#   Rscript tools/coverage.R [PATTERN]
pattern <- commandArgs(TRUE)
Sys.setenv(NOT_CRAN = "true")

run_tests <- substitute(
  testthat::test_dir(
    folder,
    package = "sprenn",
    load_package = "installed",
    filter = pattern,
    reporter = "summary",
    stop_on_failure = FALSE
  ),
  list(
    folder = normalizePath("tests/testthat"),
    pattern = if (length(pattern)) pattern[1]
  )
)

covered <- covr::package_coverage(
  type = "none",
  code = paste(deparse(run_tests), collapse = "\n"),
  quiet = FALSE,
  line_exclusions = c("R/RcppExports.R", "src/RcppExports.cpp")
)

lines <- covr::tally_coverage(covered, by = "line")
share <- tapply(lines$value > 0, lines$filename, mean)
share <- sort(share, decreasing = TRUE)
cat(sprintf("%5.1f %%  %s\n", 100 * share, names(share)), sep = "")
cat(sprintf("\n%.1f %% of %d lines are covered.\n", 100 * mean(lines$value > 0), nrow(lines)))
