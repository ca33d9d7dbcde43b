# What all parts of the test bed use: a trial to work on, commands as processes, what a folder
# holds, and the list of what was found.
library(sprenn)
core <- function(name) getFromNamespace(name, "sprenn")

# The package's libraries, for processes that are started here.
libraries <- paste(.libPaths(), collapse = ":")
launcher <- system.file("bin", "sprenn", package = "sprenn")

# Everything is done below this folder; it is removed at the end.
work <- tempfile("chaos-")
dir.create(work)
work <- normalizePath(work)

finds <- character()

# A find is said at once, since a part can take an hour.
found <- function(...) {
  finds <<- c(finds, paste0(...))
  cat("FOUND:", ..., "\n")
}

# Ends a part: its figures in one line, and whether nothing was found.
say <- function(...) cat(format(Sys.time(), "%H:%M:%S "), sprintf(...), "\n", sep = "")

# Starts a command of Sprenn's in a process of its own. `before` is a program, with its arguments,
# that starts it.
start_command <- function(arguments, at = work, before = character(), env = character()) {
  said <- tempfile("said-", work)
  words <- c(before, "sh", launcher, arguments)
  process <- processx::process$new(
    words[1],
    words[-1],
    stdout = paste0(said, ".out"),
    stderr = paste0(said, ".err"),
    wd = at,
    env = c("current", R_LIBS = libraries, NO_COLOR = "1", env),
    cleanup_tree = TRUE
  )
  list(process = process, said = said)
}

# What a command has printed so far, errors first.
said_by <- function(command) {
  files <- paste0(command$said, c(".err", ".out"))
  unlist(lapply(files[file.exists(files)], readLines, warn = FALSE))
}

# Waits for a command; ends it if it takes too long, which is a find.
end_command <- function(command, seconds = 120, what = "a command") {
  command$process$wait(1000 * seconds)
  if (command$process$is_alive()) {
    found(what, " was not done after ", seconds, " s")
    command$process$kill_tree()
  }

  status <- command$process$get_exit_status()
  if (!status %in% 0:2) {
    found(what, " ended with status ", status, ": ", tail(said_by(command), 3))
  }

  stop_for_internals(said_by(command), what)
  status
}

# What R says when nobody has caught an error is no message for users.
internals <- paste(
  "Error in ", "subscript out of bounds", "argument is of length zero", "missing value where",
  "non-numeric argument", "object '[^']*' not found", "could not find function", "Traceback",
  "invalid argument type", "Calls: ", "Execution halted", "cannot open", "replacement has",
  "arguments imply differing", "undefined columns", "is not TRUE", "attempt to ",
  sep = "|"
)

stop_for_internals <- function(lines, what) {
  bad <- grep(internals, lines, value = TRUE)
  if (length(bad)) {
    found(what, " shows R's own words: ", bad[1])
  }
}

run_command <- function(arguments, at = work, seconds = 120, ..., what = arguments[1]) {
  command <- start_command(arguments, at, ...)
  status <- end_command(command, seconds, what)
  list(status = status, said = said_by(command))
}

copy_folder <- function(from, to) {
  processx::run("cp", c("-a", from, to))
  to
}

# A trial with a look, a sweep, a chain, controls and a judge's worth of checks, small enough that
# every command takes seconds. `address` is that of a server whose ledger says what was paid.
write_base_trial <- function(folder, address = NULL, cases = 2, seeds = 1:2) {
  dir.create(file.path(folder, "references"), recursive = TRUE)
  tile <- core("draw_tile")
  names <- core("tile_names")()
  for (i in seq_len(cases)) {
    png::writePNG(
      tile(names[1 + i %% length(names)], 128, 96, i),
      file.path(folder, "references", paste0("r", i, ".png"))
    )
  }

  png::writePNG(tile(names[2], 96, 96, 99), file.path(folder, "look.png"))
  writeLines(
    c(
      "suite: torn",
      paste0("seeds: [", paste(seeds, collapse = ", "), "]"),
      "size: [128, 96]",
      "looks: {paint: {pictures: [look.png]}}",
      "cases:",
      sprintf(
        paste0(
          "  - {id: c%d, job: restyle, reference: references/r%d.png, look: paint, ",
          "prompt: [a windmill on hill %d, {say: teal, probe: {colour: teal, share: at least 0.1}}]}"
        ),
        seq_len(cases), seq_len(cases), seq_len(cases)
      )
    ),
    file.path(folder, "suite.yml")
  )
  writeLines(
    c(
      "engines:",
      "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
      "  bracken: {kind: function, call: \"sprenn::standin_bracken\"}",
      if (!is.null(address)) {
        paste0("  served: {kind: http, address: \"", address, "\", at_once: 4}")
      },
      "pipelines:",
      "  - {id: near, engine: yarrow, checkpoint: tide, hold: 0.6}",
      "  - {id: loose, engine: bracken, hold: 0.4}",
      if (!is.null(address)) "  - {id: far, engine: served, hold: 0.6}",
      "sweeps:",
      "  - {vary: hold, of: near, over: [0.3, 0.8]}",
      "controls: [swapped_prompt, no_look]",
      "control_sample: {cases: 1}"
    ),
    file.path(folder, "lineup.yml")
  )
  writeLines(
    c("brief: keep the layout", "weights: {structure: 1, style: 1}", "style: reach the look"),
    file.path(folder, "brief.yml")
  )
  folder
}

