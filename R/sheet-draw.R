#' Draw a contact sheet
#'
#' One row a case, the reference first and then one column a pipeline, with the
#' scores and the flaws under every take. Writes a PNG.
#'
#' @inheritParams choose_pipeline
#' @param file Where to write the sheet; `NULL` puts `sheet.png` into the run's
#'   folder.
#' @param seed Which seed to show; the suite's first if `NULL`.
#' @param width The sheet's width in pixels.
#' @return The file, invisibly.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "sheet-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' score_run(trial)
#' draw_sheet(trial)
#' unlink(folder, recursive = TRUE)
draw_sheet <- function(trial, run = "main", file = NULL, seed = NULL, width = 1600, job = NULL) {
  check_arguments(
    file = checkmate::check_string(file, null.ok = TRUE), seed = checkmate::check_int(seed, null.ok = TRUE),
    width = checkmate::check_int(width, lower = 400, upper = 20000)
  )
  trial <- as_trial(trial)
  verdict <- choose_pipeline(trial, run, job)
  seed <- seed %||% trial$suite$seeds[1]
  if (!seed %in% trial$suite$seeds) {
    stop_sprenn("argument", c(paste0("The suite has no seed ", seed, "."), i = paste("It has", paste(trial$suite$seeds, collapse = ", "))))
  }
  file <- file %||% file.path(run_folder(trial$folder, run), "sheet.png")
  grid <- sheet_grid(trial, verdict, run, seed)
  layout <- sheet_layout(grid, width)
  ragg::agg_png(file, width, layout$height, res = 72)
  on.exit(grDevices::dev.off())
  paint_sheet(grid, layout, verdict, seed)
  invisible(file)
}

# What the sheet shows: rows of cases, columns of pipelines in the order of
# their families, and for every cell its picture's path and its lines of text.
sheet_grid <- function(trial, verdict, run, seed) {
  table <- verdict$table[verdict$table$seed == seed, ]
  recipes <- verdict$recipes[verdict$recipes$pipeline %in% table$pipeline, ]
  recipes <- recipes[order(match(family_of(recipes), unique(family_of(recipes))), recipes$value), ]
  cases <- Filter(function(case) case$id %in% table$case, trial$suite$cases)
  cells <- lapply(cases, function(case) {
    lapply(recipes$pipeline, function(pipeline) {
      one <- table[table$case == case$id & table$pipeline == pipeline, ]
      list(
        path = if (isTRUE(one$state == "made")) file.path(run_folder(trial$folder, run), "takes", one$file),
        scores = cell_scores(one), notes = cell_notes(one), keeper = isTRUE(one$keeper)
      )
    })
  })
  list(cases = cases, recipes = recipes, cells = cells, suite = trial$suite)
}

cell_scores <- function(one) {
  if (nrow(one) == 0 || one$state != "made") {
    return("")
  }
  paste(two(c(one$structure, one$adherence, one$style)), collapse = "  ")
}

cell_notes <- function(one) {
  if (nrow(one) == 0) {
    return("not in this run")
  }
  if (one$state != "made") {
    return(paste0(one$state, if (!is.na(one$failure)) paste0(": ", gsub("_", " ", one$failure))))
  }
  notes <- c(
    if (one$flaws != "") one$flaws, if (one$missed != "") paste0("without \"", one$missed, "\""),
    if (!one$keeper && one$flaws == "" && one$missed == "") "below floor",
    if (one$slight != "") paste("slightly", one$slight)
  )
  gsub("_", " ", paste(notes, collapse = ", "))
}

sheet_layout <- function(grid, width) {
  columns <- length(grid$recipes$pipeline) + 1
  gap <- 8
  cell <- floor((width - 2 * gap) / columns) - gap
  frames <- lapply(grid$cases, case_frame, suite = grid$suite)
  tallest <- max(vapply(frames, function(frame) frame[2] / frame[1], 0))
  picture <- round(cell * min(1.4, tallest))
  text <- 44
  head <- 96
  list(
    width = width, gap = gap, cell = cell, picture = picture, text = text, head = head,
    height = head + length(grid$cases) * (picture + text + gap) + gap, frames = frames
  )
}

