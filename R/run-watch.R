#' Draft regions to watch
#'
#' Has a judge look for faces in the references of cases that watch nothing, and writes them
#' into `suite.yml` as regions to watch, for a person to look at: `face`, and `face-2` and `face-3`
#' in a picture of several. Nothing else in the file changes, comments included.
#'
#' The judge is the first of the brief that tells of faces (kind `local` or `finding`). A face
#' counts from a confidence of 0.3 on if it is at least 8 % of the reference's height.
#'
#' @param trial A trial's folder.
#' @param cases Ids of the cases to draft regions for; all if `NULL`.
#' @return A data frame with a row for each region: `case`, `region`, and its box before the
#'   reference is fitted: `left`, `top`, `right` and `bottom`, in shares. Invisibly.
#' @section Errors: `sprenn_error_argument` for an unknown case; `sprenn_error_trial` if the trial
#'   has problems; `sprenn_error_draft` if no judge tells of faces or it can't be asked, or if the
#'   file can't be edited or written; it is then left unchanged.
#' @family trials
#' @export
#' @examples
#' folder <- file.path(tempdir(), "watch-example")
#' new_trial(folder, cards = TRUE)
#' there <- list_local_judges()
#' if (there$installed[there$judge == "people"]) draft_watch(folder)
#' unlink(folder, recursive = TRUE)
draft_watch <- function(trial, cases = NULL) {
  check_arguments(
    trial = checkmate::check_directory_exists(trial),
    cases = checkmate::check_character(cases, any.missing = FALSE, null.ok = TRUE)
  )
  folder <- normalizePath(trial, winslash = "/")
  read <- read_trial(folder)
  ids <- vapply(read$suite$cases, `[[`, "", "id")
  stop_for_unknown(cases, ids, "The suite", "case")
  judges <- judges_of_faces(read_trial_file(folder, "brief.yml")$value$judges)
  if (length(judges) == 0) {
    stop_sprenn(
      "draft",
      c(
        "No judge of the brief finds faces.",
        i = "Name one under `judges` in brief.yml, such as people: {kind: local}."
      )
    )
  }

  asked <- which(ids %in% (cases %||% ids))
  open <- Filter(function(at) is_unwatched(read$suite$cases[[at]]), asked)
  found <- faces_of_references(read$suite$cases[open], read$brief$judges[[judges[1]]])
  names(found) <- open
  found <- Filter(length, found)
  if (length(found)) {
    write_watch(folder, found)
  }

  rows <- lapply(names(found), function(at) {
    cbind(
      new_table(case = rep(ids[as.integer(at)], length(found[[at]])), region = names(found[[at]])),
      do.call(rbind, lapply(found[[at]], function(one) box_row(one$box)))
    )
  })
  none <- cbind(new_table(case = character(), region = character()), box_row(numeric(4))[0, ])
  invisible(as_table(do.call(rbind, c(list(none), rows))))
}

box_row <- function(box) as_table(stats::setNames(as.list(box), box_names))

is_unwatched <- function(case) !is.null(case$reference) && length(case$watch) == 0

# Which faces of a reference are watched: the largest, from this share of its height on.
most_watched_faces <- 3
least_watched_face <- 0.08

# The regions of each case, by name, as suite.yml has them.
faces_of_references <- function(cases, judge) {
  on.exit(judge$close())
  found <- said_of_pictures(judge, lapply(cases, function(case) {
    function() sized_for(judge, read_picture(case$reference$path))
  }))
  if (inherits(found, "condition")) {
    stop_sprenn(
      "draft",
      c(
        paste0("The judge ", judge$name, " can't look for faces."),
        x = safe_message(conditionMessage(found), judge$secrets)
      )
    )
  }

  lapply(found, regions_of_faces)
}

regions_of_faces <- function(finding) {
  faces <- finding$faces
  high <- faces$bottom - faces$top
  kept <- utils::head(order(-high), most_watched_faces)
  kept <- kept[faces$sure[kept] >= even_confidence & high[kept] >= least_watched_face]
  regions <- lapply(kept, function(i) {
    box <- vapply(box_names, function(side) faces[[side]][i], 0, USE.NAMES = FALSE)
    list(box = as.list(round(pmin(1, pmax(0, box)), 3)))
  })
  stats::setNames(regions, c("face", "face-2", "face-3")[seq_along(regions)])
}

# `found` are regions by the position of their case.
write_watch <- function(folder, found) {
  own <- read_draftable(folder)
  lines <- own$text
  wanted <- own$value
  # From the last case to the first, so that line numbers stay valid.
  for (at in sort(as.integer(names(found)), decreasing = TRUE)) {
    regions <- found[[as.character(at)]]
    lines <- put_value(lines, own$written[[at]], at, regions, "watch")
    wanted$cases[[at]]$watch <- regions
  }

  write_suite(folder, lines, wanted)
}
