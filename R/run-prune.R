#' Free the disk of what a run no longer needs
#'
#' Lists, and with `yes` deletes: takes that neither the suite nor the lineup asks for
#' any more, with their scores and pictures; what [check_run()] set aside; and what
#' was half written. A picture that another take has too stays. Nothing that the trial
#' asks for today is ever touched.
#'
#' @inheritParams run_trial
#' @param yes Whether to delete. Without it nothing is changed.
#' @return A tibble with one row for every thing: `kind` (`take`, `set aside`,
#'   `leftover`), `file` (in the run's folder, or `NA`), `bytes` that this frees,
#'   `words`, and `gone`, whether it was deleted.
#' @section Errors: `sprenn_error_held` where another process is at work on the run;
#'   `sprenn_error_store` where something can't be deleted.
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
  check_suite_is_same(store, trial$suite)
  if (yes) {
    stop_for_read_only(store)
    hold <- hold_run(store, wait)
    on.exit(let_go(store, hold), add = TRUE, after = FALSE)
  }

  # What another process is just writing is no leftover.
  found <- prunable(trial, store, settled = yes || !is_held(store))
  if (yes) {
    idle <- which(found$kind == "take")
    if (length(idle)) {
      forget_takes(store, found$take[idle])
    }

    files <- unique(stats::na.omit(found$file))
    unlink(file.path(store$folder, files))
    left <- files[file.exists(file.path(store$folder, files))]
    if (length(left)) {
      stop_sprenn(
        "store",
        c(
          paste0(
            "Can't delete ", left[1],
            if (length(left) > 1) paste0(" and ", length(left) - 1, " more"),
            "."
          ),
          i = "Their records are gone already; `sprenn check --run --repair` sets such files aside."
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
  takes <- read_takes(store)
  asked <- takes$take %in% plan_run(trial)$take
  # What a later step was made from stays with it.
  repeat {
    more <- !asked & takes$take %in% takes$parent[asked]
    if (!any(more)) {
      break
    }

    asked[more] <- TRUE
  }

  idle <- takes[!asked, ]
  shared <- idle$file %in% takes$file[asked] | duplicated(idle$file)
  file <- ifelse(is.na(idle$file) | shared, NA_character_, file.path("takes", idle$file))
  rows <- tibble::tibble(
    kind = rep("take", nrow(idle)),
    take = idle$take,
    file = file,
    words = paste0(
      idle$pipeline, ", ", idle$case, ", seed ", idle$seed, ": no longer asked for"
    )
  )
  others <- function(kind, files, words) {
    tibble::tibble(
      kind = rep(kind, length(files)),
      take = NA_character_,
      file = files,
      words = words
    )
  }

  aside <- list.files(file.path(store$folder, "set-aside"), recursive = TRUE, all.files = TRUE)
  parts <- if (settled) list.files(file.path(store$folder, "takes"), "^part-", recursive = TRUE)
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
