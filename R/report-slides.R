# A verdict as slides: an OOXML presentation whose text and tables can be edited, with pictures and
# figures inside. The package officer writes the format.

# At most so many other pipelines are shown with what they lose by, two on a slide.
most_slide_losses <- 6

# Rows of the table of pipelines on one slide.
most_slide_rows <- 10

#' Write a verdict as slides
#'
#' A presentation (.pptx, OOXML) for those who decide: for each of the brief's purposes the verdict
#' with its reasons and caveats, the key figures, the best, typical and worst case beside their
#' references, the pipelines in a table, why the others were not chosen, and the trade-off; at the
#' end the method and its limits. Text and tables can be edited; pictures are inside the file.
#'
#' @inheritParams write_report
#' @param file Where to write it; `report.pptx` in the run's folder if `NULL`.
#' @param template A presentation of your own (.pptx) whose master and layouts are used; it needs a
#'   layout that is called "Title Only". Its slides are kept in front.
#' @return The path, invisibly.
#' @section Errors: as [write_report()]; `sprenn_error_argument` if the package officer is missing
#'   or the template can't be used.
#' @family figures, sheets and reports
#' @export
#' @examples
#' folder <- file.path(tempdir(), "slides-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1:2, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' if (requireNamespace("officer", quietly = TRUE)) write_slides(trial)
#' unlink(folder, recursive = TRUE)
write_slides <- function(trial, run = "main", file = NULL, job = NULL, template = NULL) {
  check_arguments(
    file = checkmate::check_string(file, null.ok = TRUE),
    template = checkmate::check_string(template, null.ok = TRUE)
  )
  trial <- as_trial(trial)
  verdicts <- verdicts_with_takes(trial, run, job)
  deck <- new_deck(template)
  for (verdict in verdicts) {
    deck <- add_verdict_slides(deck, verdict, trial, run)
  }

  deck <- add_method_slides(deck, trial, verdicts, run)
  file <- file %||% file.path(run_folder(trial$folder, run), "report.pptx")
  dir.create(dirname(file), showWarnings = FALSE, recursive = TRUE)
  made <- tempfile(fileext = ".pptx")
  on.exit(unlink(made))
  print(deck, target = made)
  write_bytes(read_bytes(made), file)
  invisible(file)
}

slide_layout <- "Title Only"

new_deck <- function(template) {
  if (!requireNamespace("officer", quietly = TRUE)) {
    stop_sprenn("argument", c(
      "Slides need the package officer, which is not installed.",
      i = "install.packages(\"officer\"), or on Debian apt-get install r-cran-officer."
    ))
  }

  unfit <- function(why) {
    stop_sprenn("argument", c(paste0(template, " can't be used as a template."), x = why))
  }
  if (!is.null(template) && !file.exists(template)) {
    unfit("There is no such file.")
  }

  deck <- tryCatch(officer::read_pptx(template), error = function(e) unfit(one_line(e)))
  if (!slide_layout %in% officer::layout_summary(deck)$layout) {
    unfit(paste0("It has no layout ", quoted(slide_layout), "."))
  }

  deck
}

# A slide with a title. `parts` are each a list of what is put (`value`) and where: `left`, `top`,
# `width` and `height` as shares of the slide.
add_slide <- function(deck, title, ...) {
  layouts <- officer::layout_summary(deck)
  master <- layouts$master[match(slide_layout, layouts$layout)]
  deck <- officer::add_slide(deck, layout = slide_layout, master = master)
  deck <- officer::ph_with(
    deck,
    slide_text(title, 24, bold = TRUE),
    place_on(deck, 0.05, 0.03, 0.9, 0.14)
  )
  for (part in list(...)) {
    if (!is.null(part)) {
      place <- place_on(deck, part$left, part$top, part$width, part$height)
      deck <- if (is.data.frame(part$value)) {
        sides <- c("l", rep("r", ncol(part$value) - 1))
        officer::ph_with(deck, part$value, location = place, alignment = sides)
      } else {
        officer::ph_with(deck, part$value, location = place)
      }
    }
  }

  deck
}

place_on <- function(deck, left, top, width, height) {
  size <- officer::slide_size(deck)
  officer::ph_location(
    left = left * size$width,
    top = top * size$height,
    width = width * size$width,
    height = height * size$height
  )
}

slide_part <- function(value, left, top, width, height) {
  list(value = value, left = left, top = top, width = width, height = height)
}

