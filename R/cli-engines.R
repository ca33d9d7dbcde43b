# The commands for engines: what they can do, whether they keep the contract,
# how their hold is calibrated, and the stand-ins as servers.

engine_commands <- function() {
  list(
    engines = new_command(
      "List what the engines can do; try them; hold one against the contract.",
      "[TRIAL]",
      list(
        option(
          "try",
          "logical",
          FALSE,
          "have each make one picture, and draw them side by side"
        ),
        option(
          "case",
          "character",
          NULL,
          "which case to try [the first with a reference]",
          "ID"
        ),
        option(
          "engine",
          "character",
          NULL,
          "which engines [all]; several with commas between",
          "NAMES"
        ),
        option(
          "out",
          "character",
          NULL,
          "the PNG that --try draws [tried.png, in the trial]",
          "FILE"
        ),
        option("width", "integer", 1280L, "its width in pixels [%default]", "PIXELS"),
        option(
          "conform",
          "logical",
          FALSE,
          "hold each against the contract; a dozen small pictures"
        ),
        option(
          "at",
          "character",
          NULL,
          "with --conform: a server's address, in place of a trial",
          "ADDRESS"
        ),
        option(
          "key",
          "character",
          NULL,
          "with --at: the environment variable that holds its key",
          "NAME"
        ),
        option(
          "key-header",
          "character",
          NULL,
          "with --at: the header that carries it [Authorization: Bearer]",
          "HEADER"
        ),
        option(
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
        option(
          "engine",
          "character",
          NULL,
          "which engines [all that have a knob]; several with commas between",
          "NAMES"
        ),
        option(
          "case",
          "character",
          NULL,
          "on which cases [the first two]; several with commas between",
          "IDS"
        ),
        option(
          "rungs",
          "integer",
          10L,
          "how many values of the knob are tried [%default]",
          "NUMBER"
        ),
        option("dry", "logical", FALSE, "show what it would take, and make nothing"),
        json_option("the curves as JSON; not with --dry")
      ),
      cli_calibrate,
      examples = "sprenn calibrate brackwater --engine bracken"
    ),
    standins = new_command(
      "Start the stand-in engines as servers, until stopped.",
      "[NAMES...]",
      list(
        option(
          "port",
          "integer",
          8461L,
          "the first one's port; the others follow [%default]",
          "PORT"
        ),
        option(
          "faults",
          "character",
          NULL,
          "what goes wrong, such as bracken=truncated@3+busy:0.1",
          "FAULTS"
        ),
        option("seed", "integer", 1L, "what faults are drawn from [%default]", "SEED"),
        option("credit", "double", 1000, "what an account holds [%default]", "MONEY"),
        option(
          "seconds",
          "double",
          NULL,
          "how long bracken's queue takes for a picture",
          "SECONDS"
        ),
        option(
          "at-once",
          "integer",
          NULL,
          "how many pictures bracken works at side by side",
          "N"
        ),
        option("for", "double", Inf, "stop by itself after so many seconds", "SECONDS")
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

  if (length(given$places) == 0) {
    stop_sprenn(
      "usage",
      c(
        "`sprenn engines` wants a trial, or --conform --at ADDRESS.",
        i = "`sprenn engines --help` shows examples."
      )
    )
  }

  trial <- read_shown(given$places)
  names <- split_files(given$engine)
  stop_for_unknown(names, names(trial$lineup$engines), "lineup.yml", "engine")
  if (given$conform) {
    return(conform_all(trial, names %||% names(trial$lineup$engines), given$json))
  }

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
        "--at wants --conform beside it.",
        i = "`sprenn engines --conform --at ADDRESS` holds a server against the contract."
      )
    )
  }

  found <- conform_engine(given$at, given$key, given$`key-header`, given$seconds)
  status <- if (all(found$kept %in% c(TRUE, NA))) 0L else 1L
  if (given$json) {
    return(tell_json(found, status))
  }

  cat(format(found), sep = "\n")
  status
}

show_engines <- function(listed) {
  cat(side_by_side(listed), sep = "\n")
  stale <- listed[!is.na(listed$remembered), ]
  if (nrow(stale)) {
    day <- sub("T.*", "", stale$remembered)
    each <- paste0(stale$engine, " (shown as it was on ", day, ")", collapse = ", ")
    cat("\nNot answering now: ", each, ".\n", sep = "")
  }
}

# One picture of each engine, side by side.
show_tries <- function(trial, names, given) {
  tries <- try_engines(trial, given$case, names)
  file <- given$out %||% file.path(given$places, "tried.png")
  draw_tries(tries, file, given$width)
  failed <- tries[tries$state != "made", ]
  status <- if (nrow(failed)) 1L else 0L
  if (given$json) {
    return(tell_json(
      list(
        case = attr(tries, "case"),
        file = file,
        tries = tries[c("engine", "state", "message", "seconds", "waited", "cost")]
      ),
      status
    ))
  }

  cat("\nOne picture each, of ", attr(tries, "case"), ":\n", sep = "")
  cat(
    text_table(list(
      engine = tries$engine,
      state = gsub("_", " ", tries$state),
      seconds = two(tries$seconds),
      "in queue" = two(tries$waited),
      cost = ifelse(is.na(tries$cost), "-", format(tries$cost))
    )),
    sep = "\n"
  )
  for (i in seq_len(nrow(failed))) {
    words <- paste0(
      failed$engine[i], ": ",
      sub("[.]?$", ". ", failed$message[i]), "What to do: ",
      failure_words[[failed$state[i]]], "."
    )
    cat(strwrap(words, 100, initial = "  - ", prefix = "    "), sep = "\n")
  }

  cat("\nThey are drawn side by side in ", file, "\n", sep = "")
  status
}

conform_all <- function(trial, names, json) {
  kept <- TRUE
  if (json) {
    callable <- Filter(function(name) trial$lineup$engines[[name]]$kind != "folder", names)
    found <- lapply(stats::setNames(nm = callable), function(name) {
      conform_engine(trial$lineup$engines[[name]])
    })
    return(tell_json(
      found,
      if (all(vapply(found, function(one) all(one$kept %in% c(TRUE, NA)), NA))) 0L else 1L
    ))
  }

  for (name in names) {
    engine <- trial$lineup$engines[[name]]
    cat(cli::rule(paste0(name, ", ", engine$kind)), "\n", sep = "")
    if (engine$kind == "folder") {
      cat("A person makes its pictures: there is nothing to try.\n")
      next
    }

    found <- conform_engine(engine)
    cat(format(found), "", sep = "\n")
    kept <- kept && all(found$kept %in% c(TRUE, NA))
  }

  if (kept) 0L else 1L
}

# One column an engine, one row a fact; long facts are wrapped in their column.
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

cli_calibrate <- function(given) {
  trial <- read_shown(given$places)
  able <- names(
    Filter(
      function(engine) !is.null(engine$about$hold) && engine$kind != "folder",
      trial$lineup$engines
    )
  )
  names <- split_files(given$engine) %||% able
  unable <- setdiff(names, able)
  if (length(unable)) {
    stop_sprenn(
      "argument",
      c(
        paste0("Can't calibrate ", shorten_list(unable), "."),
        i = paste(
          "Engines with a knob that nobody has to turn by hand:",
          paste(able, collapse = ", ")
        )
      )
    )
  }

  cases <- split_files(given$case)
  calibrate <- function(name) {
    calibrate_engine(
      trial,
      name,
      cases,
      rungs = given$rungs,
      progress = progress_bar("climbing")
    )
  }

  pictures <- given$rungs * length(cases %||% 1:2) * min(3, length(trial$suite$seeds))
  if (given$json) {
    return(tell_json(
      lapply(stats::setNames(nm = names), function(name) {
        if (given$dry) {
          about <- trial$lineup$engines[[name]]$about
          return(list(
            pictures = pictures,
            cost = pictures * about$price,
            seconds = null_for_na(pictures * about$seconds)
          ))
        }

        unclass(calibrate(name))[c("version", "checkpoint", "reach", "curve", "rungs")]
      })
    ))
  }

  for (name in names) {
    about <- trial$lineup$engines[[name]]$about
    cat(
      name, ": ", pictures, " pictures, about ", two(pictures * about$price),
      " in cost",
      if (!is.na(about$seconds)) paste0(" and ", ceiling(pictures * about$seconds), " s"),
      ".\n",
      sep = ""
    )
    if (!given$dry) {
      cat(format(calibrate(name)), "", sep = "\n")
    }
  }

  if (!given$dry) {
    cat(
      "The curves are in ", file.path(given$places, "lineup.yml"),
      " under `calibrations`; take one out to be without it.\n",
      sep = ""
    )
    next_steps(paste("sprenn plan", shell_path(given$places)))
  }

  0L
}

cli_standins <- function(given) {
  names <- if (length(given$places)) given$places else c("bracken", "sorrel", "quince")
  words <- strsplit(split_files(given$faults) %||% character(), "=", fixed = TRUE)
  if (!all(lengths(words) == 2)) {
    stop_sprenn(
      "usage",
      c(
        "--faults wants NAME=FAULTS.",
        i = "Such as bracken=truncated@3+busy:0.1; several with commas between."
      )
    )
  }

  faults <- stats::setNames(
    gsub("+", " ", vapply(words, `[`, "", 2), fixed = TRUE),
    vapply(words, `[`, "", 1)
  )
  running <- start_standins(
    stats::setNames(given$port + seq_along(names) - 1, names),
    faults,
    given$seed,
    given$credit,
    seconds = given$seconds,
    at_once = given[["at-once"]]
  )
  on.exit(stop_standins(running))
  print(running)
  cat("They run until this is stopped (Ctrl-C).\n")
  utils::flush.console()
  began <- Sys.time()
  while (as.numeric(Sys.time() - began, units = "secs") < given$`for`) {
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

    Sys.sleep(0.5)
  }

  0L
}
