# The commands for engines: what they can do, whether they keep the contract,
# how their hold is calibrated, and the stand-ins as servers.

engine_commands <- function() {
  list(
    engines = new_command(
      "List what the engines can do; try them; check them against the contract.",
      "[TRIAL]",
      list(
        new_option(
          "try",
          "logical",
          FALSE,
          "have each make one picture, and draw them side by side"
        ),
        new_option(
          "case",
          "character",
          NULL,
          "which case to try [the first with a reference]",
          "ID"
        ),
        new_option(
          "engine",
          "character",
          NULL,
          "which engines [all]; separate several with commas",
          "NAMES"
        ),
        new_option(
          "out",
          "character",
          NULL,
          "the PNG that --try draws [tried.png, in the trial]",
          "FILE"
        ),
        new_option("width", "integer", 1280L, "its width in pixels [%default]", "PIXELS"),
        new_option(
          "dry",
          "logical",
          FALSE,
          "with --try: show the calls to described services, and send nothing"
        ),
        new_option(
          "replay",
          "character",
          NULL,
          "show what is read of an answer of the --engine that --try kept in this file",
          "FILE"
        ),
        new_option(
          "describe",
          "character",
          NULL,
          "draft the entry of a service from its OpenAPI document, instead of a trial",
          "FILE"
        ),
        new_option(
          "call",
          "character",
          NULL,
          "with --describe: the call that makes a picture [the likeliest]",
          "CALL"
        ),
        new_option(
          "conform",
          "logical",
          FALSE,
          "check each against the contract; makes a dozen small pictures"
        ),
        new_option(
          "at",
          "character",
          NULL,
          "with --conform: a server's address, instead of a trial",
          "ADDRESS"
        ),
        new_option(
          "key",
          "character",
          NULL,
          "with --at: the environment variable that holds its key",
          "NAME"
        ),
        new_option(
          "key-header",
          "character",
          NULL,
          "with --at: the header that carries it [Authorization: Bearer]",
          "HEADER"
        ),
        new_option(
          "seconds",
          "double",
          120,
          "with --at: how long one call may take [%default]",
          "SECONDS"
        ),
        json_option()
      ),
      cli_engines,
      examples = c(
        "sprenn engines my-trial --try",
        "sprenn engines --conform --at http://127.0.0.1:8461"
      )
    ),
    calibrate = new_command(
      "Measure what hold means on an engine, and write it into lineup.yml.",
      "TRIAL",
      list(
        new_option(
          "engine",
          "character",
          NULL,
          "which engines [all that have a knob]; separate several with commas",
          "NAMES"
        ),
        new_option(
          "case",
          "character",
          NULL,
          "on which cases [the first two]; separate several with commas",
          "IDS"
        ),
        new_option(
          "rungs",
          "integer",
          10L,
          "how many settings of the knob to try [%default]",
          "NUMBER"
        ),
        new_option("dry", "logical", FALSE, "show the cost without making anything"),
        json_option("the curves as JSON; not with --dry")
      ),
      cli_calibrate,
      examples = "sprenn calibrate brackwater --engine bracken",
      note = "If it is stopped, the same command continues it."
    ),
    standins = new_command(
      "Start the stand-in engines as servers, until stopped.",
      "[NAMES...]",
      list(
        new_option(
          "port",
          "integer",
          8461L,
          "the first one's port; the others follow [%default]",
          "PORT"
        ),
        new_option(
          "faults",
          "character",
          NULL,
          "faults to simulate, such as bracken=truncated@3+busy:0.1",
          "FAULTS"
        ),
        new_option("seed", "integer", 1L, "the seed of random faults [%default]", "SEED"),
        new_option("credit", "double", 1000, "the credit of an account [%default]", "MONEY"),
        new_option(
          "seconds",
          "double",
          NULL,
          "seconds that bracken's queue takes for a picture",
          "SECONDS"
        ),
        new_option(
          "at-once",
          "integer",
          NULL,
          "how many pictures bracken makes at once",
          "N"
        ),
        new_option("for", "double", Inf, "stop after so many seconds", "SECONDS")
      ),
      cli_standins,
      examples = "sprenn standins bracken sorrel quince"
    )
  )
}

cli_engines <- function(given) {
  if (!is.null(given$at)) {
    return(conform_server(given))
  }

  if (!is.null(given$describe)) {
    cat(format(draft_engine(given$describe, given$call)), sep = "\n")
    return(0L)
  }

  if (length(given$places) == 0) {
    stop_sprenn(
      "usage",
      c(
        "`sprenn engines` needs a trial, --describe FILE, or --conform --at ADDRESS.",
        i = "`sprenn engines --help` shows examples."
      )
    )
  }

  trial <- read_shown(given$places)
  names <- split_files(given$engine)
  stop_for_unknown(names, names(trial$lineup$engines), "lineup.yml", "engine")
  if (given$conform) {
    conform_all(trial, names %||% names(trial$lineup$engines), given$json)
  } else if (!is.null(given$replay)) {
    show_replay(trial, names, given)
  } else if (given$dry) {
    show_preview(trial, names, given)
  } else {
    list_and_try(trial, names, given)
  }
}

