# The commands: each reads its words, calls one exported function, and shows
# what came of it.

cli_commands <- function() {
  run <- option("run", "character", "main", "the run's name [%default]", "NAME")
  job <- option(
    "job",
    "character",
    NULL,
    "the job to choose for, where the brief has several purposes",
    "JOB"
  )
  within <- option(
    "within",
    "character",
    NULL,
    "make the most telling part that so much money (2.50) or time (30min) buys",
    "AMOUNT"
  )
  workers <- option(
    "workers",
    "character",
    NULL,
    "how many processes to start beside this one [one a core], or a file that names other machines",
    "N|FILE"
  )
  wait <- option(
    "wait",
    "logical",
    FALSE,
    "wait for another process that is at work on the run"
  )
  commands <- list(
    demo = new_command(
      "Make the demo trial and do everything on it.",
      "[FOLDER]",
      list(option("force", "logical", FALSE, "replace a demo that is there already")),
      run = cli_demo,
      examples = "sprenn demo brackwater"
    ),
    new = new_command(
      "Make a new trial from pictures, a table, a zip or another trial.",
      "TRIAL",
      list(
        option(
          "from",
          "character",
          NULL,
          "a folder of pictures, a CSV or Parquet table, or a packed zip",
          "PATH"
        ),
        option(
          "like",
          "character",
          NULL,
          "another trial to copy, or with --from to take lineup and brief from",
          "TRIAL"
        ),
        option(
          "look",
          "character",
          NULL,
          "a picture of the look wanted; several with commas between",
          "FILES"
        ),
        option("prompt", "character", NULL, "what every case asks for [in a new look]", "TEXT"),
        option("demo", "logical", FALSE, "make the demo trial instead"),
        option("untidy", "logical", FALSE, "make the untidy demo, which shows every warning"),
        json_option()
      ),
      run = cli_new,
      examples = "sprenn new my-trial --from ~/pictures --look oil.jpg --prompt \"an oil painting\""
    ),
    check = new_command(
      "Read a trial and tell all that is wrong with it, or may be.",
      "TRIAL",
      list(
        option("strict", "logical", FALSE, "leave with status 1 if there is a warning"),
        option(
          "run",
          "character",
          NULL,
          "hold a run's files against its records instead",
          "NAME"
        ),
        option("repair", "logical", FALSE, "with --run: mend what is found, and say how"),
        wait,
        json_option()
      ),
      cli_check,
      examples = "sprenn check my-trial --run main --repair"
    ),
    caption = new_command(
      "Draft prompts from the pictures, to be edited.",
      "TRIAL",
      list(
        option("engine", "character", NULL, "which engine describes them (needed)", "NAME"),
        option(
          "case",
          "character",
          NULL,
          "which cases [all]; several with commas between",
          "IDS"
        ),
        option("join", "logical", FALSE, "add to prompts that were written by hand"),
        json_option()
      ),
      cli_caption,
      examples = "sprenn caption my-trial --engine bracken"
    ),
    pack = new_command(
      "Pack a trial into one zip that runs elsewhere.",
      "TRIAL",
      list(
        option("out", "character", NULL, "the zip to write [named after the suite]", "FILE"),
        json_option()
      ),
      cli_pack,
      examples = "sprenn pack brackwater --out brackwater.zip"
    ),
    prepare = new_command(
      "Show what every engine will be given.",
      "TRIAL",
      list(
        option(
          "out",
          "character",
          NULL,
          "the folder to write to [prepared, in the trial]",
          "FOLDER"
        ),
        option("width", "integer", 1600L, "the sheets' width in pixels [%default]", "PIXELS"),
        json_option()
      ),
      cli_prepare,
      examples = "sprenn prepare brackwater"
    ),
    plan = new_command(
      "Show what a run would make and what that costs.",
      "TRIAL",
      list(
        within,
        option(
          "tell",
          "double",
          NULL,
          "say how many cases and seeds it takes to tell such a difference in worth",
          "DIFFERENCE"
        ),
        option("sure", "double", 0.9, "with --tell: how surely [%default]", "SHARE"),
        option(
          "job",
          "character",
          NULL,
          "with --tell: for which job [the brief's first one]",
          "JOB"
        ),
        option(
          "like",
          "character",
          NULL,
          "with --tell: judge by these runs [the trial's own]; several with commas between",
          "FOLDERS"
        ),
        json_option("as JSON, with every take")
      ),
      cli_plan,
      examples = c(
        "sprenn plan brackwater --within 30min",
        "sprenn plan brackwater --tell 0.05 --job restyle",
        "sprenn plan brackwater --json"
      )
    ),
    run = new_command(
      "Make the takes and measure them; goes on where it stopped.",
      "TRIAL",
      list(
        run,
        within,
        option("retry", "logical", FALSE, "try failed takes again"),
        option("yes", "logical", FALSE, "go on over a limit of the brief"),
        option("no-score", "logical", FALSE, "make only, measure later"),
        option(
          "until",
          "character",
          NULL,
          "decided: make takes in rounds, and stop as soon as it is clear which pipeline to use",
          "WHAT"
        ),
        workers,
        option(
          "store",
          "character",
          NULL,
          paste0(
            "for a new run: a PostgreSQL database to keep its records in, ",
            "postgresql://USER@HOST/DATABASE"
          ),
          "ADDRESS"
        ),
        wait,
        json_option("what came of it as JSON, with every take")
      ),
      cli_run,
      examples = "sprenn run brackwater --within 2.50",
      note = c(
        "Ctrl-C lets finish what is in flight and stops; a second one stops now.",
        "The same command goes on from there."
      )
    ),
    score = new_command(
      "Measure the takes that were made.",
      "TRIAL",
      list(
        run,
        option("again", "logical", FALSE, "measure all of them anew"),
        workers,
        wait,
        json_option("as JSON, with every number")
      ),
      cli_score,
      examples = "sprenn score brackwater --again"
    ),
    sheet = new_command(
      "Draw a contact sheet.",
      "TRIAL",
      list(
        run,
        job,
        option("out", "character", NULL, "the PNG, PDF or SVG file to write", "FILE"),
        option(
          "by",
          "character",
          "pipelines",
          "the columns: pipelines, seeds, steps, sweep, best or worst [%default]",
          "WHAT"
        ),
        option(
          "show",
          "character",
          "all",
          "all takes, keepers, failed or flawed ones [%default]",
          "WHICH"
        ),
        option(
          "case",
          "character",
          NULL,
          "which cases [all]; several with commas between",
          "IDS"
        ),
        option(
          "pipeline",
          "character",
          NULL,
          "with --by seeds or steps: which [the one that is chosen]",
          "ID"
        ),
        option("seed", "integer", NULL, "which seed to show [the first]", "SEED"),
        option("rows", "integer", 40L, "how many rows a page has at most [%default]", "N"),
        option("width", "integer", 1600L, "its width in pixels [%default]", "PIXELS"),
        json_option()
      ),
      cli_sheet,
      examples = c(
        "sprenn sheet brackwater --job restyle --seed 23 --out sheet.pdf",
        "sprenn sheet brackwater --by sweep --case ferry-teal --out strip.png"
      )
    ),
    report = new_command(
      "Write a report as one HTML file.",
      "TRIAL",
      list(
        run,
        job,
        option("out", "character", NULL, "the HTML file to write", "FILE"),
        option("full", "logical", FALSE, "link every take to its original"),
        json_option()
      ),
      cli_report,
      examples = "sprenn report brackwater --full"
    ),
    measure = new_command(
      "Measure one picture against its reference.",
      "TAKE",
      list(
        option("against", "character", NULL, "the reference (needed)", "REFERENCE"),
        option(
          "look",
          "character",
          NULL,
          "a picture of the look wanted; several with commas between",
          "FILES"
        ),
        option("mask", "character", NULL, "a picture whose white part may change", "FILE"),
        option(
          "job",
          "character",
          "restyle",
          "what kind of work it is; says which flaws there can be",
          "JOB"
        ),
        option("explain", "character", NULL, "draw why into a PNG or SVG file", "FILE"),
        option("measure", "character", "structure", "the measure that is explained", "NAME"),
        json_option()
      ),
      cli_measure,
      examples = c(
        "sprenn measure repainted.png --against tile.png --look linocut.png",
        "sprenn measure repainted.png --against tile.png --measure vanished --explain why.png"
      )
    )
  )
  commands <- c(
    commands,
    engine_commands(),
    choosing_commands(),
    export_commands(),
    evidence_commands(),
    shell_commands()
  )
  # In the order in which they are used.
  commands[c(
    "demo", "new", "check", "caption", "pack", "prepare", "engines", "calibrate", "plan", "run",
    "score", "choose", "explain", "curves", "match", "compare", "sheet", "report", "export",
    "recipe", "prune", "measure", "probe", "judges", "viewing", "evidence", "influence",
    "standins", "completions"
  )]
}

