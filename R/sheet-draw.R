#' Draw a contact sheet
#'
#' Draws takes beside their references and looks, with scores, flaws and cost under each, and a
#' close-up of the case's watched region. Pipelines stand in the order of what they are worth, the
#' chosen one first and those of an engine together. A page holds what fits a reader's screen;
#' there are as many as it takes: all cases of the first columns, then those of the next.
#'
#' @inheritParams choose_pipeline
#' @param file Where to write the sheet, a `.png`, `.pdf` or `.svg`; `NULL` puts `sheet.png` into
#'   the run's folder. Later pages of a PNG or SVG have their number in their names.
#' @param seed Which seed to show; the suite's first if `NULL`.
#' @param width The sheet's width in pixels.
#' @param by The columns: the `pipelines`; the `seeds` of one pipeline; the `steps` of a chain;
#'   the values of a `sweep`, with the scores along it below if they are numbers; the second of two
#'   settings that were varied together, with the first down the side (`grid`); or the `best` or
#'   `worst` takes of each case, up to six.
#' @param show `all` takes, `keepers`, `failed` ones (or refused) or `flawed` ones; rows
#'   and columns without any are left out.
#' @param case Ids of the cases to show; all if `NULL`.
#' @param pipeline With `seeds` and `steps`: the pipeline; the chosen one if `NULL`.
#' @param rows The number of rows per page; as many as fit 1000 pixels if `NULL`.
#' @param columns The number of columns per page; as many as fit the width if `NULL`.
#' @param vary With `sweep`: a path such as `"guides.kind"`; with `grid`: two, such as
#'   `"hold,look.weight"`; the first that there is if `NULL`.
#' @return The files, invisibly.
#' @section Errors: `sprenn_error_argument` for a seed, case or pipeline that is not there, or a
#'   pipeline without steps; `sprenn_error_run` if no take matches.
#' @family figures, sheets and reports
#' @export
#' @examples
#' folder <- file.path(tempdir(), "sheet-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' draw_sheet(trial)
#' unlink(folder, recursive = TRUE)
draw_sheet <- function(
  trial,
  run = "main",
  file = NULL,
  seed = NULL,
  width = 1600,
  job = NULL,
  by = "pipelines",
  show = "all",
  case = NULL,
  pipeline = NULL,
  rows = NULL,
  vary = NULL,
  columns = NULL
) {
  check_arguments(
    file = checkmate::check_string(file, pattern = "\\.(png|pdf|svg)$", null.ok = TRUE),
    seed = checkmate::check_int(seed, null.ok = TRUE),
    width = checkmate::check_int(width, lower = 400, upper = 20000),
    by = checkmate::check_choice(by, sheet_kinds),
    show = checkmate::check_choice(show, names(shown_takes_of)),
    case = checkmate::check_character(case, any.missing = FALSE, null.ok = TRUE),
    pipeline = checkmate::check_string(pipeline, null.ok = TRUE),
    rows = checkmate::check_int(rows, lower = 1, upper = 1000, null.ok = TRUE),
    columns = checkmate::check_int(columns, lower = 1, upper = 1000, null.ok = TRUE),
    vary = checkmate::check_string(vary, null.ok = TRUE)
  )
  trial <- as_trial(trial)
  verdict <- choose_pipeline(trial, run, job)
  stop_for_unknown(case, unique(verdict$table$case), "This choice", "case")
  if (!is.null(pipeline)) {
    stop_for_unknown(pipeline, verdict$recipes$pipeline, "This run", "pipeline")
  }

  seed <- seed %||% trial$suite$seeds[1]
  if (!seed %in% trial$suite$seeds) {
    stop_sprenn(
      "argument",
      c(
        paste0("The suite has no seed ", seed, "."),
        i = paste("It has", paste(trial$suite$seeds, collapse = ", "))
      )
    )
  }

  file <- file %||% file.path(run_folder(trial$folder, run), "sheet.png")
  grid <- sheet_grid(trial, verdict, run, by, show, seed, case, pipeline %||% verdict$best, vary)
  bring_cells(trial, run, grid$rows)
  title <- paste0(
    verdict$suite$title,
    switch(by,
      seeds = paste0(", seeds of ", pipeline %||% verdict$best),
      best = ", the best takes",
      worst = ", the worst takes",
      paste0(", seed ", seed)
    ),
    if (show != "all") paste0(", ", show, " only")
  )
  pages <- sheet_pages(grid, width, rows, columns)
  with_strip <- by == "sweep" && (is.null(vary) || vary %in% swept_settings(verdict$recipes))
  strip <- if (with_strip) {
    strip_figure(verdict, unique(vapply(grid$rows, `[[`, "", "case")), vary)
  }
  invisible(paint_pages(pages, title, strip, file, width))
}

