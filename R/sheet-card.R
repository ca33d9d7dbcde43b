# Drawing the card of one case: its headline, its panels in rows, and its
# warnings below, two to a row.

# Draws it as a PNG and returns its height in pixels.
draw_card <- function(card, file, width) {
  layout <- card_layout(card, width)
  ragg::agg_png(file, width, layout$height, res = 72)
  on.exit(grDevices::dev.off())
  open_page(width, layout$height)
  put_text(card$title, layout$gap, 10, 18, bold = TRUE, most = width - 2 * layout$gap)
  put_text(card$subtitle, layout$gap, 34, 13, "#555555", most = width - 2 * layout$gap)
  for (i in seq_along(card$panels)) {
    column <- (i - 1) %% layout$columns
    row <- (i - 1) %/% layout$columns
    put_panel(
      card$panels[[i]],
      layout$gap + column * (layout$cell + layout$gap),
      layout$head + row * layout$row,
      layout$cell,
      layout$picture
    )
  }

  for (i in seq_along(card$warnings)) {
    left <- layout$gap + ((i - 1) %% 2) * width / 2
    top <- layout$head + layout$rows * layout$row + ((i - 1) %/% 2) * layout$warning
    put_warning(card$warnings[[i]], left, top, layout, width / 2 - layout$gap)
  }

  grid::grid.lines(
    c(0, width),
    c(layout$height, layout$height) - 1,
    default.units = "native",
    gp = grid::gpar(col = "#cccccc")
  )
  layout$height
}

card_layout <- function(card, width) {
  gap <- 14
  columns <- max(2, floor(width / 300))
  cell <- floor((width - gap) / columns) - gap
  picture <- round(cell * 2 / 3)
  head <- 62
  row <- picture + 50
  warning <- round(0.75 * picture) + 34
  rows <- ceiling(length(card$panels) / columns)
  list(
    gap = gap,
    columns = columns,
    cell = cell,
    picture = picture,
    head = head,
    row = row,
    rows = rows,
    warning = warning,
    height = head + rows * row + ceiling(length(card$warnings) / 2) * warning + gap
  )
}

put_panel <- function(panel, x, y, cell, tall) {
  put_text(panel$title, x, y, 13, bold = TRUE, most = cell)
  put_picture(panel, x, y + 18, cell, tall)
  put_text(panel$note, x, y + tall + 23, 12, "#555555", most = cell)
}

put_picture <- function(panel, x, y, wide, tall) {
  size <- draw_cell(panel$pixels, x, y, list(cell = wide, picture = tall))
  for (box in panel$boxes) {
    at <- pmin(pmax(box$at, 0), 1)
    grid::grid.rect(
      grid::unit(x + at[1] * size[1], "native"),
      grid::unit(y + at[2] * size[2], "native"),
      grid::unit((at[3] - at[1]) * size[1], "native"),
      -grid::unit((at[4] - at[2]) * size[2], "native"),
      just = c("left", "top"),
      gp = grid::gpar(
        fill = NA,
        col = box$colour,
        lwd = 2.5,
        lty = if (box$dashed) "22" else "solid"
      )
    )
  }
}

put_warning <- function(panel, x, y, layout, wide) {
  picture <- round(0.75 * layout$cell)
  put_text(paste("warning:", panel$title), x, y, 13, mark_colour, bold = TRUE, most = wide)
  put_picture(panel, x, y + 18, picture, round(0.75 * layout$picture))
  lines <- c(
    strwrap(panel$found, (wide - picture) / 7),
    strwrap(panel$wanted, (wide - picture) / 7)
  )
  for (i in seq_along(lines)) {
    put_text(
      lines[i],
      x + picture + 12,
      y + 18 + 18 * (i - 1),
      13,
      "#333333",
      most = wide - picture - 12
    )
  }
}
