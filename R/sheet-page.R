# A page measured in pixels, and what is put on it: text that is cut to its place, and pictures.

# A part of a picture, given in shares, with a little around it.
cut_box <- function(pixels, box) {
  size <- dim(pixels)[2:1]
  from <- pmax(1, floor((box[1:2] - 0.02) * size) + 1)
  to <- pmin(size, ceiling((box[3:4] + 0.02) * size))
  pixels[from[2]:to[2], from[1]:to[1], , drop = FALSE]
}

# A white page measured in pixels from its top left corner.
open_page <- function(width, height) {
  grid::grid.newpage()
  grid::grid.rect(gp = grid::gpar(fill = "white", col = NA))
  grid::pushViewport(grid::viewport(xscale = c(0, width), yscale = c(height, 0)))
}

put_text <- function(
  text,
  x,
  y,
  size = 12,
  colour = "#222222",
  bold = FALSE,
  most
) {
  style <- grid::gpar(fontsize = size, col = colour, fontface = if (bold) "bold" else "plain")
  grid::grid.text(
    fit_text(text, most, style),
    grid::unit(x, "native"),
    grid::unit(y, "native"),
    just = c("left", "top"),
    gp = style
  )
}

# Cuts text that is too long for its place, measured as it is drawn.
fit_text <- function(text, most, style) {
  width <- function(text) {
    grid::convertWidth(
      grid::grobWidth(grid::textGrob(text, gp = style)),
      "native",
      valueOnly = TRUE
    )
  }

  if (width(text) <= most) {
    return(text)
  }

  cut <- function(letters) paste0(substr(text, 1, letters), "\u2026")
  letters <- nchar(text)
  while (letters > 1 && width(cut(letters)) > most) {
    letters <- letters - 1
  }

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
      grDevices::as.raster(resize_picture(pixels, size)),
      grid::unit(x, "native"),
      grid::unit(y, "native"),
      grid::unit(width, "native"),
      -grid::unit(height, "native"),
      just = c("left", "top"),
      interpolate = FALSE
    )
  }

  grid::grid.rect(
    grid::unit(x, "native"),
    grid::unit(y, "native"),
    grid::unit(width, "native"),
    -grid::unit(height, "native"),
    just = c("left", "top"),
    gp = grid::gpar(
      fill = if (is.null(pixels)) "#f2f2f2" else NA,
      col = edge,
      lwd = if (edge == "#bbbbbb") 1 else 3
    )
  )
  c(width, height)
}
