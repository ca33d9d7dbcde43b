# A suite from a table: one row a case, every column a place inside a case.

# Reads CSV (with commas, semicolons or tabs) or Parquet as a data frame of text;
# the kind is told by the content.
read_case_table <- function(file) {
  refuse <- function(found) {
    stop_sprenn(
      "new",
      c(
        paste0("Can't read the table ", file, "."),
        x = paste("found", found),
        i = "expected a CSV file in UTF-8 or a Parquet file, one row a case"
      )
    )
  }

  if (file.size(file) == 0) {
    refuse("an empty file")
  }

  if (file.size(file) > max_bytes) {
    refuse(paste("more than", show_size(max_bytes)))
  }

  bytes <- read_bytes(file)
  table <- if (identical(bytes[1:4], charToRaw("PAR1"))) {
    read_parquet_apart(file) %||% refuse("a damaged Parquet file")
  } else {
    text <- if (!any(bytes == 0)) sub("^\ufeff", "", rawToChar(bytes))
    if (is.null(text) || !validUTF8(text)) {
      refuse("bytes that are not UTF-8 text")
    }

    head <- sub("\n.*", "", text)
    counts <- vapply(
      c(",", ";", "\t"),
      function(by) lengths(regmatches(head, gregexpr(by, head, fixed = TRUE))),
      0L
    )
    tryCatch(
      utils::read.table(
        text = text,
        sep = names(which.max(counts)),
        header = TRUE,
        quote = "\"",
        colClasses = "character",
        check.names = FALSE,
        comment.char = "",
        encoding = "UTF-8",
        na.strings = character(),
        fill = FALSE
      ),
      error = function(e) refuse(one_line(e))
    )
  }
  if (nrow(table) == 0) {
    refuse("no rows")
  }

  if (!all(vapply(table, is.atomic, NA))) {
    refuse("a column of lists")
  }

  words <- c(names(table), unlist(lapply(table, as.character)))
  if (!all(validUTF8(words))) {
    refuse("text that is not UTF-8")
  }

  table[] <- lapply(table, function(column) {
    column <- trimws(enc2utf8(as.character(column)))
    ifelse(is.na(column), "", column)
  })
  names(table) <- trimws(enc2utf8(names(table)))
  table
}

# A Parquet file as a data frame, or NULL: read by a process of its own, since a
# damaged one can take the process that reads it with it.
read_parquet_apart <- function(file) {
  file <- normalizePath(file)
  pool <- WorkerPool$new(1)
  on.exit(pool$close())
  table <- wait_for(pool$send(nanoparquet::read_parquet, list(file), seconds = 60))
  if (!is.null(table)) {
    as.data.frame(table)
  }
}

# The table's cases as suite.yml would have them, `looks`, the files to copy
# (`from` and `to`), and all problems, told by row and column.
cases_from_table <- function(file, prompt) {
  table <- read_case_table(file)
  nodes <- lapply(names(table), table_node)
  problem <- function(row, column, ...) {
    new_problem(
      basename(file),
      paste("column", column),
      ...,
      line = if (is.na(row)) NA_integer_ else row + 1L
    )
  }

  stop_for_problems(column_problems(table, nodes, problem), "new", "This table")
  taken <- TakenFiles$new(file, problem)
  cases <- lapply(seq_len(nrow(table)), function(row) {
    take <- function(path, column) taken$take(path, row, column)
    case_of_row(table[row, , drop = FALSE], nodes, take)
  })
  looks <- looks_of_rows(cases)
  cases <- lapply(seq_along(cases), function(row) {
    case <- cases[[row]]
    case$look <- looks[[case$look %||% ""]]$name
    finish_case(case, row, prompt)
  })
  ids <- vapply(cases, `[[`, "", "id")
  given <- nzchar(table[["id"]] %||% rep("", nrow(table)))
  cases <- with_unique_ids(cases, given)
  twice <- lapply(which(given & duplicated(tolower(ids))), function(row) {
    problem(row, "id", quoted(ids[row]), "an id that no other row has")
  })
  walked <- lapply(seq_along(cases), function(row) {
    row_problems(cases[[row]], row, file, problem)
  })
  stop_for_problems(
    bind_problems(taken$problems, twice, unlist(walked, recursive = FALSE)),
    "new",
    "This table"
  )
  list(
    cases = cases,
    looks = stats::setNames(
      lapply(unname(looks), function(look) list(pictures = as.list(look$pictures))),
      vapply(looks, `[[`, "", "name")
    ),
    files = taken$files
  )
}

column_problems <- function(table, nodes, problem) {
  known <- setdiff(names(trial_trees$suite.yml$children$cases$item$children), "watch")
  unknown <- lapply(names(table)[vapply(nodes, is.null, NA)], function(column) {
    problem(
      0L,
      column,
      "an unknown column",
      "a place inside a case, such as reference, prompt, reference.fit or mask.feather",
      nearest_word(column, known)
    )
  })
  twice <- lapply(unique(names(table)[duplicated(names(table))]), function(column) {
    problem(0L, column, "a column that comes twice", "every column once")
  })
  bind_problems(unknown, twice)
}

