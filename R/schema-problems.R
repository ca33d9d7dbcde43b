# Problems of a trial: gathered in a table and reported together.

new_problem <- function(file, place, found, wanted, near = NA_character_, line = NA_integer_) {
  new_table(
    file = file,
    line = as.integer(line),
    place = clean_text(place),
    found = clean_text(found),
    wanted = wanted,
    near = near
  )
}

no_problems <- function() none_found
none_found <- new_problem("", "", "", "")[0, ]

# Takes tables and lists of tables.
bind_problems <- function(...) {
  tables <- lapply(list(...), function(one) if (is.data.frame(one)) list(one) else one)
  tables <- Filter(
    function(table) !is.null(table) && nrow(table) > 0,
    unlist(unname(tables), recursive = FALSE, use.names = FALSE)
  )
  if (length(tables)) do.call(rbind, tables) else no_problems()
}

# Fills in the lines from the places; `texts` has the lines of every file.
place_problems <- function(problems, texts) {
  for (file in intersect(unique(problems$file), names(texts))) {
    missing <- which(problems$file == file & is.na(problems$line))
    if (length(missing) == 0 || is.null(texts[[file]])) {
      next
    }

    lines <- locate_places(texts[[file]])
    problems$line[missing] <- vapply(
      problems$place[missing],
      line_of,
      integer(1),
      lines = lines
    )
  }

  problems
}

format_problems <- function(problems) {
  where <- paste0(problems$file, ifelse(is.na(problems$line), "", paste0(":", problems$line)))
  place <- ifelse(nzchar(problems$place), paste0("  ", problems$place), "")
  near <- ifelse(
    is.na(problems$near),
    "",
    paste0("\n  did you mean ", quoted(problems$near), "?")
  )
  paste0(where, place, "\n  found ", problems$found, "\n  expected ", problems$wanted, near)
}

stop_for_problems <- function(problems, kind = "trial", what = "This trial") {
  if (nrow(problems) == 0) {
    return(invisible())
  }

  problems <- problems[order(match(problems$file, unique(problems$file)), problems$line), ]
  count <- if (nrow(problems) == 1) "1 problem" else paste(nrow(problems), "problems")
  stop_sprenn(
    kind,
    c(
      paste0(what, " has ", count, ".", if (kind != "probe") " Nothing was written."),
      stats::setNames(format_problems(problems), rep("x", nrow(problems)))
    ),
    problems = problems
  )
}

# How a value that was found is shown: short, on one line, as it was written.
show_value <- function(value) {
  if (is.null(value)) {
    return("nothing")
  }

  if (inherits(value, "yaml_code")) {
    return("R code in a tag")
  }

  if (is.list(value)) {
    return(show_list(value))
  }

  if (is.logical(value)) {
    return(tolower(as.character(value)))
  }

  text <- if (is.numeric(value)) {
    format(value, digits = 15)
  } else {
    spell_controls(encodeString(value))
  }
  if (nchar(text) > 60) {
    text <- paste0(substr(text, 1, 57), "...")
  }

  if (is.character(value)) quoted(text) else text
}

show_list <- function(value) {
  if (!is.null(names(value))) {
    return(if (length(value)) "keys and values" else "nothing between the braces")
  }

  # Points and boxes are short enough to be shown.
  if (length(value) %in% 1:6 && all(vapply(value, is_number, NA))) {
    return(paste0("[", paste(vapply(value, show_value, ""), collapse = ", "), "]"))
  }

  paste0("a list of ", length(value))
}
