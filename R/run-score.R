#' Measure the takes of a run
#'
#' Measures every take that was made and has not been measured yet, in the frame
#' of its case. Chance is taken from the suite's other references, and from
#' built-in pictures where the suite has too few.
#'
#' @inheritParams run_trial
#' @param again Whether to measure all takes anew.
#' @return A tibble in long form, one number a row: `take`, `pipeline`, `case`,
#'   `seed`, `axis`, `measure`, `phrase`, `value`, `raw`, `level`, `place`.
#'   Invisibly.
#' @section Errors: `sprenn_error_store` when a picture on disk is not the one
#'   that was recorded.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "score-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' score_run(trial)[, c("take", "axis", "measure", "value")]
#' unlink(folder, recursive = TRUE)
score_run <- function(trial, run = "main", again = FALSE, progress = NULL) {
  check_arguments(
    again = checkmate::check_flag(again),
    progress = checkmate::check_function(progress, null.ok = TRUE)
  )
  trial <- as_trial(trial)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  check_suite_is_same(store, trial$suite)
  takes <- read_takes(store)
  scored <- DBI::dbGetQuery(store$db, "SELECT DISTINCT take FROM scores")$take
  if (!identical(get_facts(store)$measures, measures_version)) again <- TRUE
  todo <- which(takes$state == "made" & (again | !takes$take %in% scored))
  kept <- new.env()
  began <- Sys.time()
  for (i in seq_along(todo)) {
    take <- takes[todo[i], ]
    case <- Find(function(case) case$id == take$case, trial$suite$cases)
    scores <- score_take(store, trial, case, take, kept)
    record_scores(store, take$take, scores)
    if (!is.null(progress)) {
      progress(done = i, total = length(todo), failed = 0, seconds = as.numeric(Sys.time() - began, units = "secs"))
    }
  }
  set_facts(store, measures = measures_version)
  invisible(read_scores(store))
}

# Changes whenever a measure does, so that old scores are never mixed with new.
measures_version <- "2"

score_take <- function(store, trial, case, take, kept) {
  frame <- case_frame(case, trial$suite)
  bytes <- read_bytes(take_path(store, take$file))
  if (sha256_of(bytes) != take$sha256) {
    stop_sprenn("store", c(
      paste0("The picture of take ", take$take, " is not the one that was recorded."),
      x = take_path(store, take$file), i = "Delete that file and run again: the take is made anew."
    ))
  }
  reference <- if (!is.null(case$reference)) keep(kept, paste("view", case$id), view_picture(fitted_reference(case, trial$suite), frame))
  mask <- keep(kept, paste("mask", case$id), list(case_mask(case, trial$suite, frame)))[[1]]
  look <- if (is.na(case$look)) {
    list()
  } else {
    keep(kept, paste("look", case$look), lapply(trial$suite$looks[[case$look]], function(path) view_picture(read_picture(path))))
  }
  decoys <- keep(kept, paste("decoys", case$id), suite_decoys(trial$suite, case, frame, kept))
  view <- view_picture(bring_back(decode_picture(encoded_picture(bytes)), frame), frame)
  score_scene(new_scene(view, reference, look, decoys, mask, !case$job %in% c("repair", "edit", "extend")), if (case$neutral) list() else case$prompt)
}

# Pictures that a take of this case has nothing to do with: the references of
# other cases, each picture once, then built-in ones.
suite_decoys <- function(suite, case, frame, kept) {
  path_of <- function(case) case$reference$path %||% ""
  others <- Filter(function(other) !path_of(other) %in% c("", path_of(case)), suite$cases)
  others <- others[!duplicated(vapply(others, path_of, ""))]
  if (length(others) > enough_decoys) others <- others[round(seq(1, length(others), length.out = enough_decoys))]
  views <- lapply(others, decoy_view, frame = frame, kept = kept)
  c(views, lapply(draw_decoys(frame, enough_decoys - length(views)), view_picture, frame = frame))
}

# A decoy is seen in many frames, so a small copy of it is kept to fit anew.
decoy_view <- function(case, frame, kept) {
  small <- keep(kept, paste("small", case$reference$path), {
    pixels <- read_picture(case$reference$path)
    resize_picture(pixels, pmax(1, round(dim(pixels)[2:1] * min(1, 768 / max(dim(pixels)[1:2])))))
  })
  view_picture(lay_window(small, fit_window(dim(small)[2:1], frame, case$reference), frame, paint_values(case$reference$fill)), frame)
}

read_scores <- function(store) {
  scores <- DBI::dbGetQuery(store$db, "
    SELECT s.take, t.pipeline, t.case_id AS \"case\", t.seed, s.axis, s.measure, s.phrase, s.value, s.raw, s.level, s.place
    FROM scores s JOIN takes t USING (take) ORDER BY t.position, s.rowid")
  tibble::as_tibble(scores)
}