# A suite of many pictures takes a while to read, and says so.
read_shown <- function(place) read_trial(place, progress = progress_bar("reading"))

cli_new <- function(given) {
  if (!given$json && !is.null(given$from) && grepl("\\.zip$", given$from)) {
    cat(paste0(
      "Unpacking; R files inside run from the first reading on, so look at them if they are ",
      "not yours.\n"
    ))
  }

  folder <- new_trial(
    given$places,
    from = given$from,
    like = given$like,
    look = split_files(given$look),
    prompt = given$prompt,
    demo = given$demo,
    untidy = given$untidy
  )
  left_out <- attr(folder, "left_out")
  trial <- read_shown(given$places)
  if (given$json) {
    return(tell_json(list(
      trial = given$places,
      suite = trial$suite$suite,
      cases = I(vapply(trial$suite$cases, `[[`, "", "id")),
      left_out = as.list(left_out)
    )))
  }

  for (i in seq_along(left_out)) {
    cat("left out ", names(left_out)[i], ": ", left_out[[i]], "\n", sep = "")
  }

  cat(format(trial), sep = "\n")
  next_steps(c(
    paste("sprenn check", shell_path(given$places)),
    paste("sprenn plan", shell_path(given$places)),
    paste("sprenn run", shell_path(given$places))
  ))
  0L
}

