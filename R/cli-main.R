#' The command line
#'
#' What the `sprenn` launcher calls. Every command is one of the package's
#' functions under a word of its own.
#'
#' @param arguments The words after `sprenn`.
#' @return The exit status, invisibly: 0 all went well; 1 something was done but
#'   not all of it (takes failed); 2 the
#'   input can't be used, and nothing was done; 130 it was stopped (Ctrl-C).
#' @export
#' @examples
#' sprenn_command("--version")
#' sprenn_command(c("plan", "--help"))
sprenn_command <- function(arguments = commandArgs(trailingOnly = TRUE)) {
  check_arguments(arguments = checkmate::check_character(arguments, any.missing = FALSE))
  commands <- cli_commands()
  word <- if (length(arguments)) arguments[1] else "help"
  status <- tryCatch(
    run_word(word, arguments[-1], commands),
    sprenn_error = function(e) {
      write_error(e)
      2L
    },
    interrupt = function(e) {
      cat(
        "\nStopped. What was made is kept; the same command goes on from there.\n",
        file = stderr()
      )
      130L
    },
    error = function(e) {
      # Whoever read the answer has seen enough of it (`| head`).
      if (grepl("SIGPIPE", conditionMessage(e))) {
        return(141L)
      }

      cat("sprenn ", word, ": ", conditionMessage(e), "\n", sep = "", file = stderr())
      1L
    }
  )
  invisible(as.integer(status))
}

run_word <- function(word, arguments, commands) {
  if (word %in% c("--version", "version")) {
    cat("sprenn", as.character(utils::packageVersion("sprenn")), "\n")
    return(0L)
  }

  if (word %in% c("help", "--help", "-h")) {
    cat(help_text(commands), sep = "\n")
    return(0L)
  }

  command <- commands[[word]]
  if (is.null(command)) {
    near <- nearest_word(word, names(commands))
    stop_sprenn(
      "usage",
      c(
        paste0("There is no command ", quoted(word), "."),
        if (!is.na(near)) c(i = paste0("Did you mean ", quoted(near), "?")),
        i = "`sprenn help` lists them."
      )
    )
  }

  given <- read_arguments(command, word, arguments)
  if (is.null(given)) 0L else command$run(given)
}

# One command: its purpose, places and options, the function that runs it, examples that
# work when they are typed (a test runs them all), and what else to know.
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

# What stands below a command's options in its help.
help_notes <- function(command) {
  c(
    if (length(command$examples) > 1) "Examples:" else "Example:",
    paste0("  ", command$examples),
    command$note
  )
}

option <- function(name, type, default, help, metavar = toupper(name)) {
  flag <- type == "logical"
  optparse::make_option(
    paste0("--", name),
    type = type,
    default = default,
    help = help,
    action = if (flag) "store_true" else "store",
    metavar = if (flag) NULL else metavar
  )
}

# One line of several under a dash, indented where it runs on.
say_item <- function(words) {
  cat(strwrap(words, 100, initial = "  - ", prefix = "    "), sep = "\n")
}

# For other programs: what a command has to say as data, in place of words.
json_option <- function(help = "as JSON") option("json", "logical", FALSE, help)

tell_json <- function(x, status = 0L) {
  cat(to_json(x), "\n", sep = "")
  status
}

# Reads a command's words. NULL when only its help was asked for.
read_arguments <- function(command, word, arguments) {
  parser <- optparse::OptionParser(
    usage = paste("sprenn", word, paste(command$places, collapse = " "), "[options]"),
    option_list = command$options,
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
    optparse::parse_args(parser, arguments, positional_arguments = TRUE),
    error = function(e) {
      known <- vapply(command$options, methods::slot, "", "long_flag")
      unknown <- sub("=.*", "", grep("^--", arguments, value = TRUE))
      near <- stats::na.omit(vapply(setdiff(unknown, known), nearest_word, "", known = known))
      stop_sprenn(
        "usage",
        c(
          paste0(
            "`sprenn ", word, "` does not understand that: ", trimws(conditionMessage(e)),
            "."
          ),
          if (length(near)) c(i = paste0("Did you mean ", near[1], "?")),
          i = paste0("`sprenn ", word, " --help` shows its options.")
        )
      )
    }
  )
  if (length(parsed$args) < wanted || length(parsed$args) > most) {
    stop_sprenn(
      "usage",
      c(
        paste0("`sprenn ", word, "` wants ", paste(command$places, collapse = " "), "."),
        x = paste0(
          "It was given ",
          if (length(parsed$args)) paste(parsed$args, collapse = " ") else "nothing",
          "."
        ),
        i = paste0("`sprenn ", word, " --help` shows an example.")
      )
    )
  }

  c(parsed$options, list(places = parsed$args))
}

help_text <- function(commands) {
  c(
    "Sprenn runs one fixed suite of prompts, reference pictures and seeds across picture-making",
    "pipelines, scores what comes back, and says which pipeline to use and how sure that is.",
    "",
    "  sprenn demo            see all of it happen on made-up data",
    "",
    paste0(
      "  sprenn ",
      formatC(names(commands), width = -max(nchar(names(commands))) - 1),
      vapply(commands, `[[`, "", "purpose")
    ),
    "",
    "`sprenn COMMAND --help` says more.",
    "Exit status: 0 done, 1 done in part, 2 unusable input, 130 stopped by Ctrl-C."
  )
}

# The headline, then every detail under a dash, indented where it runs on.
write_error <- function(e) {
  cat("sprenn: ", e$headline, "\n", sep = "", file = stderr())
  for (detail in e$details) {
    parts <- strsplit(detail, "\n", fixed = TRUE)[[1]]
    cat(paste0(c("  - ", rep("    ", length(parts) - 1)), parts), file = stderr(), sep = "\n")
  }
}