# Lists the engines, and tries them if that is asked for.
list_and_try <- function(trial, names, given) {
  listed <- list_engines(trial)
  listed <- listed[listed$engine %in% (names %||% listed$engine), ]
  if (!given$json) {
    show_engines(listed)
  }

  if (given$try) {
    return(show_tries(trial, names, given))
  }

  if (given$json) {
    return(tell_json(listed))
  }

  next_steps(c(
    paste("sprenn engines", shell_path(given$places), "--try"),
    paste("sprenn calibrate", shell_path(given$places))
  ))
  0L
}

conform_server <- function(given) {
  if (!given$conform) {
    stop_sprenn(
      "usage",
      c(
        "--at needs --conform.",
        i = "`sprenn engines --conform --at ADDRESS` checks a server against the contract."
      )
    )
  }

  found <- conform_engine(given$at, given$key, given$`key-header`, given$seconds)
  status <- if (all(found$checks$met %in% TRUE)) 0L else 1L
  if (given$json) {
    return(tell_json(found$checks, status))
  }

  cat(format(found), sep = "\n")
  status
}

show_engines <- function(listed) {
  # As many beside each other as a page is wide, and evenly.
  pages <- ceiling(nrow(listed) / most_side_by_side)
  page <- ceiling(seq_len(nrow(listed)) / ceiling(nrow(listed) / max(1, pages)))
  blocks <- lapply(split(listed, page), function(some) c(side_by_side(some), ""))
  cat(utils::head(unlist(blocks), -1), sep = "\n")
  stale <- listed[!is.na(listed$remembered), ]
  if (nrow(stale)) {
    day <- sub("T.*", "", stale$remembered)
    each <- paste0(stale$engine, " (shown as it was on ", day, ")", collapse = ", ")
    cat("\nNot answering now: ", each, ".\n", sep = "")
  }
}

conform_all <- function(trial, names, json) {
  kept <- TRUE
  if (json) {
    callable <- Filter(function(name) !is_by_hand(trial$lineup$engines[[name]]), names)
    found <- lapply(stats::setNames(nm = callable), function(name) {
      conform_engine(trial$lineup$engines[[name]])$checks
    })
    return(tell_json(
      found,
      if (all(vapply(found, function(one) all(one$met %in% TRUE), NA))) 0L else 1L
    ))
  }

  for (name in names) {
    engine <- trial$lineup$engines[[name]]
    cat(cli::rule(paste0(name, ", ", engine$kind)), "\n", sep = "")
    if (is_by_hand(engine)) {
      cat("A person makes its pictures: there is nothing to try.\n")
      next
    }

    found <- conform_engine(engine)
    cat(format(found), "", sep = "\n")
    kept <- kept && all(found$checks$met %in% TRUE)
  }

  if (kept) 0L else 1L
}

most_side_by_side <- 6

# One column for each engine, one row for each fact; long facts are wrapped.
side_by_side <- function(listed, width = 110) {
  facts <- c(
    kind = "kind",
    version = "version",
    checkpoints = "checkpoints",
    "its knob" = "hold",
    settings = "settings",
    takes = "takes",
    "add-ons" = "add_ons",
    emphasis = "emphasis",
    repeats = "repeatable",
    captions = "captions",
    price = "price",
    seconds = "seconds",
    "at once" = "at_once"
  )
  show <- function(value) {
    if (is.logical(value)) {
      c("no", "yes")[value + 1]
    } else if (is.na(value) || !nzchar(value)) {
      "-"
    } else {
      format(value)
    }
  }

  column <- max(14, (width - 13) %/% nrow(listed) - 2)
  rows <- lapply(names(facts), function(fact) {
    cells <- lapply(seq_len(nrow(listed)), function(i) {
      strwrap(show(listed[[facts[[fact]]]][i]), column)
    })
    tall <- max(lengths(cells))
    cells <- lapply(c(list(fact), cells), function(cell) c(cell, rep("", tall - length(cell))))
    do.call(
      paste,
      c(
        list(formatC(cells[[1]], width = -12)),
        lapply(cells[-1], formatC, width = -column),
        sep = "  "
      )
    )
  })
  head <- paste(
    c(formatC("", width = -12), formatC(listed$engine, width = -column)),
    collapse = "  "
  )
  sub(" +$", "", c(head, unlist(rows)))
}
