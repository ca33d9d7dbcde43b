#' Make a new trial
#'
#' Writes a trial's folder: the demo trial of Brackwater tiles, or a trial made
#' from a folder of your own pictures, ready to run with the stand-in engines
#' until `lineup.yml` names your own.
#'
#' @param trial The folder to make. It must not exist, or be empty.
#' @param from A folder of PNG, JPEG or WebP pictures: each becomes the
#'   reference of one case.
#' @param look Paths of pictures that show the look wanted (with `from`).
#' @param prompt What every case asks for (with `from`), to be edited later.
#' @param demo Whether to make the demo trial.
#' @param cases How many of the demo's cases to take, 1 to 5; all of them if
#'   `NULL`.
#' @return The trial's folder, invisibly. Pictures in `from` that can't be used
#'   are left out and named in the attribute `left_out`.
#' @section Errors: `sprenn_error_new` when the folder is taken or `from` holds
#'   no usable picture.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "new-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' list.files(folder, recursive = TRUE)
#' unlink(folder, recursive = TRUE)
new_trial <- function(trial, from = NULL, look = NULL, prompt = "in a new look", demo = FALSE, cases = NULL) {
  check_arguments(
    trial = checkmate::check_string(trial, min.chars = 1),
    from = checkmate::check_string(from, null.ok = TRUE),
    look = checkmate::check_character(look, any.missing = FALSE, null.ok = TRUE),
    prompt = checkmate::check_string(prompt, pattern = "\\S"),
    demo = checkmate::check_flag(demo),
    cases = checkmate::check_int(cases, lower = 1, upper = 5, null.ok = TRUE)
  )
  if (is.null(from) != demo) {
    stop_sprenn("new", c("A new trial is made from a folder of pictures (`from`) or is the demo (`demo`), one of the two."))
  }
  if (file.exists(trial) && (!dir.exists(trial) || length(list.files(trial, all.files = TRUE, no.. = TRUE)) > 0)) {
    stop_sprenn("new", c(paste0(trial, " is there already and is not empty."), i = "Give the new trial another name."))
  }
  # Everything is made beside its place and moved there whole.
  building <- tempfile("new-trial-", tmpdir = existing_parent(trial))
  on.exit(unlink(building, recursive = TRUE))
  if (!dir.create(building, showWarnings = FALSE)) {
    stop_sprenn("new", c(paste0("Can't write to ", dirname(building), ".")))
  }
  left_out <- if (demo) write_demo(building, cases) else write_from_pictures(building, from, look, prompt)
  if (dir.exists(trial)) unlink(trial, recursive = TRUE)
  dir.create(dirname(trial), showWarnings = FALSE, recursive = TRUE)
  if (!file.rename(building, trial)) stop_sprenn("new", c(paste0("Can't write to ", trial, ".")))
  invisible(structure(trial, left_out = left_out))
}

existing_parent <- function(path) {
  parent <- dirname(normalizePath(path, mustWork = FALSE))
  while (!dir.exists(parent)) parent <- dirname(parent)
  parent
}

write_demo <- function(folder, cases) {
  lines <- lapply(stats::setNames(trial_files, trial_files), function(file) {
    readLines(system.file("brackwater", file, package = "sprenn"), encoding = "UTF-8")
  })
  if (!is.null(cases)) lines <- first_cases(lines, cases)
  for (file in trial_files) writeLines(lines[[file]], file.path(folder, file), useBytes = TRUE)
  named <- regmatches(lines$suite.yml, gregexpr("(references|looks|masks|guides)/[a-z0-9.-]+", lines$suite.yml))
  draw_demo_pictures(folder, unlist(named))
  NULL
}

# The first cases of the demo's suite, which are all of one job, with the looks,
# pipelines and purposes that they want.
first_cases <- function(lines, cases) {
  suite <- lines$suite.yml
  starts <- grep("^  - id:", suite)
  suite <- suite[seq_len(starts[cases + 1] - 1)]
  named <- "^    look: (\\{name: )?([a-z]+).*"
  wanted <- sub(named, "\\2", grep(named, suite, value = TRUE))
  looks <- grepl("^  [a-z]+: \\{pictures: ", suite)
  other_job <- function(lines, pattern) grepl(pattern, lines) & !grepl("restyle", lines)
  list(
    suite.yml = suite[!looks | sub("^  ([a-z]+):.*", "\\1", suite) %in% wanted],
    lineup.yml = lines$lineup.yml[!other_job(lines$lineup.yml, "^  (- .*jobs:|#)")],
    brief.yml = lines$brief.yml[!other_job(lines$brief.yml, "^  [a-z]+: \\{weights")]
  )
}

