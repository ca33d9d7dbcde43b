#' Read a trial
#'
#' Reads and checks the three files of a trial, the pictures that they name and the engines that
#' they call. `check_trial()` reports every error instead of stopping, and if there is none, warns
#' about common mistakes; [prepare_trial()] draws those.
#'
#' An engine on a server that has never described itself is left out, with its pipelines, and the
#' rest goes on without it; with the next call that reaches the server, it is there.
#'
#' @param trial The trial's folder.
#' @param engines Engines to use instead of those that `lineup.yml` describes: a
#'   named list of [engine()]s.
#' @param progress A function called with `done`, `total`, `failed` and
#'   `seconds` while a suite of many pictures is read, or `NULL`.
#' @return `read_trial()` returns an object of class `sprenn_trial`. `check_trial()` returns a
#'   data frame with the columns `level` (`problem`, which stops everything; `unusable`, an engine
#'   whose server, program or key is not there now; or `warning`), `file`, `line`, `place`,
#'   `found`, `wanted`, `near` (the nearest known word) and `kind` (of a warning), with no rows if
#'   there is nothing to report.
#' @section Errors: `sprenn_error_trial`, with all problems at once in its field
#'   `problems`. A warning of class `sprenn_warning_unreached` names the engines that are left out.
#' @family trials
#' @export
#' @examples
#' folder <- file.path(tempdir(), "read-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' read_trial(folder)
#' unlink(folder, recursive = TRUE)
read_trial <- function(trial, engines = list(), progress = NULL) {
  read <- examine_trial(trial, engines, progress)
  stop_for_problems(read$problems)
  if (nrow(read$trial$unreached)) {
    rlang::warn(unreached_words(read$trial$unreached), class = "sprenn_warning_unreached")
  }

  read$trial
}

#' @rdname read_trial
#' @export
check_trial <- function(trial, engines = list(), progress = NULL) {
  read <- examine_trial(trial, engines, progress)
  warnings <- if (!is.null(read$trial)) trial_warnings(read$trial) else no_warnings()
  columns <- names(no_problems())
  unusable <- if (!is.null(read$trial)) unusable_engines(read$trial)
  tables <- list(problem = read$problems, unusable = unusable, warning = warnings)
  level <- rep(names(tables), vapply(tables, NROW, 0L))
  new_table(
    level = level,
    do.call(rbind, lapply(Filter(NROW, tables), `[`, columns)) %||% no_problems(),
    kind = c(rep(NA_character_, sum(level != "warning")), warnings$kind)
  )
}

# Engines that can't be used now, those that are left out among them, as a table like that of the
# problems. Whatever costs nothing is tried.
unusable_engines <- function(trial) {
  rows <- lapply(names(trial$lineup$engines), function(name) {
    built <- trial$lineup$engines[[name]]
    wanted <- trial$described[[name]]
    # Engines that were given as objects are there.
    why <- if (identical(wanted$kind, built$kind)) why_unusable(wanted, built, trial$folder)
    if (length(why)) {
      new_problem(
        "lineup.yml",
        paste0("engines.", name),
        paste(why, collapse = "; "),
        "an engine that can be used: `sprenn run` leaves this one alone, and its takes unmade"
      )
    }
  })
  rows <- place_problems(bind_problems(rows), trial$texts)
  bind_problems(trial$unreached[names(no_problems())], rows)
}

# What is left out and why, a line for every engine.
unreached_words <- function(unreached) {
  vapply(
    seq_len(nrow(unreached)),
    function(i) {
      pipelines <- unreached$pipelines[[i]]
      paste0(
        "Engine ", unreached$engine[i], " is left out",
        if (length(pipelines)) paste0(", and with it ", shorten_list(pipelines)),
        ": ", unreached$found[i]
      )
    },
    ""
  )
}

