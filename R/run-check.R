#' Check and repair a run
#'
#' Compares the files of a run with its records: every picture exists and matches its hash; there
#' are no unknown files (skipped while another process is writing to the run); the database is
#' intact.
#'
#' @inheritParams run_trial
#' @param repair Whether to fix what was found. A take whose picture is gone or altered is planned
#'   again; unknown and altered files are moved to `set-aside/` in the run's folder, never
#'   deleted; leftovers of interrupted writing are deleted.
#' @param wait For how many seconds to wait for another process that is writing to the run.
#' @return A data frame with one row a problem: `kind` (`missing`, `altered`, `unknown file`,
#'   `leftover`, `database`, `step`), `take`, `file`, `words`, and `mended`, the repair, or `NA`.
#' @section Errors: `sprenn_error_run` where there is no such run or its database
#'   can't be opened; `sprenn_error_locked` where another process is at work on it
#'   and `repair` is asked for.
#' @family runs
#' @export
#' @examples
#' folder <- file.path(tempdir(), "check-run-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' takes <- run_trial(trial, score = FALSE)$takes
#' unlink(takes$path[1])
#' check_run(folder)[, c("kind", "words")]
#' unlink(folder, recursive = TRUE)
check_run <- function(trial, run = "main", repair = FALSE, wait = 0, progress = NULL) {
  check_arguments(
    repair = checkmate::check_flag(repair),
    wait = checkmate::check_number(wait, lower = 0),
    progress = checkmate::check_function(progress, null.ok = TRUE)
  )
  folder <- if (inherits(trial, "sprenn_trial")) trial$folder else trial
  check_arguments(trial = checkmate::check_directory_exists(folder))
  store <- open_store(folder, run)
  on.exit(close_store(store))
  if (repair) {
    stop_for_read_only(store)
    lock <- lock_run(store, wait)
    on.exit(unlock_run(store, lock), add = TRUE, after = FALSE)
  }

  takes <- read_kept_takes(store)
  # While another process is at work, a file may be there before its record is.
  settled <- repair || !is_locked(store)
  found <- rbind(
    database_problems(store),
    picture_problems(store, takes, progress),
    step_problems_of(takes),
    if (settled) file_problems(store, takes)
  )
  found$mended <- rep(NA_character_, nrow(found))
  if (repair) {
    for (i in seq_len(nrow(found))) {
      found$mended[i] <- mend_problem(store, found[i, ])
    }
  }

  found
}

run_problem <- function(kind, words, take = NA_character_, file = NA_character_) {
  new_table(kind = kind, take = take, file = file, words = words)
}

database_problems <- function(store) {
  said <- integrity_of(store)
  do.call(
    rbind,
    c(
      list(run_problem(character(), character(), character(), character())),
      lapply(said, function(words) run_problem("database", words))
    )
  )
}

picture_problems <- function(store, takes, progress) {
  made <- takes[takes$state == "made", ]
  # Takes with the same picture share a file, which is read once.
  files <- made[!duplicated(made$file), ]
  began <- clock()
  states <- states_of_pictures(store, files$file, files$bytes, function(done) {
    if (!is.null(progress) && (done %% 50 == 0 || done == nrow(files))) {
      progress(done = done, total = nrow(files), failed = 0, seconds = clock() - began)
    }
  })
  state <- states[match(made$file, files$file)]
  wrong <- made[state != "good", ]
  gone <- state[state != "good"] == "gone"
  about <- paste0(wrong$pipeline, ", ", wrong$case, ", seed ", wrong$seed)
  run_problem(
    ifelse(gone, "missing", "altered"),
    paste0(
      rep("The picture of ", nrow(wrong)), about,
      ifelse(gone, " is gone.", " is not the one that was recorded.")
    ),
    wrong$take,
    wrong$file
  )
}

