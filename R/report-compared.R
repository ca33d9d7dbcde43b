# The page of a comparison of two runs: what has changed in words and numbers, and the takes that
# have changed most, the old one beside the new.

# At most so many takes are shown, and of one pipeline.
most_compared <- 24
most_compared_each <- 4

# Their pictures are this wide at most, in pixels.
compared_edge <- 640

#' Write a page that shows what has changed between two runs
#'
#' One HTML file: what has changed in words, a figure of the changes, and the takes that have
#' changed most, each beside its reference, old and new, with a slider to wipe one over the other.
#' It works without a network.
#'
#' @param changes The result of [compare_runs()].
#' @param trial The trial of its runs: a folder, or what [read_trial()] returned.
#' @param file Where to write it.
#' @return The path, invisibly.
#' @section Errors: `sprenn_error_store` if a picture of the runs is gone; `sprenn_error_output` if
#'   the file can't be written.
#' @family figures, sheets and reports
#' @export
#' @examples
#' folder <- file.path(tempdir(), "compared-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial, "before")
#' run_trial(trial, "after")
#' changes <- compare_runs(trial, "before", "after")
#' write_changes(changes, trial, file.path(folder, "changes.html"))
#' unlink(folder, recursive = TRUE)
write_changes <- function(changes, trial, file) {
  check_arguments(
    changes = checkmate::check_class(changes, "sprenn_changes"),
    file = checkmate::check_string(file)
  )
  trial <- as_trial(trial)
  shown <- most_changed(changes$takes)
  style <- page_style("opened", "compared")
  script <- page_script("opened", "compared")
  title <- paste0(trial$suite$title, ": ", changes$runs[1], " to ", changes$runs[2])
  dir.create(dirname(file), showWarnings = FALSE, recursive = TRUE)
  write_bytes(
    charToRaw(enc2utf8(paste0(
      page_top(title, style, file_policy(style, script)),
      as.character(compared_body(changes, trial, shown)),
      "\n",
      data_block("takes", told_of_changed(shown)),
      data_block("pictures", changed_pictures(shown, changes, trial)),
      "<script>", script, "</script>\n</body>\n</html>\n"
    ))),
    file
  )
  invisible(file)
}

# The takes that have changed most, of no pipeline too many.
most_changed <- function(takes) {
  of_pipeline <- stats::ave(seq_len(nrow(takes)), takes$pipeline, FUN = seq_along)
  utils::head(takes[of_pipeline <= most_compared_each, , drop = FALSE], most_compared)
}

compared_body <- function(changes, trial, shown) {
  tag <- htmltools::tags
  htmltools::tagList(
    tag$header(
      tag$p(class = "over", trial$suite$title),
      tag$h1(paste("From", changes$runs[1], "to", changes$runs[2]))
    ),
    tag$main(
      paragraphs(silent_lines(changes)),
      changed_summary(changes),
      tag$h2("What has changed most"),
      tag$p(class = "soft", most_changed_words(changes, shown)),
      tag$ul(id = "changed", class = "cards"),
      tag$h2("Scores"),
      changed_table(changes),
      if (nrow(changes$scores)) {
        figure_tag(
          untitled(draw_changes(changes)),
          "Change of each score for every pipeline, with simultaneous intervals",
          height = changes_height(changes)
        )
      },
      paragraphs(other_lines(changes)),
      opened_dialog(
        c(earlier = "Previous", later = "Next"),
        picture_frame("reference", "reference", "R"),
        picture_frame("one", "old", NULL),
        picture_frame("other", "new", NULL)
      ),
      keys_part(c(
        "Enter" = "on a take: open it",
        "\u2190 \u2192" = "in an open take: the one before, the next",
        "W" = "wipe the new take over the old one",
        "E" = "wipe the next two",
        "R" = "hold: the reference over both",
        "+ \u2212 0" = "zoom in, zoom out, fit; drag to move all pictures together",
        "Esc" = "close"
      ))
    )
  )
}

changed_summary <- function(changes) {
  changed <- told_changes(changes)
  if (nrow(changed)) {
    htmltools::tags$p(paste0(
      count_words(nrow(changed), "score"), " of ",
      count_words(length(unique(changed$pipeline)), "pipeline"),
      " changed, of ", length(unique(changes$scores$pipeline)), " that both runs have."
    ))
  }
}

