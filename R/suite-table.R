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
        i = "wanted a CSV file in UTF-8 or a Parquet file, one row a case"
      )
    )
  }

  if (file.size(file) == 0) {
    refuse("an empty file")
  }

  if (file.size(file) > max_bytes) {
    refuse(paste("more than", max_bytes / 1e6, "MB"))
  }

  bytes <- read_bytes(file)
  table <- if (identical(bytes[1:4], charToRaw("PAR1"))) {
    read_parquet_apart(file) %||% refuse("a damaged Parquet file")
  } else {
    text <- if (!any(bytes == 0)) sub("^\ufeff", "", rawToChar(bytes))
    if (is.null(text) || !validUTF8(text)) {
      refuse("bytes that are no UTF-8 text")
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
    refuse("text that is no UTF-8")
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
  pool <- open_pool(1)
  on.exit(close_pool(pool))
  table <- wait_for(send_to_pool(pool, nanoparquet::read_parquet, list(file), seconds = 60))
  if (!is.null(table)) {
    as.data.frame(table)
  }
}

# The table's cases as suite.yml would have them, `looks`, the files to copy
# (`from` and `to`), and all problems, told by row and column.
cases_from_table <- function(file, prompt) {
  table <- read_case_table(file)
  nodes <- lapply(names(table), table_node)
  problems <- list()
  note <- function(row, column, ...) {
    problems[[length(problems) + 1]] <<- new_problem(
      basename(file),
      paste("column", column),
      ...,
      line = if (!is.na(row)) row + 1L
    )
  }

  for (column in names(table)[vapply(nodes, is.null, NA)]) {
    known <- setdiff(names(trial_trees$suite.yml$children$cases$item$children), "watch")
    note(
      0L,
      column,
      "an unknown column",
      "a place inside a case, such as reference, prompt, reference.fit or mask.feather",
      nearest_word(column, known)
    )
  }

  for (column in unique(names(table)[duplicated(names(table))])) {
    note(0L, column, "a column that comes twice", "every column once")
  }

  if (length(problems)) {
    stop_for_problems(bind_problems(problems), "new", "This table")
  }

  taken <- new.env()
  taken$files <- list()
  look_by_cell <- list()
  cases <- lapply(seq_len(nrow(table)), function(row) {
    case <- list()
    for (column in names(table)[nzchar(table[row, ])]) {
      cell <- table[row, column]
      node <- nodes[[match(column, names(table))]]
      take <- function(path) take_file(path, file, row, column, taken, note)
      value <- if (column == "look") {
        paste(vapply(split_cell(cell), take, ""), collapse = "|")
      } else if (!holds_paths(node)) {
        cell_value(cell, node)
      } else if (is.null(node$item)) {
        take(cell)
      } else {
        lapply(split_cell(cell), take)
      }
      case <- put_at(case, split_words(column, "."), value)
    }

    if (!is.null(case$look)) {
      pictures <- split_cell(case$look)
      look_by_cell[[case$look]] <<- look_by_cell[[case$look]] %||% sub(
        "\\.[^.]*$",
        "",
        basename(pictures[1])
      )
      case$look <- look_by_cell[[case$look]]
    }

    finish_case(case, row, prompt)
  })
  ids <- vapply(cases, `[[`, "", "id")
  given <- nzchar(table[["id"]] %||% rep("", nrow(table)))
  unique_ids <- make.unique(ids, sep = "-")
  cases <- Map(
    function(case, id, own) {
      if (!own) {
        case$id <- id
      }

      case
    },
    cases,
    unique_ids,
    given
  )
  for (row in which(given & duplicated(tolower(ids)))) {
    note(row, "id", quoted(ids[row]), "an id that no other row has")
  }

  for (row in seq_along(cases)) {
    for (problem in walk_record(
      cases[[row]],
      "",
      trial_trees$suite.yml$children$cases$item,
      basename(file)
    )) {
      note(
        row,
        if (nzchar(problem$place)) problem$place else "of the row",
        problem$found,
        problem$wanted,
        problem$near
      )
    }
  }

  stop_for_problems(bind_problems(problems), "new", "This table")
  looks <- stats::setNames(
    lapply(names(look_by_cell), function(cell) list(pictures = as.list(split_cell(cell)))),
    unlist(look_by_cell)
  )
  list(cases = unname(cases), looks = looks, files = taken$files)
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
  # What is split by | is meant as a list, where the field may be one.
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
    if (!is.null(value) && !anyNA(unlist(value)) && isTRUE(type$fits(value, type$more))) {
      return(value)
    }
  }

  cell
}

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

# Where a file that the table names will lie in the trial; each is copied once
# for each use.
take_file <- function(path, table_file, row, column, taken, note) {
  source <- if (grepl("^([/~]|[A-Za-z]:)", path)) {
    path.expand(path)
  } else {
    file.path(dirname(table_file), path)
  }
  folder <- if (column == "look") {
    "looks"
  } else if (startsWith(column, "guides")) {
    "guides"
  } else if (grepl("mask", column)) {
    "masks"
  } else {
    "references"
  }
  known <- Find(function(one) one$from == source && dirname(one$to) == folder, taken$files)
  if (!is.null(known)) {
    return(known$to)
  }

  problem <- tryCatch(
    {
      if (grepl("keypoints$", column)) read_keypoints(source) else open_picture(source)
      NULL
    },
    sprenn_error_picture = function(e) sub("^found ", "", e$details[["x"]])
  )
  if (!is.null(problem)) {
    note(
      row,
      column,
      paste0(quoted(path), ", ", problem),
      "a picture, its path given from the table's folder"
    )
    return(path)
  }

  ending <- if (grepl("keypoints$", column)) {
    "json"
  } else {
    picture_formats[[file_kind(read_bytes(source))]]
  }
  names <- vapply(taken$files, function(one) sub("\\.[^.]*$", "", one$to), "")
  stem <- utils::tail(
    make.unique(c(names, file.path(folder, plain_names(basename(source)))), sep = "-"),
    1
  )
  to <- paste0(stem, ".", ending)
  taken$files[[length(taken$files) + 1]] <- list(from = source, to = to)
  to
}

# What a row leaves out: an id, the job that its columns speak of, the prompt.
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
