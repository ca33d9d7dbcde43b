# How long the marking page takes with many cases: until the list is there, until a case is shown,
# and until one change of each case is proposed. From the root with the package installed:
#   Rscript bench/marking.R [CASES]
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
given <- as.integer(commandArgs(trailingOnly = TRUE))
cases <- if (length(given)) given[1] else 1000
folder <- tempfile("bench-marking-")
dir.create(file.path(folder, "references"), recursive = TRUE)
for (i in 1:8) {
  tile <- core("draw_tile")(core("tile_names")()[i], 1200, 800, i)
  core("write_drawing")(tile, file.path(folder, "references", paste0(i, ".png")))
}

writeLines(
  c(
    "suite: many",
    "seeds: [1]",
    "cases:",
    sprintf(
      "  - {id: c%04d, job: repair, reference: references/%d.png, prompt: a hill}   # case %d",
      seq_len(cases), 1 + seq_len(cases) %% 8, seq_len(cases)
    )
  ),
  file.path(folder, "suite.yml")
)

Sys.setenv(CHROMOTE_CHROME = Sys.which(c("chromium", "google-chrome"))[[1]])
chromote::set_chrome_args(c("--headless", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"))
told <- tempfile()
process <- processx::process$new(
  file.path(R.home("bin"), "Rscript"),
  c(
    "-e",
    sprintf(
      paste0(
        ".libPaths('%s'); sprenn::mark_trial('%s', seconds = 600, ",
        "ready = function(address) writeLines(address, '%s'))"
      ),
      .libPaths()[1], folder, told
    )
  )
)
began <- Sys.time()
passed <- function() as.numeric(Sys.time() - began, units = "secs")
while (!file.exists(told)) {
  Sys.sleep(0.02)
}
opened <- passed()
page <- chromote::ChromoteSession$new(width = 1280, height = 800)
value <- function(script) {
  page$Runtime$evaluate(script, returnByValue = TRUE, awaitPromise = TRUE)$result$value
}
wait <- function(script) {
  began <<- Sys.time()
  while (!isTRUE(value(script))) {
    Sys.sleep(0.02)
  }
  passed()
}
began <- Sys.time()
invisible(page$Page$navigate(readLines(told)))
listed <- wait(sprintf("document.querySelectorAll('#list li').length === %d", cases))
value(sprintf("document.querySelector('#list [data-at=\"%d\"]').click()", cases %/% 2))
shown <- wait(sprintf("document.getElementById('desk').dataset.ready === '%d'", cases %/% 2))
markable <- core("read_markable")(normalizePath(folder))
marked <- lapply(seq_len(cases), function(i) {
  parts <- list(watch = list(list(name = "hill", box = list(0.1, 0.1, 0.5, 0.5), keep = 0.5)))
  list(case = sprintf("c%04d", i), parts = parts)
})
proposed <- system.time(core("propose_marks")(markable, marked[1]))[["elapsed"]]
all_proposed <- system.time(core("propose_marks")(markable, marked))[["elapsed"]]
cat(sprintf(
  paste0(
    "%d cases: server ready after %.1f s, list after %.2f s, a case shown after %.2f s, ",
    "one change proposed in %.2f s, one of each case in %.1f s\n"
  ),
  cases, opened, listed, shown, proposed, all_proposed
))
invisible(page$close())
process$kill_tree()
unlink(folder, recursive = TRUE)