# Steps that work on a take that is no longer there.
step_problems_of <- function(takes) {
  made <- takes$take[takes$state == "made"]
  lost <- takes[takes$state == "made" & !is.na(takes$parent) & !takes$parent %in% made, ]
  if (nrow(lost)) {
    run_problem(
      "step",
      paste0(
        "The step before ", lost$pipeline, ", ", lost$case, ", seed ", lost$seed,
        ", has not been made."
      ),
      lost$take,
      lost$file
    )
  }
}

file_problems <- function(store, takes) {
  files <- files_below(file.path(store$folder, "takes"))
  files <- setdiff(files, takes$file)
  if (length(files) == 0) {
    return(NULL)
  }

  part <- is_part(files)
  run_problem(
    ifelse(part, "leftover", "unknown file"),
    ifelse(part, "Writing was cut short.", "No record mentions this file."),
    NA_character_,
    files
  )
}

mend_problem <- function(store, problem) {
  if (problem$kind %in% c("missing", "altered") && put_again(store, problem$file)) {
    return("put there again from the copy here")
  }

  path <- if (!is.na(problem$file)) take_path(store, problem$file)
  again <- function(words) {
    record_planned(store, problem$take)
    words
  }

  switch(problem$kind,
    missing = again("planned again"),
    step = again("planned again"),
    # Takes with the same picture share a file, which an earlier one may have set aside.
    altered = if (file.exists(path)) {
      aside <- set_aside(store, problem$file)
      again(paste0("planned again; the file is now ", aside))
    } else {
      again("planned again")
    },
    "unknown file" = paste("moved to", set_aside(store, problem$file)),
    leftover = if (unlink(path, expand = FALSE) == 0) "deleted" else NA_character_,
    NA_character_
  )
}

# Moves a file out of the way, under a name that nothing has there.
set_aside <- function(store, file) {
  stop_for_link(store, "set-aside")
  to <- file.path("set-aside", basename(file))
  count <- 1
  while (file.exists(file.path(store$folder, to))) {
    count <- count + 1
    to <- file.path("set-aside", paste0(count, "-", basename(file)))
  }

  dir.create(file.path(store$folder, "set-aside"), showWarnings = FALSE)
  if (!file.rename(take_path(store, file), file.path(store$folder, to))) {
    stop_sprenn(
      "store",
      c(
        paste0("Can't move ", take_path(store, file), "."),
        i = "Earlier repairs are kept."
      )
    )
  }

  to
}

# A folder of a run that is a link elsewhere: nothing is moved there, nor deleted there.
stop_for_link <- function(store, name) {
  if (is_link(file.path(store$folder, name))) {
    stop_sprenn(
      "store",
      c(
        paste0(name, " in ", store$folder, " is a link."),
        i = "Nothing behind it is touched. Replace it by a folder."
      )
    )
  }
}