paint_sheet <- function(grid, layout, verdict, seed) {
  open_page(layout$width, layout$height)
  say <- function(..., most = layout$cell) put_text(..., most = most)
  say(paste0(verdict$suite$title, ", seed ", seed), 8, 8, 18, bold = TRUE, most = layout$width)
  say(
    "Under each take: structure, adherence, style. A green edge marks a keeper; what else is wrong is named in red.",
    8, 34, 13, "#555555", most = layout$width
  )
  left <- function(column) layout$gap + (column - 1) * (layout$cell + layout$gap)
  colours <- family_colours(verdict$recipes)[family_of(grid$recipes)]
  say("reference", left(1), layout$head - 26, 14, bold = TRUE)
  for (k in seq_along(grid$recipes$pipeline)) {
    say(grid$recipes$pipeline[k], left(k + 1), layout$head - 26, 14, colours[[k]], bold = TRUE, ends = TRUE)
  }
  for (i in seq_along(grid$cases)) {
    top <- layout$head + (i - 1) * (layout$picture + layout$text + layout$gap)
    case <- grid$cases[[i]]
    draw_cell(if (!is.null(case$reference)) fitted_reference(case, grid$suite), left(1), top, layout)
    say(case$id, left(1), top + layout$picture + 4, 13, bold = TRUE)
    if (!is.na(case$look)) say(paste("look:", case$look), left(1), top + layout$picture + 22, 12, "#555555")
    for (k in seq_along(grid$recipes$pipeline)) {
      cell <- grid$cells[[i]][[k]]
      pixels <- if (!is.null(cell$path)) bring_back(read_picture(cell$path), layout$frames[[i]])
      draw_cell(pixels, left(k + 1), top, layout, edge = if (cell$keeper) "#1b8a4b" else "#bbbbbb")
      say(cell$scores, left(k + 1), top + layout$picture + 5, 11.5)
      say(cell$notes, left(k + 1), top + layout$picture + 22, 11.5, "#b03a1a")
    }
  }
}

# A white page measured in pixels from its top left corner.
open_page <- function(width, height) {
  grid::grid.newpage()
  grid::grid.rect(gp = grid::gpar(fill = "white", col = NA))
  grid::pushViewport(grid::viewport(xscale = c(0, width), yscale = c(height, 0)))
}

put_text <- function(text, x, y, size = 12, colour = "#222222", bold = FALSE, most, ends = FALSE) {
  style <- grid::gpar(fontsize = size, col = colour, fontface = if (bold) "bold" else "plain")
  grid::grid.text(
    fit_text(text, most, style, ends), grid::unit(x, "native"), grid::unit(y, "native"), just = c("left", "top"), gp = style
  )
}

# Cuts text that is too long for its place, measured as it is drawn: at its end, or in its
# middle where both `ends` tell (pipelines of a sweep differ in their last letters).
fit_text <- function(text, most, style, ends = FALSE) {
  width <- function(text) {
    grid::convertWidth(grid::grobWidth(grid::textGrob(text, gp = style)), "native", valueOnly = TRUE)
  }
  if (width(text) <= most) {
    return(text)
  }
  whole <- nchar(text)
  cut <- function(letters) {
    last <- if (ends) letters %/% 2 else 0
    paste0(substr(text, 1, letters - last), "\u2026", substr(text, whole - last + 1, whole))
  }
  letters <- whole
  while (letters > 1 && width(cut(letters)) > most) letters <- letters - 1
  cut(letters)
}

# Draws pixels as large as the cell allows; returns the size that they took.
draw_cell <- function(pixels, x, y, layout, edge = "#bbbbbb") {
  width <- layout$cell
  height <- layout$picture
  if (!is.null(pixels)) {
    own <- dim(pixels)[2:1]
    size <- pmax(1, round(own * min(width / own[1], height / own[2])))
    width <- size[1]
    height <- size[2]
    grid::grid.raster(
      grDevices::as.raster(resize_picture(pixels, size)), grid::unit(x, "native"), grid::unit(y, "native"),
      grid::unit(width, "native"), -grid::unit(height, "native"), just = c("left", "top"), interpolate = FALSE
    )
  }
  grid::grid.rect(
    grid::unit(x, "native"), grid::unit(y, "native"), grid::unit(width, "native"), -grid::unit(height, "native"),
    just = c("left", "top"), gp = grid::gpar(fill = if (is.null(pixels)) "#f2f2f2" else NA, col = edge, lwd = if (edge == "#bbbbbb") 1 else 3)
  )
  c(width, height)
}
