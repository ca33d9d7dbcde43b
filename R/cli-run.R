# The commands that plan a run, make it and measure it.

run_commands <- function() {
  list(
    plan = new_command(
      "Show what a run would make and what that costs.",
      "TRIAL",
      list(
        within_option(),
        new_option(
          "tell",
          "double",
          NULL,
          "say how many cases and seeds it takes to tell such a difference in worth",
          "DIFFERENCE"
        ),
        new_option("sure", "double", 0.9, "with --tell: how surely [%default]", "SHARE"),
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
        run_option(),
        within_option(),
        new_option("retry", "logical", FALSE, "try failed takes again"),
        new_option("yes", "logical", FALSE, "go on over a limit of the brief"),
        new_option("no-score", "logical", FALSE, "make only, measure later"),
        new_option(
          "until",
          "character",
          NULL,
          "decided: make takes in rounds, and stop as soon as it is clear which pipeline to use",
          "WHAT"
        ),
        workers_option(),
        new_option(
          "store",
          "character",
          NULL,
          paste0(
            "for a new run: a PostgreSQL database to keep its records in, ",
            "postgresql://USER@HOST/DATABASE"
          ),
          "ADDRESS"
        ),
        wait_option(),
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
        run_option(),
        new_option("again", "logical", FALSE, "measure all of them anew"),
        workers_option(),
        wait_option(),
        json_option("as JSON, with every number")
      ),
      cli_score,
      examples = "sprenn score brackwater --again"
    )
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
      shell_path(given$places), run_flag(given$run)
    )
  )
  status
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

  next_steps(paste("sprenn choose", shell_path(given$places), run_flag(given$run)))
  0L
}

# What `sprenn plan` shows.

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
