#' Prepare the inputs of a trial
#'
#' Fits every reference the way a run would, once for each size that the lineup's engines work at,
#' and writes what they will be given: the fitted references, guides and masks as PNG files, a
#' picture for every case that shows them beside the original with its crop box, contact sheets of
#' all cases, and `given.csv`, the table of [list_inputs()]. Warnings of [check_trial()] are drawn
#' under their case.
#'
#' @inheritParams run_trial
#' @param folder The folder to write to; `prepared` in the trial's folder if `NULL`. The result of
#'   an earlier call is replaced; any other folder that is not empty is refused.
#' @param width The sheets' width in pixels.
#' @return A data frame with a row a case: `case`, `picture` (its file), `sheet` (the
#'   sheet that it is on) and `warnings` (how many). Invisibly.
#' @section Errors: `sprenn_error_prepare` if the folder is in use or can't be written to.
#' @family trials
#' @export
#' @examples
#' folder <- file.path(tempdir(), "prepare-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' prepare_trial(folder)
#' list.files(file.path(folder, "prepared"), recursive = TRUE)
#' unlink(folder, recursive = TRUE)
prepare_trial <- function(trial, folder = NULL, width = 1600, progress = NULL) {
  check_arguments(
    folder = checkmate::check_string(folder, min.chars = 1, null.ok = TRUE),
    width = checkmate::check_int(width, lower = 640, upper = 8000),
    progress = checkmate::check_function(progress, null.ok = TRUE)
  )
  trial <- as_trial(trial)
  folder <- folder %||% file.path(trial$folder, "prepared")
  if (file.exists(folder) && !all(is_prepared(list.files(folder)))) {
    stop_sprenn(
      "prepare",
      c(paste0(folder, " already exists and contains other things."), i = "Give another folder.")
    )
  }

  made <- write_folder(
    folder,
    function(building) draw_prepared(trial, building, width, progress),
    may_go = function(files) all(is_prepared(sub("/.*", "", files))),
    kind = "prepare"
  )
  for (column in c("picture", "sheet")) {
    made[[column]] <- file.path(folder, made[[column]])
  }

  invisible(made)
}

# Whether files of a folder are such as prepare_trial() writes.
is_prepared <- function(names) {
  grepl("^sheet-[0-9]+\\.png$", names) | names %in% c("pictures", "inputs", "given.csv")
}

draw_prepared <- function(trial, folder, width, progress) {
  dir.create(file.path(folder, "pictures"), recursive = TRUE)
  warnings <- trial_warnings(trial)
  cases <- trial$suite$cases
  began <- Sys.time()
  rows <- lapply(seq_along(cases), function(i) {
    case <- cases[[i]]
    prepared <- inputs_by_size(case, trial)
    write_inputs(prepared, file.path(folder, "inputs", case$id))
    own <- warnings[warnings$case %in% i, ]
    picture <- file.path("pictures", paste0(case$id, ".png"))
    height <- draw_card(
      case_card(case, trial, prepared, own),
      file.path(folder, picture),
      width
    )
    if (!is.null(progress)) {
      progress(
        done = i,
        total = length(cases),
        failed = 0,
        seconds = as.numeric(Sys.time() - began, units = "secs")
      )
    }

    new_table(case = case$id, picture = picture, height = height, warnings = nrow(own))
  })
  made <- do.call(rbind, rows)
  made$sheet <- sprintf("sheet-%d.png", pages_of(made$height, 2400))
  for (sheet in unique(made$sheet)) {
    cards <- lapply(file.path(folder, made$picture[made$sheet == sheet]), magick::image_read)
    page <- magick::image_append(do.call(c, cards), stack = TRUE)
    write_bytes(magick::image_write(page, format = "png"), file.path(folder, sheet))
  }

  write_lines(csv_lines(list_inputs(trial)), file.path(folder, "given.csv"))

  made[c("case", "picture", "sheet", "warnings")]
}

# Which page everything of these heights comes on, in order.
pages_of <- function(heights, most) {
  page <- 1
  used <- 0
  vapply(
    heights,
    function(height) {
      if (used > 0 && used + height > most) {
        page <<- page + 1
        used <<- 0
      }

      used <<- used + height
      page
    },
    0
  )
}

# A case as what its card shows: a headline, and panels, each with a title, a
# picture, and boxes over it (`at` in shares of the picture, `colour`, `dashed`).
case_card <- function(case, trial, prepared, warnings) {
  suite <- trial$suite
  inputs <- if (length(prepared)) prepared[[1]] else prepare_inputs(case, suite)
  prompt <- if (case$neutral) {
    "a neutral prompt"
  } else {
    paste(vapply(case$prompt, phrase_words, ""), collapse = ", ")
  }
  panels <- c(
    lapply(seq_along(case$references), function(j) original_panel(case, j, suite)),
    unlist(lapply(prepared, fitted_panels), recursive = FALSE),
    if (!is.null(inputs$mask)) list(mask_panel(inputs, case)),
    Map(
      function(guide, kind) {
        new_panel(
          paste0("guide: ", kind),
          guide$picture,
          paste0(
            "weight ", two(guide$weight),
            if (guide$release < 1) paste0(", lets go at ", two(guide$release))
          )
        )
      },
      inputs$guides,
      names(inputs$guides)
    ),
    if (length(case$watch)) list(watch_panel(case, suite)),
    if (!is.na(case$look)) list(look_panel(case, suite))
  )
  list(
    title = paste0(case$id, " \u2014 ", case$job),
    subtitle = paste0(
      prompt,
      if (length(case$negative)) paste0(" \u2014 not: ", paste(case$negative, collapse = ", "))
    ),
    panels = unname(panels),
    warnings = lapply(seq_len(nrow(warnings)), function(i) {
      warning_panel(warnings[i, ], case, trial)
    })
  )
}

