#' The command line
#'
#' The function behind the `sprenn` launcher. Every command calls one of the package's functions.
#'
#' @param arguments The arguments after `sprenn`.
#' @return The exit status, invisibly: 0 success; 1 done in part (some takes failed); 2 unusable
#'   input, nothing was done; 3 a fault of Sprenn's own; 130 stopped with Ctrl-C.
#' @family stand-ins and the command line
#' @export
#' @examples
#' sprenn_command("--version")
#' sprenn_command(c("plan", "--help"))
sprenn_command <- function(arguments = commandArgs(trailingOnly = TRUE)) {
  if (!is.character(arguments) || anyNA(arguments)) {
    check_arguments(arguments = checkmate::check_character(arguments, any.missing = FALSE))
  }

  word <- if (length(arguments)) arguments[1] else "help"
  invisible(as.integer(status_of(word, run_word(word, arguments[-1]))))
}

# The exit status of a command, which is evaluated here; what went wrong is written to the error
# output.
status_of <- function(word, code) {
  tryCatch(
    guarded(code, function(file) tell_fault(word, file)),
    sprenn_error = function(e) {
      write_error(e)
      2L
    },
    interrupt = function(e) {
      cat(
        "\nStopped. Everything made so far is kept; the same command resumes.\n",
        file = stderr()
      )
      130L
    },
    error = function(e) {
      if (is_closed_pipe(e)) {
        return(141L)
      }

      said <- clean_text(paste0("sprenn ", word, ": ", conditionMessage(e)))
      cat(said, "\n", sep = "", file = stderr())
      1L
    }
  )
}

tell_fault <- function(word, file) {
  lines <- c(
    paste0("sprenn ", word, " has failed through a fault of its own, not through your files."),
    "  - What was made and recorded before is kept.",
    if (!is.null(file)) paste0("  - The fault is described in ", file, ": please send it to us.")
  )
  cat(lines, file = stderr(), sep = "\n")
  3L
}

# The launcher starts R without its default packages, so that what needs none answers sooner. Other
# packages, and the code of other people, expect them.
attach_defaults <- function() {
  names <- c("methods", "datasets", "utils", "grDevices", "graphics", "stats")
  for (name in names[!paste0("package:", names) %in% search()]) {
    attachNamespace(name)
  }
}

run_word <- function(word, arguments) {
  if (word %in% c("--version", "version")) {
    cat("sprenn", as.character(utils::packageVersion("sprenn")), "\n")
    return(0L)
  }

  commands <- cli_commands()
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
  if (is.null(given)) {
    return(0L)
  }

  attach_defaults()
  command$run(given)
}

# The headline, then every detail as a list item.
write_error <- function(e) {
  cat(wrap_line(paste0("sprenn: ", e$headline)), file = stderr(), sep = "\n")
  for (detail in e$details) {
    lines <- strsplit(detail, "\n", fixed = TRUE)[[1]]
    lines <- paste0(c("  - ", rep("    ", length(lines) - 1)), lines)
    cat(unlist(lapply(lines, wrap_line)), file = stderr(), sep = "\n")
  }
}

# A line that fits into the terminal as it is; a longer one wrapped under its own indent.
wrap_line <- function(line, width = min(100, terminal_width())) {
  if (nchar(line) <= width) {
    return(line)
  }

  indent <- strrep(" ", nchar(sub("^([ -]*).*$", "\\1", line)))
  wrapped <- strwrap(line, width, prefix = indent, initial = "")
  wrapped[1] <- paste0(sub("^( *).*$", "\\1", line), wrapped[1])
  wrapped
}

cli_commands <- function() {
  commands <- c(
    demo_commands(),
    trial_commands(),
    engine_commands(),
    run_commands(),
    choosing_commands(),
    picture_commands(),
    export_commands(),
    evidence_commands(),
    page_commands(),
    shell_commands()
  )
  # In the order of use.
  commands[c(
    "demo", "new", "check", "caption", "mark", "pack", "prepare", "engines", "calibrate", "plan",
    "run", "watch", "score", "choose", "explain", "curves", "match", "contrasts", "compare",
    "sheet", "report", "export", "recipe", "prune", "measure", "probe", "judges", "viewing",
    "evidence", "influence", "standins", "completions"
  )]
}

# Shell completions and the manual page, generated from the command table.

shell_commands <- function() {
  list(
    completions = new_command(
      "Print shell completions or the manual page.",
      "SHELL",
      list(),
      cli_completions,
      examples = c(
        "sprenn completions bash > ~/.local/share/bash-completion/completions/sprenn",
        "sprenn completions man | man -l -"
      ),
      note = "SHELL is bash, zsh or man."
    )
  )
}

