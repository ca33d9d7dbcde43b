# How large is the report of many takes, and how long until it is seen? 5,000 takes of 50 cases,
# every picture another one, written as a run would leave them; opened in headless Chromium.
# From the root with the package installed:
#   Rscript bench/report.R [TAKES]
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
source("bench/recorded.R")
given <- as.integer(commandArgs(trailingOnly = TRUE))
wanted <- if (length(given)) given[1] else 5000
cases <- 50
pipelines <- max(1, wanted %/% (cases * 4))
folder <- tempfile("bench-report-")
dir.create(file.path(folder, "references"), recursive = TRUE)
size <- c(384, 256)

tiles <- lapply(1:8, function(i) {
  core("draw_tile")(core("tile_names")()[i], size[1], size[2], i)
})

for (i in 1:8) {
  core("write_drawing")(tiles[[i]], file.path(folder, "references", paste0(i, ".png")))
}

writeLines(
  c(
    "suite: many",
    "seeds: [1, 2, 3, 4]",
    "size: [384, 256]",
    "cases:",
    sprintf(
      paste0(
        "  - {id: c%02d, job: restyle, reference: references/%d.png, prompt: [a hill, {say: ",
        "dark, probe: {brightness: at most 0.9}}, number %d]}"
      ),
      seq_len(cases),
      1 + seq_len(cases) %% 8,
      seq_len(cases)
    )
  ),
  file.path(folder, "suite.yml")
)

writeLines(
  c(
    "engines:",
    "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
    "pipelines:",
    sprintf(
      "  - {id: p%d, engine: yarrow, checkpoint: tide, hold: %.4f}",
      seq_len(pipelines),
      seq_len(pipelines) / (pipelines + 1)
    )
  ),
  file.path(folder, "lineup.yml")
)

writeLines(
  c(
    "brief: x",
    "weights: {structure: 0.5, adherence: 0.2, style: 0.3}",
    "floors: {structure: 0.3}",
    "style: stay",
    "limits: {takes: 1000000, hours: 10000}"
  ),
  file.path(folder, "brief.yml")
)

trial <- read_trial(folder)
plan <- plan_run(trial)$takes
store <- core("open_store")(folder, "main", create = TRUE)
core("record_plan")(store, trial, plan)
manners <- c("linocut", "gouache", "blueprint", "mosaic")

painted <- unlist(
  lapply(tiles, function(tile) {
    lapply(manners, function(manner) {
      core("with_drawing_seed")(
        1,
        core("paint_manner")(tile, manner, core("home_palette")(manner))
      )
    })
  }),
  recursive = FALSE
)

one <- core("score_bytes")(
  png::writePNG(painted[[1]]),
  trial$suite$cases[[1]],
  trial$suite,
  core("Cache")$new()
)

for (i in seq_len(nrow(plan))) {
  picture <- core("with_drawing_seed")(i, {
    base <- painted[[1 + i %% length(painted)]][, (seq_len(size[1]) + sample(size[1], 1)) %%
      size[1] +
      1, ]
    png::writePNG(core("clamp")(base + stats::rnorm(length(base), 0, 0.02)))
  })
  record_drawn(store, plan$take[i], picture, size, 0.01)
  scores <- one$scores
  graded <- scores$axis != "flaws"
  scores$value[graded] <- core("with_drawing_seed")(
    i,
    pmin(
      1,
      pmax(
        0,
        0.2 +
          0.6 * match(plan$pipeline[i], unique(plan$pipeline)) / pipelines +
          stats::rnorm(sum(graded), 0, 0.1)
      )
    )
  )
  core("record_scores")(
    store,
    plan$take[i],
    list(list(scores = scores, print = one$print, overlay = one$overlay))
  )
}

core("set_facts")(store, measures = core("version_of_measures")(trial$suite))
core("close_store")(store)
took <- system.time(file <- write_report(trial))[["elapsed"]]

cat(
  sprintf(
    "report of %d takes: %.1f MB, written in %.0f s\n",
    nrow(plan),
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
