# Shared by all commands: how arguments are read, and what is printed.

# One command: its purpose, arguments and options, the function that runs it, examples that work
# as typed (a test runs them all), and notes.
new_command <- function(purpose, places, options = list(), run, examples, note = NULL) {
  list(
    purpose = purpose,
    places = places,
    options = options,
    run = run,
    examples = examples,
    note = note
  )
}

# The text below a command's options in its help.
help_notes <- function(command) {
  c(
    if (length(command$examples) > 1) "Examples:" else "Example:",
    paste0("  ", command$examples),
    command$note
  )
}

# An option of a command, as data; an option of type `logical` is a flag without a value.
new_option <- function(name, type, default, help, metavar = toupper(name)) {
  list(
    flag = paste0("--", name),
    type = type,
    default = default,
    help = help,
    metavar = if (type != "logical") metavar
  )
}

flags_of <- function(command) vapply(command$options, `[[`, "", "flag")

parser_option <- function(option) {
  optparse::make_option(
    option$flag,
    type = option$type,
    default = option$default,
    help = option$help,
    action = if (is.null(option$metavar)) "store_true" else "store",
    metavar = option$metavar
  )
}

# Refuses a command that was `given` other things than it needs.
stop_for_places <- function(word, needs, given) {
  stop_sprenn(
    "usage",
    c(
      paste0("`sprenn ", word, "` needs ", paste(needs, collapse = " "), "."),
      x = if (length(given)) {
        paste0("It was given ", paste(given, collapse = " "), ".")
      } else {
        "It was given nothing."
      },
      i = paste0("`sprenn ", word, " --help` shows an example.")
    )
  )
}

# A list item with a dash and a hanging indent.
say_item <- function(words) {
  cat(strwrap(words, 100, initial = "  - ", prefix = "    "), sep = "\n")
}

# The option for output as data, for other programs.
json_option <- function(help = "as JSON") new_option("json", "logical", FALSE, help)

tell_json <- function(x, status = 0L) {
  cat(to_json(x), "\n", sep = "")
  status
}

# Parses a command's arguments. NULL if only its help was requested.
read_arguments <- function(command, word, arguments) {
  parser <- optparse::OptionParser(
    usage = paste("sprenn", word, paste(command$places, collapse = " "), "[options]"),
    option_list = lapply(command$options, parser_option),
    add_help_option = FALSE,
    description = paste0("\n", command$purpose),
    epilogue = paste(help_notes(command), collapse = "\n")
  )
  if (any(arguments %in% c("--help", "-h"))) {
    optparse::print_help(parser)
    return(NULL)
  }

  wanted <- sum(!startsWith(command$places, "["))
  most <- if (any(grepl("...", command$places, fixed = TRUE))) Inf else length(command$places)
  parsed <- tryCatch(
    # Of a value of another type it warns; the check below names the option.
    suppressWarnings(optparse::parse_args(parser, arguments, positional_arguments = TRUE)),
    error = function(e) {
      known <- flags_of(command)
      unknown <- sub("=.*", "", grep("^--", arguments, value = TRUE))
      near <- stats::na.omit(vapply(setdiff(unknown, known), nearest_word, "", known = known))
      said <- sub("^Error in [^:]*: ", "", trimws(gsub("\\s+", " ", conditionMessage(e))))
      stop_sprenn(
        "usage",
        c(
          paste0(
            "`sprenn ", word, "` does not understand that: ", sub("[.]$", "", said), "."
          ),
          if (length(near)) c(i = paste0("Did you mean ", near[1], "?")),
          i = paste0("`sprenn ", word, " --help` shows its options.")
        )
      )
    }
  )
  if (length(parsed$args) < wanted || length(parsed$args) > most) {
    stop_for_places(word, command$places, parsed$args)
  }

  stop_for_words(command, word, parsed$options)
  c(parsed$options, list(places = parsed$args))
}

# Options that take a number and were given something else.
stop_for_words <- function(command, word, given) {
  wrong <- Filter(
    function(option) {
      option$type %in% c("integer", "double") &&
        is.character(given[[sub("^--", "", option$flag)]])
    },
    command$options
  )
  if (length(wrong) == 0) {
    return(invisible())
  }

  said <- vapply(
    wrong,
    function(option) {
      paste0(
        option$flag, " takes a ", if (option$type == "integer") "whole ", "number (",
        sub(" \\[.*", "", option$help), "), but was given ",
        quoted(given[[sub("^--", "", option$flag)]]), "."
      )
    },
    ""
  )
  stop_sprenn(
    "usage",
    c(
      paste0("`sprenn ", word, "` can't use that."),
      stats::setNames(said, rep("x", length(said))),
      i = paste0("`sprenn ", word, " --help` shows its options.")
    )
  )
}