phrase_words <- function(phrase) {
  notes <- c(
    if (phrase$weight != 1) format_value(phrase$weight),
    if (phrase$must) "must",
    if (phrase$drafted) "drafted"
  )
  paste0(phrase$say, if (length(notes)) paste0(" (", paste(notes, collapse = ", "), ")"))
}

new_panel <- function(title, pixels, note = "", boxes = list()) {
  list(title = title, pixels = pixels, note = note, boxes = boxes)
}

mark_colour <- "#D55E00"

# The original, with the window that is taken from it and the focus. Where the
# window leaves the picture, the picture is shown on that much bare ground.
original_panel <- function(case, j, suite, title = NULL) {
  reference <- case$references[[j]]
  facts <- suite$files[[reference$path]]
  window <- fit_window(facts$size, inner_frame(case, suite), reference)$source
  reach <- c(pmin(window[1:2], 0), pmax(window[3:4], 1))
  span <- reach[3:4] - reach[1:2]
  pixels <- take_window(
    shrunk_copy(read_picture(reference$path, reference$backdrop)),
    reach,
    c(1, 1, 1)
  )
  on_ground <- function(box) (box - rep(reach[1:2], 2)) / rep(span, 2)
  point <- (reference$focus - reach[1:2]) / span
  size <- facts$large %||% facts$size
  new_panel(
    title %||% paste0(
      "original",
      if (length(case$references) > 1) paste0(" ", j, ", weight ", two(reference$weight))
    ),
    pixels,
    paste0(basename(reference$path), ", ", size[1], " x ", size[2], ", ", reference$fit),
    c(
      list(list(at = on_ground(window), colour = mark_colour, dashed = TRUE)),
      # Where nothing is cut off, the focus decides nothing.
      if (reference$fit == "crop" && prod(window[3:4] - window[1:2]) < 0.99) {
        list(list(at = c(point - 0.012, point + 0.012), colour = mark_colour, dashed = FALSE))
      }
    )
  )
}

fitted_panels <- function(inputs) {
  references <- inputs$references
  lapply(seq_along(references), function(j) {
    new_panel(
      paste0("given", if (length(references) > 1) paste0(" ", j)),
      references[[j]],
      paste0(paste(inputs$engines, collapse = ", "), ": ", paste(inputs$size, collapse = " x "))
    )
  })
}

mask_panel <- function(inputs, case, title = "may change") {
  ground <- if (length(inputs$references)) {
    inputs$references[[1]]
  } else {
    array(0.85, c(dim(inputs$mask), 3))
  }
  size <- dim(inputs$mask)[2:1]
  partly <- any(inputs$context != c(0, 0, size))
  new_panel(
    title,
    tint_picture(ground, inputs$mask),
    if (partly) {
      "dashed: what the engine is shown"
    } else {
      paste(percent(mean(inputs$mask)), "of it")
    },
    if (partly) {
      list(list(at = inputs$context / rep(size, 2), colour = mark_colour, dashed = TRUE))
    }
  )
}

# Orange where `cover` (rows x columns, 0 to 1) says so.
tint_picture <- function(pixels, cover) {
  colour <- rep(grDevices::col2rgb(mark_colour)[, 1] / 255, each = length(cover))
  pixels * (1 - 0.6 * c(cover)) + colour * 0.6 * c(cover)
}

# All pictures of a look in one panel, two to a row, up to four of them.
look_panel <- function(case, suite) {
  paths <- suite$looks[[case$look]]
  shown <- utils::head(paths, 4)
  across <- if (length(shown) > 1) 2 else 1
  size <- c(600, 400) / across
  out <- array(1, c(size[2] * ceiling(length(shown) / across), 600, 3))
  for (k in seq_along(shown)) {
    picture <- prepare_reference(
      shown[[k]],
      size - 8 * (across - 1),
      "pad",
      fill = "white"
    )$picture
    top <- (k - 1) %/% across * size[2]
    left <- (k - 1) %% across * size[1]
    out[top + seq_len(dim(picture)[1]), left + seq_len(dim(picture)[2]), ] <- picture
  }

  new_panel(
    paste("look:", case$look),
    out,
    paste0(count_words(length(paths), "picture"), ", weight ", two(case$look_weight))
  )
}

# Watched regions, which are given as shares of the reference, on the reference.
watch_panel <- function(case, suite) {
  pixels <- shrunk_copy(read_picture(case$reference$path, case$reference$backdrop))
  boxes <- list()
  for (region in case$watch) {
    if (is.null(region$path)) {
      boxes <- c(boxes, list(list(at = region$box, colour = mark_colour, dashed = FALSE)))
    } else {
      pixels <- tint_picture(
        pixels,
        resize_picture(read_map(region$path), dim(pixels)[2:1])[, , 1]
      )
    }
  }

  new_panel("watched", pixels, paste(names(case$watch), collapse = ", "), boxes)
}
