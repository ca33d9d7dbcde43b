# Whether a slow server is kept busy: 200 takes on a stand-in that needs 2 s for a
# picture and works at 8 side by side. Run from the root with the package installed:
#   Rscript bench/flight.R [takes] [score]
# The last column is what travels: the time taken over the ideal one.
library(sprenn)
given <- commandArgs(TRUE)
count <- as.integer(c(given, 200)[1])
score <- "score" %in% given
running <- start_standins("bracken", seconds = 2, at_once = 8)
folder <- tempfile("bench-flight-")
dir.create(file.path(folder, "references"), recursive = TRUE)
cases <- 10
tile <- getFromNamespace("draw_tile", "sprenn")

for (i in seq_len(cases)) {
  getFromNamespace("write_drawing", "sprenn")(
    tile(getFromNamespace("tile_names", "sprenn")()[1 + i %% 8], 384, 256, i),
    file.path(folder, "references", paste0("p", i, ".png"))
  )
}

writeLines(
  c(
    "suite: flight",
    paste0("seeds: [", paste(seq_len(count / cases), collapse = ", "), "]"),
    "size: [384, 256]",
    "cases:",
    sprintf(
      paste0(
        "  - {id: case-%d, job: restyle, reference: references/p%d.png, prompt: a windmill on a ",
        "hill}"
      ),
      seq_len(cases),
      seq_len(cases)
    )
  ),
  file.path(folder, "suite.yml")
)

writeLines(
  c(
    "engines:",
    paste0("  bracken: {kind: http, address: \"", running$addresses, "\"}"),
    "pipelines:",
    "  - {id: a, engine: bracken, hold: 0.6}"
  ),
  file.path(folder, "lineup.yml")
)

writeLines(c("brief: x", "weights: {structure: 1}"), file.path(folder, "brief.yml"))
trial <- read_trial(folder)

peak <- function() {
  as.numeric(
    sub("[^0-9]*([0-9]+).*", "\\1", grep("VmHWM", readLines("/proc/self/status"), value = TRUE))
  ) /
    1024
}

seconds <- system.time(takes <- run_trial(trial, score = score, progress = NULL)$takes)[["elapsed"]]
stop_standins(running)

# The first call wakes the server up, for a second more.
ideal <- 2 * count / 8 + 1

cat(
  sprintf(
    "%d takes made%s in %.1f s, ideal %.1f s, ratio %.3f; this process at most %.0f MB\n",
    sum(takes$state == "made"),
    if (score) " and measured" else "",
    seconds,
    ideal,
    seconds / ideal,
    peak()
  )
)

unlink(folder, recursive = TRUE)