help_text <- function(commands) {
  c(
    "Sprenn runs one fixed suite of prompts, reference pictures and seeds across picture-making",
    "pipelines, scores what comes back, and says which pipeline to use and how sure that is.",
    "",
    "  sprenn demo            see everything at work on made-up data",
    "",
    paste0(
      "  sprenn ",
      formatC(names(commands), width = -max(nchar(names(commands))) - 1),
      vapply(commands, `[[`, "", "purpose")
    ),
    "",
    "`sprenn COMMAND --help` shows a command's options.",
    "Exit status: 0 done, 1 done in part, 2 unusable input, 3 a fault in Sprenn, 130 Ctrl-C."
  )
}

figure_option <- function() {
  new_option("out", "character", NULL, "draw the result in a PNG, SVG, PDF or TIFF file", "FILE")
}

size_option <- function() {
  new_option("size", "character", NULL, "with --out: the size on paper, such as 84mm", "SIZE")
}

split_files <- function(files) if (!is.null(files)) strsplit(files, ",", fixed = TRUE)[[1]]

# A path as a shell takes it for one word.
shell_path <- function(path) if (grepl("^[A-Za-z0-9_./~-]+$", path)) path else shQuote(path)

next_steps <- function(steps) cat("", "Next:", paste0("  ", trimws(steps)), sep = "\n")

run_flag <- function(run) if (run == "main") "" else paste("--run", run)

# Reads a trial with a progress line, since a suite of many pictures takes a while. Commands that
# only read a run do not `ask` servers for their description.
read_shown <- function(place, ask = TRUE) {
  read <- examine_trial(place, list(), progress_bar("reading"), ask)
  stop_for_problems(read$problems)
  for (words in unreached_words(read$trial$unreached)) {
    cat(strwrap(words, 100, exdent = 2), sep = "\n", file = stderr())
  }

  read$trial
}

# Warnings by file, each with what was found and what would be better; `what` they are called.
show_warnings <- function(warnings, what = "warning") {
  for (file in unique(warnings$file)) {
    own <- warnings[warnings$file == file, ]
    cat("\n", file, ": ", count_words(nrow(own), what), "\n", sep = "")
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

colour_headline <- function(lines, verdict) {
  paint <- if (verdict$state == "decided") cli::col_green else cli::col_yellow
  lines[1] <- as.character(cli::style_bold(paint(lines[1])))
  lines
}

# A number of processes, or a file.
given_workers <- function(workers) {
  if (!is.null(workers) && grepl("^[0-9]+$", workers)) {
    as.numeric(workers)
  } else {
    workers
  }
}

# Options that several commands have.
run_option <- function() {
  new_option("run", "character", "main", "the run's name [%default]", "NAME")
}

job_option <- function(help = "the job, if the brief has several purposes") {
  new_option("job", "character", NULL, help, "JOB")
}

within_option <- function() {
  new_option(
    "within",
    "character",
    NULL,
    "make the most informative part that fits a budget of money (2.50) or time (30min)",
    "AMOUNT"
  )
}

workers_option <- function() {
  new_option(
    "workers",
    "character",
    NULL,
    "number of worker processes [one per core], or a file that names other machines",
    "N|FILE"
  )
}

wait_option <- function() {
  new_option("wait", "logical", FALSE, "wait if another process is writing to the run")
}

store_option <- function() {
  help <- paste0(
    "for a new run: a PostgreSQL database to keep its records in, ",
    "postgresql://USER@HOST/DATABASE, so that several machines can make it together"
  )
  new_option("store", "character", NULL, help, "ADDRESS")
}

pictures_option <- function() {
  help <- paste0(
    "for a new run: a folder on a WebDAV server to keep its pictures in, https://HOST/FOLDER, ",
    "for machines that share no folder"
  )
  new_option("pictures", "character", NULL, help, "ADDRESS")
}

cases_option <- function() {
  new_option("case", "character", NULL, "which cases [all]; separate several with commas", "IDS")
}

looks_option <- function() {
  help <- "a picture of the look wanted; separate several with commas"
  new_option("look", "character", NULL, help, "FILES")
}