split_files <- function(files) if (!is.null(files)) strsplit(files, ",", fixed = TRUE)[[1]]

# A path as a shell takes it for one word.
shell_path <- function(path) if (grepl("^[A-Za-z0-9_./~-]+$", path)) path else shQuote(path)

next_steps <- function(steps) cat("", "Next:", paste0("  ", trimws(steps)), sep = "\n")

# What of a run is not as it was recorded.
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
      " is whole: every picture is there and the one that was recorded.\n",
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
    next_steps(paste("sprenn run", place, run_option(given$run)))
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

cli_check <- function(given) {
  if (!is.null(given$run)) {
    return(cli_check_run(given))
  }

  if (given$repair) {
    stop_sprenn(
      "usage",
      c(
        "--repair wants --run NAME beside it.",
        i = "A trial's own files are yours to mend; a run's can be mended by Sprenn."
      )
    )
  }

  trial <- read_shown(given$places)
  warnings <- trial_warnings(trial)
  status <- if (given$strict && nrow(warnings)) 1L else 0L
  notes <- plan_notes(trial)
  if (given$json) {
    fingerprint <- fingerprint_suite(trial$suite)
    return(tell_json(
      list(
        suite = trial$suite$suite,
        fingerprint = fingerprint,
        warnings = warnings,
        notes = I(notes)
      ),
      status
    ))
  }

  cat(format(trial), sep = "\n")
  show_warnings(warnings)
  cat("\n")
  for (note in notes) {
    cat(strwrap(note, 100, initial = "note: ", exdent = 6), sep = "\n")
  }

  cat(
    "All files and pictures can be used; ",
    if (nrow(warnings)) {
      paste0("`sprenn prepare ", shell_path(given$places), "` draws what the warnings mean")
    } else {
      "there is nothing to warn of"
    },
    ".\n",
    sep = ""
  )
  status
}

# By file, each with what was found and what would be better.
show_warnings <- function(warnings) {
  for (file in unique(warnings$file)) {
    own <- warnings[warnings$file == file, ]
    cat("\n", file, ": ", count_words(nrow(own), "warning"), "\n", sep = "")
    for (i in seq_len(nrow(own))) {
      cat(
        paste0("  line ", own$line[i], ", ", own$place[i], ": ", own$kind[i]),
        strwrap(own$found[i], 92, initial = "    found  ", prefix = "           "),
        strwrap(own$wanted[i], 92, initial = "    better ", prefix = "           "),
        sep = "\n"
      )
    }
  }
}