paint_pages <- function(pages, title, strip, file, width) {
  ending <- sub(".*\\.", "", file)
  last <- length(pages)
  heights <- vapply(pages, function(page) page$layout$height, 0)
  if (!is.null(strip)) {
    heights[last] <- heights[last] + strip_height
  }

  paint <- function(i) {
    of <- if (last > 1) paste0(", page ", i, " of ", last)
    page <- pages[[i]]
    paint_sheet(page$rows, page$columns, page$layout, paste0(title, of), heights[i])
    if (i == last && !is.null(strip)) {
      paint_strip(strip, strip_height / heights[i])
    }
  }

  # A PDF has all pages in one file, and of one size.
  one_file <- ending == "pdf"
  files <- if (one_file) file else page_files(file, last)
  parts <- if (one_file) list(seq_len(last)) else as.list(seq_len(last))
  write_drawings(files, function(paths) {
    for (k in seq_along(paths)) {
      paint_file(paths[k], ending, width, max(heights[parts[[k]]]), parts[[k]], paint)
    }
  })
}

paint_file <- function(file, ending, width, height, pages, paint) {
  open_page_device(ending, file, width, height)
  on.exit(grDevices::dev.off())
  for (page in pages) {
    paint(page)
  }
}

# The figure below the last page, in pixels.
strip_height <- 300

# sheet.png, sheet-2.png and so on.
page_files <- function(file, count) {
  later <- vapply(
    seq_len(count)[-1],
    function(i) sub("(\\.[a-z]+)$", paste0("-", i, "\\1"), file),
    ""
  )
  c(file, later)
}

open_page_device <- function(ending, file, width, height) {
  inches <- c(width, height) / 72
  switch(ending,
    png = ragg::agg_png(file, width, height, res = 72),
    svg = grDevices::svg(file, inches[1], inches[2]),
    pdf = grDevices::cairo_pdf(file, inches[1], inches[2], onefile = TRUE)
  )
}

paint_strip <- function(strip, share) {
  grid::upViewport(0)
  print(
    strip,
    vp = grid::viewport(
      grid::unit(0.5, "npc"),
      grid::unit(0, "npc"),
      width = grid::unit(1, "npc"),
      height = grid::unit(share, "npc"),
      just = c("centre", "bottom")
    ),
    newpage = FALSE
  )
}

# The scores of the cases shown along the sweep.
strip_figure <- function(verdict, cases, vary) {
  curves <- curves_of(verdict, vary)
  rows <- curves$curves[curves$curves$case %in% cases & curves$curves$score %in% axes, ]
  rows$score <- factor(rows$score, axes)
  ggplot2::ggplot(
    rows,
    ggplot2::aes(
      .data$value,
      .data$mean,
      colour = .data$family,
      group = paste(.data$line, .data$case)
    )
  ) +
    ggplot2::geom_line(linewidth = 0.8) +
    ggplot2::geom_point(size = 2) +
    ggplot2::facet_wrap("score", nrow = 1) +
    ggplot2::scale_colour_manual(values = family_colours(verdict$recipes), name = NULL) +
    ggplot2::coord_cartesian(ylim = 0:1) +
    ggplot2::labs(x = axis_title(curves$vary), y = NULL, title = NULL) +
    theme_sprenn() +
    ggplot2::theme(legend.position = "right")
}

