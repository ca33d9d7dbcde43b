# The commands that make, check, prepare and pack a trial.

trial_commands <- function() {
  list(
    new = new_command(
      "Make a new trial from pictures, a table, a zip or another trial.",
      "TRIAL",
      list(
        new_option(
          "from",
          "character",
          NULL,
          "a folder of pictures, a CSV or Parquet table, or a packed zip",
          "PATH"
        ),
        new_option(
          "like",
          "character",
          NULL,
          "another trial to copy, or with --from the trial to take lineup and brief from",
          "TRIAL"
        ),
        looks_option(),
        new_option("prompt", "character", NULL, "the prompt of every case [in a new look]", "TEXT"),
        new_option("demo", "logical", FALSE, "make the demo trial instead"),
        new_option("untidy", "logical", FALSE, "make the untidy demo, which shows every warning"),
        new_option("cards", "logical", FALSE, "make the demo of portrait cards"),
        json_option()
      ),
      run = cli_new,
      examples = "sprenn new my-trial --from ~/pictures --look oil.jpg --prompt \"an oil painting\""
    ),
    check = new_command(
      "Report every error of a trial, and warn about common mistakes.",
      "TRIAL",
      list(
        new_option("strict", "logical", FALSE, "exit with status 1 if there is a warning"),
        new_option(
          "run",
          "character",
          NULL,
          "compare a run's files with its records instead",
          "NAME"
        ),
        new_option("repair", "logical", FALSE, "with --run: repair what is found, and say how"),
        wait_option(),
        json_option()
      ),
      cli_check,
      examples = "sprenn check my-trial --run main --repair"
    ),
    caption = new_command(
      "Draft prompts from the pictures, for you to edit.",
      "TRIAL",
      list(
        new_option("engine", "character", NULL, "which engine describes them (needed)", "NAME"),
        cases_option(),
        new_option("join", "logical", FALSE, "add to prompts that were written by hand"),
        json_option()
      ),
      cli_caption,
      examples = "sprenn caption my-trial --engine bracken"
    ),
    pack = new_command(
      "Pack a trial into one zip that runs elsewhere.",
      "TRIAL",
      list(
        new_option("out", "character", NULL, "the zip to write [named after the suite]", "FILE"),
        json_option()
      ),
      cli_pack,
      examples = "sprenn pack brackwater --out brackwater.zip"
    ),
    prepare = new_command(
      "Show what every engine will be given.",
      "TRIAL",
      list(
        new_option(
          "out",
          "character",
          NULL,
          "the folder to write to [prepared, in the trial]",
          "FOLDER"
        ),
        new_option("width", "integer", 1600L, "the sheets' width in pixels [%default]", "PIXELS"),
        json_option()
      ),
      cli_prepare,
      examples = "sprenn prepare brackwater"
    )
  )
}

cli_new <- function(given) {
  if (!given$json && !is.null(given$from) && grepl("\\.zip$", given$from)) {
    cat(paste0(
      "Unpacking. R files inside run whenever the trial is read: look at them first if they are ",
      "not yours.\n"
    ))
  }

  made <- new_trial(
    given$places,
    from = given$from,
    like = given$like,
    look = split_files(given$look),
    prompt = given$prompt,
    demo = given$demo,
    untidy = given$untidy,
    cards = given$cards
  )
  left_out <- made$left_out
  trial <- read_shown(given$places)
  if (given$json) {
    return(tell_json(list(
      trial = given$places,
      suite = trial$suite$suite,
      cases = I(vapply(trial$suite$cases, `[[`, "", "id")),
      left_out = as.list(left_out),
      renamed = as.list(made$renamed)
    )))
  }

  for (i in seq_along(left_out)) {
    cat("left out ", names(left_out)[i], ": ", left_out[[i]], "\n", sep = "")
  }

  for (i in seq_along(made$renamed)) {
    cat("renamed ", names(made$renamed)[i], ": it is ", made$renamed[[i]], "\n", sep = "")
  }

  cat(format(trial), sep = "\n")
  next_steps(c(
    if (length(given$prompt)) paste("sprenn evidence", shell_path(given$places), "--draft"),
    paste("sprenn check", shell_path(given$places)),
    paste("sprenn plan", shell_path(given$places)),
    paste("sprenn run", shell_path(given$places))
  ))
  0L
}

cli_check <- function(given) {
  if (!is.null(given$run)) {
    return(cli_check_run(given))
  }

  if (given$repair) {
    stop_sprenn(
      "usage",
      c(
        "--repair needs --run NAME.",
        i = "Sprenn can repair a run's files; a trial's own files are yours to correct."
      )
    )
  }

  trial <- read_shown(given$places)
  warnings <- trial_warnings(trial)
  unusable <- unusable_engines(trial)
  status <- if (nrow(unusable) || (given$strict && nrow(warnings))) 1L else 0L
  notes <- plan_notes(trial)
  if (given$json) {
    fingerprint <- fingerprint_suite(trial$suite)
    return(tell_json(
      list(
        suite = trial$suite$suite,
        fingerprint = fingerprint,
        unusable = unusable,
        left_out = lapply(seq_len(nrow(trial$unreached)), function(i) {
          list(engine = trial$unreached$engine[i], pipelines = I(trial$unreached$pipelines[[i]]))
        }),
        warnings = warnings,
        drafted_checks = drafted_checks(trial$suite),
        notes = I(notes)
      ),
      status
    ))
  }

  cat(format(trial), sep = "\n")
  unusable$kind <- rep("this engine can't be used now", nrow(unusable))
  show_warnings(unusable, "problem")
  show_warnings(warnings)
  show_drafted(drafted_checks(trial$suite))
  cat("\n")
  for (note in notes) {
    cat(strwrap(note, 100, initial = "note: ", exdent = 6), sep = "\n")
  }

  cat(
    "All files and pictures can be used",
    if (nrow(unusable)) ", but not every engine",
    "; ",
    if (nrow(warnings)) {
      paste0("`sprenn prepare ", shell_path(given$places), "` draws what the warnings mean")
    } else {
      "there are no warnings"
    },
    ".\n",
    sep = ""
  )
  status
}