# Reads a trial: its problems, and the trial itself if there are none. Without `ask`, servers with
# a kept description are not called.
examine_trial <- function(trial, engines, progress = NULL, ask = TRUE) {
  check_arguments(
    trial = checkmate::check_string(trial, min.chars = 1),
    engines = checkmate::check_list(
      engines,
      types = "sprenn_engine",
      names = if (length(engines)) "unique" else NULL
    ),
    progress = checkmate::check_function(progress, null.ok = TRUE)
  )
  if (!dir.exists(trial)) {
    problem <- new_problem(
      basename(trial),
      "",
      "no such folder",
      "a trial's folder; `sprenn new` makes one"
    )
    return(list(problems = problem))
  }

  folder <- normalizePath(trial, winslash = "/")
  parsed <- lapply(stats::setNames(nm = trial_files), function(file) {
    parse_trial_file(folder, file)
  })
  # Pictures are examined while the fields are checked.
  suite_read <- parsed$suite.yml$value
  examiner <- examine_pictures(if (is_keyed(suite_read)) suite_read, folder, progress)
  on.exit(examiner$stop())
  read <- lapply(parsed, walk_trial_file)
  suite <- read$suite.yml
  lineup <- read$lineup.yml
  files <- examine_files(suite, folder, examiner)
  made <- if (is.list(lineup$value$engines)) build_engines(lineup, folder, engines, ask)
  judged <- if (nrow(read$brief.yml$problems) == 0) build_judges(read$brief.yml$value, folder)
  # Entries that are sound themselves are checked against each other even if others are not.
  texts <- lapply(read, `[[`, "text")
  problems <- bind_problems(
    lapply(read, `[[`, "problems"),
    files$problems,
    suite_problems(suite, files$facts),
    made$problems %||% no_problems(),
    lineup_problems(lineup, made$engines, made$unreached$engine),
    brief_problems(read$brief.yml, suite),
    if (nrow(read$brief.yml$problems) == 0) {
      measure_problems(read$brief.yml$value, folder, judged$judges)
    },
    judged$problems
  )
  reached <- if (nrow(problems) == 0) without_engines(lineup$value, made$unreached$engine)
  if (length(reached$lineup$pipelines) == 0) {
    problems <- bind_problems(problems, made$unreached[names(no_problems())])
    return(list(problems = place_problems(problems, texts)))
  }

  trial <- structure(
    list(
      folder = folder,
      suite = c(
        build_suite(suite$value, folder),
        list(
          files = by_path(files$facts, folder),
          measures = own_path(read$brief.yml$value$measures, folder)
        )
      ),
      lineup = build_lineup(reached$lineup, made$engines),
      brief = c(build_brief(read$brief.yml$value), list(judges = judged$judges)),
      texts = texts,
      described = lineup$value$engines,
      unreached = new_table(
        place_problems(made$unreached, texts),
        pipelines = lapply(made$unreached$engine, function(engine) {
          without_engines(lineup$value, engine)$left_out
        })
      )
    ),
    class = "sprenn_trial"
  )
  ids <- vapply(lineup$value$pipelines, `[[`, "", "id")
  problems <- place_problems(fit_problems(trial, ids), texts)
  if (nrow(problems) > 0) {
    list(problems = problems)
  } else {
    list(problems = problems, trial = trial)
  }
}

# The suite by itself: no engine is called.
read_suite <- function(folder) {
  folder <- normalizePath(folder, winslash = "/")
  read <- read_trial_file(folder, "suite.yml")
  files <- examine_files(read, folder)
  problems <- bind_problems(read$problems, files$problems, suite_problems(read, files$facts))
  stop_for_problems(place_problems(problems, list(suite.yml = read$text)), what = "This suite")
  c(build_suite(read$value, folder), list(files = by_path(files$facts, folder)))
}

#' @export
format.sprenn_trial <- function(x, ...) {
  suite <- x$suite
  jobs <- table(vapply(suite$cases, `[[`, "", "job"))
  count <- function(n, one) paste0(n, " ", one, if (n != 1) "s")
  c(
    paste0("<trial ", suite$suite, "> ", x$folder),
    paste0(
      "  ", count(length(suite$cases), "case"), " (",
      paste(names(jobs), jobs, collapse = ", "), "), ",
      count(length(suite$looks), "look"), ", seeds ",
      paste(suite$seeds, collapse = " ")
    ),
    paste0(
      "  ", count(nrow(x$lineup$pipelines), "pipeline"), " on ",
      count(length(x$lineup$engines), "engine"), " (",
      paste(names(x$lineup$engines), collapse = ", "), ")"
    ),
    if (nrow(x$unreached)) {
      left_out <- sum(lengths(x$unreached$pipelines))
      paste0("  left out: ", count(left_out, "pipeline"), " on ", listed(x$unreached$engine))
    }
  )
}

#' @export
print.sprenn_trial <- function(x, ...) {
  cat(format(x, ...), sep = "\n")
  invisible(x)
}

as_trial <- function(trial) if (inherits(trial, "sprenn_trial")) trial else read_trial(trial)
