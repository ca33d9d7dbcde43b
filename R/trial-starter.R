# The starting content of a new trial: cases from a folder of pictures, and a lineup and a brief
# to begin with, or those of another trial.

cases_from_folder <- function(from, prompt) {
  files <- list.files(from, full.names = TRUE)
  files <- files[!dir.exists(files)]
  wrong <- vapply(
    files,
    function(file) {
      tryCatch(
        {
          picture_summary(file)
          NA_character_
        },
        sprenn_error_picture = function(e) sub("^found ", "", e$details[["x"]])
      )
    },
    ""
  )
  usable <- files[is.na(wrong)]
  if (length(usable) == 0) {
    stop_sprenn(
      "new",
      c(
        paste0("There is no usable picture in ", from, "."),
        if (length(files)) {
          stats::setNames(paste0(basename(files), ": ", wrong), rep("x", length(files)))
        } else {
          c(x = "The folder is empty.")
        }
      )
    )
  }

  copies <- copies_of(usable, "references")
  cases <- lapply(copies, function(copy) {
    list(
      id = sub("\\.[a-z]+$", "", basename(copy$to)),
      job = "restyle",
      reference = copy$to,
      prompt = prompt
    )
  })
  list(
    cases = cases,
    files = copies,
    left_out = stats::setNames(wrong[!is.na(wrong)], basename(files[!is.na(wrong)]))
  )
}

# Files to copy, under plain names and with the ending that fits their content.
copies_of <- function(files, folder) {
  endings <- picture_formats[vapply(
    files,
    function(file) file_kind(readBin(file, "raw", 32)),
    ""
  )]
  Map(
    function(from, name, ending) list(from = from, to = paste0(folder, "/", name, ".", ending)),
    files,
    plain_names(basename(files)),
    endings,
    USE.NAMES = FALSE
  )
}

comment_suite <- function(lines) {
  at <- match("cases:", lines)
  c(
    "# Every pipeline meets these cases and seeds, all of them the same way. A size of one number",
    "# is the long edge: each case keeps its picture's aspect then.",
    lines[seq_len(at - 1)],
    "",
    "# A phrase that pixels can check gives adherence its evidence, for example",
    "#   - {say: a cream sky, probe: {colour: cream, where: top third, share: at least 0.3}}",
    lines[at:length(lines)]
  )
}

# Both stand-ins leave out what they can't take; bracken takes no several
# references, so it is not asked to blend.
starter_lineup <- function(jobs) {
  rest <- setdiff(jobs, "blend")
  only <- if (length(rest) < length(jobs)) {
    paste0(", jobs: [", paste(rest, collapse = ", "), "]")
  }
  c(
    "# The two engines here are stand-ins that ship with Sprenn. Put your own beside",
    "# or in place of them: an R file whose last value is an engine(), for example",
    "#   mine: {kind: function, file: my-engine.R}",
    "engines:",
    "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
    "  bracken: {kind: function, call: \"sprenn::standin_bracken\"}",
    "",
    "pipelines:",
    "  - {id: yarrow, engine: yarrow, checkpoint: tide, hold: 0.6, if_missing: drop}",
    if (length(rest)) {
      paste0("  - {id: bracken, engine: bracken, hold: 0.6, if_missing: drop", only, "}")
    },
    "",
    "sweeps:",
    "  - {vary: hold, of: yarrow, over: [0.3, 0.6, 0.9]}"
  )
}

starter_brief <- function(with_look, jobs) {
  c(
    "# What the choice is for.",
    "brief: a new look with the layout intact",
    if (length(jobs) == 1) paste("job:", jobs),
    "weights: {structure: 0.5, adherence: 0.2, style: 0.3}",
    if (!any(c("fresh", "vary") %in% jobs)) "floors: {structure: 0.3}",
    if (with_look) {
      "style: reach the look"
    } else {
      paste0(
        "style: {change: [0.4, 1.2]}      # no look to reach: a clear change, where 1 is as far ",
        "as two looks are apart"
      )
    },
    "confidence: 0.9"
  )
}

with_default_look <- function(case, look) {
  if (is.null(case$look) && !is.null(look)) {
    case <- append(case, list(look = look), match("prompt", names(case)) - 1)
  }

  case
}

with_keys_of <- function(case, model, keys) {
  shared <- intersect(keys, names(model))
  case[shared] <- model[shared]
  case
}

lineup_like <- function(model, jobs) {
  if (is.null(model)) {
    return(starter_lineup(jobs))
  }

  trimmed(model$lineup, trim_lineup(model$lineup$value, jobs))
}

brief_like <- function(model, jobs, has_looks) {
  if (is.null(model)) {
    return(starter_brief(has_looks, jobs))
  }

  trimmed(model$brief, trim_brief(model$brief$value, jobs))
}

# A file as it stands, comments and all, unless something had to go.
trimmed <- function(read, left) {
  if (identical(left, read$value)) {
    read$text
  } else {
    write_yaml_text(left)
  }
}

# The pipelines and sweeps that have something to do, and the controls of these.
trim_lineup <- function(lineup, jobs) {
  is_busy <- function(one) is.null(one$jobs) || any(unlist(one$jobs) %in% jobs)
  busy <- vapply(lineup$pipelines, is_busy, NA)
  kept <- vapply(lineup$pipelines[busy], `[[`, "", "id")
  swept <- vapply(lineup$sweeps, function(sweep) sweep$of %in% kept && is_busy(sweep), NA)
  if (all(busy) && all(swept)) {
    return(lineup)
  }

  with_own_jobs <- function(one) {
    one$jobs <- if (!is.null(one$jobs)) as.list(intersect(unlist(one$jobs), jobs))
    one
  }
  lineup$pipelines <- lapply(lineup$pipelines[busy], with_own_jobs)
  lineup$sweeps <- if (any(swept)) lapply(lineup$sweeps[swept], with_own_jobs)
  trim_controls(lineup, kept)
}

# Without the controls of pipelines that are not kept; a member of a sweep is named after what is
# varied.
trim_controls <- function(lineup, kept) {
  named <- unlist(lineup$control_sample$pipelines)
  if (is.null(named)) {
    return(lineup)
  }

  named <- named[sub("/.*$", "", named) %in% kept]
  if (length(named)) {
    lineup$control_sample$pipelines <- as.list(named)
  } else {
    lineup[c("controls", "control_sample")] <- NULL
  }

  lineup
}

trim_brief <- function(brief, jobs) {
  if (!is.null(brief$job) && !brief$job %in% jobs) {
    brief$job <- NULL
  }

  kept <- brief$purposes[names(brief$purposes) %in% jobs]
  if (length(kept) == length(brief$purposes)) {
    return(brief)
  }

  if (length(kept) > 0) {
    brief$purposes <- kept
    return(brief)
  }

  # No purpose is for these jobs: the first one speaks for all then.
  first <- brief$purposes[[1]]
  brief$purposes <- NULL
  c(brief["brief"], first, brief[names(brief) != "brief"])
}

# The parts that a new trial takes over from another, apart from its cases.
model_of <- function(like) {
  trial <- read_trial(like)
  suite <- read_trial_file(trial$folder, "suite.yml")$value
  first <- suite$cases[[1]]
  if (!first$job %in% c("restyle", "vary", "repair", "swap")) {
    first$job <- "restyle"
  }

  named <- named_files(list(looks = suite$looks))$path
  list(
    folder = trial$folder,
    suite = suite,
    case = first,
    looks = named,
    engine_files = engine_files(trial$folder),
    lineup = read_trial_file(trial$folder, "lineup.yml"),
    brief = read_trial_file(trial$folder, "brief.yml")
  )
}
