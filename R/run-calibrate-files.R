# What a calibration leaves in the trial: its steps while it is at work, the curve in lineup.yml.

# What was measured so far is kept until all is done: a calibration that was stopped continues, and
# no picture is paid for twice.
kept_steps <- function(folder, name, engine) {
  file <- steps_file(folder, name)
  kept <- if (file.exists(file)) tryCatch(jsonlite::read_json(file), error = function(e) NULL)
  if (!is_text(kept$token)) {
    kept <- list(token = fresh_key(), steps = list())
  }

  # A trial in a folder that can't be written to is calibrated all the same.
  write <- function() {
    try(
      suppressWarnings({
        dir.create(dirname(file), showWarnings = FALSE, recursive = TRUE)
        write_lines(to_json(kept), file)
      }),
      silent = TRUE
    )
  }
  write()
  list(
    # What determines a step's picture, as the key under which the engine is asked: the same after
    # a stop, another in the next calibration.
    key_of = function(request) {
      parts <- lapply(request_parts(request), function(part) sha256_of(part$bytes))
      made_by <- list(engine$about$version, as.list(engine$plan$code))
      substr(hash_of(list(kept$token, made_by, parts)), 1, 40)
    },
    get = function(key) {
      step <- kept$steps[[key]]
      if (is.list(step) && is_number(step$structure)) step
    },
    add = function(key, structure, cost) {
      kept$steps[[key]] <<- list(structure = structure, cost = null_for_na(cost))
      write()
    }
  )
}

steps_file <- function(folder, name) {
  file.path(folder, "runs", "calibrations", paste0(name, ".json"))
}

# The next calibration starts anew.
forget_steps <- function(folder, names) {
  files <- steps_file(folder, names)
  unlink(files)
  for (place in unique(c(dirname(files), dirname(dirname(files))))) {
    if (length(list.files(place, all.files = TRUE, no.. = TRUE)) == 0) {
      unlink(place, recursive = TRUE)
    }
  }
}

# Puts a calibration into lineup.yml: the block `calibrations` is ours, all the
# rest stays as it was written, comments too.
write_calibration <- function(folder, result) {
  file <- file.path(folder, "lineup.yml")
  lines <- readLines(file, warn = FALSE, encoding = "UTF-8")
  value <- read_yaml_text(paste(lines, collapse = "\n"), "lineup.yml")$value
  known <- value$calibrations %||% list()
  known[[result$engine]] <- list(
    hold = as.list(result$curve$hold),
    knob = as.list(result$curve$knob),
    version = result$version,
    checkpoint = result$checkpoint,
    measured = format(Sys.Date())
  )
  value$calibrations <- known
  start <- grep("^calibrations[[:space:]]*:", lines)
  if (length(start)) {
    after <- grep("^[^[:space:]#]", lines)
    end <- min(c(after[after > start[1]], length(lines) + 1))
    lines <- lines[-seq(start[1], end - 1)]
  }

  while (length(lines) && !nzchar(trimws(lines[length(lines)]))) {
    lines <- lines[-length(lines)]
  }

  lines <- c(
    lines,
    if (!length(start)) {
      c("", "# Measured by `sprenn calibrate`: hold is the share of structure kept.")
    },
    yaml_entry("calibrations", known, "")
  )
  again <- read_yaml_text(paste(lines, collapse = "\n"), "lineup.yml")$value
  if (!isTRUE(all.equal(again[order(names(again))], value[order(names(value))]))) {
    stop_sprenn(
      "calibration",
      c(
        "lineup.yml is written in a way that the curve can't be added to.",
        i = "Write `calibrations:` as the last key, at the start of its line.",
        x = "Nothing was changed."
      )
    )
  }

  write_lines(lines, file, kind = "calibration", kept = "The file is as it was.")
}