# Lines of text as paragraphs, which an empty line or a point of a list begins.
paragraphs <- function(lines) {
  begins <- lines == "" | grepl("^  - ", lines)
  parts <- split(trimws(lines), cumsum(begins))
  lapply(parts, function(part) htmltools::tags$p(paste(part[nzchar(part)], collapse = " ")))
}

changed_table <- function(changes) {
  tag <- htmltools::tags
  columns <- changed_columns(changes)
  if (length(columns$pipeline) == 0) {
    return(NULL)
  }

  scroll_table(
    "Scores that changed",
    paste0("Scores that changed, with simultaneous ", percent(changes$confidence), " intervals."),
    names(columns),
    lapply(seq_along(columns$pipeline), function(i) {
      tag$tr(
        tag$th(scope = "row", breakable(columns$pipeline[i])),
        lapply(columns[-1], function(column) tag$td(class = "number", column[i]))
      )
    })
  )
}

# As high as its pipelines need.
changes_height <- function(changes) 190 + 30 * length(unique(changes$scores$pipeline))

most_changed_words <- function(changes, shown) {
  all <- nrow(changes$takes)
  if (all == 0) {
    return("No picture has changed: all are the same, byte for byte.")
  }

  paste0(
    count_words(all, "take"), if (all == 1) " has" else " have", " another picture",
    if (nrow(shown) < all) {
      paste0(
        "; ", nrow(shown), " of them are shown, at most ", most_compared_each, " of a pipeline"
      )
    },
    ". The first has changed most in worth or in one of its axes."
  )
}

# What the page shows of each take.
told_of_changed <- function(shown) {
  I(lapply(seq_len(nrow(shown)), function(i) {
    take <- shown[i, ]
    list(
      pipeline = take$pipeline,
      case = take$case,
      seed = take$seed,
      changes = I(changed_words(take))
    )
  }))
}

# How a take has changed, in words: whether it can be used, then the axes.
changed_words <- function(take) {
  if (take$old_state != "made" || take$new_state != "made") {
    return(if (take$new_state == "made") "made now, not before" else "made before, not now")
  }

  changed <- Filter(function(axis) {
    by <- take[[paste0("new_", axis)]] - take[[paste0("old_", axis)]]
    isTRUE(abs(by) >= 0.005)
  }, axes)
  c(
    keeper_words(take),
    vapply(changed, function(axis) {
      paste(axis, two(take[[paste0("old_", axis)]]), "to", two(take[[paste0("new_", axis)]]))
    }, "", USE.NAMES = FALSE)
  )
}

keeper_words <- function(take) {
  if (identical(take$old_keeper, take$new_keeper)) {
    return(NULL)
  }

  back <- isTRUE(take$new_keeper)
  flaws <- gsub("_", " ", if (back) take$old_flaws else take$new_flaws)
  paste0(
    if (back) "a keeper now" else "no keeper any more",
    if (isTRUE(nzchar(flaws))) paste0(" (", if (back) "it had: ", flaws, ")")
  )
}

# Small pictures of each take: `old`, `new` and the number of its `reference` among `references`.
changed_pictures <- function(shown, changes, trial) {
  cases <- unique(shown$case)
  found <- lapply(cases, function(id) case_named(trial$suite, id))
  frames <- lapply(found, case_frame, trial$suite)
  of_run <- function(run, state, file) {
    lapply(seq_len(nrow(shown)), function(i) {
      if (state[i] == "made") {
        path <- file.path(run_folder(trial$folder, run), "takes", file[i])
        stop_for_gone_picture(path, run)
        preview(path, compared_edge, frames[[match(shown$case[i], cases)]])
      }
    })
  }
  list(
    references = lapply(found, function(case) {
      if (!is.null(case$reference)) {
        preview(fitted_reference(case, trial$suite), compared_edge)
      }
    }),
    reference = I(match(shown$case, cases) - 1L),
    old = of_run(changes$runs[1], shown$old_state, shown$old_picture),
    new = of_run(changes$runs[2], shown$new_state, shown$new_picture)
  )
}

stop_for_gone_picture <- function(path, run) {
  if (!file.exists(path)) {
    stop_sprenn("store", c(
      paste0("A picture of run ", quoted(run), " is gone."),
      x = path,
      i = "`sprenn check --repair` looks into it."
    ))
  }
}