cli_caption <- function(given) {
  if (is.null(given$engine)) {
    stop_sprenn(
      "usage",
      c(
        "`sprenn caption` wants --engine NAME.",
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
    if (new > 0) ". They are marked as drafted until you touch their words.\n" else ".\n",
    sep = ""
  )
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
    ceiling(file.size(file) / 1e6), " MB), fingerprint ",
    substr(fingerprint_suite(trial$suite), 1, 12), ".\n",
    sep = ""
  )
  code <- engine_files(trial$folder)
  if (length(code)) {
    cat(
      "It holds R code that runs when the trial is read: ", shorten_list(code, 8), ".\n",
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
    sep = "\n"
  )
  0L
}

cli_plan <- function(given) {
  trial <- read_shown(given$places)
  if (!is.null(given$tell)) {
    found <- plan_design(trial, given$tell, given$sure, given$job, split_files(given$like))
    return(show_found(found, names(found), given))
  }

  plan <- plan_run(trial, given$within)
  if (given$json) {
    return(tell_json(plan_facts(trial, plan)))
  }

  each <- summary(plan)
  cat(format(trial), "", sep = "\n")
  time <- function(minutes) {
    ifelse(
      is.na(minutes),
      "-",
      ifelse(minutes < 1, paste(ceiling(60 * minutes), "s"), paste(ceiling(minutes), "min"))
    )
  }

  hold <- all_steps(trial$lineup)
  hold <- two(hold$hold[match(each$pipeline, hold$pipeline)])
  columns <- list(
    pipeline = c(each$pipeline, "all"),
    engine = c(each$engine, ""),
    hold = c(ifelse(hold == "-", "", hold), ""),
    takes = c(each$takes, sum(each$takes)),
    cost = formatC(c(each$cost, sum(each$cost)), format = "f", digits = 2),
    time = c(time(each$minutes), time(sum(each$minutes)))
  )
  cat(text_table(lapply(columns, as.character)), sep = "\n")
  seconds <- plan_seconds(plan, trial$lineup)
  cat(
    "\nIn all: ", count_words(nrow(plan), "take"), ", cost ",
    formatC(sum(plan$price), format = "f", digits = 2),
    ", ",
    if (is.na(seconds)) "time unknown" else paste("about", show_seconds(seconds)),
    " with all engines at work, about ", ceiling(plan_bytes(trial, plan) / 1e6),
    " MB of disk.\nTimes and prices are the engines' own, unless lineup.yml says otherwise.\n",
    sep = ""
  )
  if (attr(plan, "left_out") > 0) {
    cat(
      "Left out to keep within ", given$within, ": ",
      count_words(attr(plan, "left_out"), "take"), ".\n",
      sep = ""
    )
  }

  for (over in over_limits(trial, plan)) {
    cat(
      strwrap(
        paste0("over a limit: ", over, "; `sprenn run` will want --yes."),
        100,
        exdent = 6
      ),
      sep = "\n"
    )
  }

  for (note in attr(plan, "notes")) {
    cat(strwrap(note, 100, initial = "note: ", exdent = 6), sep = "\n")
  }

  next_steps(
    paste(
      "sprenn run", shell_path(given$places),
      if (!is.null(given$within)) paste("--within", shell_path(given$within))
    )
  )
  0L
}

# A plan for other programs: what it comes to, what to know, and every take.
plan_facts <- function(trial, plan) {
  rows <- function(table) {
    lapply(seq_len(nrow(table)), function(i) Filter(Negate(is.na), as.list(table[i, ])))
  }

  list(
    suite = trial$suite$suite,
    fingerprint = fingerprint_suite(trial$suite),
    takes_in_all = nrow(plan),
    left_out = attr(plan, "left_out"),
    cost = sum(plan$price),
    seconds = null_for_na(plan_seconds(plan, trial$lineup)),
    bytes = plan_bytes(trial, plan),
    over_limits = as.list(over_limits(trial, plan)),
    notes = as.list(attr(plan, "notes")),
    pipelines = rows(summary(plan)),
    takes = rows(plan)
  )
}

cli_run <- function(given) {
  trial <- read_shown(given$places)
  takes <- run_trial(
    trial,
    given$run,
    retry = given$retry,
    within = given$within,
    yes = given$yes,
    score = !given[["no-score"]],
    until = given$until,
    workers = given_workers(given$workers),
    store = given$store,
    wait = if (given$wait) Inf else 0,
    progress = run_progress()
  )
  left_out <- isTRUE(attr(takes, "race")$closed)
  status <- if (all(takes$state == "made" | (left_out & takes$state == "planned"))) 0L else 1L
  if (given$json) {
    return(tell_json(
      list(
        run = given$run,
        made = sum(takes$state == "made"),
        failed = sum(takes$state %in% c("failed", "refused")),
        planned = sum(takes$state == "planned"),
        cost = sum(takes$cost, na.rm = TRUE),
        race = attr(takes, "race"),
        left_alone = as.list(attr(takes, "parked")),
        judges = attr(takes, "judged"),
        takes = takes[intersect(
          c(
            "take", "pipeline", "case", "seed", "control", "state", "failure", "message",
            "cost", "seconds", "file"
          ),
          names(takes)
        )]
      ),
      status
    ))
  }

  report_takes(takes)
  report_race(attr(takes, "race"), takes)
  report_by_hand(attr(takes, "by_hand"))
  report_judged(attr(takes, "judged"))
  parked <- attr(takes, "parked")
  for (words in attr(takes, "turned_away")) {
    cat(
      strwrap(
        paste0("A worker was given nothing: ", words, ". Install the same there."),
        100,
        exdent = 4
      ),
      sep = "\n"
    )
  }

  for (name in names(parked)) {
    cat(strwrap(paste0(name, " was left alone: ", parked[[name]]), 100, exdent = 4), sep = "\n")
  }

  next_steps(
    paste(
      if (given[["no-score"]]) "sprenn score" else "sprenn choose",
      shell_path(given$places), run_option(given$run)
    )
  )
  status
}

# What came of a run that stops when it is decided.
report_race <- function(race, takes) {
  if (is.null(race)) {
    return(invisible())
  }

  for (job in names(race$jobs)) {
    own <- race$jobs[[job]]
    cat(
      strwrap(
        paste0(
          if (length(race$jobs) > 1) paste0(job, ": "),
          switch(own$state,
            decided = paste0(
              "decided after ", count_words(race$rounds, "round"), ", for ", own$best
            ),
            stuck = paste0(
              "not decided, and what is left would hardly settle it; ", own$best, " leads"
            ),
            paste0(
              if (isTRUE(race$closed)) {
                "not decided with all takes made"
              } else {
                paste("still open after", count_words(race$rounds, "round"))
              },
              if (!is.null(own$best)) paste0("; ", own$best, " leads")
            )
          ),
          if (length(own$dropped)) paste0(". Dropped out on the way: ", listed(own$dropped)),
          "."
        ),
        100,
        initial = "  - ",
        prefix = "    "
      ),
      sep = "\n"
    )
  }

  if (isTRUE(race$closed) && any(takes$state == "planned")) {
    cat(
      strwrap(
        paste0(
          sum(takes$state == "planned"), " of ", nrow(takes),
          " planned takes were not needed. `sprenn run` without --until makes them."
        ),
        100
      ),
      sep = "\n"
    )
  }
}

# A number of processes, or a file.
given_workers <- function(workers) {
  if (!is.null(workers) && grepl("^[0-9]+$", workers)) {
    as.numeric(workers)
  } else {
    workers
  }
}

run_option <- function(run) if (run == "main") "" else paste("--run", run)

report_takes <- function(takes) {
  failed <- takes[takes$state %in% c("failed", "refused"), ]
  open <- sum(takes$state == "planned")
  cat(
    sum(takes$state == "made"), " takes are there, ", nrow(failed),
    " failed or were refused, ", if (open) paste0(open, " are still to come, "), "cost ",
    formatC(sum(takes$cost, na.rm = TRUE), format = "f", digits = 2),
    ".\n",
    sep = ""
  )
  why <- failed[!duplicated(failed[c("pipeline", "failure", "message")]), ]
  for (i in seq_len(min(5, nrow(why)))) {
    cat(
      strwrap(
        paste0(
          why$pipeline[i], ", ", why$case[i], ", seed ",
          why$seed[i], ", ",
          gsub("_", " ", why$failure[i]), ": ",
          why$message[i]
        ),
        100,
        initial = "  - ",
        prefix = "    "
      ),
      sep = "\n"
    )
  }

  if (nrow(why) > 5) {
    cat("  - and", nrow(why) - 5, "more\n")
  }

  todo <- unique(why$failure)
  for (failure in intersect(names(failure_words), todo)) {
    cat(
      strwrap(
        paste0(gsub("_", " ", failure), ": ", failure_words[[failure]]),
        100,
        initial = "  What to do when ",
        prefix = "    "
      ),
      sep = "\n"
    )
  }
}

# What a person has still to make, and what is wrong with what was made.
report_by_hand <- function(reports) {
  for (name in names(reports)) {
    found <- reports[[name]]$found
    counts <- table(
      factor(found$state, c("taken in", "not taken in", "missing", "extra", "changed"))
    )
    cat(
      "\n", name, ", by hand: ",
      paste0(counts[counts > 0], " ", names(counts)[counts > 0], collapse = ", "),
      ".\n",
      sep = ""
    )
    odd <- found[found$state %in% c("not taken in", "extra", "changed"), ]
    for (i in seq_len(min(8, nrow(odd)))) {
      cat(
        strwrap(
          paste0(odd$file[i], ", ", odd$state[i], ": ", odd$why[i]),
          100,
          initial = "  - ",
          prefix = "    "
        ),
        sep = "\n"
      )
    }

    if (nrow(odd) > 8) {
      cat("  - and", nrow(odd) - 8, "more\n")
    }

    if (counts[["missing"]] > 0) {
      cat(
        "  What to make, from what, and under which name to save it: ",
        reports[[name]]$checklist, "\n",
        sep = ""
      )
    }
  }
}

cli_score <- function(given) {
  scores <- score_run(
    read_shown(given$places),
    given$run,
    again = given$again,
    workers = given_workers(given$workers),
    wait = if (given$wait) Inf else 0,
    progress = progress_bar("measuring")
  )
  if (given$json) {
    return(tell_json(list(
      run = given$run,
      takes = length(unique(scores$take)),
      judges = attr(scores, "judged"),
      scores = scores
    )))
  }

  cat(length(unique(scores$take)), "takes are measured,", nrow(scores), "numbers in all.\n")
  report_judged(attr(scores, "judged"))
  flaws <- scores[scores$axis == "flaws" & scores$level == "serious", ]
  if (nrow(flaws)) {
    found <- table(flaws$measure)
    cat(
      "Serious flaws: ",
      paste0(gsub("_", " ", names(found)), " ", found, collapse = ", "),
      ".\n",
      sep = ""
    )
  }

  next_steps(paste("sprenn choose", shell_path(given$places), run_option(given$run)))
  0L
}

colour_headline <- function(lines, verdict) {
  paint <- if (verdict$state == "decided") cli::col_green else cli::col_yellow
  lines[1] <- as.character(cli::style_bold(paint(lines[1])))
  lines
}

cli_sheet <- function(given) {
  files <- draw_sheet(
    read_shown(given$places),
    given$run,
    file = given$out,
    seed = given$seed,
    width = given$width,
    job = given$job,
    by = given$by,
    show = given$show,
    case = split_files(given$case),
    pipeline = given$pipeline,
    rows = given$rows
  )
  if (given$json) {
    return(tell_json(list(files = I(files))))
  }

  cat("The contact sheet is ", paste(files, collapse = ", "), "\n", sep = "")
  0L
}

cli_report <- function(given) {
  file <- write_report(
    read_shown(given$places),
    given$run,
    file = given$out,
    job = given$job,
    full = given$full
  )
  if (given$json) {
    return(tell_json(list(file = file, bytes = file.size(file))))
  }

  cat("The report is ", file, "\n", sep = "")
  0L
}

cli_measure <- function(given) {
  if (is.null(given$against)) {
    stop_sprenn(
      "usage",
      c(
        "`sprenn measure` wants --against REFERENCE.",
        i = "The reference is the picture that the take was made from."
      )
    )
  }

  look <- split_files(given$look)
  scores <- score_picture(given$places, given$against, look, given$mask, job = given$job)
  if (!is.null(given$explain)) {
    save_row(
      explain_score(given$places, given$against, given$measure, look, given$mask, given$job),
      given$explain
    )
  }

  if (given$json) {
    return(tell_json(scores))
  }

  ranges <- list_measures()
  cat(
    text_table(list(
      axis = scores$axis,
      measure = scores$measure,
      value = two(scores$value),
      raw = formatC(scores$raw, format = "f", digits = 3),
      level = ifelse(is.na(scores$level), "", scores$level),
      where = ifelse(is.na(scores$place), "", scores$place)
    )),
    sep = "\n"
  )
  cat("", "What the values mean:", sep = "\n")
  shown <- ranges[ranges$measure %in% scores$measure, ]
  for (i in seq_len(nrow(shown))) {
    cat(
      strwrap(
        paste0(shown$measure[i], ": ", shown$range[i], "; sees ", shown$sees[i]),
        100,
        initial = "  ",
        exdent = 4
      ),
      sep = "\n"
    )
  }

  if (!is.null(given$explain)) {
    cat(
      "\nDrawn in ", given$explain, ": why ",
      gsub("_", " ", given$measure), " is what it is.\n",
      sep = ""
    )
  }

  0L
}
