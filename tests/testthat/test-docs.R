# The documents beside the code: what they link to exists, and R finds the guides.
sources <- function() {
  root <- testthat::test_path("..", "..")
  skip_if_not(file.exists(file.path(root, "README.md")), "the sources are not beside the tests")
  normalizePath(root)
}

documents_in <- function(root) {
  c(
    file.path(root, c("README.md", "CONTRIBUTING.md")),
    list.files(file.path(root, "docs"), "[.]md$", full.names = TRUE),
    list.files(file.path(root, "vignettes"), "[.]Rmd$", full.names = TRUE)
  )
}

links_of <- function(file) {
  text <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
  links <- regmatches(text, gregexpr("\\]\\(([^)#:]+)[^)]*\\)", text))[[1]]
  gsub("^\\]\\(|[#)].*$", "", links)
}

test_that("every link between documents leads to a file", {
  root <- sources()
  for (file in documents_in(root)) {
    links <- links_of(file)
    missing <- links[!file.exists(file.path(dirname(file), links))]
    expect_equal(missing, character(), info = basename(file))
  }
})

test_that("every screenshot is linked from a document", {
  root <- sources()
  linked <- basename(unlist(lapply(documents_in(root), links_of)))
  shown <- list.files(file.path(root, "docs", "screenshots"))
  expect_equal(setdiff(shown, linked), character())
})

test_that("the site has a place for every help page", {
  root <- sources()
  index <- yaml::read_yaml(file.path(root, "tools", "pkgdown.yml"))$reference
  named <- unlist(lapply(index, `[[`, "contents"))
  starts <- sub("starts_with\\(\"(.*)\"\\)", "\\1", grep("^starts_with", named, value = TRUE))
  for (page in list.files(file.path(root, "man"), "[.]Rd$", full.names = TRUE)) {
    text <- readLines(page, encoding = "UTF-8")
    topics <- sub("^\\\\alias\\{(.*)\\}$", "\\1", grep("^\\\\alias", text, value = TRUE))
    placed <- any(topics %in% named) ||
      any(outer(topics, starts, startsWith)) ||
      any(grepl("^\\\\keyword\\{internal\\}", text))
    expect_true(placed, info = basename(page))
  }
})

test_that("the README is short", {
  text <- readLines(file.path(sources(), "README.md"), encoding = "UTF-8")
  expect_lte(length(unlist(strsplit(trimws(text), "[[:space:]]+"))), 750)
})

test_that("every page is listed in the index", {
  root <- sources()
  index <- paste(readLines(file.path(root, "docs", "README.md")), collapse = "\n")
  pages <- c(
    list.files(file.path(root, "docs"), "[.]md$"),
    list.files(file.path(root, "vignettes"), "[.]Rmd$")
  )
  unlisted <- pages[!vapply(pages, grepl, NA, x = index, fixed = TRUE)]
  expect_equal(unname(setdiff(unlisted, "README.md")), character())
})

test_that("R finds every guide as a vignette", {
  root <- sources()
  skip_if_not_installed("rmarkdown")
  found <- tools::pkgVignettes(dir = root, check = TRUE)
  expect_equal(found$msg, character())
  expect_setequal(
    found$names,
    sub("[.]Rmd$", "", list.files(file.path(root, "vignettes"), "[.]Rmd$"))
  )
  expect_equal(unique(found$engines), "knitr::rmarkdown")
})
