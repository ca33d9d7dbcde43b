# The commands: each reads its words, calls one exported function, and shows
# what came of it.

cli_commands <- function() {
  run <- option("run", "character", "main", "the run's name [%default]", "NAME")
  job <- option("job", "character", NULL, "the job to choose for, where the brief has several purposes", "JOB")
  list(
    demo = new_command(
      "Make the demo trial and do everything on it.", "[FOLDER]",
      list(option("force", "logical", FALSE, "replace a demo that is there already")),
      run = cli_demo, note = "Example: sprenn demo brackwater"
    ),
    new = new_command(
      "Make a new trial from a folder of pictures.", "TRIAL",
      list(
        option("from", "character", NULL, "the folder of pictures", "FOLDER"),
        option("look", "character", NULL, "a picture of the look wanted; several with commas between", "FILES"),
        option("prompt", "character", "in a new look", "what every case asks for [%default]", "TEXT"),
        option("demo", "logical", FALSE, "make the demo trial instead")
      ),
      run = cli_new, note = "Example: sprenn new my-trial --from ~/pictures --look oil.jpg --prompt \"an oil painting\""
    ),
    check = new_command(
      "Read a trial and tell all that is wrong with it, or may be.", "TRIAL",
      list(option("strict", "logical", FALSE, "leave with status 1 if there is a warning")), cli_check
    ),
    prepare = new_command(
      "Show what every engine will be given.", "TRIAL",
      list(
        option("out", "character", NULL, "the folder to write to [prepared, in the trial]", "FOLDER"),
        option("width", "integer", 1600L, "the sheets' width in pixels [%default]", "PIXELS")
      ), cli_prepare
    ),
    plan = new_command("Show what a run would make and what that costs.", "TRIAL", run = cli_plan),
    run = new_command(
      "Make the takes; goes on where it stopped.", "TRIAL",
      list(run, option("retry", "logical", FALSE, "try failed takes again")), cli_run
    ),
    score = new_command(
      "Measure the takes that were made.", "TRIAL",
      list(run, option("again", "logical", FALSE, "measure all of them anew")), cli_score
    ),
    choose = new_command("Say which pipeline to use, and how sure that is.", "TRIAL", list(run, job), cli_choose),
    sheet = new_command(
      "Draw a contact sheet.", "TRIAL",
      list(
        run, job, option("out", "character", NULL, "the PNG file to write", "FILE"),
        option("seed", "integer", NULL, "which seed to show [the first]", "SEED"),
        option("width", "integer", 1600L, "its width in pixels [%default]", "PIXELS")
      ), cli_sheet
    ),
    report = new_command(
      "Write a report as one HTML file.", "TRIAL",
      list(run, job, option("out", "character", NULL, "the HTML file to write", "FILE")), cli_report
    ),
    measure = new_command(
      "Measure one picture against its reference.", "TAKE",
      list(
        option("against", "character", NULL, "the reference (needed)", "REFERENCE"),
        option("look", "character", NULL, "a picture of the look wanted; several with commas between", "FILES"),
        option("mask", "character", NULL, "a picture whose white part may change", "FILE")
      ), cli_measure,
      note = "Example: sprenn measure repainted.png --against tile.png --look linocut.png"
    )
  )
}

cli_new <- function(given) {
  folder <- new_trial(given$places, from = given$from, look = split_files(given$look), prompt = given$prompt, demo = given$demo)
  left_out <- attr(folder, "left_out")
  for (i in seq_along(left_out)) cat("left out ", names(left_out)[i], ": ", left_out[[i]], "\n", sep = "")
  trial <- read_trial(given$places)
  cat(format(trial), sep = "\n")
  next_steps(c(paste("sprenn check", given$places), paste("sprenn plan", given$places), paste("sprenn run", given$places)))
  0L
}

split_files <- function(files) if (!is.null(files)) strsplit(files, ",", fixed = TRUE)[[1]]

next_steps <- function(steps) cat("", "Next:", paste0("  ", trimws(steps)), sep = "\n")

cli_check <- function(given) {
  trial <- read_trial(given$places, progress = progress_bar("reading"))
  warnings <- trial_warnings(trial)
  cat(format(trial), sep = "\n")
  for (file in unique(warnings$file)) {
    own <- warnings[warnings$file == file, ]
    cat("\n", file, ": ", count_words(nrow(own), "warning"), "\n", sep = "")
    for (i in seq_len(nrow(own))) {
      cat(paste0("  line ", own$line[i], ", ", own$place[i]), strwrap(own$found[i], 92, initial = "    found  ", prefix = "           "), strwrap(own$wanted[i], 92, initial = "    better ", prefix = "           "), sep = "\n")
    }
  }
  cat("\n")
  for (note in plan_notes(trial)) cat(strwrap(note, 100, initial = "note: ", exdent = 6), sep = "\n")
  cat("All files and pictures can be used; ", if (nrow(warnings)) paste0("`sprenn prepare ", given$places, "` draws what the warnings mean") else "there is nothing to warn of", ".\n", sep = "")
  if (given$strict && nrow(warnings)) 1L else 0L
}

cli_prepare <- function(given) {
  made <- prepare_trial(given$places, folder = given$out, width = given$width, progress = progress_bar("preparing"))
  folder <- given$out %||% file.path(given$places, "prepared")
  cat(count_words(nrow(made), "case"), ", ", count_words(sum(made$warnings), "warning"), ".\n", sep = "")
  cat(
    paste0("  ", file.path(folder, unique(basename(made$sheet))), "  the originals, what is given of them, guides, masks"),
    paste0("  ", file.path(folder, "pictures"), "  the same, a picture a case"), paste0("  ", file.path(folder, "inputs"), "  the fitted pictures themselves"), sep = "\n"
  )
  0L
}

