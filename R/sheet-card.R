# Drawing the card of one case: its headline, its panels in rows, and its
# warnings below, two to a row.

# Draws it as a PNG and returns its height in pixels.
draw_card <- function(card, file, width) {
  layout <- card_layout(card, width)
  write_drawings(file, function(path) paint_card(card, layout, path, width))
  layout$height
}

paint_card <- function(card, layout, file, width) {
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

# The pictures that engines made of one case, one each, beside its reference.
draw_tries <- function(tried, file, width) {
  tries <- tried$tries
  panels <- lapply(seq_len(nrow(tries)), function(i) {
    one <- tries[i, ]
    facts <- c(
      paste(format(round(one$seconds, 2)), "s"),
      if (!is.na(one$waited) && one$waited > 0.05) {
        paste(format(round(one$waited, 2)), "s of it in a queue")
      },
      if (!is.na(one$cost)) paste("cost", format(one$cost))
    )
    list(
      title = paste0(one$engine, ", ", one$checkpoint),
      pixels = if (one$state == "made") decode_picture(encoded_picture(one$bytes[[1]])),
      note = if (one$state == "made") {
        paste(facts, collapse = ", ")
      } else {
        paste0(gsub("_", " ", one$state), ": ", one$message)
      }
    )
  })
  card <- list(
    title = paste("One picture from each engine:", tried$case),
    subtitle = "The same prompt and seed, hold 0.6 where there is such a knob.",
    panels = c(
      list(list(title = "reference", pixels = tried$reference, note = "")),
      panels
    ),
    warnings = list()
  )
  draw_card(card, file, width)
  invisible(file)
}

# The picture that shows what a warning means, one a kind.

warning_panel <- function(warning, case, trial) {
  suite <- trial$suite
  sizes <- case_sizes(case, trial)
  j <- if (grepl("references\\[", warning$place)) {
    as.integer(sub(".*references\\[([0-9]+)\\].*", "\\1", warning$place))
  } else {
    1
  }
  panel <- switch(warning$kind,
    "small" = small_panel(case, j, suite, sizes),
    "stretched" = new_panel("", prepare_inputs(case, suite)$references[[j]]),
    "bars" = bars_panel(case, j, suite),
    "blank" = blank_panel(case, j),
    "patchy" = patches_panel(case, j, suite),
    "far aspect" = mirrored_panel(case, suite, sizes),
    "small mask" = ,
    "extend only" = ,
    "large mask" = mask_panel(prepare_inputs(case, suite), case),
    "look against prompt" = new_panel("", read_picture(suite$looks[[case$look]][[1]])),
    "twins" = twins_panel(case, j),
    original_panel(case, j, suite)
  )
  panel$title <- warning$kind
  panel$note <- ""
  panel$found <- paste0(warning$found, ".")
  panel$wanted <- paste0("Better: ", warning$wanted, ".")
  panel
}

# The part of the reference that is used, at its own size within the working size.
small_panel <- function(case, j, suite, sizes) {
  reference <- case$references[[j]]
  largest <- which.max(sizes$width * sizes$height)
  canvas <- c(sizes$width[largest], sizes$height[largest])
  part <- take_window(
    read_picture(reference$path, reference$backdrop),
    pmin(pmax(reference$box, 0), 1),
    c(1, 1, 1)
  )
  size <- pmin(canvas, dim(part)[2:1])
  at <- (canvas - size) %/% 2
  out <- array(0.93, c(canvas[2:1], 3))
  out[at[2] + seq_len(size[2]), at[1] + seq_len(size[1]), ] <- part[
    seq_len(size[2]),
    seq_len(size[1]),
  ]
  new_panel(
    "",
    out,
    boxes = list(list(
      at = c(at, at + size) / rep(canvas, 2),
      colour = mark_colour,
      dashed = FALSE
    ))
  )
}

bars_panel <- function(case, j, suite) {
  reference <- case$references[[j]]
  pixels <- shrunk_copy(read_picture(reference$path, reference$backdrop))
  bars <- suite$files[[reference$path]]$bars
  y <- (row(pixels[, , 1]) - 0.5) / dim(pixels)[1]
  x <- (col(pixels[, , 1]) - 0.5) / dim(pixels)[2]
  new_panel(
    "",
    tint_picture(
      pixels,
      (y < bars["top"] | y > 1 - bars["bottom"] | x < bars["left"] | x > 1 - bars["right"]) +
        0
    )
  )
}

# On black, where a drawing in white shows.
blank_panel <- function(case, j) {
  new_panel("", shrunk_copy(read_picture(case$references[[j]]$path, "black")))
}

# The change when small patches are merged into their neighbours.
patches_panel <- function(case, j, suite) {
  reference <- case$references[[j]]
  pixels <- shrunk_copy(read_picture(reference$path, reference$backdrop), small_edge)
  lost <- abs(core_areas(pixels, 8, 0) - core_areas(pixels, 8, 0.003))
  new_panel("", tint_picture(pixels, (rowSums(lost, dims = 2) > 1e-6) + 0))
}

# The frame in the engine's size, its mirrored edges marked.
mirrored_panel <- function(case, suite, sizes) {
  frame <- case_frame(case, suite)
  worst <- which.max(abs(log(sizes$width / sizes$height) - log(frame[1] / frame[2])))
  size <- c(sizes$width[worst], sizes$height[worst])
  inputs <- prepare_inputs(case, suite, size)
  place <- frame_inside(size, frame)
  cover <- matrix(1, size[2], size[1])
  cover[place[2] + seq_len(place[4]), place[1] + seq_len(place[3])] <- 0
  ground <- if (length(inputs$references)) {
    inputs$references[[1]]
  } else {
    array(0.85, c(size[2:1], 3))
  }
  new_panel("", tint_picture(ground, cover))
}

# It and the one before it that is most like it, side by side.
twins_panel <- function(case, j) {
  seen <- lapply(case$references[seq_len(j)], function(reference) {
    small_oklab(reference$path, 24)
  })
  other <- which.min(vapply(seen[-j], function(one) mean((one - seen[[j]])^2), 0))
  two <- lapply(case$references[c(other, j)], function(reference) {
    resize_picture(read_picture(reference$path, reference$backdrop), c(300, 200))
  })
  out <- array(1, c(200, 606, 3))
  out[, 1:300, ] <- two[[1]]
  out[, 307:606, ] <- two[[2]]
  new_panel("", out)
}
