# How large is the report of many takes, and how long until it is seen? 5,000 takes of 50 cases,
# every picture another one, written as a run would leave them; opened in headless Chromium.
# From the root with the package installed:
#   Rscript bench/report.R [TAKES]
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
source("bench/recorded.R")
given <- as.integer(commandArgs(trailingOnly = TRUE))
wanted <- if (length(given)) given[1] else 5000
folder <- tempfile("bench-report-")
trial <- many_recorded(folder, wanted)
takes <- nrow(plan_run(trial)$takes)
took <- system.time(file <- write_report(trial))[["elapsed"]]

cat(
  sprintf(
    "report of %d takes: %.1f MB, written in %.0f s\n",
    takes,
    file.size(file) / 1e6,
    took
  )
)

chromium <- Sys.which(c("chromium", "chromium-browser", "google-chrome"))
Sys.setenv(CHROMOTE_CHROME = chromium[nzchar(chromium)][[1]])

chromote::set_chrome_args(c(
  "--headless",
  "--no-sandbox",
  "--disable-gpu",
  "--disable-dev-shm-usage"
))

browser <- chromote::ChromoteSession$new(width = 1280, height = 800)
loaded <- browser$Page$loadEventFired(wait_ = FALSE, timeout_ = 120)
invisible(browser$Page$navigate(paste0("file://", file), wait_ = FALSE))
invisible(browser$wait_for(loaded))
value <- function(script) browser$Runtime$evaluate(script, returnByValue = TRUE)$result$value

while (!isTRUE(value("document.querySelectorAll('.case').length > 0"))) {
  Sys.sleep(0.05)
}

cat(
  sprintf(
    "in Chromium: first view after %.2f s, all loaded after %.2f s\n",
    value("performance.getEntriesByName('first-contentful-paint')[0].startTime") / 1000,
    value("performance.timing.loadEventEnd - performance.timing.navigationStart") / 1000
  )
)

change <- function(script) {
  value(
    sprintf(
      paste0(
        "(() => { const began = performance.now(); %s; document.body.getBoundingClientRect(); ",
        "return performance.now() - began; })()"
      ),
      script
    )
  ) /
    1000
}

cat(
  sprintf(
    "sorted by worth in %.2f s, one case shown in %.2f s, opened in %.2f s\n",
    change(paste0(
      "const e = document.getElementById('f-sort'); e.value = 'worth'; e.dispatchEvent(new ",
      "Event('change'))"
    )),
    change(paste0(
      "const e = document.getElementById('f-case'); e.value = 'c07'; e.dispatchEvent(new ",
      "Event('change'))"
    )),
    change("location.hash = '#open=2500'; window.dispatchEvent(new Event('hashchange'))")
  )
)

invisible(browser$close())
unlink(folder, recursive = TRUE)