# Whether a file is whole, by its kind.
is_whole <- function(file) {
  bytes <- file.size(file)
  if (is.na(bytes) || bytes == 0) {
    return(FALSE)
  }

  ending <- tools::file_ext(file)
  last <- function() {
    raw <- readBin(file, "raw", bytes)
    raw <- tail(raw, 40)
    trimws(rawToChar(raw[raw != 0]))
  }
  tryCatch(
    {
      suppressWarnings(switch(ending,
        png = ,
        jpg = is.array(read_picture(file)),
        zip = nrow(zip::zip_list(file)) > 0 && {
          to <- tempfile("unzipped-", work)
          utils::unzip(file, exdir = to)
          unlink(to, recursive = TRUE)
          TRUE
        },
        yml = is.list(yaml::read_yaml(file)),
        json = is.list(jsonlite::read_json(file)),
        csv = ncol(read.csv(file)) > 0 && tail(readBin(file, "raw", bytes), 1) == 0x0a,
        parquet = ncol(nanoparquet::read_parquet(file)) > 0,
        html = grepl("</html>$", last()),
        pdf = grepl("%%EOF$", last()),
        svg = grepl("</svg>$", last()),
        TRUE
      ))
    },
    error = function(e) FALSE
  )
}

# What is in a folder that commands leave: every file by its hash, the records by what they say.
# Logs, locks and what is only kept to save time are left out.
contents_of <- function(folder) {
  files <- list.files(folder, recursive = TRUE, all.files = TRUE, no.. = TRUE)
  passing <- "events[^/]*[.]jsonl$|[.]lock$|/join[.]sh$|runs/files[.]json$|runs/engines/"
  volatile <- grepl(paste0("run[.]sqlite|", passing), files)
  records <- files[grepl("run[.]sqlite$", files)]
  files <- files[!volatile]
  hashes <- vapply(file.path(folder, files), hash_without_day, "", USE.NAMES = FALSE)
  c(
    stats::setNames(hashes, files),
    vapply(stats::setNames(nm = records), function(file) records_of(folder, file), "")
  )
}

# Files that say on which day they were made are the same on any day.
hash_without_day <- function(file) {
  if (!grepl("[.](html|yml|json|csv|svg|txt)$", file)) {
    return(core("sha256_of_file")(file))
  }

  text <- readLines(file, warn = FALSE)
  day <- "20[0-9]{2}-[01][0-9]-[0-3][0-9]|[0-9]{1,2} [A-Z][a-z]+ 20[0-9]{2}"
  core("sha256_of")(paste(gsub(day, "DAY", text), collapse = "\n"))
}

records_of <- function(folder, file) {
  run <- basename(dirname(file))
  trial <- dirname(dirname(dirname(file.path(folder, file))))
  store <- core("open_store")(trial, run)
  on.exit(core("close_store")(store))
  takes <- core("read_kept_takes")(store)
  scores <- core("read_scores")(store)
  takes <- takes[order(takes$take), c("take", "state", "sha256", "cost")]
  scores <- scores[order(scores$take, scores$measure), c("take", "measure", "value")]
  rows <- c(
    do.call(paste, takes),
    paste(scores$take, scores$measure, as.character(signif(scores$value, 9)))
  )
  hash <- core("hash_of")(rows)
  rows_of_records[[hash]] <<- rows
  hash
}

# What records said, by their hash, to tell how they differ.
rows_of_records <- list()
