#' Make the takes of a run
#'
#' Makes every planned take that has not been made yet, and keeps each at once: the picture as a
#' file named by the SHA-256 of its bytes, the request and the answer in the run's database.
#' Engines work in parallel, each on as many calls at a time as it accepts: servers are called
#' from this process; R functions and programs run in worker processes, which also measure
#' pictures as they arrive. A take that fails is recorded with the reason, and the run continues.
#' Calling it again makes nothing twice.
#'
#' Ctrl-C (an interrupt) stops sending and finishes what is in flight; a second one stops at once.
#' Either way the interrupt is passed on to the caller, and the same call resumes.
#'
#' An engine that can't be reached is tried again for `outage` seconds while the others continue;
#' then it is left alone for this run, and its takes stay planned.
#'
#' If a run's records are on a PostgreSQL server, several processes, on several machines that share
#' the trial's folder, can make it together: each calls this with the same trial and options. They
#' claim takes from each other, keep an engine's `at_once` and `per_minute` together, and take over
#' what one leaves that ends or is silent for twenty seconds. With `until`, one process makes it.
#'
#' A run grows and changes with its trial. What suite and lineup still ask for and was made is kept,
#' whatever it is called now; what is new, or now asked for in another way, is made; scores whose
#' case, looks or checks have changed are measured anew. A message of the class
#' `sprenn_message_suite` says what has changed of the suite.
#'
#' @param trial A trial's folder, or what [read_trial()] returned. Engines given
#'   to [read_trial()] as objects work in this process, one call at a time.
#' @param run The run's name: a folder under `runs/`.
#' @param ... Options of the run, passed on to [run_options()].
#' @param options The result of [run_options()].
#' @param progress A function that is called as takes are made and while they are in flight, with
#'   `done`, `total`, `failed`, `seconds`, and besides `flying`, `scored`, `cost`, `left`
#'   (seconds, or `NA`), `words` (what the run is waiting for) and `engines` (a data frame:
#'   `engine`, `made`, `total`, `flying`, `failed`, `words`); or `NULL`.
#' @return A list of class `sprenn_run`, invisibly: `run`, the name; `takes`, a data frame with one
#'   row a take (`take`, `pipeline`, `case`, `seed`, `control`, `state` (`made`, `failed`,
#'   `refused`, `planned`), `path`, `sha256`, `seconds`, `cost`, `failure`, `message`);
#'   `by_hand`, for every engine of the kind `folder` its `checklist` (a file) and what was
#'   `found` in its folder (a data frame of `file`, `state` (`taken in`, `not taken in`,
#'   `missing`, `extra`, `changed`) and `why`); `parked`, the reasons why engines were left
#'   alone, by name; `left_over`, the number of pictures that nothing asks for any more, which
#'   [prune_run()] lists; `left_out`, the pipelines of which no more takes were made, as
#'   [leave_out()] says; `turned_away`, the workers that got no work, and why; `judged`, a data
#'   frame about the judges, or `NULL`; and `race`, with `until`: `rounds`, `looks` (the possible
#'   number of rounds), and `jobs`, each with its `state` (`decided`, `stuck`, `open`), `best`,
#'   `confidence` and the pipelines that were `dropped`.
#' @section Errors: `sprenn_error_run` if nothing that the run has made is asked for any more;
#'   `sprenn_error_workers` if the workers file or its address can't be used;
#'   `sprenn_error_locked` if another process is writing to the run, or those who make it together
#'   have another trial, other options or another version; `sprenn_error_limit` if the
#'   plan exceeds a limit; `sprenn_error_store` if a picture can't be written.
#' @family runs
#' @export
#' @examples
#' folder <- file.path(tempdir(), "run-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial, workers = 0)$takes[, c("pipeline", "case", "seed", "state")]
#' unlink(folder, recursive = TRUE)
run_trial <- function(
  trial,
  run = "main",
  ...,
  options = run_options(...),
  progress = NULL
) {
  check_arguments(
    options = checkmate::check_class(options, "sprenn_run_options"),
    options = if (...length() && !missing(options)) "must not be given twice" else TRUE,
    progress = checkmate::check_function(progress, null.ok = TRUE)
  )
  trial <- as_trial(trial)
  budget <- read_within(options$within)
  asked <- plan_takes(trial)
  plan <- if (is.null(budget)) asked else plan_within(asked, budget, trial$lineup)
  store <- open_store(
    trial$folder,
    run,
    create = TRUE,
    url = options$store,
    suite = trial$suite$suite
  )
  on.exit(close_store(store))
  stop_for_read_only(store)
  tell_changes(store, trial, asked)
  stop_over_limits(trial, plan, store, options$yes)
  told <- tell <- words_as_progress(progress, nrow(plan))
  # A race decides after each round what comes next, which is for one process.
  is_shared <- is_postgres(store$db) && is.null(options$until)
  lock <- lock_run(store, options$wait, told, beside = is_shared)
  on.exit(unlock_run(store, lock), add = TRUE, after = FALSE)
  progress <- noted_progress(store, lock, progress)
  told <- words_as_progress(progress, nrow(plan))
  store$be_patient(options$outage, tell)
  is_first <- begin_run(
    store, lock, trial, plan, asked, if (is_shared) options, told,
    prepare = function() prepare_run(store, trial, plan, asked, options$pictures, progress)
  )
  store$pictures <- pictures_of_run(store, options$pictures)
  store$be_patient(options$outage, tell)
  trial <- with_drafts(trial, store)
  takes <- read_takes(store)
  lists <- write_checklists(trial, store, takes)
  planned <- takes$take %in% plan$take
  score <- options$score
  shown <- judging_progress(progress)
  judged <- runner <- NULL
  # Makes and measures what is wanted; says whether it was stopped on the way.
  make <- function(part, takes = read_takes(store)) {
    left <- left_to_do(store, trial, takes, part & !is_shared, options)
    runner <<- Runner$new(
      store,
      lock,
      trial,
      takes,
      left$wanted,
      left$to_score,
      score = score,
      workers = options$workers,
      outage = options$outage,
      progress = progress,
      shared = if (is_shared) list(planned = which(part), log = if (!is_first) own_log())
    )
    on.exit(runner$close())
    runner$run()
    finish <- function() {
      compare_across(store, trial$suite)
      if (score && !runner$stopping) {
        judged <<- ask_judges(store, trial, lock, shown, runner$judges)
      }
    }
    end_run(store, lock, is_shared, runner$stopping, told, finish)
    runner$stopping
  }

  race <- if (is.null(options$until)) {
    ended <- end_race(store)
    make(planned, takes)
    ended
  } else {
    run_race(store, trial, planned, make)
  }
  made <- list_takes(store)
  reports <- lapply(stats::setNames(nm = names(lists)), function(name) {
    own <- made[takes_of_engine(made, trial, name), ]
    list(checklist = lists[[name]], found = report_folder(trial$lineup$engines[[name]], own))
  })
  if (isTRUE(runner$stopping)) {
    rlang::interrupt()
  }

  invisible(structure(
    list(
      run = run,
      takes = made,
      by_hand = reports,
      judged = judged,
      left_over = count_left_over(store),
      parked = c(
        runner$parked,
        stats::setNames(as.list(trial$unreached$found), trial$unreached$engine)
      ),
      turned_away = runner$strangers,
      left_out = runner$left_out,
      race = race
    ),
    class = "sprenn_run"
  ))
}

