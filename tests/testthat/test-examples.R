# The guides' examples are run to the letter, each in a folder of its own; what the guides show
# of them is what stands there.
example_folder <- function() {
  folder <- testthat::test_path("..", "..", "examples")
  skip_if_not(dir.exists(folder), "the examples are not beside the tests")
  normalizePath(folder)
}

guide_names <- c(
  "blind-viewing", "first-pipeline", "local-edits", "many-machines", "new-version",
  "own-engine", "own-measure", "scores", "telling-suite", "which-guide", "your-service"
)

test_that("every guide has an example, states what the reader can do, and shows it all", {
  examples <- example_folder()
  guides <- file.path(dirname(examples), "guides")
  vignettes <- file.path(dirname(examples), "vignettes")
  expect_setequal(sub("[.]sh$", "", list.files(examples, "[.]sh$")), guide_names)
  expect_setequal(sub("[.]Rmd$", "", list.files(guides, "[.]Rmd$")), guide_names)
  for (name in guide_names) {
    code <- readLines(file.path(examples, paste0(name, ".sh")))
    labels <- sub("^# ---- ", "", grep("^# ---- ", code, value = TRUE))
    source <- readLines(file.path(guides, paste0(name, ".Rmd")), encoding = "UTF-8")
    chunks <- sub(
      "^```\\{[a-z]+ ([a-z-]+).*\\}$",
      "\\1",
      grep("^```\\{", source, value = TRUE)
    )
    expect_equal(chunks, labels, info = name)
    expect_match(
      paste(source[3:4], collapse = " "),
      "^After this page you (can|will)",
      info = name
    )
    # The built guide shows the commands as they are now.
    built <- readLines(file.path(vignettes, paste0(name, ".Rmd")), encoding = "UTF-8")
    shown <- code[cumsum(grepl("^# ---- ", code)) > 0 & !grepl("^# ---- ", code) & nzchar(code)]
    expect_equal(setdiff(shown, built), character(), info = name)
    figures <- unlist(regmatches(built, gregexpr("figures/[a-z0-9-]+[.]png", built)))
    expect_true(all(file.exists(file.path(vignettes, figures))), info = name)
  }

  all_figures <- unlist(lapply(guide_names, function(name) {
    regmatches(
      text <- paste(readLines(file.path(vignettes, paste0(name, ".Rmd"))), collapse = " "),
      gregexpr("figures/[a-z0-9-]+[.]png", text)
    )
  }))
  expect_setequal(
    file.path("figures", list.files(file.path(vignettes, "figures"))),
    all_figures
  )
})

# What a guide's example leaves behind, of what it was run for.
leaves <- list(
  "blind-viewing" = "tiles/runs/main/run.sqlite",
  "first-pipeline" = c("sheet.png", "report.html"),
  "local-edits" = c("sheet.png", "leak.png", "steps.png"),
  "many-machines" = "tiles.zip",
  "new-version" = c("changes.png", "again.png"),
  "own-engine" = c("tried.png", "tiles/runs/main/run.sqlite"),
  "own-measure" = "tables/scores.csv",
  "scores" = c("held.png", "loose.png", "vanished.png"),
  "telling-suite" = c("probe.png", "influence.png", "seeds.png"),
  "which-guide" = c("weights.png", "lighthouse.png"),
  "your-service" = c("tried.png", "tried-madder-make.http")
)

says <- list(
  "blind-viewing" = "Nobody has judged any takes yet",
  "first-pipeline" = "Use yarrow/hold=0.9",
  "local-edits" = "flaws +leak +.*serious",
  "many-machines" = "48 takes made, 0 failed",
  "new-version" = "painter \\(engine painter\\): 15 of 15 takes",
  "own-engine" = "All 5 requirements were met",
  "own-measure" = "\"paper\"",
  "scores" = "structure +orientation +1.00",
  "telling-suite" = "Use bracken",
  "which-guide" = "four of five takes are keepers from 0[.]3[0-9]",
  "your-service" = "failures: bad_request +[$].error.code +size: width x height, multiples of 16"
)

run_example <- function(name, env = parent.frame()) {
  skip_on_cran()
  skip_on_os("windows")
  examples <- example_folder()
  folder <- withr::local_tempdir(.local_envir = env)
  code <- readLines(file.path(examples, paste0(name, ".sh")))
  # Nobody sits at this viewing.
  script <- file.path(folder, "example.sh")
  writeLines(sub("--for 600", "--for 3", code), script)
  file.copy(shared_demo(), folder, recursive = TRUE)
  made <- run_shell(script, folder)
  c(made, folder = folder)
}

demo_copy <- new.env()

shared_demo <- function() {
  if (is.null(demo_copy$folder)) {
    demo_copy$folder <- new_trial(file.path(tempdir(), "brackwater"), demo = TRUE)$folder
  }

  demo_copy$folder
}

for (name in guide_names) {
  test_that(paste("the example of", name, "runs as it stands"), {
    made <- run_example(name)
    expect_equal(made$status, 0, info = substr(made$stderr, 1, 2000))
    expect_match(made$stdout, says[[name]])
    for (file in leaves[[name]]) {
      expect_gt(file.size(file.path(made$folder, file)), 1000)
    }
  })
}
