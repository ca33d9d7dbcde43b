#' Run the demo
#'
#' Makes the Brackwater trial in a new folder, starts stand-in engines of every kind (as servers
#' and as programs), makes and measures the takes, chooses a pipeline, writes a contact sheet and
#' a report, and stops the servers. The demo of portrait cards (`cards`) has engines in this process
#' only, and asks the judges `people` and `letters` if they are installed ([install_judges()]).
#'
#' @param trial The folder to make. It must not exist, or be empty.
#' @param cases How many of the demo's cases to take, 1 to 8; all of them if
#'   `NULL`.
#' @param cards Whether to make the demo of portrait cards: who keeps everybody's likeness, who
#'   smiles when asked, who writes on the cards?
#' @param progress As for [run_trial()].
#' @return The verdict of [choose_pipeline()], invisibly.
#' @family trials
#' @export
#' @examples
#' \donttest{
#' folder <- file.path(tempdir(), "demo-example")
#' make_demo(folder, cases = 1)
#' unlink(folder, recursive = TRUE)
#' }
make_demo <- function(trial = "brackwater", cases = NULL, cards = FALSE, progress = NULL) {
  new_trial(trial, demo = !cards, cards = cards, cases = cases)
  if (!cards) {
    running <- start_standins(demo_ports())
    on.exit(stop_standins(running))
    serve_demo(trial, running$addresses)
  }

  read <- read_trial(trial)
  run_trial(read, progress = progress)
  draw_sheet(read)
  write_report(read)
  invisible(choose_pipeline(read))
}

# The ports that served.yml names, or free ones if those are taken.
demo_ports <- function() {
  ports <- ports_from(8461, c("bracken", "sorrel", "quince", "madder", "burdock"))
  ports[vapply(ports, is_taken, NA)] <- NA
  ports
}

# Ports for stand-ins, one after the other. burdock has a second host on the port after its own.
ports_from <- function(first, names) {
  before <- cumsum(1 + (names == "burdock")) - 1 - (names == "burdock")
  stats::setNames(first + before, names)
}

# The demo's engines, each in a process of its own.
serve_demo <- function(folder, addresses) {
  served <- readLines(system.file("brackwater", "served.yml", package = "sprenn"))
  for (name in names(addresses)) {
    # burdock-pictures is the host that burdock's part names.
    at <- grep(paste0("^  ", sub("-pictures$", "", name), ":"), served)
    what <- if (endsWith(name, "-pictures")) "hosts:" else "address:"
    line <- at - 1 + grep(what, served[at:length(served)])[1]
    served[line] <- sub("http://127.0.0.1:[0-9]+", addresses[[name]], served[line])
  }

  file <- file.path(folder, "lineup.yml")
  lines <- readLines(file)
  engines <- seq(grep("^engines:", lines), grep("^pipelines:", lines) - 2)
  used <- sub("^  ([a-z]+):.*", "\\1", grep("^  [a-z]+:", lines[engines], value = TRUE))
  # An engine's part of served.yml begins with its name.
  part <- cumsum(grepl("^  [a-z]+:", served))
  owner <- c("", sub("^  ([a-z]+):.*", "\\1", grep("^  [a-z]+:", served, value = TRUE)))[part +
    1]
  write_lines(
    c(
      lines[seq_len(engines[1] - 1)],
      served[owner %in% c("", used)],
      "",
      lines[-seq_len(max(engines) + 1)]
    ),
    file
  )
  copy_into(folder, system.file("standins", "teasel.R", package = "sprenn"), "teasel.R")
}

cli_demo <- function(given) {
  usual <- if (given$cards) "brackwater-cards" else "brackwater"
  folder <- if (length(given$places)) given$places else usual
  if (given$force) {
    clear_demo(folder)
  }

  cat(
    "The Brackwater trial: a board-game maker looks for a pipeline that ",
    if (given$cards) "paints the portraits of its cards.\n" else "repaints its island tiles.\n",
    sep = ""
  )
  verdict <- make_demo(folder, cards = given$cards, progress = run_progress())
  cat("", colour_headline(format(verdict), verdict), sep = "\n")
  if (given$cards) {
    say_who_keeps_faces(folder)
  } else {
    say_other_jobs(folder, verdict)
  }

  say_demo_files(folder)
  say_what_next(folder, given$cards)
  0L
}

# Who keeps a likeness, smiles or writes: what the judges found, or what they would find.
say_who_keeps_faces <- function(folder) {
  found <- shown_words(list_evidence(folder)$shown)
  if (length(found)) {
    cat(found, sep = "\n")
  }

  there <- list_local_judges()
  lacking <- there$judge[!there$installed]
  if (length(lacking)) {
    unjudged <- switch(paste(sort(lacking), collapse = " and "),
      letters = "Lettering was not judged.",
      people = "Likeness and smiles were not judged.",
      "Likeness, smiles and lettering were not judged."
    )
    cat(
      "",
      paste0(unjudged, " Install ", paste(lacking, collapse = " and "), ", and score again:"),
      paste0("  sprenn judges --install ", paste(lacking, collapse = " ")),
      paste0("  sprenn score ", folder),
      sep = "\n"
    )
  }
}

