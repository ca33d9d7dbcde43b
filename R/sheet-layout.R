# How a contact sheet is laid out: its pages, the places on them, and the lines of headings.

# A page has `rows`, `columns` and a `layout`. All columns that a page has room for, with their
# cases page by page, and then the next columns.
sheet_pages <- function(grid, width, rows, columns) {
  count <- nrow(grid$columns)
  sides <- sides_of(grid$rows)
  room <- columns %||% max(1, (width - page_gap) %/% (least_cell + page_gap) - sides)
  # Columns are spread evenly over as few pages as there can be.
  spread <- ceiling(count / ceiling(count / room))
  blocks <- in_chunks(seq_len(count), spread)
  pages <- lapply(blocks, function(own) {
    kept <- lapply(grid$rows, function(row) {
      row$cells <- row$cells[own]
      row
    })
    kept <- Filter(function(row) !all(vapply(row$cells, is.null, NA)), kept)
    heads <- grid$columns[own, , drop = FALSE]
    lapply(split_rows(kept, heads, width, rows), function(part) {
      list(rows = part, columns = heads, layout = sheet_layout(part, heads, width))
    })
  })
  unlist(pages, recursive = FALSE)
}

# Cells are no narrower, and pages no higher, unless it is asked for.
least_cell <- 180
page_gap <- 8
page_height <- 1000

split_rows <- function(rows, heads, width, most) {
  if (!is.null(most)) {
    return(in_chunks(rows, most))
  }

  layout <- sheet_layout(rows, heads, width)
  page <- integer(length(rows))
  page[1] <- 1L
  used <- layout$tall[1]
  for (i in seq_along(rows)[-1]) {
    fits <- layout$head + used + layout$tall[i] <= page_height
    page[i] <- page[i - 1] + !fits
    used <- layout$tall[i] + if (fits) used else 0
  }

  unname(split(rows, page))
}

# How many columns stand at the side: the reference, and the look if there is one.
sides_of <- function(rows) 1 + any(!vapply(rows, function(row) is.null(row$look), NA))

# `heads` are the columns of the page, with their titles.
sheet_layout <- function(rows, heads, width) {
  sides <- sides_of(rows)
  gap <- page_gap
  # A sheet of one column would be a poster.
  cell <- min(420, floor((width - 2 * gap) / (nrow(heads) + sides)) - gap)
  # Each row as high as its own pictures.
  pictures <- vapply(rows, function(row) round(cell * min(1.4, row$frame[2] / row$frame[1])), 0)
  text <- 62
  close_up <- round(cell * 0.5)
  tall <- pictures +
    vapply(rows, function(row) text + (if (is.null(row$watch)) 0 else close_up + gap) + gap, 0)
  lines <- max(1, lengths(lapply(heads$title, heading_lines, most = cell)))
  head <- 74 + heading_height * lines + if (is.null(heads$group)) 0 else heading_height + 4
  list(
    width = width,
    gap = gap,
    cell = cell,
    pictures = pictures,
    text = text,
    close_up = close_up,
    head = head,
    sides = sides,
    tall = tall,
    tops = head + cumsum(c(0, tall[-length(tall)])),
    height = head + sum(tall) + gap
  )
}

heading_size <- 12.5
heading_height <- 15
# The mean width of a bold letter of a heading, in pixels.
heading_letter <- 8

# A pipeline's name in lines, none of it left out: broken where a part of it ends, or where there
# is no room for more.
heading_lines <- function(title, most) {
  letters <- max(4, most %/% heading_letter)
  parts <- strsplit(title, "(?<=[/,=_. -])", perl = TRUE)[[1]]
  parts <- unlist(lapply(parts, function(part) {
    from <- seq(1, max(1, nchar(part)), letters)
    substring(part, from, from + letters - 1)
  }))
  lines <- ""
  for (part in parts) {
    last <- length(lines)
    joined <- paste0(lines[last], part)
    # What a sweep varies begins a line of its own.
    varied <- endsWith(lines[last], "/")
    if (lines[last] == "" || (nchar(joined) <= letters && !varied)) {
      lines[last] <- joined
    } else {
      lines <- c(lines, part)
    }
  }

  trimws(lines)
}
