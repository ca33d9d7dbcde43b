# Writing YAML that a person goes on editing: short things on one line, cases
# apart, and what is read back is what was written.

# The lines of nested lists as read_yaml_text() returns them.
write_yaml_text <- function(value) {
  unlist(lapply(names(value), function(name) {
    yaml_entry(name, value[[name]], "", apart = name == "cases")
  }))
}

yaml_width <- 98

yaml_entry <- function(name, value, indent, apart = FALSE) {
  head <- paste0(indent, yaml_scalar(name), ":")
  flow <- if (!apart) yaml_flow(value)
  if (!is.null(flow) && nchar(head) + nchar(flow) < yaml_width) {
    return(paste(head, flow))
  }

  c(head, yaml_block(value, paste0(indent, "  "), apart))
}

yaml_block <- function(value, indent, apart = FALSE) {
  if (!is.list(value)) {
    return(paste0(indent, yaml_scalar(value)))
  }

  if (!is.null(names(value))) {
    return(unlist(lapply(names(value), function(name) yaml_entry(name, value[[name]], indent))))
  }

  lines <- lapply(value, function(item) {
    flow <- if (!apart) yaml_flow(item)
    item <- if (!is.null(flow) && nchar(indent) + nchar(flow) < yaml_width ||
      length(item) == 0) {
      paste0(indent, "  ", flow %||% "[]")
    } else {
      yaml_block(item, paste0(indent, "  "))
    }
    substr(item[1], nchar(indent) + 1, nchar(indent) + 1) <- "-"
    c(item, if (apart) "")
  })
  unlist(lines)
}

yaml_flow <- function(value) {
  if (!is.list(value)) {
    return(yaml_scalar(value))
  }

  parts <- vapply(value, yaml_flow, "")
  if (is.null(names(value))) {
    return(paste0("[", paste(parts, collapse = ", "), "]"))
  }

  paste0("{", paste0(vapply(names(value), yaml_scalar, ""), ": ", parts, collapse = ", "), "}")
}

# Text goes without quotes where no reader could take it for anything else.
yaml_scalar <- function(value) {
  if (is.null(value)) {
    return("null")
  }

  if (is.logical(value)) {
    return(if (value) "true" else "false")
  }

  if (is.numeric(value)) {
    text <- format(value, digits = 15)
    if (!identical(as.numeric(text), as.numeric(value))) {
      text <- format(value, digits = 17)
    }

    # Older readers take 1e-09 for a word.
    return(sub("^(-?[0-9]+)e", "\\1.0e", text))
  }

  plain <- grepl("^[A-Za-z]([A-Za-z0-9_ ./%-]*[A-Za-z0-9_./%-])?$", value) &&
    !tolower(value) %in% c(
      "true", "false", "yes", "no", "on", "off", "null", "y", "n", "nan", "inf"
    )
  if (plain) {
    return(value)
  }

  text <- as.character(jsonlite::toJSON(enc2utf8(value), auto_unbox = TRUE))
  # What YAML holds for unprintable is spelled out.
  odd <- unique(
    regmatches(text, gregexpr("[\u007f-\u009f\u2028\u2029\ufeff\ufffe\uffff]", text))[[1]]
  )
  for (one in odd) {
    text <- gsub(one, sprintf("\\u%04x", utf8ToInt(one)), text, fixed = TRUE)
  }

  text
}