# Paragraphs of text.
slide_text <- function(words, size = 14, bold = FALSE) {
  style <- officer::fp_text(font.size = size, bold = bold)
  lines <- lapply(as.character(words), function(line) {
    officer::fpar(officer::ftext(line, style), fp_p = officer::fp_par(padding.bottom = 4))
  })
  do.call(officer::block_list, lines)
}

# A picture as large as a box of the slide allows, in its middle.
slide_picture <- function(deck, file, left, top, width, height) {
  own <- as.numeric(magick::image_info(magick::image_read(file))[1, c("width", "height")])
  size <- officer::slide_size(deck)
  times <- min(width * size$width / own[1], height * size$height / own[2])
  across <- times * own[1] / size$width
  down <- times * own[2] / size$height
  slide_part(
    officer::external_img(file, times * own[1], times * own[2]),
    left + (width - across) / 2,
    top + (height - down) / 2,
    across,
    down
  )
}

add_verdict_slides <- function(deck, verdict, trial, run) {
  job <- verdict$brief$job
  named <- function(title) paste0(if (!is.na(job)) paste0(job, ": "), title)
  words <- verdict_words(verdict)
  deck <- add_slide(
    deck,
    named(words$headline),
    slide_part(slide_text(words$standing, 16), 0.05, 0.19, 0.9, 0.17),
    slide_part(
      slide_text(c(words$why, paste0("\u2022 ", utils::head(words$reasons, 5))), 14),
      0.05, 0.38, 0.44, 0.54
    ),
    slide_part(
      slide_text(c("Caveats", paste0("\u2022 ", utils::head(words$caveats, 5))), 14),
      0.51, 0.38, 0.44, 0.54
    )
  )
  if (verdict$state %in% leaderless) {
    return(deck)
  }

  for (shown in cases_shown_first(verdict, trial, run)) {
    deck <- add_case_slide(deck, shown, named)
  }

  deck <- add_table_slides(deck, verdict, named)
  deck <- add_loss_slides(deck, verdict, trial, run, named)
  add_figure_slide(
    deck, named("Structure against style"), draw_tradeoff(verdict)
  )
}

# The reference and both takes of a case.
add_case_slide <- function(deck, shown, named) {
  n <- length(shown$panes)
  each <- 0.9 / n
  files <- lapply(shown$panes, function(pane) if (!is.null(pane$src)) jpeg_file(pane$src))
  on.exit(unlink(unlist(files)))
  parts <- lapply(seq_len(n), function(i) {
    pane <- shown$panes[[i]]
    left <- 0.05 + (i - 1) * each
    list(
      if (is.null(files[[i]])) {
        slide_part(slide_text(pane$words), left, 0.3, each - 0.02, 0.4)
      } else {
        slide_picture(deck, files[[i]], left, 0.26, each - 0.02, 0.5)
      },
      slide_part(slide_text(c(pane$name, pane$words), 13), left, 0.78, each - 0.02, 0.16)
    )
  })
  deck <- do.call(add_slide, c(
    list(
      deck,
      named(paste0("The ", shown$role, " case, ", shown$case)),
      if (nzchar(shown$asked)) {
        slide_part(slide_text(paste("Asked for:", shown$asked), 14), 0.05, 0.17, 0.9, 0.08)
      }
    ),
    unlist(parts, recursive = FALSE)
  ))
  deck
}

# A preview as a file.
jpeg_file <- function(text) {
  file <- tempfile(fileext = ".jpg")
  write_bytes(jsonlite::base64_dec(text), file)
  file
}

add_table_slides <- function(deck, verdict, named) {
  rows <- verdict$pipelines
  table <- data.frame(
    pipeline = rows$pipeline,
    worth = two(rows$worth),
    structure = two(rows$structure),
    adherence = two(rows$adherence),
    style = two(rows$style),
    keepers = percent(rows$keepers),
    chance = chance_words(rows$chance_close),
    `cost per keeper` = small_sum(rows$cost_per_keeper),
    check.names = FALSE
  )
  for (some in in_chunks(seq_len(nrow(table)), most_slide_rows)) {
    deck <- add_slide(
      deck,
      named(paste0("Pipelines", if (some[1] > 1) ", continued")),
      slide_part(table[some, ], 0.04, 0.18, 0.92, 0.055 * (length(some) + 1)),
      slide_part(
        slide_text(
          paste0(
            "Expected on new pictures; a take that can't be used is worth nothing. Chance: that ",
            "it is ", aim_words(verdict), " of ", nrow(rows), "."
          ),
          12
        ),
        0.05, 0.9, 0.9, 0.07
      )
    )
    fit_table(deck, 0.92, 0.055)
  }

  deck
}

