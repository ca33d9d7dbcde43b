# The commands that plan a run, make it and measure it.

run_commands <- function() {
  list(
    plan = new_command(
      "Show what a run would make, and what it would cost.",
      "TRIAL",
      list(
        within_option(),
        new_option(
          "tell",
          "double",
          NULL,
          "how many cases and seeds it takes to detect such a difference in worth",
          "DIFFERENCE"
        ),
        new_option(
          "sure",
          "double",
          0.9,
          "with --tell: the probability wanted [%default]",
          "SHARE"
        ),
        new_option(
          "job",
          "character",
          NULL,
          "with --tell: for which job [the brief's first one]",
          "JOB"
        ),
        new_option(
          "like",
          "character",
          NULL,
          paste(
            "with --tell: runs to estimate spreads from [the trial's own]; separate several",
            "with commas"
          ),
          "FOLDERS"
        ),
        new_option(
          "inputs",
          "logical",
          FALSE,
          "list what every pipeline is given for every case instead"
        ),
        json_option("as JSON, with every take")
      ),
      cli_plan,
      examples = c(
        "sprenn plan brackwater --inputs",
        "sprenn plan brackwater --within 30min",
        "sprenn plan brackwater --tell 0.05 --job restyle",
        "sprenn plan brackwater --json"
      )
    ),
    run = new_command(
      "Make the takes and measure them; resumes where it stopped.",
      "TRIAL",
      list(
        run_option(),
        within_option(),
        new_option("retry", "logical", FALSE, "try failed takes again"),
        new_option("yes", "logical", FALSE, "exceed the limits of the brief"),
        new_option("no-score", "logical", FALSE, "make only, measure later"),
        new_option(
          "until",
          "character",
          NULL,
          "decided: make takes in rounds, and stop once it is clear which pipeline to use",
          "WHAT"
        ),
        workers_option(),
        store_option(),
        pictures_option(),
        wait_option(),
        new_option("watch", "logical", FALSE, "show the run on a page while it is made"),
        json_option("the results as JSON, with every take")
      ),
      cli_run,
      examples = "sprenn run brackwater --within 2.50",
      note = c(
        "Ctrl-C finishes what is in flight, then stops; a second Ctrl-C stops at once.",
        "The same command resumes."
      )
    ),
    score = new_command(
      "Measure the takes that were made.",
      "TRIAL",
      list(
        run_option(),
        new_option("again", "logical", FALSE, "measure all of them again"),
        workers_option(),
        wait_option(),
        json_option("as JSON, with every number")
      ),
      cli_score,
      examples = "sprenn score brackwater --run november --again"
    )
  )
}

cli_run <- function(given) {
  trial <- read_shown(given$places)
  progress <- run_progress()
  if (given$watch) {
    watcher <- RunWatcher$new(trial$folder, given$run, tell_address(given))
    on.exit(watcher$end())
    shown <- progress
    progress <- function(...) {
      watcher$step()
      shown(...)
    }
  }

  made <- run_trial(
    trial,
    given$run,
    retry = given$retry,
    within = given$within,
    yes = given$yes,
    score = !given[["no-score"]],
    until = given$until,
    workers = given_workers(given$workers),
    store = given$store,
    pictures = given$pictures,
    wait = if (given$wait) Inf else 0,
    progress = progress
  )
  takes <- made$takes
  left_out <- steps_left_out(trial$lineup, made$left_out)
  not_needed <- isTRUE(made$race$closed) | takes$pipeline %in% left_out
  done <- all(takes$state == "made" | (not_needed & takes$state == "planned"))
  status <- if (done && length(made$parked) == 0) 0L else 1L
  if (given$json) {
    return(tell_json(run_facts(made), status))
  }

  report_takes(made)
  report_race(made$race, takes)
  report_by_hand(made$by_hand)
  report_judged(made$judged)
  if (length(made$left_out)) {
    cat(
      strwrap(
        paste0(
          "Left out, as asked by somebody who watches: ", shorten_list(made$left_out),
          ". `sprenn watch ", shell_path(given$places), " --take-back` takes them back in."
        ),
        100,
        exdent = 4
      ),
      sep = "\n"
    )
  }

  for (words in made$turned_away) {
    cat(
      strwrap(
        paste0("A worker got no work: ", words, ". Install the same there."),
        100,
        exdent = 4
      ),
      sep = "\n"
    )
  }

  for (name in names(made$parked)) {
    words <- paste0(name, " was left alone: ", made$parked[[name]])
    cat(strwrap(words, 100, exdent = 4), sep = "\n")
  }

  if (made$left_over > 0) {
    cat(
      count_words(made$left_over, "picture"), " that nothing asks for any more: ",
      "`", trimws(paste("sprenn prune", shell_path(given$places), run_flag(given$run))),
      "` lists them.\n",
      sep = ""
    )
  }

  next_steps(
    paste(
      if (given[["no-score"]]) "sprenn score" else "sprenn choose",
      shell_path(given$places), run_flag(given$run)
    )
  )
  status
}

cli_score <- function(given) {
  measured <- score_run(
    read_shown(given$places),
    given$run,
    again = given$again,
    workers = given_workers(given$workers),
    wait = if (given$wait) Inf else 0,
    progress = progress_bar("measuring")
  )
  scores <- measured$scores
  if (given$json) {
    return(tell_json(list(
      run = given$run,
      takes = length(unique(scores$take)),
      judges = measured$judged,
      scores = scores
    )))
  }

  cat(length(unique(scores$take)), "takes measured,", nrow(scores), "scores in total.\n")
  report_judged(measured$judged)
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

  next_steps(paste("sprenn choose", shell_path(given$places), run_flag(given$run)))
  0L
}