#' Options of a run
#'
#' How [run_trial()] makes the takes of a run: which, within which limits, and by how many
#' processes.
#'
#' @param retry Whether to try failed takes again. A refusal is a result and is not tried again.
#' @param within The budget of this run: see [plan_run()].
#' @param yes Whether to exceed the limits of the brief.
#' @param score Whether to measure pictures as they arrive.
#' @param workers The number of worker processes. `NULL` starts one per core, at most 8, and none
#'   for a few takes; 0 does everything in this process. Or the path of a file that names other
#'   machines (docs/machines.md). Results do not depend on it.
#' @param until `"decided"`: make the takes in rounds of a block of cases with one seed each, and
#'   stop as soon as the brief's purposes are decided, or more seeds would hardly settle them.
#'   Pipelines that can't win any more are dropped. Cases of jobs that the brief has no purpose
#'   for are left out.
#' @param store For a new run: the database for its records, instead of a file in the run's
#'   folder: `postgresql://USER@HOST/DATABASE`, for several people who share the trial's folder, or
#'   several machines that make the run together.
#'   Never include a password; put it in `~/.pgpass` or `PGPASSWORD`. Needs the package RPostgres.
#' @param pictures For a new run: the address of a folder on a web server that speaks WebDAV (RFC
#'   4918), for its pictures: `https://HOST/FOLDER`, for machines that share no folder. A name and
#'   a password are looked up in `~/.netrc`.
#' @param wait For how many seconds to wait for another process that is writing to the run.
#' @param outage For how many seconds to wait for an engine that can't be reached, or asks to be
#'   left alone, and for the database's server.
#' @return An object of class `sprenn_run_options`, a list of these values.
#' @section Errors: `sprenn_error_argument`, which names every value that can't be used;
#'   `sprenn_error_workers` for a workers file that can't be used.
#' @family runs
#' @export
#' @examples
#' run_options(within = "30 min", workers = 2)
run_options <- function(
  retry = FALSE,
  within = NULL,
  yes = FALSE,
  score = TRUE,
  workers = NULL,
  until = NULL,
  store = NULL,
  pictures = NULL,
  wait = 0,
  outage = 120
) {
  check_arguments(
    retry = checkmate::check_flag(retry),
    yes = checkmate::check_flag(yes),
    score = checkmate::check_flag(score),
    until = checkmate::check_choice(until, "decided", null.ok = TRUE),
    until = if (is.null(until) || isTRUE(score)) TRUE else "needs scores",
    workers = check_workers(workers),
    store = check_store_url(store),
    pictures = check_pictures_address(pictures),
    wait = checkmate::check_number(wait, lower = 0),
    outage = checkmate::check_number(outage, lower = 0)
  )
  read_within(within)
  structure(
    list(
      retry = retry,
      within = within,
      yes = yes,
      score = score,
      workers = as_workers(workers),
      until = until,
      store = store,
      pictures = pictures,
      wait = wait,
      outage = outage
    ),
    class = "sprenn_run_options"
  )
}

