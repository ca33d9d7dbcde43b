#' Make a new trial
#'
#' Writes a trial's folder: the demo trial of Brackwater tiles, the one of its portrait cards, or a
#' trial of your own pictures, ready to run with the stand-in engines until `lineup.yml`
#' names your own.
#'
#' @param trial The folder to make. It must not exist, or be empty.
#' @param from The source of the cases:
#'   - a folder of PNG, JPEG, WebP or TIFF pictures: each becomes the reference
#'     of one case;
#'   - a CSV file (UTF-8, with commas, semicolons or tabs) or a Parquet file, one row a case. A
#'     column is a place inside a case: `id`, `job`, `reference`, `prompt`, `negative`, `mask`,
#'     `reference.fit`, `grow.left`, `guides.edges` and so on; `look` holds the look's pictures.
#'     Paths are relative to the table; entries of a list are separated by `|`. The column `job`
#'     can be left out if the other columns imply it;
#'   - a zip that [pack_trial()] wrote: it is verified and unpacked.
#' @param like Another trial. Alone, it is copied without its runs; with `from`, its lineup,
#'   brief, seeds, size and looks are used, and pictures of a folder get the job, the look and the
#'   negative prompt of its first case.
#' @param look Paths of pictures that show the look wanted (with a folder in
#'   `from`).
#' @param prompt The prompt of every case that has none of its own, to be edited later;
#'   `"neutral"` if text should not matter.
#' @param demo Whether to make the demo trial.
#' @param untidy Whether to make the untidy demo, which shows every warning of
#'   [check_trial()] once.
#' @param cards Whether to make the demo of portrait cards.
#' @param cases How many of the demo's cases to take, 1 to 8; all of them if
#'   `NULL`.
#' @return A list of class `sprenn_new_trial`, invisibly: `folder`; `left_out`, the pictures
#'   in `from` that can't be used, with the reasons; and `renamed`, where the files are whose
#'   names could not be kept, by these names.
#' @section Errors: `sprenn_error_new` if the folder is not empty, or `from` has no usable
#'   picture, is a table with problems (all are reported), or a zip that is damaged or leaves its
#'   folder; `sprenn_error_trial` if the trial in `like` has problems.
#' @family trials
#' @export
#' @examples
#' folder <- file.path(tempdir(), "new-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' list.files(folder, recursive = TRUE)
#' unlink(folder, recursive = TRUE)
new_trial <- function(
  trial,
  from = NULL,
  like = NULL,
  look = NULL,
  prompt = NULL,
  demo = FALSE,
  untidy = FALSE,
  cards = FALSE,
  cases = NULL
) {
  check_arguments(
    trial = checkmate::check_string(trial, min.chars = 1),
    from = checkmate::check_string(from, min.chars = 1, null.ok = TRUE),
    like = checkmate::check_string(like, min.chars = 1, null.ok = TRUE),
    look = checkmate::check_character(look, any.missing = FALSE, null.ok = TRUE),
    prompt = checkmate::check_string(prompt, pattern = "\\S", null.ok = TRUE),
    demo = checkmate::check_flag(demo),
    untidy = checkmate::check_flag(untidy),
    cards = checkmate::check_flag(cards),
    cases = checkmate::check_int(cases, lower = 1, upper = 8, null.ok = TRUE)
  )
  demos <- c(brackwater = demo, untidy = untidy, cards = cards)
  stop_for_sources(trial, from, sum(demos) + (!is.null(from) || !is.null(like)))
  kind <- if (any(demos)) "demo" else source_kind(from)
  name <- plain_names(basename(normalizePath(trial, mustWork = FALSE)))
  made <- write_folder(
    trial,
    function(building) {
      switch(kind,
        demo = write_demo(building, names(demos)[demos], cases),
        trial = copy_trial(read_trial(like)$folder, building),
        zip = list(left_out = unpack_trial(from, building)),
        write_from_pictures(building, name, from, kind, like, look, prompt)
      )
    },
    kind = "new",
    kept = "Nothing was kept of the new trial."
  )
  told <- if (kind %in% c("demo", "trial")) list() else made
  invisible(structure(
    list(folder = trial, left_out = told$left_out, renamed = told$renamed),
    class = "sprenn_new_trial"
  ))
}

#' @export
print.sprenn_new_trial <- function(x, ...) {
  cat("<new trial>", x$folder, "\n")
  invisible(x)
}