# The cells of a row that hold something, each at its place in the case. `take(path, column)`
# takes a picture over and says what it is called now.
case_of_row <- function(cells, nodes, take) {
  case <- list()
  for (k in which(nzchar(unlist(cells)))) {
    column <- names(cells)[k]
    cell <- cells[[k]]
    value <- if (column == "look") {
      paste(vapply(split_cell(cell), take, "", column), collapse = "|")
    } else if (!holds_paths(nodes[[k]])) {
      cell_value(cell, nodes[[k]])
    } else if (is.null(nodes[[k]]$item)) {
      take(cell, column)
    } else {
      lapply(split_cell(cell), take, column)
    }
    case <- put_at(case, split_words(column, "."), value)
  }

  case
}

# One look for each set of pictures that cells name, called after the first of them.
looks_of_rows <- function(cases) {
  cells <- unique(unlist(lapply(cases, `[[`, "look")))
  lapply(stats::setNames(nm = cells), function(cell) {
    pictures <- split_cell(cell)
    list(name = sub("\\.[^.]*$", "", basename(pictures[1])), pictures = pictures)
  })
}

# Ids that were made up give way to each other; what the table gives stays.
with_unique_ids <- function(cases, given) {
  ids <- make.unique(vapply(cases, `[[`, "", "id"), sep = "-")
  lapply(seq_along(cases), function(row) {
    case <- cases[[row]]
    if (!given[row]) {
      case$id <- ids[row]
    }

    case
  })
}

row_problems <- function(case, row, file, problem) {
  node <- trial_trees$suite.yml$children$cases$item
  lapply(walk_record(case, "", node, basename(file)), function(found) {
    place <- if (nzchar(found$place)) found$place else "of the row"
    problem(row, place, found$found, found$wanted, found$near)
  })
}

split_cell <- function(cell) trimws(split_words(cell, "|"))

# The node of the field table that a column stands for, or NULL.
table_node <- function(column) {
  node <- trial_trees$suite.yml$children$cases$item
  for (key in split_words(column, ".")) {
    node <- node$children[[key]] %||% node$each
  }

  if (length(node$types) &&
    !all(vapply(node$types, function(type) type$word %in% c("record", "map"), NA))) {
    node
  }
}

holds_paths <- function(node) {
  any(vapply(node$types, function(type) type$word == "path", NA)) ||
    (!is.null(node$item) && holds_paths(node$item))
}

# A cell as the first of its field's types that it fits; as text where it fits
# none, so that the checks say what is wrong.
cell_value <- function(cell, node) {
  # A cell with | is a list, where the field may be one.
  split <- grepl("|", cell, fixed = TRUE)
  is_list <- vapply(node$types, function(type) type$word == "list", NA)
  for (type in node$types[order(!(is_list & split))]) {
    value <- if (type$word == "list") {
      if (split || length(node$types) == 1) {
        lapply(split_cell(cell), cell_value, node$item)
      }
    } else {
      plain_value(cell, type$word)
    }
    if (!anyNA(unlist(value)) && fits_type(value, type)) {
      return(value)
    }
  }

  cell
}

fits_type <- function(value, type) !is.null(value) && isTRUE(type$fits(value, type$more))

# A cell as a value of a type other than a list; NULL or NA where it is none.
plain_value <- function(cell, word) {
  switch(word,
    number = ,
    integer = suppressWarnings(as.numeric(cell)),
    flag = list(true = TRUE, false = FALSE)[[tolower(cell)]],
    box = ,
    cut = ,
    point = ,
    range = as.list(suppressWarnings(as.numeric(strsplit(cell, "[ ,;]+")[[1]]))),
    record = NULL,
    cell
  )
}

put_at <- function(case, keys, value) {
  # `reference` and `reference.fit` side by side: the path goes inside.
  if (length(keys) == 1 && is.list(case[[keys]]) && is.character(value)) {
    keys <- c(keys, "picture")
  }

  if (length(keys) == 1) {
    case[[keys]] <- value
    return(case)
  }

  inner <- case[[keys[1]]]
  if (!is.null(inner) && !is.list(inner)) {
    inner <- list(picture = inner)
  }

  case[[keys[1]]] <- put_at(as.list(inner), keys[-1], value)
  case
}

# Fills in what a row leaves out: an id, the job that its columns imply, the prompt.
finish_case <- function(case, row, prompt) {
  reference <- first_reference(case)
  name <- if (is.list(reference)) reference$picture else reference
  case$id <- case$id %||% (if (is.character(name)) {
    sub("\\.[^.]*$", "", basename(name))
  } else {
    paste0("case-", row)
  })
  case$job <- case$job %||% if (!is.null(case$grow)) {
    "extend"
  } else if (!is.null(case$mask)) {
    "edit"
  } else if (!is.null(case$references)) {
    "blend"
  } else if (is.null(case[["reference"]])) {
    "fresh"
  } else {
    "restyle"
  }
  case$prompt <- case$prompt %||% prompt
  first <- intersect(c("id", "job", "reference", "references", "look", "prompt"), names(case))
  case[c(first, setdiff(names(case), first))]
}
