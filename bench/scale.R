# How far it scales: planning a million takes, choosing from a run of a hundred
# thousand, measuring with two processes against one, and the memory that measuring
# few and many takes needs. Run from the root with the package installed:
#   Rscript bench/scale.R [plan] [given] [choose] [score] [memory]
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")
source("bench/recorded.R")
given <- commandArgs(TRUE)
parts <- if (length(given)) given else c("plan", "given", "choose", "score", "memory")
seconds <- function(code) system.time(force(code))[["elapsed"]]

peak <- function(process = "self") {
  status <- tryCatch(
    readLines(file.path("/proc", process, "status")),
    error = function(e) character(),
    warning = function(w) character()
  )
  as.numeric(c(sub("[^0-9]*([0-9]+).*", "\\1", grep("VmHWM", status, value = TRUE)), 0)[1]) /
    1024
}

# A suite over a few pictures, and a lineup of yarrow at many settings.
large_trial <- function(cases, seeds, pipelines, size = c(96, 64)) {
  folder <- tempfile("bench-scale-")
  dir.create(file.path(folder, "references"), recursive = TRUE)
  for (i in 1:8) {
    core("write_drawing")(
      core("draw_tile")(core("tile_names")()[i], size[1], size[2], i),
      file.path(folder, "references", paste0(i, ".png"))
    )
  }

  writeLines(
    c(
      "suite: large",
      paste0("seeds: [", paste(seq_len(seeds), collapse = ", "), "]"),
      paste0("size: [", size[1], ", ", size[2], "]"),
      "cases:",
      sprintf(
        paste0(
          "  - {id: c%d, job: restyle, reference: references/%d.png, prompt: [a hill, {say: ",
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
      "limits: {takes: 10000000, hours: 100000, gigabytes: 100000}"
    ),
    file.path(folder, "brief.yml")
  )
  read_trial(folder)
}

# The same number of takes over pipelines that sweep what they give: guides and their weights and
# releases, wordings, chains.
given_trial <- function() {
  trial <- large_trial(100, 10, 1)
  folder <- trial$folder
  among <- function(from, to, by) paste0("[", paste(seq(from, to, by = by), collapse = ", "), "]")
  writeLines(
    c(
      "engines:",
      "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
      "  teasel: {kind: function, call: \"sprenn::standin_teasel\"}",
      "pipelines:",
      "  - id: edged",
      "    engine: yarrow",
      "    checkpoint: tide",
      "    hold: 0.4",
      "    wording: {after: in fine detail}",
      "  - id: chain",
      "    steps:",
      "      - {engine: yarrow, checkpoint: tide, hold: 0.5, guides: {kind: edges, weight: 0.5}}",
      "      - {engine: teasel, hold: 0.9}",
      "sweeps:",
      "  - of: edged",
      "    grid:",
      paste("      guides.edges.weight:", among(0.05, 1, 0.05)),
      paste("      guides.edges.release:", among(0.1, 1, 0.1)),
      "      hold: [0.3, 0.5, 0.7]",
      "  - of: chain",
      "    grid:",
      "      steps.1.guides.kind: [edges, soft_edges, areas]",
      paste("      steps.1.guides.weight:", among(0.1, 1, 0.1)),
      paste("      steps.2.hold:", among(0.45, 0.95, 0.05))
    ),
    file.path(folder, "lineup.yml")
  )
  read_trial(folder)
}

# A drawing for every take of the trial, as if it had been made, of 24 in turn: making
# is not what is timed. Returns how many takes.
draw_takes <- function(trial) {
  plan <- plan_run(trial)$takes
  store <- core("open_store")(trial$folder, "main", create = TRUE)
  on.exit(core("close_store")(store))
  core("record_plan")(store, trial, plan)
  size <- trial$suite$size
  drawings <- lapply(1:24, function(i) {
    png::writePNG(
      core("draw_tile")(core("tile_names")()[1 + i %% 8], size[1], size[2], i)
    )
  })
  for (i in seq_len(nrow(plan))) {
    bytes <- drawings[[1 + i %% 24]]
    record_drawn(store, plan$take[i], bytes, size, 0)
  }

  nrow(plan)
}

# For their memory, run these in processes of their own: what one has used is not given back.
plan_at_scale <- function(kind, trial_of) {
  reading <- seconds(trial <- trial_of())
  before <- peak()
  took <- seconds(plan <- plan_run(trial)$takes)
  cat(
    sprintf(
      "%s: read in %.1f s; planning %d takes: %.1f s, at most %.0f MB (%.0f MB before)\n",
      kind,
      reading,
      nrow(plan),
      took,
      peak(),
      before
    )
  )
}

if ("plan" %in% parts) {
  plan_at_scale("pipelines of one setting", function() large_trial(1000, 10, 100))
}

if ("given" %in% parts) {
  plan_at_scale("pipelines that sweep what they give", given_trial)
}

if ("choose" %in% parts) {
  # Rows are written as a run would leave them; all takes share one picture.
  trial <- large_trial(250, 10, 40)
  plan <- plan_run(trial)$takes
  store <- core("open_store")(trial$folder, "main", create = TRUE)
  core("record_plan")(store, trial, plan)
  tile <- png::writePNG(core("draw_tile")("mast", 96, 64, 1))
  picture <- core("keep_pictures")(store, list(tile))
  DBI::dbExecute(
    store$db,
    paste0(
      "UPDATE takes SET state = 'made', file = ?, sha256 = ?, width = 96, height = 64, bytes = ",
      "?, seconds = 1, cost = 0.01, request = ?, answer = '{}'"
    ),
    params = list(
      picture$file,
      picture$sha256,
      file.size(core("take_path")(store, picture$file)),
      strrep("{\"as\": \"long as a request is\"} ", 40)
    )
  )
  set.seed(1)
  takes <- plan$take
  one <- core("score_bytes")(
    core("read_bytes")(core("take_path")(store, picture$file)),
    trial$suite$cases[[1]],
    trial$suite,
    core("Cache")$new()
  )$scores
  quality <- 0.3 + 0.6 * match(plan$pipeline, unique(plan$pipeline)) / 40
  DBI::dbWithTransaction(
    store$db,
    for (i in seq_len(nrow(one))) {
      graded <- one$axis[i] != "flaws"
      value <- if (graded) {
        pmin(1, pmax(0, quality + stats::rnorm(length(takes), 0, 0.1)))
      } else {
        one$value[i]
      }
      DBI::dbExecute(
        store$db,
        "INSERT INTO scores VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
        params = list(
          takes,
          rep(one$axis[i], length(takes)),
          rep(one$measure[i], length(takes)),
          rep(one$phrase[i], length(takes)),
          rep_len(value, length(takes)),
          rep(0.5, length(takes)),
          rep(if (graded) NA else "none", length(takes)),
          rep(NA_character_, length(takes))
        )
      )
    }
  )
  DBI::dbExecute(
    store$db,
    "INSERT INTO prints VALUES (?, ?, NULL)",
    params = list(takes, rep("as long as a print is", length(takes)))
  )
  core("set_facts")(store, measures = core("version_of_measures")(trial$suite))
  core("close_store")(store)
  took <- seconds(verdict <- choose_pipeline(trial))
  cat(
    sprintf(
      "choosing from %d takes with %d scores: %.1f s, this process at most %.0f MB: %s leads, %s\n",
      nrow(plan),
      nrow(one) * nrow(plan),
      took,
      peak(),
      verdict$best,
      verdict$state
    )
  )
}

if ("score" %in% parts) {
  trial <- large_trial(16, 3, 12, c(768, 512))
  takes <- draw_takes(trial)
  # Both begin with the same: what a case needs is worked out anew.
  results <- list()
  times <- vapply(
    c(1, 2, 1, 2),
    function(workers) {
      seconds(results[[workers]] <<- score_run(trial, again = TRUE, workers = workers)$scores)
    },
    0
  )
  cat(
    sprintf(
      paste0(
        "measuring %d takes of 768 x 512: %.1f s with one process, %.1f s with two, ratio %.2f; ",
        "the same to the last bit: %s\n"
      ),
      takes,
      min(times[c(1, 3)]),
      min(times[c(2, 4)]),
      min(times[c(1, 3)]) / min(times[c(2, 4)]),
      identical(results[[1]], results[[2]])
    )
  )
}

if ("memory" %in% parts) {
  # The same cases, more seeds: the most that the processes of a run held at any time.
  for (seeds in c(5, 20, 60)) {
    trial <- large_trial(5, seeds, 4, c(192, 128))
    takes <- draw_takes(trial)
    measuring <- processx::process$new(
      "Rscript",
      c("-e", sprintf("invisible(sprenn::score_run('%s', workers = 1)$scores)", trial$folder)),
      stderr = "|"
    )
    most <- c(run = 0, worker = 0)
    while (measuring$is_alive()) {
      worker <- vapply(
        tryCatch(
          ps::ps_children(measuring$as_ps_handle(), recursive = TRUE),
          error = function(e) list()
        ),
        function(one) peak(ps::ps_pid(one)),
        0
      )
      most <- pmax(most, c(peak(measuring$get_pid()), max(worker, 0)))
      Sys.sleep(0.2)
    }

    if (measuring$get_exit_status() != 0) {
      stop(measuring$read_all_error())
    }

    cat(
      sprintf(
        paste0(
          "measuring %d takes of 192 x 128 with one process: it held at most %.0f MB, the run ",
          "itself %.0f MB\n"
        ),
        takes,
        most[["worker"]],
        most[["run"]]
      )
    )
  }
}
