# Whether a slow server is kept busy: 200 takes on a stand-in that needs 2 s for a
# picture and works at 8 side by side. Run from the root with the package installed:
#   Rscript bench/flight.R [takes] [score] [described] [wide]
# With `described` the server is burdock, reached by its description: uploads, jobs that are
# followed, and pictures on another host. `wide` is 32 at a time that take 12 s each, in place of 8.
# The last column is what travels: the time taken over the ideal one.
library(sprenn)
given <- commandArgs(TRUE)
count <- as.integer(c(given, 200)[1])
score <- "score" %in% given
standin <- if ("described" %in% given) "burdock" else "bracken"
wide <- if ("wide" %in% given) 32 else 8
each <- if ("wide" %in% given) 12 else 2
running <- start_standins(standin, seconds = each, at_once = wide)
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

# burdock's part of the demo's served.yml, with the addresses that it has now.
described_part <- function(addresses) {
  served <- readLines(system.file("brackwater", "served.yml", package = "sprenn"))
  from <- grep("^  burdock:", served)
  to <- grep("^  teasel:", served) - 1
  part <- sub("per_call: 4", "per_call: 1", served[from:to])
  part <- sub("at_once: [0-9]+", paste("at_once:", wide), part)
  part <- sub("http://127.0.0.1:8465", addresses[["burdock"]], part, fixed = TRUE)
  sub("http://127.0.0.1:8466", addresses[["burdock-pictures"]], part, fixed = TRUE)
}

engine <- if (standin == "burdock") {
  described_part(running$addresses)
} else {
  paste0("  bracken: {kind: http, address: \"", running$addresses, "\"}")
}
checkpoint <- if (standin == "burdock") ", checkpoint: burr" else ""

writeLines(
  c(
    "engines:",
    engine,
    "pipelines:",
    paste0("  - {id: a, engine: ", standin, ", hold: 0.6", checkpoint, "}")
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

used <- system.time(takes <- run_trial(trial, score = score, progress = NULL)$takes)
seconds <- used[["elapsed"]]
stop_standins(running)

# The first call wakes the server up, for a second more.
ideal <- each * count / wide + 1

cat(
  sprintf(
    paste(
      "%d takes made%s in %.1f s, ideal %.1f s, ratio %.3f; this process at most %.0f MB and",
      "%.2f of a core\n"
    ),
    sum(takes$state == "made"),
    if (score) " and measured" else "",
    seconds,
    ideal,
    seconds / ideal,
    peak(),
    (used[["user.self"]] + used[["sys.self"]]) / seconds
  )
)

unlink(folder, recursive = TRUE)
