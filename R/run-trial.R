#' Make the takes of a run
#'
#' Makes every planned take that has not been made yet and keeps it at once: the
#' picture as a file named by the SHA-256 of its bytes, what was asked and
#' answered in the run's database beside it. Every engine works beside the others,
#' on as many calls at a time as it takes: servers are called from this process,
#' R functions and programs work in processes of their own, which also measure
#' pictures as they land. A take that fails is recorded with the reason and the
#' rest goes on. Running again makes nothing twice.
#'
#' Ctrl-C (an interrupt) stops sending and lets finish what is in flight; a second
#' one stops at once. Either way the interrupt goes on to the caller, and running
#' again goes on from there.
#'
#' An engine that can't be reached is tried again for `outage` seconds while the
#' others go on; then it is left alone for this run, and its takes stay planned.
#'
#' @param trial A trial's folder, or what [read_trial()] returned. Engines given
#'   to [read_trial()] as objects work in this process, one call at a time.
#' @param run The run's name: a folder under `runs/`.
#' @param retry Whether to try failed takes again. Refused ones are not: a
#'   refusal is an outcome.
#' @param within What this run may use: see [plan_run()].
#' @param yes Whether to go on where the plan is over a limit of the brief.
#' @param score Whether to measure pictures as they land.
#' @param workers How many processes to start beside this one. `NULL` starts as many
#'   as there are cores, at most 8, and none for a few takes; 0 does everything
#'   here. Or the path of a file that names other machines (docs/machines.md). What
#'   is made and measured does not depend on it.
#' @param until `"decided"`: make the takes in rounds of a block of cases with one seed each, and
#'   stop as soon as the brief's purposes are decided, or more seeds would hardly
#'   settle them. Pipelines that can't win any more drop out on the way. Cases of
#'   jobs that the brief has no purpose for are left out.
#' @param store For a new run: where to keep its records, in place of a file in the
#'   run's folder: `postgresql://USER@HOST/DATABASE`, for several people who share
#'   the trial's folder. Never with a password, which is looked for in `~/.pgpass` and
#'   `PGPASSWORD`. Needs the package RPostgres.
#' @param wait For how many seconds to wait for another process that is at work on
#'   the same run.
#' @param outage For how many seconds an engine that can't be reached is waited
#'   for.
#' @param progress A function that is called after every take, and while takes
#'   are in flight, with `done`, `total`, `failed`, `seconds`, and besides `flying`,
#'   `scored`, `cost`, `left` (seconds, or `NA`), `words` (what is being waited
#'   for) and `engines` (a tibble: `engine`, `made`, `total`, `flying`, `failed`,
#'   `words`); or `NULL`.
#' @return A tibble with one row a take: `take`, `pipeline`, `case`, `seed`,
#'   `control`, `state` (`made`, `failed`, `refused`, `planned`), `path`, `sha256`,
#'   `seconds`, `cost`, `failure`, `message`. Invisibly. Its attribute `by_hand`
#'   holds for every engine of the kind `folder` its `checklist` (a file) and what
#'   was `found` there: a data frame of `file`, `state` (`taken in`, `not taken
#'   in`, `missing`, `extra`, `changed`) and `why`; `parked` holds, by engine, why
#'   one was left alone; `turned_away`, which workers were given nothing, and why;
#'   `race`, with `until`, what came of it: `rounds`, `looks` (the rounds there could
#'   be), and `jobs`, each with its `state` (`decided`, `stuck`, `open`), `best`,
#'   `confidence` and who `dropped` out.
#' @section Errors: `sprenn_error_run` when the suite has changed since the run
#'   was begun; `sprenn_error_workers` when the file of workers or its address can't
#'   be used; `sprenn_error_held` when another process is at work on it;
#'   `sprenn_error_limit` when the plan is over a limit; `sprenn_error_store` when
#'   a picture can't be written.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "run-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)[, c("pipeline", "case", "seed", "state")]
#' unlink(folder, recursive = TRUE)
run_trial <- function(
  trial,
  run = "main",
  retry = FALSE,
  within = NULL,
  yes = FALSE,
  score = TRUE,
  workers = NULL,
  until = NULL,
  store = NULL,
  wait = 0,
  outage = 120,
  progress = NULL
) {
  check_arguments(
    retry = checkmate::check_flag(retry),
    yes = checkmate::check_flag(yes),
    score = checkmate::check_flag(score),
    until = checkmate::check_choice(until, "decided", null.ok = TRUE),
    until = if (is.null(until) || score) TRUE else "needs scores",
    workers = check_workers(workers),
    store = check_store_url(store),
    wait = checkmate::check_number(wait, lower = 0),
    outage = checkmate::check_number(outage, lower = 0),
    progress = checkmate::check_function(progress, null.ok = TRUE)
  )
  workers <- as_workers(workers)
  trial <- as_trial(trial)
  plan <- plan_run(trial, within)
  store <- open_store(trial$folder, run, create = TRUE, url = store, suite = trial$suite$suite)
  on.exit(close_store(store))
  stop_for_read_only(store)
  check_suite_is_same(store, trial$suite)
  stop_over_limits(trial, plan, store, yes)
  hold <- hold_run(store, wait, function(words) {
    if (!is.null(progress)) {
      progress(done = 0, total = nrow(plan), failed = 0, seconds = 0, words = words)
    }
  })
  on.exit(let_go(store, hold), add = TRUE, after = FALSE)
  record_plan(store, trial, plan)
  # What a process that was killed had half written.
  unlink(Sys.glob(file.path(store$folder, "takes", "*", "part-*")))
  lists <- write_checklists(trial, store)
  takes <- read_takes(store)
  planned <- takes$take %in% plan$take
  shown <- if (!is.null(progress)) {
    function(done, total, seconds, words, ...) {
      progress(
        done = 0,
        total = 0,
        failed = 0,
        seconds = seconds,
        scored = done,
        to_score = total,
        words = words
      )
    }
  }
  judged <- runner <- NULL
  # Makes and measures what is wanted; says whether it was stopped on the way.
  make <- function(part) {
    takes <- read_takes(store)
    wanted <- part &
      (takes$state %in% c("planned", if (retry) "failed") |
        (takes$state == "made" & !picture_is_there(store, takes)))
    to_score <- if (score) {
      intersect(
        unscored_takes(store, takes, version_of_measures(trial$suite)),
        which(part & !wanted)
      )
    } else {
      integer()
    }
    runner <<- Runner$new(
      store,
      hold,
      trial,
      takes,
      wanted,
      to_score,
      score = score,
      workers = workers,
      outage = outage,
      progress = progress
    )
    on.exit(runner$close())
    runner$run()
    compare_across(store, trial$suite)
    if (score && !runner$stopping) {
      judged <<- ask_judges(store, trial, hold, shown)
    }

    runner$stopping
  }

  race <- if (is.null(until)) end_race(store) else run_race(store, trial, planned, make)
  if (is.null(until)) {
    make(planned)
  }

  made <- read_takes(store)
  reports <- lapply(stats::setNames(nm = names(lists)), function(name) {
    list(
      checklist = lists[[name]],
      found = report_folder(
        trial$lineup$engines[[name]],
        made[takes_of_engine(made, trial, name), ]
      )
    )
  })
  if (isTRUE(runner$stopping)) {
    rlang::interrupt()
  }

  invisible(structure(
    list_takes(store),
    by_hand = reports,
    judged = judged,
    parked = runner$parked,
    turned_away = runner$strangers,
    race = race
  ))
}