#' Delete what a run no longer needs
#'
#' Lists, and with `yes` deletes: takes that neither the suite nor the lineup asks for any more,
#' with their scores and pictures; files that [check_run()] set aside; and half-written files. A
#' picture that another take shares is kept. Nothing that the trial currently asks for is touched.
#'
#' @inheritParams run_trial
#' @param yes Whether to delete. Otherwise nothing is changed.
#' @param wait For how many seconds to wait for another process that is writing to the run.
#' @return A data frame with one row for every item: `kind` (`take`, `set aside`, `leftover`),
#'   `file` (in the run's folder, or `NA`), `bytes` that this frees, `words`, and `gone`,
#'   whether it was deleted.
#' @section Errors: `sprenn_error_locked` where another process is at work on the run;
#'   `sprenn_error_store` if something can't be deleted.
#' @family runs
#' @export
#' @examples
#' folder <- file.path(tempdir(), "prune-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1:2, ]
#' run_trial(trial, score = FALSE)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' prune_run(trial)
#' unlink(folder, recursive = TRUE)
prune_run <- function(trial, run = "main", yes = FALSE, wait = 0) {
  check_arguments(
    yes = checkmate::check_flag(yes),
    wait = checkmate::check_number(wait, lower = 0)
  )
  trial <- as_trial(trial)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  if (yes) {
    stop_for_read_only(store)
    lock <- lock_run(store, wait)
    on.exit(unlock_run(store, lock), add = TRUE, after = FALSE)
  }

  # A file that another process is writing is not a leftover.
  found <- prunable(trial, store, settled = yes || !is_locked(store))
  if (yes) {
    # Files first: if this is killed, what is left to do can still be found in the records.
    files <- unique(stats::na.omit(found$file))
    unlink(file.path(store$folder, files), expand = FALSE)
    if (!is.null(store$pictures)) {
      store$pictures$delete(sub("^takes/", "", grep("^takes/", files, value = TRUE)))
    }

    left <- files[file.exists(file.path(store$folder, files))]
    idle <- found$take[found$kind == "take" & !found$file %in% left]
    if (length(idle)) {
      forget_takes(store, idle)
    }

    if (length(left)) {
      stop_sprenn(
        "store",
        c(
          paste0(
            "Can't delete ", left[1],
            if (length(left) > 1) paste0(" and ", length(left) - 1, " more"),
            "."
          ),
          i = "The rest is done. Make the folder writable and give the same command again."
        )
      )
    }

    tidy_folders(store)
    found$gone <- TRUE
  }

  found$take <- NULL
  found
}

prunable <- function(trial, store, settled) {
  takes <- read_kept_takes(store)
  # Nothing is known of an engine that was not reached, nor whether its takes are asked for.
  left_out <- sub("[:/].*", "", takes$pipeline) %in% unlist(trial$unreached$pipelines)
  asked <- takes$take %in% plan_takes(trial)$take | left_out
  # The takes that a later step was made from are kept with it.
  repeat {
    more <- !asked & takes$take %in% takes$parent[asked]
    if (!any(more)) {
      break
    }

    asked[more] <- TRUE
  }

  idle <- takes[!asked, ]
  stays <- idle$file %in% takes$file[asked] |
    duplicated(idle$file) |
    is_link(dirname(take_path(store, idle$file)))
  file <- ifelse(is.na(idle$file) | stays, NA_character_, file.path("takes", idle$file))
  rows <- new_table(
    kind = rep("take", nrow(idle)),
    take = idle$take,
    file = file,
    words = paste0(
      idle$pipeline, ", ", idle$case, ", seed ", idle$seed, ": no longer asked for"
    )
  )
  others <- function(kind, files, words) {
    new_table(
      kind = rep(kind, length(files)),
      take = NA_character_,
      file = files,
      words = words
    )
  }

  stop_for_link(store, "set-aside")
  aside <- files_below(file.path(store$folder, "set-aside"))
  below <- if (settled) files_below(file.path(store$folder, "takes"))
  parts <- below[is_part(below)]
  rows <- rbind(
    rows,
    others(
      "set aside",
      file.path("set-aside", aside)[seq_along(aside)],
      "set aside by a check"
    ),
    others("leftover", file.path("takes", parts)[seq_along(parts)], "half written")
  )
  size <- file.size(file.path(store$folder, rows$file))
  rows$bytes <- ifelse(is.na(rows$file) | is.na(size), 0, size)
  rows$gone <- rep(FALSE, nrow(rows))
  rows[c("kind", "take", "file", "bytes", "words", "gone")]
}

# Folders that have nothing left in them.
tidy_folders <- function(store) {
  folders <- c(
    list.dirs(file.path(store$folder, "takes"), recursive = FALSE),
    file.path(store$folder, "set-aside")
  )
  for (folder in folders[dir.exists(folders)]) {
    if (length(list.files(folder, all.files = TRUE, no.. = TRUE)) == 0) {
      unlink(folder, recursive = TRUE)
    }
  }
}
