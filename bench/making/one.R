# One measurement for bench/making.R, in a process of its own: Rscript one.R KIND TAKES, with KIND
# function or http. Prints a line of numbers: takes a second from the first picture to the last,
# the processor's milliseconds a take in this process, its peak memory in MB.
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
given <- commandArgs(TRUE)
kind <- given[1]
pipelines <- 8
seeds <- 5
cases <- ceiling(as.numeric(given[2]) / pipelines / seeds)
here <- normalizePath("bench/making")
folder <- tempfile("bench-making-")
dir.create(file.path(folder, "references"), recursive = TRUE)
size <- c(256, 171)
references <- file.path(folder, "references", paste0(1:8, ".png"))
for (i in 1:8) {
  drawn <- core("draw_tile")(core("tile_names")()[i], size[1], size[2], i)
  core("write_drawing")(drawn, references[i])
}

server <- NULL
engine <- if (kind == "http") {
  port <- httpuv::randomPort()
  script <- file.path(here, "server.R")
  server <- processx::process$new("Rscript", c(script, port, references[1]), cleanup = TRUE)
  Sys.sleep(3)
  sprintf("  instant: {kind: http, address: \"http://127.0.0.1:%d\"}", port)
} else {
  file.copy(file.path(here, "engine.R"), folder)
  "  instant: {kind: function, file: engine.R}"
}
writeLines(
  c(
    "suite: making",
    paste0("seeds: [", toString(seq_len(seeds)), "]"),
    paste0("size: [", toString(size), "]"),
    "cases:",
    sprintf(
      "  - {id: c%d, job: restyle, reference: references/%d.png, prompt: hill number %d}",
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
    engine,
    "pipelines:",
    sprintf(
      "  - {id: p%d, engine: instant, checkpoint: plain, hold: %.2f}",
      seq_len(pipelines),
      seq_len(pipelines) / 10
    )
  ),
  file.path(folder, "lineup.yml")
)
writeLines(
  c("brief: x", "weights: {structure: 0.5, style: 0.5}", "style: stay"),
  file.path(folder, "brief.yml")
)
trial <- read_trial(folder)
before <- proc.time()
workers <- if (kind == "http") 0 else 2
made <- run_trial(trial, workers = workers, score = FALSE, yes = TRUE)
used <- proc.time() - before
stopifnot(all(made$takes$state == "made"))
events <- readLines(file.path(folder, "runs", "main", "events.jsonl"))
events <- grep("\"event\":\"made\"", events, value = TRUE, fixed = TRUE)
at <- as.POSIXct(sub(".*\"at\":\"([^\"]*)Z\".*", "\\1", events), "UTC", "%Y-%m-%dT%H:%M:%OS")
status <- grep("VmHWM", readLines("/proc/self/status"), value = TRUE)
cat(
  length(at) / as.numeric(difftime(max(at), min(at), units = "secs")),
  1000 * sum(used[c("user.self", "sys.self")]) / length(at),
  as.numeric(gsub("[^0-9]", "", status)) / 1024,
  "\n"
)
if (!is.null(server)) {
  invisible(server$kill())
}

unlink(folder, recursive = TRUE)