stop_for_sources <- function(trial, from, sources) {
  if (sources != 1) {
    stop_sprenn(
      "new",
      c(paste0(
        "A new trial is made from pictures, a table or a zip (`from`), from another trial ",
        "(`like`), or is a demo (`demo`, `untidy`, `cards`), one of these."
      ))
    )
  }

  if (!is.null(from) && !file.exists(from)) {
    stop_sprenn("new", c(paste0("There is no folder or file ", from, ".")))
  }

  is_free <- !file.exists(trial) ||
    (dir.exists(trial) && length(list.files(trial, all.files = TRUE, no.. = TRUE)) == 0)
  if (!is_free) {
    stop_sprenn(
      "new",
      c(
        paste0(trial, " is there already and is not empty."),
        i = "Give the new trial another name."
      )
    )
  }
}

# By content, not by name.
source_kind <- function(from) {
  if (is.null(from)) {
    "trial"
  } else if (dir.exists(from)) {
    "folder"
  } else if (file_kind(readBin(from, "raw", 32)) == "a zip file") {
    "zip"
  } else {
    "table"
  }
}

write_demo <- function(folder, which, cases) {
  lines <- lapply(stats::setNames(trial_files, trial_files), function(file) {
    readLines(system.file(which, file, package = "sprenn"), encoding = "UTF-8")
  })
  if (which == "brackwater" && !is.null(cases)) {
    lines <- first_cases(lines, cases)
  }

  for (file in trial_files) {
    write_lines(lines[[file]], file.path(folder, file))
  }

  named <- regmatches(
    lines$suite.yml,
    gregexpr("(references|looks|masks|guides)/[a-z0-9.-]+", lines$suite.yml)
  )
  by_hand <- if (any(grepl("handmade", lines$lineup.yml[grepl("id:", lines$lineup.yml)]))) {
    paste0("handmade/handmade--salt-fresh--", c(11, 23), ".png")
  }
  draw_demo_pictures(folder, c(unlist(named), by_hand))
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
  lines$lineup.yml <- sub(", teasel-firm]", "]", lines$lineup.yml, fixed = TRUE)
  lines$lineup.yml <- grep(
    "(teasel|handmade): |steps: .*teasel|second step",
    lines$lineup.yml,
    value = TRUE,
    invert = TRUE
  )
  list(
    suite.yml = suite[!looks | sub("^  ([a-z]+):.*", "\\1", suite) %in% wanted],
    lineup.yml = lines$lineup.yml[!other_job(lines$lineup.yml, "^  (- .*jobs:|#)")],
    brief.yml = lines$brief.yml[!other_job(lines$brief.yml, "^  [a-z]+: \\{weights")]
  )
}

# A trial from a folder of pictures or a table, perhaps after another trial; its suite is
# called `name`.
write_from_pictures <- function(folder, name, from, kind, like, look, prompt) {
  model <- if (!is.null(like)) model_of(like)
  prompt <- phrases_of_text(prompt %||% "in a new look")
  found <- if (kind == "folder") {
    cases_from_folder(from, prompt)
  } else {
    cases_from_table(from, prompt)
  }
  for (path in look) {
    open_picture(path)
  }

  wanted <- if (length(look)) copies_of(look, "looks")
  looks <- c(
    model$suite$looks,
    found$looks,
    if (length(look)) list(wanted = list(pictures = lapply(wanted, `[[`, "to")))
  )
  default <- if (length(look)) "wanted" else model$case$look
  cases <- lapply(found$cases, with_default_look, default)
  if (kind == "folder") {
    cases <- lapply(cases, with_keys_of, model$case, c("job", "negative"))
  }

  for (file in c(found$files, wanted)) {
    copy_into(folder, file$from, file$to)
  }

  if (!is.null(model)) {
    copy_trial(model$folder, folder, c(model$looks, model$engine_files))
  }

  suite <- c(
    list(
      suite = name,
      seeds = model$suite$seeds %||% list(11, 23, 47),
      size = model$suite$size %||% 576
    ),
    if (length(looks)) list(looks = looks),
    list(cases = cases)
  )
  jobs <- unique(vapply(cases, `[[`, "", "job"))
  write_lines(comment_suite(write_yaml_text(suite)), file.path(folder, "suite.yml"))
  write_lines(lineup_like(model, jobs), file.path(folder, "lineup.yml"))
  write_lines(brief_like(model, jobs, length(looks) > 0), file.path(folder, "brief.yml"))
  copied <- c(found$files, wanted)
  from <- basename(vapply(copied, `[[`, "", "from"))
  to <- vapply(copied, `[[`, "", "to")
  list(
    left_out = found$left_out,
    renamed = stats::setNames(to, from)[basename(to) != from]
  )
}