cli_completions <- function(given) {
  known <- list(bash = bash_completions, zsh = zsh_completions, man = manual_page)
  write <- known[[given$places]]
  if (is.null(write)) {
    stop_sprenn(
      "usage",
      c(
        paste0(quoted(given$places), " is not one of bash, zsh and man."),
        i = "sprenn completions bash"
      )
    )
  }

  cat(write(cli_commands()), sep = "\n")
  0L
}

bash_completions <- function(commands) {
  c(
    "# bash completion for sprenn",
    "_sprenn() {",
    "  local word=\"${COMP_WORDS[COMP_CWORD]}\"",
    "  if [ \"$COMP_CWORD\" -eq 1 ]; then",
    paste0(
      "    COMPREPLY=($(compgen -W \"help ", paste(names(commands), collapse = " "),
      "\" -- \"$word\"))"
    ),
    "    return",
    "  fi",
    "  if [[ \"$word\" == -* ]]; then",
    "    case \"${COMP_WORDS[1]}\" in",
    paste0(
      "      ", names(commands), ") COMPREPLY=($(compgen -W \"",
      vapply(commands, function(one) paste(c(flags_of(one), "--help"), collapse = " "), ""),
      "\" -- \"$word\"));;"
    ),
    "    esac",
    "    return",
    "  fi",
    "  COMPREPLY=($(compgen -f -- \"$word\"))",
    "}",
    "complete -o filenames -F _sprenn sprenn"
  )
}

zsh_completions <- function(commands) {
  # zsh takes a description in single quotes, and ends it at a colon.
  said <- function(text) {
    gsub("'", "'\\''", gsub(":", "\\:", gsub("[][]", "", text), fixed = TRUE), fixed = TRUE)
  }

  options <- vapply(
    commands,
    function(one) {
      paste0(
        "'",
        c(flags_of(one), "--help"),
        "[",
        said(c(vapply(one$options, `[[`, "", "help"), "show its options")),
        "]",
        c(
          vapply(
            one$options,
            function(own) {
              if (is.null(own$metavar)) "" else paste0(":", tolower(own$metavar), ":_files")
            },
            ""
          ),
          ""
        ),
        "'",
        collapse = " "
      )
    },
    ""
  )
  c(
    "#compdef sprenn",
    "_sprenn() {",
    "  if (( CURRENT == 2 )); then",
    "    local -a words",
    "    words=(",
    paste0("      '", names(commands), ":", said(vapply(commands, `[[`, "", "purpose")), "'"),
    "    )",
    "    _describe command words",
    "    return",
    "  fi",
    "  case \"$words[2]\" in",
    paste0("    ", names(commands), ") _arguments ", options, " '*:file:_files';;"),
    "  esac",
    "}",
    "_sprenn \"$@\""
  )
}

# In the man macros, whose control lines begin with a full stop or a quote.
manual_page <- function(commands) {
  text <- function(words) {
    sub(
      "^([.'])",
      "\\\\&\\1",
      gsub("-", "\\-", gsub("\\", "\\e", words, fixed = TRUE), fixed = TRUE)
    )
  }

  one <- function(name, command) {
    options <- unlist(lapply(command$options, function(own) {
      c(
        ".TP",
        paste0(
          "\\fB", text(own$flag), "\\fR",
          if (!is.null(own$metavar)) paste0(" \\fI", text(own$metavar), "\\fR")
        ),
        text(sub("%default", paste(own$default, collapse = ""), own$help, fixed = TRUE))
      )
    }))
    c(
      paste0(".SS \"sprenn ", name, " ", paste(text(command$places), collapse = " "), "\""),
      text(command$purpose),
      options,
      c(".PP", ".nf", text(help_notes(command)), ".fi")
    )
  }

  c(
    paste0(".TH SPRENN 1 \"\" \"Sprenn ", utils::packageVersion("sprenn"), "\""),
    ".SH NAME",
    "sprenn \\- choose between picture\\-making pipelines on evidence",
    ".SH SYNOPSIS",
    "\\fBsprenn\\fR \\fICOMMAND\\fR [options]",
    ".SH DESCRIPTION",
    paste0(
      "Runs one fixed suite of prompts, reference pictures and seeds across picture\\-making ",
      "pipelines, scores what comes back, and says which pipeline to use and how sure that is."
    ),
    ".SH COMMANDS",
    unlist(Map(one, names(commands), commands), use.names = FALSE),
    ".SH EXIT STATUS",
    ".TP",
    "0",
    "All went well.",
    ".TP",
    "1",
    "Done in part; for example, some takes failed.",
    ".TP",
    "2",
    "The input can't be used, and nothing was done.",
    ".TP",
    "130",
    "Stopped by Ctrl\\-C; what was made is kept."
  )
}