say_other_jobs <- function(folder, verdict) {
  others <- setdiff(brief_jobs(read_trial(folder)$brief), verdict$brief$job)
  if (length(others)) {
    cat(
      "",
      "For the other jobs (sprenn choose, sheet and report take --job):",
      paste0(
        "  ", others, ": ",
        vapply(others, function(job) headline_words(choose_pipeline(folder, job = job)), "")
      ),
      sep = "\n"
    )
  }
}

say_demo_files <- function(folder) {
  run <- file.path(folder, "runs", "main")
  cat(
    "",
    "Files:",
    paste0(
      "  ", file.path(folder, c("suite.yml", "lineup.yml", "brief.yml")),
      c("    cases and seeds", "   engines and pipelines", "    what the choice is for")
    ),
    paste0("  ", file.path(run, "sheet.png"), "    every take beside its reference"),
    paste0("  ", file.path(run, "report.html"), "  the report, in one file"),
    paste0("  ", file.path(run, "takes"), "        the pictures"),
    sep = "\n"
  )
}

say_what_next <- function(folder, cards) {
  cat("", "Try next:", sep = "\n")
  if (cards) {
    cat(
      paste0("  see what judges say of each prompt: sprenn evidence ", folder),
      paste0("  see what they find in a picture: sprenn judges ", folder, " --try"),
      paste0("  have faces found, to be watched: sprenn evidence ", folder, " --draft"),
      sep = "\n"
    )
    return(invisible())
  }

  cat(
    paste0(
      "  change a weight in ", file.path(folder, "brief.yml"), ", then: sprenn choose ",
      folder
    ),
    paste0("  see which phrases have evidence: sprenn evidence ", folder),
    paste0("  measure the effect of prompt and look: sprenn influence ", folder),
    paste0("  judge takes blind yourself: sprenn viewing ", folder, " --job restyle"),
    paste0("  see what every engine was given: sprenn prepare ", folder),
    paste0(
      "  try the engines: sprenn standins (they were stopped), then sprenn engines ",
      folder, " --try"
    ),
    "  see who keeps a likeness, in portraits: sprenn demo --cards",
    "  use your own pictures: sprenn new my-trial --from FOLDER",
    sep = "\n"
  )
}

# Removes a demo; any other trial is refused.
clear_demo <- function(folder) {
  suite <- file.path(folder, "suite.yml")
  if (!file.exists(suite)) {
    return(invisible())
  }

  if (!any(grepl("^suite: *brackwater-(tiles|cards) *$", readLines(suite, warn = FALSE)))) {
    stop_sprenn(
      "new",
      c(
        paste0(folder, " is a trial of your own and was left as it is."),
        i = "`--force` replaces a demo only. Give the new demo another name."
      )
    )
  }

  unlink(folder, recursive = TRUE)
}

cli_standins <- function(given) {
  names <- if (length(given$places)) given$places else names(demo_ports())
  words <- strsplit(split_files(given$faults) %||% character(), "=", fixed = TRUE)
  if (!all(lengths(words) == 2)) {
    stop_sprenn(
      "usage",
      c(
        "--faults needs NAME=FAULTS.",
        i = "Such as bracken=truncated@3+busy:0.1; separate several with commas."
      )
    )
  }

  faults <- stats::setNames(
    gsub("+", " ", vapply(words, `[`, "", 2), fixed = TRUE),
    vapply(words, `[`, "", 1)
  )
  running <- start_standins(
    ports_from(given$port, names),
    faults,
    given$seed,
    given$credit,
    seconds = given$seconds,
    at_once = given[["at-once"]]
  )
  on.exit(stop_standins(running))
  print(running)
  cat("Press Ctrl-C to stop them.\n")
  utils::flush.console()
  tryCatch(
    wait_for_standins(running, given$`for`),
    interrupt = function(e) cat("\nThe stand-ins have stopped.\n")
  )
  0L
}

# Waits for so many seconds; an error if a stand-in ends before.
wait_for_standins <- function(running, seconds) {
  began <- Sys.time()
  while (as.numeric(Sys.time() - began, units = "secs") < seconds) {
    dead <- Filter(function(process) !process$is_alive(), running$processes)
    if (length(dead)) {
      stop_sprenn(
        "standins",
        c(
          paste0(names(dead)[1], " has ended."),
          x = utils::tail(readLines(dead[[1]]$get_error_file(), warn = FALSE), 1)
        )
      )
    }

    steady_sleep(0.5)
  }
}

demo_commands <- function() {
  list(
    demo = new_command(
      "Make the demo trial and run every step on it.",
      "[FOLDER]",
      list(
        new_option("cards", "logical", FALSE, "portraits of the game's cards, not its tiles"),
        new_option("force", "logical", FALSE, "replace an existing demo")
      ),
      run = cli_demo,
      examples = "sprenn demo brackwater"
    )
  )
}