write_from_pictures <- function(folder, from, look, prompt) {
  if (!dir.exists(from)) stop_sprenn("new", c(paste0("There is no folder ", from, ".")))
  files <- list.files(from, full.names = TRUE)
  files <- files[!dir.exists(files)]
  wrong <- vapply(files, function(file) {
    tryCatch({
      read_picture(file)
      NA_character_
    }, sprenn_error_picture = function(e) sub("^found ", "", e$details[["x"]]))
  }, "")
  usable <- files[is.na(wrong)]
  if (length(usable) == 0) {
    stop_sprenn("new", c(
      paste0("There is no usable picture in ", from, "."),
      stats::setNames(paste0(basename(files), ": ", wrong), rep("x", length(files)))
    ))
  }
  for (path in look) read_picture(path)
  names <- plain_names(basename(usable))
  copied <- copy_pictures(usable, file.path(folder, "references"), names)
  looks <- if (length(look)) copy_pictures(look, file.path(folder, "looks"), plain_names(basename(look)))
  ids <- sub("\\.[a-z]+$", "", copied)
  yaml_text <- function(x) to_json(x)
  suite <- c(
    "# Every pipeline meets these cases and seeds, all of them the same way.",
    "suite: my-suite", "seeds: [11, 23, 47]",
    "size: 576                        # the long edge; each case keeps its picture's aspect", "",
    if (length(looks)) c("looks:", paste0("  wanted: {pictures: [", paste0("looks/", looks, collapse = ", "), "]}"), ""),
    "# A phrase that pixels can check gives adherence its evidence, for example",
    "#   - {say: a cream sky, probe: {colour: cream, where: top third, share: at least 0.3}}",
    "cases:",
    unlist(lapply(seq_along(copied), function(i) {
      c(
        paste0("  - id: ", ids[i]), "    job: restyle", paste0("    reference: references/", copied[i]),
        if (length(looks)) "    look: wanted", "    prompt:", paste0("      - ", yaml_text(prompt)), ""
      )
    }))
  )
  write <- function(lines, file) writeLines(enc2utf8(lines), file.path(folder, file), useBytes = TRUE)
  write(suite, "suite.yml")
  write(starter_lineup, "lineup.yml")
  write(starter_brief(length(looks) > 0), "brief.yml")
  stats::setNames(wrong[!is.na(wrong)], basename(files[!is.na(wrong)]))
}

# Names that are fit for ids: letters, digits and dashes, each once.
plain_names <- function(names) {
  plain <- iconv(sub("\\.[^.]*$", "", names), to = "ASCII//TRANSLIT", sub = "-")
  plain <- tolower(gsub("^-+|-+$", "", gsub("[^A-Za-z0-9]+", "-", plain)))
  plain <- ifelse(nzchar(plain), substr(plain, 1, 40), "picture")
  make.unique(plain, sep = "-")
}

copy_pictures <- function(files, folder, names) {
  dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  formats <- vapply(files, function(file) file_kind(readBin(file, "raw", 32)), "")
  copied <- paste0(names, ".", picture_formats[formats])
  if (!all(file.copy(files, file.path(folder, copied)))) stop_sprenn("new", c(paste0("Can't write to ", folder, ".")))
  copied
}

starter_lineup <- c(
  "# The two engines here are stand-ins that ship with Sprenn. Put your own beside",
  "# or in place of them: an R file whose last value is an engine(), for example",
  "#   mine: {kind: function, file: my-engine.R}",
  "engines:",
  "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
  "  bracken: {kind: function, call: \"sprenn::standin_bracken\"}", "",
  "pipelines:",
  "  - {id: yarrow, engine: yarrow, checkpoint: tide, hold: 0.6}",
  "  - {id: bracken, engine: bracken, hold: 0.6}", "",
  "sweeps:",
  "  - {vary: hold, of: yarrow, over: [0.3, 0.6, 0.9]}"
)

starter_brief <- function(with_look) {
  c(
    "# What the choice is for.",
    "brief: a new look with the layout intact", "job: restyle",
    "weights: {structure: 0.5, adherence: 0.2, style: 0.3}",
    "floors: {structure: 0.3}",
    if (with_look) {
      "style: reach the look"
    } else {
      "style: {change: [0.4, 1.2]}      # no look to reach: a clear change, where 1 is as far as two looks are apart"
    },
    "confidence: 0.9"
  )
}