# A run as data.
run_facts <- function(made) {
  takes <- made$takes
  list(
    run = made$run,
    made = sum(takes$state == "made"),
    failed = sum(takes$state %in% c("failed", "refused")),
    planned = sum(takes$state == "planned"),
    cost = sum(takes$cost, na.rm = TRUE),
    race = made$race,
    left_out = I(as.character(made$left_out)),
    left_alone = as.list(made$parked),
    left_over = made$left_over,
    judges = made$judged,
    takes = takes[c(
      "take", "pipeline", "case", "seed", "control", "state", "failure", "message", "cost",
      "seconds"
    )]
  )
}

# The output of `sprenn plan`.

cli_plan <- function(given) {
  trial <- read_shown(given$places)
  if (!is.null(given$tell)) {
    found <- plan_design(trial, given$tell, given$sure, given$job, split_files(given$like))
    return(show_found(found, names(found), given))
  }

  if (given$inputs) {
    return(show_inputs(list_inputs(trial), given$json))
  }

  plan <- plan_run(trial, given$within)
  takes <- plan$takes
  if (given$json) {
    return(tell_json(plan_facts(trial, plan)))
  }

  each <- summary(plan)
  cat(format(trial), "", sep = "\n")
  hold <- all_steps(trial$lineup)
  hold <- two(hold$hold[match(each$pipeline, hold$pipeline)])
  columns <- list(
    pipeline = c(each$pipeline, "all"),
    engine = c(each$engine, ""),
    hold = c(ifelse(hold == "-", "", hold), ""),
    takes = c(each$takes, sum(each$takes)),
    cost = show_money(c(each$cost, sum(each$cost))),
    time = show_seconds(60 * c(each$minutes, sum(each$minutes)))
  )
  cat(text_table(lapply(columns, as.character)), sep = "\n")
  seconds <- plan_seconds(takes, trial$lineup)
  cat(
    "\nIn total: ", count_words(nrow(takes), "take"), ", cost ", show_money(sum(takes$price)), ", ",
    if (is.na(seconds)) "time unknown" else paste("about", show_seconds(seconds)),
    " with all engines at work, about ", show_size(plan_bytes(trial, takes)), " of disk.\n",
    "Times and prices are the engines' own, unless lineup.yml says otherwise.\n",
    sep = ""
  )
  if (plan$left_out > 0) {
    cat(
      "Left out to stay within ", given$within, ": ", count_words(plan$left_out, "take"), ".\n",
      sep = ""
    )
  }

  for (over in over_limits(trial, takes)) {
    cat(
      strwrap(
        paste0("over a limit: ", over, "; `sprenn run` will need --yes."),
        100,
        exdent = 6
      ),
      sep = "\n"
    )
  }

  for (note in plan$notes) {
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

# What pipelines are given, a table for each case.
show_inputs <- function(table, json) {
  if (json) {
    return(tell_json(list(inputs = table)))
  }

  names(table)[names(table) == "left_out"] <- "left out"
  for (case in unique(table$case)) {
    own <- table[table$case == case, ]
    cat(case, "\n", sep = "")
    # Words are the longest, and the same for most: they are said once.
    usual <- own$prompt == own$prompt[1] & own$negative == own$negative[1]
    cat(
      strwrap(paste0("says: ", own$prompt[1]), 100, indent = 2, exdent = 4),
      if (nzchar(own$negative[1])) {
        strwrap(paste0("without: ", own$negative[1]), 100, indent = 2, exdent = 4)
      },
      sep = "\n"
    )
    for (i in which(!usual & !duplicated(own[c("prompt", "negative")]))) {
      cat(
        strwrap(
          paste0(
            "for ", own$pipeline[i], if (own$step[i] > 1) paste(", step", own$step[i]), ": ",
            if (nzchar(own$prompt[i])) own$prompt[i] else "nothing",
            if (nzchar(own$negative[i])) paste0("; without ", own$negative[i])
          ),
          100,
          indent = 2,
          exdent = 4
        ),
        sep = "\n"
      )
    }

    columns <- c("pipeline", "step", "size", "reference", "look", "guides", "mask", "left out")
    full <- columns[vapply(columns, function(name) any(nzchar(own[[name]])), NA)]
    if (all(own$step == 1)) {
      full <- setdiff(full, "step")
    }

    cat(paste0("  ", text_table(lapply(as.list(own[full]), as.character))), "", sep = "\n")
  }

  0L
}

# A plan as data: totals, warnings, and every take.
plan_facts <- function(trial, plan) {
  rows <- function(table) {
    lapply(seq_len(nrow(table)), function(i) Filter(Negate(is.na), as.list(table[i, ])))
  }

  list(
    suite = trial$suite$suite,
    fingerprint = fingerprint_suite(trial$suite),
    takes_in_all = nrow(plan$takes),
    left_out = plan$left_out,
    cost = sum(plan$takes$price),
    seconds = null_for_na(plan_seconds(plan$takes, trial$lineup)),
    bytes = plan_bytes(trial, plan$takes),
    over_limits = as.list(over_limits(trial, plan$takes)),
    notes = as.list(plan$notes),
    pipelines = rows(summary(plan)),
    takes = rows(plan$takes)
  )
}