# What will count that no person has looked at.
show_drafted <- function(drafted) {
  if (nrow(drafted) == 0) {
    return(invisible())
  }

  cat("\nDrafted checks that nobody has edited (they are scored like your own):\n")
  lines <- paste0(drafted$case, ": ", drafted$phrase, " -> ", drafted$read_as)
  for (line in lines) {
    cat(strwrap(line, 100, initial = "  ", prefix = "      "), sep = "\n")
  }
}

# Reports where a run differs from its records.
cli_check_run <- function(given) {
  found <- check_run(
    given$places,
    given$run,
    repair = given$repair,
    wait = if (given$wait) Inf else 0,
    progress = progress_bar("checking")
  )
  open <- sum(is.na(found$mended))
  status <- if (open > 0) 1L else 0L
  if (given$json) {
    return(tell_json(list(run = given$run, problems = found), status))
  }

  if (nrow(found) == 0) {
    cat(
      "Run ", given$run,
      " is intact: every picture is there and matches its record.\n",
      sep = ""
    )
    return(status)
  }

  for (i in seq_len(nrow(found))) {
    say_item(run_problem_words(found[i, ]))
  }

  mended <- if (given$repair) paste0(", ", nrow(found) - open, " mended")
  cat(count_words(nrow(found), "problem"), mended, ".\n", sep = "")
  place <- shell_path(given$places)
  if (!given$repair) {
    next_steps(paste("sprenn check", place, "--run", given$run, "--repair"))
  } else if (any(grepl("made again", found$mended))) {
    next_steps(paste("sprenn run", place, run_flag(given$run)))
  }

  status
}

run_problem_words <- function(one) {
  paste0(
    one$kind, ": ",
    if (!is.na(one$file)) paste0(one$file, ". "),
    one$words,
    if (!is.na(one$mended)) paste0(" Mended: ", one$mended, ".")
  )
}

cli_caption <- function(given) {
  if (is.null(given$engine)) {
    stop_sprenn(
      "usage",
      c(
        "`sprenn caption` needs --engine NAME.",
        i = "The engine is one of lineup.yml that can say what is in a picture."
      )
    )
  }

  drafts <- draft_prompts(
    given$places,
    given$engine,
    split_files(given$case),
    given$join,
    progress_bar("describing")
  )
  status <- if (any(drafts$state == "failed")) 1L else 0L
  if (given$json) {
    return(tell_json(drafts, status))
  }

  why <- c(
    "hand-written" = "has a prompt written by hand; --join adds to it",
    neutral = "is neutral",
    "no reference" = "has no reference",
    "taken over" = "takes its prompt from another case",
    failed = "failed"
  )
  for (i in seq_len(nrow(drafts))) {
    state <- drafts$state[i]
    text <- if (state %in% names(why)) {
      paste(
        c(paste0("(", why[[state]], ")"), if (state == "failed") drafts$message[i]),
        collapse = " "
      )
    } else {
      paste(drafts$draft[[i]], collapse = ", ")
    }
    cat(
      strwrap(paste0(drafts$case[i], ": ", if (state == "joined") "+ ", text), 100, exdent = 4),
      sep = "\n"
    )
  }

  new <- sum(drafts$state %in% c("drafted", "joined"))
  cat(
    "\n", count_words(new, "prompt"), " drafted into ",
    file.path(given$places, "suite.yml"),
    if (new > 0) ". They are marked as drafted until you edit them.\n" else ".\n",
    sep = ""
  )
  if (new > 0) {
    next_steps(paste("sprenn evidence", shell_path(given$places), "--draft"))
  }

  status
}

cli_pack <- function(given) {
  trial <- read_shown(given$places)
  file <- pack_trial(trial, given$out)
  if (given$json) {
    return(tell_json(list(
      file = file,
      bytes = file.size(file),
      fingerprint = fingerprint_suite(trial$suite),
      runs_code = I(engine_files(trial$folder))
    )))
  }

  cat(
    "The suite ", trial$suite$suite, " is packed in ", file, " (",
    show_size(file.size(file)), "), fingerprint ",
    substr(fingerprint_suite(trial$suite), 1, 12), ".\n",
    sep = ""
  )
  code <- engine_files(trial$folder)
  if (length(code)) {
    cat(
      "It contains R code that runs whenever the trial is read: ", shorten_list(code, 8), ".\n",
      sep = ""
    )
  }

  next_steps(paste("sprenn new another-trial --from", shell_path(file)))
  0L
}

cli_prepare <- function(given) {
  made <- prepare_trial(
    read_shown(given$places),
    folder = given$out,
    width = given$width,
    progress = progress_bar("preparing")
  )
  if (given$json) {
    return(tell_json(made))
  }

  folder <- given$out %||% file.path(given$places, "prepared")
  cat(
    count_words(nrow(made), "case"), ", ",
    count_words(sum(made$warnings), "warning"), ".\n",
    sep = ""
  )
  cat(
    paste0(
      "  ", file.path(folder, unique(basename(made$sheet))),
      "  the originals, what is given of them, guides, masks"
    ),
    paste0("  ", file.path(folder, "pictures"), "  the same, a picture a case"),
    paste0("  ", file.path(folder, "inputs"), "  the fitted pictures themselves"),
    paste0("  ", file.path(folder, "given.csv"), "  what every pipeline is given for every case"),
    sep = "\n"
  )
  0L
}