stop_over_limits <- function(trial, plan, store, yes) {
  over <- over_limits(trial, plan, read_made(store))
  if (length(over) && !yes) {
    stop_sprenn(
      "limit",
      c(
        "This run goes over a limit. Nothing was made.",
        stats::setNames(over, rep("x", length(over))),
        i = paste0(
          "Go on all the same with `--yes`, raise `limits` in brief.yml, or make the most ",
          "telling part with `--within`."
        )
      )
    )
  }
}

takes_of_engine <- function(takes, trial, name) {
  steps <- all_steps(trial$lineup)
  steps$engine[match(takes$pipeline, steps$pipeline)] %in% name
}

step_of <- function(trial, name) {
  steps <- all_steps(trial$lineup)
  steps[steps$pipeline == name, ]
}

# What people have to make, listed for them.
write_checklists <- function(trial, store) {
  by_hand <- Filter(function(engine) engine$kind == "folder", trial$lineup$engines)
  takes <- read_takes(store)
  inputs <- cache_of_pictures()
  lapply(stats::setNames(nm = names(by_hand)), function(name) {
    own <- takes[takes_of_engine(takes, trial, name) &
      (is.na(takes$parent) | takes$parent %in% takes$take[takes$state == "made"]), ]
    # What is all there needs no list.
    if (any(own$state != "made")) {
      write_checklist(by_hand[[name]], own, function(take) {
        request_for(
          trial,
          step_of(trial, take$pipeline),
          by_hand[[name]],
          take,
          inputs,
          parents_in(store)
        )
      })
    }
  })
}

picture_is_there <- function(store, takes) {
  !is.na(takes$file) &
    file.exists(take_path(store, takes$file)) &
    file.size(take_path(store, takes$file)) == takes$bytes
}

# The takes as a person wants them: with the whole path of every picture.
list_takes <- function(store) {
  takes <- read_takes(store)
  takes$path <- ifelse(is.na(takes$file), NA_character_, take_path(store, takes$file))
  takes[c(
    "take", "pipeline", "case", "seed", "control", "state", "path", "sha256", "seconds", "cost",
    "failure", "message"
  )]
}