# A function that shows words as progress that has not begun.
words_as_progress <- function(progress, total) {
  force(progress)
  function(words) {
    if (!is.null(progress)) {
      progress(done = 0, total = total, failed = 0, seconds = 0, words = words)
    }
  }
}

# Which takes of a `part` of the plan are `wanted`, and the numbers of those `to_score`.
left_to_do <- function(store, trial, takes, part, options) {
  if (!any(part)) {
    return(list(wanted = part, to_score = integer()))
  }

  wanted <- part &
    (takes$state %in% c("planned", if (options$retry) "failed") |
      (takes$state == "made" & !picture_is_there(store, takes)))
  to_score <- if (options$score) {
    intersect(
      unscored_takes(store, takes, version_of_measures(trial$suite)),
      which(part & !wanted)
    )
  } else {
    integer()
  }
  list(wanted = wanted, to_score = to_score)
}

# The progress of asking the judges, as that of a run.
judging_progress <- function(progress) {
  function(done, total, seconds, words, ...) {
    progress(
      done = 0,
      total = 0,
      failed = 0,
      seconds = seconds,
      asked = done,
      to_ask = total,
      words = words
    )
  }
}

#' @export
format.sprenn_run <- function(x, ...) {
  takes <- x$takes
  open <- sum(takes$state == "planned")
  paste0(
    count_words(sum(takes$state == "made"), "take"), " made, ",
    sum(takes$state %in% c("failed", "refused")), " failed or refused, ",
    if (open) paste0(open, " still planned, "),
    "cost ", show_money(sum(takes$cost, na.rm = TRUE)), "."
  )
}

#' @export
print.sprenn_run <- function(x, ...) {
  cat(paste0("<run> ", x$run), format(x, ...), sep = "\n")
  invisible(x)
}

# Says what has changed of the suite since the run was last begun, and what that means. An error if
# nothing would be left of what was made.
tell_changes <- function(store, trial, asked) {
  changed <- changes_of_suite(store, trial)
  made <- read_made(store)
  if (length(changed) == 0 || length(made) == 0) {
    return(invisible())
  }

  kept <- sum(made %in% asked$take)
  if (kept == 0) {
    stop_for_other_suite(store$run, changed, length(made))
  }

  rlang::inform(
    paste0(
      "The suite has changed since run ", quoted(store$run), " was last begun (",
      shorten_list(changed, 8), "). Of its ", count_words(length(made), "picture"), ", ", kept,
      if (kept == 1) " is" else " are", " still asked for and kept."
    ),
    class = "sprenn_message_suite"
  )
}

stop_over_limits <- function(trial, plan, store, yes) {
  over <- over_limits(trial, plan, read_made(store))
  if (length(over) && !yes) {
    stop_sprenn(
      "limit",
      c(
        "This run exceeds a limit. Nothing was made.",
        stats::setNames(over, rep("x", length(over))),
        i = paste0(
          "Continue with `--yes`, raise `limits` in brief.yml, or make the most ",
          "informative part with `--within`."
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

# Writes lists of the takes that people have to make.
write_checklists <- function(trial, store, takes) {
  by_hand <- Filter(is_by_hand, trial$lineup$engines)
  inputs <- cache_of_pictures()
  lapply(stats::setNames(nm = names(by_hand)), function(name) {
    own <- takes[takes_of_engine(takes, trial, name) &
      (is.na(takes$parent) | takes$parent %in% takes$take[takes$state == "made"]), ]
    # No list if all of them are there.
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
