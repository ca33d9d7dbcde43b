# The report in a real headless Chromium.
open_page <- function(file, width = 1280, height = 800, env = parent.frame()) {
  page <- new_browser(env, width, height)
  asked <- character()
  said <- character()
  page$Network$enable()
  page$Runtime$enable()
  page$Network$requestWillBeSent(callback_ = function(event) asked <<- c(asked, event$request$url))
  page$Runtime$consoleAPICalled(callback_ = function(event) said <<- c(said, event$type))
  page$Runtime$exceptionThrown(callback_ = function(event) said <<- c(said, "exception"))
  loaded <- page$Page$loadEventFired(wait_ = FALSE)
  page$Page$navigate(paste0("file://", normalizePath(file)), wait_ = FALSE)
  page$wait_for(loaded)
  list(
    page = page, asked = function() asked[!startsWith(asked, "data:")], said = function() said,
    value = function(script) page$Runtime$evaluate(script, returnByValue = TRUE)$result$value
  )
}

test_that("the report opens whole, asks for nothing and fits its width, light and dark", {
  folder <- small_trial(brief = c("brief: keep the layout", "weights: {structure: 1, adherence: 1}", "style: stay"))
  run_trial(folder)
  score_run(folder)
  opened <- open_page(write_report(folder))
  expect_equal(opened$value("document.querySelector('h1').innerText.length > 3"), TRUE)
  expect_equal(opened$value("[...document.images].filter(i => i.loading !== 'lazy').every(i => i.complete && i.naturalWidth > 0)"), TRUE)
  expect_lte(opened$value("document.documentElement.scrollWidth"), 1280)
  expect_equal(opened$value("[...document.querySelectorAll('h1,h2,h3,td,th,li')].every(e => e.getBoundingClientRect().right <= innerWidth + 1)"), TRUE)
  expect_length(opened$asked(), 1)
  expect_length(opened$said(), 0)
  paper <- function() opened$value("getComputedStyle(document.body).backgroundColor")
  expect_equal(paper(), "rgb(255, 255, 255)")
  opened$page$Emulation$setEmulatedMedia(features = list(list(name = "prefers-color-scheme", value = "dark")))
  expect_equal(paper(), "rgb(21, 25, 28)")
})
