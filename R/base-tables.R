# Tables: data frames of which a part is a table again, and which print as tibbles
# (`report-words.R`). They are made here and not by tibble because that takes a third of a second
# to load, which is much of the time of a short command.

# A table of the columns given. Columns of length one are recycled, `NULL` is left out, unnamed
# tables are spliced in, and a column can use those before it.
new_table <- function(...) {
  given <- eval(substitute(alist(...)))
  frame <- parent.frame()
  columns <- list()
  for (i in seq_along(given)) {
    value <- eval(given[[i]], columns, frame)
    if (is.null(names(given)) || !nzchar(names(given)[i])) {
      columns <- c(columns, unclass(value))
    } else {
      columns[[names(given)[i]]] <- value
    }
  }

  as_table(columns)
}

# A table given row by row: `table_by_row(~name, ~value, "a", 1, "b", 2)`. A column with values
# that are no single number, string or flag becomes a list.
table_by_row <- function(...) {
  given <- list(...)
  is_name <- vapply(given, inherits, NA, "formula")
  names <- vapply(given[is_name], function(one) as.character(one[[2]]), "")
  cells <- given[!is_name]
  columns <- lapply(seq_along(names), function(k) {
    column <- cells[seq_along(cells) %% length(names) == k %% length(names)]
    is_plain <- vapply(column, function(one) is.atomic(one) && length(one) == 1, NA)
    if (all(is_plain)) unlist(column) else column
  })
  as_table(stats::setNames(columns, names))
}

# A list of columns, a data frame or a matrix with column names as a table.
as_table <- function(x) {
  if (is.matrix(x)) {
    x <- as.data.frame(x, stringsAsFactors = FALSE)
  }

  columns <- Filter(Negate(is.null), unclass(x))
  sizes <- vapply(columns, NROW, 0L)
  size <- if (all(sizes == 1)) min(1, length(sizes)) else unique(sizes[sizes != 1])
  if (length(size) != 1) {
    stop("Columns of different lengths: ", paste(names(sizes), sizes, collapse = ", "))
  }

  columns[sizes != size] <- lapply(columns[sizes != size], rep, size)
  table_of(columns, size)
}

# A table of columns that all have this size.
table_of <- function(columns, size) {
  attributes(columns) <- list(
    names = names(columns) %||% character(),
    class = table_class,
    row.names = .set_row_names(size)
  )
  columns
}

table_class <- c("sprenn_table", "data.frame")

#' @export
`[.sprenn_table` <- function(x, i, j, drop = FALSE) {
  columns <- unclass(x)
  size <- nrow(x)
  given <- nargs() - !missing(drop)
  if (given == 2) {
    return(if (missing(i)) x else table_of(columns_at(columns, i), size))
  }

  if (!missing(j)) {
    columns <- columns_at(columns, j)
  }

  if (!missing(i)) {
    size <- length(seq_len(size)[i])
    columns <- lapply(columns, function(column) {
      if (length(dim(column)) == 2) column[i, , drop = FALSE] else column[i]
    })
  }

  if (drop && length(columns) == 1) columns[[1]] else table_of(columns, size)
}

columns_at <- function(columns, which) {
  missing <- if (is.character(which)) setdiff(which, names(columns))
  if (length(missing)) {
    stop("There is no column ", paste(missing, collapse = ", "), ".")
  }

  columns[which]
}

# A name in full, or `NULL`: no part of a name.
#' @export
`$.sprenn_table` <- function(x, name) .subset2(x, name)

# One value is recycled to all rows, also to none.
#' @export
`[[<-.sprenn_table` <- function(x, i, value) {
  if (NROW(value) == 1) {
    value <- rep(value, nrow(x))
  }

  plain <- structure(x, class = "data.frame")
  plain[[i]] <- value
  table_of(unclass(plain), nrow(plain))
}

#' @export
`$<-.sprenn_table` <- function(x, name, value) {
  x[[name]] <- value
  x
}

#' @export
`[<-.sprenn_table` <- function(x, i, j, value) {
  by_column <- nargs() == 3 && (missing(i) || is.character(i))
  if (!by_column) {
    return(NextMethod())
  }

  if (missing(i)) {
    i <- names(x)
  }

  values <- rep_len(if (is.list(value)) unclass(value) else list(value), length(i))
  for (k in seq_along(i)) {
    x[[i[k]]] <- values[[k]]
  }

  x
}

# A table as the lines of a CSV (RFC 4180); missing values are empty. Texts are in quotes where they
# need to be, or all of them.
csv_lines <- function(table, quote_texts = FALSE) {
  cell <- function(x) {
    text <- ifelse(is.na(x), "", as.character(x))
    quoted <- grepl("[\",\r\n]", text) | (quote_texts & is.character(x) & !is.na(x))
    ifelse(quoted, paste0("\"", gsub("\"", "\"\"", text), "\""), text)
  }

  rows <- do.call(paste, c(lapply(table, cell), sep = ","))
  c(paste(cell(names(table)), collapse = ","), rows)
}

prefix_names <- function(prefix, values) {
  stats::setNames(values, paste0(prefix, names(values), recycle0 = TRUE))
}

# An empty list that is written as an object in JSON.
named_list <- function(x) if (length(x)) x else structure(list(), names = character())