# The first column of the slide's table is the widest, names being long; text is small
# enough for a line. Tables come with columns of one width and large text. `width` and `row` are
# shares of the slide.
fit_table <- function(deck, width, row) {
  slide <- deck$slide$get_slide(deck$cursor)$get()
  table <- xml2::xml_find_first(slide, ".//a:tbl")
  size <- officer::slide_size(deck)
  # A length in a presentation is in English Metric Units, 914,400 to the inch.
  emu <- function(inches) as.character(round(914400 * inches))
  columns <- xml2::xml_find_all(table, ".//a:gridCol")
  shares <- c(0.22, rep(0.78 / (length(columns) - 1), length(columns) - 1))
  xml2::xml_set_attr(columns, "w", emu(shares * width * size$width))
  xml2::xml_set_attr(xml2::xml_find_all(table, ".//a:tr"), "h", emu(row * size$height))
  for (run in xml2::xml_find_all(table, ".//a:r")) {
    style <- xml2::xml_find_first(run, "./a:rPr")
    if (inherits(style, "xml_missing")) {
      style <- xml2::xml_add_child(run, "a:rPr", .where = 0)
    }

    # In hundredths of a point.
    xml2::xml_set_attr(style, "sz", "1100")
  }
}

# What others lose by, each with a take beside that of the chosen pipeline; two on a slide.
add_loss_slides <- function(deck, verdict, trial, run, named) {
  told <- telling_losses(
    verdict$table, verdict$pipelines$pipeline, verdict$best, verdict$brief$weights
  )
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  for (some in in_chunks(seq_len(min(NROW(told), most_slide_losses)), 2)) {
    parts <- list()
    files <- character()
    for (i in some) {
      top <- 0.18 + 0.4 * (i - some[1])
      one <- told[i, ]
      words <- c(one$pipeline, loss_words(one, verdict), paste0("Case ", one$case))
      parts <- c(parts, list(slide_part(slide_text(words, 13), 0.05, top, 0.32, 0.38)))
      pictures <- lapply(c(one$pipeline, verdict$best), function(pipeline) {
        loss_file(verdict, pipeline, one, trial, store)
      })
      for (side in which(lengths(pictures) > 0)) {
        left <- 0.38 + 0.29 * (side - 1)
        file <- pictures[[side]]
        files <- c(files, file)
        name <- c(one$pipeline, verdict$best)[side]
        parts <- c(parts, list(
          slide_picture(deck, file, left, top, 0.28, 0.31),
          slide_part(slide_text(name, 11), left, top + 0.31, 0.28, 0.06)
        ))
      }
    }

    deck <- do.call(add_slide, c(list(deck, named("Why not the others")), parts))
    unlink(files)
  }

  deck
}

# A small picture of a pipeline's take of a loss; NULL if none was made.
loss_file <- function(verdict, pipeline, told, trial, store) {
  take <- verdict$table[verdict$table$pipeline == pipeline &
    verdict$table$case == told$case &
    verdict$table$seed == told$seed &
    verdict$table$state == "made", ]
  if (nrow(take) == 0) {
    return(NULL)
  }

  frame <- case_frame(case_named(trial$suite, told$case), trial$suite)
  jpeg_file(preview(picture_paths(store, take$file[1]), first_edge, frame))
}

add_figure_slide <- function(deck, title, figure) {
  file <- tempfile(fileext = ".png")
  on.exit(unlink(file))
  save_figure(untitled(figure), file, 1000, 600, 2)
  add_slide(deck, title, slide_picture(deck, file, 0.04, 0.18, 0.92, 0.78))
}

# The method, what limits the claim, and how to cite.
add_method_slides <- function(deck, trial, verdicts, run) {
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  method <- c(
    made_words(trial, verdicts, store), measured_words(verdicts, store), chosen_words(verdicts)
  )
  limits <- unique(unlist(lapply(verdicts, limit_words, store)))
  deck <- add_slide(deck, "Method", slide_part(slide_text(method, 12), 0.05, 0.18, 0.9, 0.78))
  add_slide(
    deck,
    "Limits of the claim",
    slide_part(slide_text(paste0("\u2022 ", utils::head(limits, 9)), 13), 0.05, 0.18, 0.9, 0.78)
  )
}