paint_sheet <- function(rows, columns, layout, title, height) {
  open_page(layout$width, height)
  say <- function(..., most = layout$cell) put_text(..., most = most)
  say(title, 8, 8, 18, bold = TRUE, most = layout$width)
  say(
    paste0(
      "Under each take: structure, adherence, style; cost and seconds; what is wrong in red. A ",
      "green edge marks a keeper."
    ),
    8,
    34,
    13,
    "#555555",
    most = layout$width
  )
  left <- function(column) layout$gap + (column - 1) * (layout$cell + layout$gap)
  say("reference", left(1), layout$head - 26, heading_size, bold = TRUE)
  if (layout$sides == 2) {
    say("look", left(2), layout$head - 26, heading_size, bold = TRUE)
  }

  for (k in seq_len(nrow(columns))) {
    lines <- heading_lines(columns$title[k], layout$cell)
    for (i in seq_along(lines)) {
      say(
        lines[i],
        left(k + layout$sides),
        layout$head - 26 - heading_height * (length(lines) - i),
        heading_size,
        columns$colour[k],
        bold = TRUE
      )
    }
  }

  paint_groups(columns, layout, left)

  for (i in seq_along(rows)) {
    paint_row(rows[[i]], layout$tops[i], c(layout, picture = layout$pictures[i]), left)
  }
}

# The engine of neighbouring columns, above a line across them.
paint_groups <- function(columns, layout, left) {
  if (is.null(columns$group)) {
    return()
  }

  runs <- rle(columns$group)
  ends <- cumsum(runs$lengths)
  begins <- ends - runs$lengths + 1
  y <- 54
  for (g in seq_along(ends)) {
    from <- left(begins[g] + layout$sides)
    to <- left(ends[g] + layout$sides) + layout$cell
    put_text(runs$values[g], from, y, heading_size, "#555555", most = to - from)
    grid::grid.lines(
      grid::unit(c(from, to), "native"),
      grid::unit(rep(y + heading_height + 3, 2), "native"),
      gp = grid::gpar(col = "#999999")
    )
  }
}

paint_row <- function(row, top, layout, left) {
  say <- function(...) put_text(..., most = layout$cell)
  below <- top + layout$picture
  closer <- below + layout$text
  if (!is.null(row$reference)) {
    draw_cell(row$reference, left(1), top, layout)
  }

  if (!is.null(row$look)) {
    draw_cell(row$look, left(2), top, layout)
  }

  say(row$title, left(1), below + 4, 13, bold = TRUE)
  say(row$note, left(1), below + 22, 12, "#555555")
  near <- list(cell = layout$cell, picture = layout$close_up)
  if (!is.null(row$watch)) {
    if (!is.null(row$reference)) {
      draw_cell(cut_box(row$reference, row$watch), left(1), closer, near)
    }

    put_text("watched, closer", left(1), closer - 16, 11.5, "#555555", most = layout$cell)
  }

  for (k in seq_along(row$cells)) {
    cell <- row$cells[[k]]
    if (is.null(cell)) {
      next
    }

    x <- left(k + layout$sides)
    pixels <- if (!is.null(cell$path)) bring_back(read_picture(cell$path), row$frame)
    draw_cell(pixels, x, top, layout, edge = if (cell$keeper) "#1b8a4b" else "#bbbbbb")
    if (!is.null(row$watch) && !is.null(pixels)) {
      draw_cell(cut_box(pixels, row$watch), x, closer, near)
    }

    say(cell$scores, x, below + 5, 11.5)
    say(cell$cost, x, below + 21, 11, "#555555")
    say(cell$notes, x, below + 36, 11.5, "#b03a1a")
  }
}
