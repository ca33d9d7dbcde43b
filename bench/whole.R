# A whole run of many takes of 256 x 256 through the command line: made and measured from
# photographs, killed with all its processes five times on the way, and resumed. Prints the time
# of each part, the most memory that any process held, what the run takes on disk, and what `check`
# finds. Run from the root with the package installed:
#   Rscript bench/whole.R PHOTOGRAPHS [TAKES] [FOLDER]
# PHOTOGRAPHS is a folder of PNG or JPEG files; the references are cut out of them.
library(sprenn)
given <- commandArgs(TRUE)
photographs <- list.files(given[1], pattern = "[.](png|jpe?g)$", full.names = TRUE)
wanted <- if (length(given) > 1) as.numeric(given[2]) else 1e5
folder <- if (length(given) > 2) given[3] else tempfile("bench-whole-")
size <- c(256, 256)
pipelines <- 40
seeds <- 10
cases <- ceiling(wanted / pipelines / seeds)
takes <- pipelines * seeds * cases

# References: squares cut out of the photographs, at half of their size at least.
set.seed(1)
dir.create(file.path(folder, "references"), recursive = TRUE)
for (photograph in seq_along(photographs)) {
  own <- which(seq_len(cases) %% length(photographs) == photograph - 1)
  whole <- if (length(own)) magick::image_read(photographs[photograph])
  for (i in own) {
    about <- magick::image_info(whole)
    side <- floor(min(about$width, about$height) * stats::runif(1, 0.5, 1))
    corner <- floor(stats::runif(2) * (c(about$width, about$height) - side))
    cut <- magick::image_crop(whole, magick::geometry_area(side, side, corner[1], corner[2]))
    small <- magick::image_resize(cut, "256x256!")
    magick::image_write(
      magick::image_convert(small, type = "TrueColor"),
      file.path(folder, "references", paste0(i, ".png")),
      "png"
    )
  }
}

file.copy("bench/making/varied.R", file.path(folder, "engine.R"))
writeLines(
  c(
    "suite: whole",
    paste0("seeds: [", toString(seq_len(seeds)), "]"),
    "size: [256, 256]",
    "cases:",
    sprintf(
      paste0(
        "  - {id: c%d, job: restyle, reference: references/%d.png, prompt: [a print, {say: dark, ",
        "probe: {brightness: at most 0.6}}]}"
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
    "  varied: {kind: function, file: engine.R}",
    "pipelines:",
    sprintf(
      "  - {id: p%d, engine: varied, checkpoint: plain, hold: %.3f}",
      seq_len(pipelines),
      seq_len(pipelines) / (pipelines + 1)
    )
  ),
  file.path(folder, "lineup.yml")
)
writeLines(
  c(
    "brief: whole",
    "weights: {structure: 0.5, adherence: 0.2, style: 0.3}",
    "style: stay",
    "limits: {takes: 10000000, hours: 100000, gigabytes: 100000}"
  ),
  file.path(folder, "brief.yml")
)

# Memory in MB, of /proc: the most that a process held.
most_of <- function(process) {
  status <- tryCatch(
    suppressWarnings(readLines(file.path("/proc", process, "status"))),
    error = function(e) character()
  )
  as.numeric(gsub("[^0-9]", "", c(grep("VmHWM", status, value = TRUE), "0")[1])) / 1024
}

children_of <- function(process) {
  found <- tryCatch(ps::ps_children(process, recursive = TRUE), error = function(e) list())
  vapply(found, ps::ps_pid, 0L)
}

counted <- function(db, query) {
  tryCatch(DBI::dbGetQuery(db, query)[[1]], error = function(e) 0)
}

# How much of the work is done: making and measuring count alike.
done_of <- function(db) {
  made <- counted(db, "SELECT count(*) FROM takes WHERE state = 'made'")
  c(made = made, measured = counted(db, "SELECT count(*) FROM prints"))
}

# Runs until the end, or until so many takes are made and measured, and then kills it. One line.
run_until <- function(part, until) {
  began <- Sys.time()
  records <- file.path(folder, "runs", "main", "run.sqlite")
  said <- file.path(folder, "said.txt")
  running <- processx::process$new(
    file.path(find.package("sprenn"), "bin", "sprenn"),
    c("run", folder, "--yes"),
    stdout = said,
    stderr = "2>&1"
  )
  most <- c(coordinator = 0, worker = 0)
  begun <- NA
  killed <- FALSE
  while (running$is_alive()) {
    Sys.sleep(1)
    if (!file.exists(records)) {
      next
    }

    workers <- children_of(running$as_ps_handle())
    most <- pmax(most, c(
      most_of(running$get_pid()),
      max(vapply(workers, most_of, 0), 0)
    ))
    db <- DBI::dbConnect(RSQLite::SQLite(), records, flags = RSQLite::SQLITE_RO)
    done <- done_of(db)
    DBI::dbDisconnect(db)
    if (is.na(begun)) {
      begun <- sum(done)
    }

    if (sum(done) >= until) {
      for (process in c(running$get_pid(), workers)) {
        tools::pskill(process, tools::SIGKILL)
      }

      running$wait()
      killed <- TRUE
    }
  }

  seconds <- as.numeric(difftime(Sys.time(), began, units = "secs"))
  cat(sprintf(
    paste0(
      "part %d: %.0f s, %s; %d made, %d measured; most memory: coordinator %.0f MB, a worker ",
      "%.0f MB\n"
    ),
    part,
    seconds,
    if (killed) "killed" else paste("ended with status", running$get_exit_status()),
    done[["made"]],
    done[["measured"]],
    most[["coordinator"]],
    most[["worker"]]
  ))
  if (!killed && running$get_exit_status() != 0) {
    cat(utils::tail(readLines(said), 20), sep = "\n")
  }

  seconds
}

began <- Sys.time()
ends <- c(2 * takes * 1:5 / 6, Inf)
seconds <- vapply(seq_along(ends), function(part) run_until(part, ends[part]), 0)
cat(sprintf("all of it: %d takes in %.0f minutes\n", takes, sum(seconds) / 60))
records <- file.path(folder, "runs", "main", "run.sqlite")
pictures <- list.files(file.path(folder, "runs", "main", "takes"), recursive = TRUE)
bytes <- sum(file.size(file.path(folder, "runs", "main", "takes", pictures)))
cat(sprintf(
  "%d pictures of %.1f GB, records of %.0f MB\n",
  length(pictures),
  bytes / 1e9,
  file.size(records) / 1e6
))
checked <- system.time(found <- check_run(folder))
cat(sprintf("check: %.0f s\n", checked[["elapsed"]]))
print(found)
events <- readLines(file.path(folder, "runs", "main", "events.jsonl"))
made <- sub(".*\"take\":\"([^\"]*)\".*", "\\1", grep("\"event\":\"made\"", events, value = TRUE))
cat(sprintf(
  "%d takes were made, %d of them once; %d workers lost\n",
  length(unique(made)),
  sum(table(made) == 1),
  sum(grepl("\"event\":\"worker lost\"", events))
))
if (length(given) < 3) {
  unlink(folder, recursive = TRUE)
}