cli_plan <- function(given) {
  trial <- read_trial(given$places)
  plan <- plan_run(trial)
  each <- summary(plan)
  cat(format(trial), "", sep = "\n")
  time <- function(minutes) ifelse(is.na(minutes), "-", ifelse(minutes < 1, paste(ceiling(60 * minutes), "s"), paste(ceiling(minutes), "min")))
  columns <- list(
    pipeline = c(each$pipeline, "all"), engine = c(each$engine, ""),
    hold = c(two(trial$lineup$pipelines$hold), ""), takes = c(each$takes, sum(each$takes)),
    cost = formatC(c(each$cost, sum(each$cost)), format = "f", digits = 2), time = time(c(each$minutes, sum(each$minutes)))
  )
  cat(text_table(lapply(columns, as.character)), sep = "\n")
  pixels <- mean(vapply(trial$suite$cases, function(case) prod(as.numeric(case_frame(case, trial$suite))), 0))
  cat("\nDisk: about", ceiling(nrow(plan) * pixels * 1.8 / 1e6), "MB. Times and prices are the engines' own.\n")
  for (note in attr(plan, "notes")) cat(strwrap(note, 100, initial = "note: ", exdent = 6), sep = "\n")
  next_steps(paste("sprenn run", given$places))
  0L
}

cli_run <- function(given) {
  trial <- read_trial(given$places)
  takes <- run_trial(trial, given$run, retry = given$retry, progress = progress_bar("making"))
  report_takes(takes)
  next_steps(paste("sprenn score", given$places, run_option(given$run)))
  if (all(takes$state == "made")) 0L else 1L
}

run_option <- function(run) if (run == "main") "" else paste("--run", run)

report_takes <- function(takes) {
  failed <- takes[takes$state %in% c("failed", "refused"), ]
  cat(
    sum(takes$state == "made"), " takes are there, ", nrow(failed), " failed or were refused, cost ",
    formatC(sum(takes$cost, na.rm = TRUE), format = "f", digits = 2), ".\n", sep = ""
  )
  why <- unique(failed[c("pipeline", "failure", "message")])
  for (i in seq_len(min(5, nrow(why)))) {
    cat(strwrap(paste0(why$pipeline[i], ", ", gsub("_", " ", why$failure[i]), ": ", why$message[i]), 100, initial = "  - ", prefix = "    "), sep = "\n")
  }
  if (nrow(why) > 5) cat("  - and", nrow(why) - 5, "more\n")
}

cli_score <- function(given) {
  scores <- score_run(given$places, given$run, again = given$again, progress = progress_bar("measuring"))
  cat(length(unique(scores$take)), "takes are measured,", nrow(scores), "numbers in all.\n")
  flaws <- scores[scores$axis == "flaws" & scores$level == "serious", ]
  if (nrow(flaws)) {
    found <- table(flaws$measure)
    cat("Serious flaws: ", paste0(gsub("_", " ", names(found)), " ", found, collapse = ", "), ".\n", sep = "")
  }
  next_steps(paste("sprenn choose", given$places, run_option(given$run)))
  0L
}

cli_choose <- function(given) {
  trial <- read_trial(given$places)
  jobs <- given$job %||% brief_jobs(trial$brief)
  for (job in jobs) {
    verdict <- choose_pipeline(trial, given$run, if (!is.na(job)) job)
    if (length(jobs) > 1) cat(cli::rule(job), "\n", sep = "")
    cat(colour_headline(format(verdict), verdict), sep = "\n")
    if (length(jobs) > 1) cat("\n")
  }
  next_steps(c(paste("sprenn sheet", given$places, run_option(given$run)), paste("sprenn report", given$places, run_option(given$run))))
  0L
}

colour_headline <- function(lines, verdict) {
  paint <- if (verdict$state == "decided") cli::col_green else cli::col_yellow
  lines[1] <- as.character(cli::style_bold(paint(lines[1])))
  lines
}

cli_sheet <- function(given) {
  file <- draw_sheet(given$places, given$run, file = given$out, seed = given$seed, width = given$width, job = given$job)
  cat("The contact sheet is", file, "\n")
  0L
}

cli_report <- function(given) {
  file <- write_report(given$places, given$run, file = given$out, job = given$job)
  cat("The report is", file, "\n")
  0L
}

cli_measure <- function(given) {
  if (is.null(given$against)) {
    stop_sprenn("usage", c("`sprenn measure` wants --against REFERENCE.", i = "The reference is the picture that the take was made from."))
  }
  scores <- score_picture(given$places, given$against, look = split_files(given$look), mask = given$mask)
  ranges <- list_measures()
  cat(text_table(list(
    axis = scores$axis, measure = scores$measure, value = two(scores$value), raw = formatC(scores$raw, format = "f", digits = 3),
    level = ifelse(is.na(scores$level), "", scores$level), where = ifelse(is.na(scores$place), "", scores$place)
  )), sep = "\n")
  cat("", "What the values mean:", sep = "\n")
  shown <- ranges[ranges$measure %in% scores$measure, ]
  for (i in seq_len(nrow(shown))) {
    cat(strwrap(paste0(shown$measure[i], ": ", shown$range[i], "; sees ", shown$sees[i]), 100, initial = "  ", exdent = 4), sep = "\n")
  }
  0L
}
