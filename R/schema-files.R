# One file of a trial: read, held against the fields, filled in where entries are like
# others, and written.

# One file of a trial: read, and held against the table of fields.

parse_trial_file <- function(folder, file) {
  path <- file.path(folder, file)
  if (!file.exists(path) || file.size(path) == 0) {
    found <- if (file.exists(path)) "an empty file" else "no such file"
    return(list(
      file = file,
      problems = new_problem(file, "", found, "a file as docs/files.md describes it")
    ))
  }

  if (file.size(path) > 5e6) {
    return(list(
      file = file,
      problems = new_problem(file, "", "more than 5 MB", "a hand-written file")
    ))
  }

  bytes <- read_bytes(path)
  text <- rawToChar(bytes[bytes != 0])
  if (!validUTF8(text)) {
    return(list(
      file = file,
      problems = new_problem(file, "", "bytes that are not UTF-8", "text in UTF-8")
    ))
  }

  Encoding(text) <- "UTF-8"
  read <- read_yaml_text(text, file)
  if (!is.null(read$problem)) {
    return(list(file = file, problems = read$problem))
  }

  list(file = file, value = read$value, text = read$text)
}

walk_trial_file <- function(read) {
  if (!is.null(read$problems)) {
    return(read)
  }

  read$problems <- bind_problems(
    walk_fields(read$value, read$file),
    if (may_have_controls(read$text)) control_problems(read$value, read$file)
  )
  if (!is_keyed(read$value)) {
    return(list(file = read$file, problems = read$problems))
  }

  switch(read$file,
    suite.yml = fill_in_likes(read, "cases"),
    lineup.yml = fill_in_likes(read, "pipelines"),
    read
  )
}

# Whether such characters can come of these lines: as they are, or out of an escape.
may_have_controls <- function(lines) {
  any(grepl("\\", lines, fixed = TRUE)) || any(has_controls(lines))
}

# Keys and texts with characters that steer a terminal or reorder what stands around them.
control_problems <- function(value, file, place = "") {
  if (is.character(value)) {
    odd <- value[has_controls(value)]
    wanted <- "text without control characters, or characters that reverse its direction"
    return(lapply(odd, function(text) new_problem(file, place, show_value(text), wanted)))
  }

  flat <- unlist(value)
  if (!is.list(value) || !any(has_controls(as.character(c(names(flat), flat))))) {
    return(list())
  }

  below <- if (is.null(names(value))) {
    paste0(place, "[", seq_along(value), "]")
  } else {
    paste0(place, if (nzchar(place)) ".", names(value))
  }
  keys <- control_problems(as.character(names(value)), file, place)
  c(
    keys,
    unlist(Map(control_problems, value, file, below), recursive = FALSE, use.names = FALSE)
  )
}

# The entries of a list in a file that have no problem of their own: their
# numbers.
sound_entries <- function(read, name) {
  entries <- if (is.list(read$value)) read$value[[name]]
  if (!is.list(entries) || !is.null(names(entries))) {
    return(integer())
  }

  broken <- grep(paste0("^", name, "\\["), read$problems$place, value = TRUE)
  broken <- as.integer(sub(paste0("^", name, "\\[([0-9]+)\\].*"), "\\1", broken))
  setdiff(seq_along(entries), broken)
}

read_trial_file <- function(folder, file) walk_trial_file(parse_trial_file(folder, file))

# Entries that take over from others of their list by `like`.

# `read` with all such entries of the list `name` filled in, and what is wrong
# with them added to its problems. A key of the entry's own wins; a key taken
# over that the rules ban beside one of its own is left behind.
fill_in_likes <- function(read, name) {
  entries <- if (is.list(read$value)) read$value[[name]]
  text_of <- function(entry, key) {
    if (is_keyed(entry) && is_text(entry[[key]])) {
      entry[[key]]
    } else {
      NA_character_
    }
  }

  base <- vapply(entries, text_of, "", "like")
  if (!is.list(entries) || all(is.na(base))) {
    return(read)
  }

  ids <- vapply(entries, text_of, "", "id")
  tree <- trial_trees[[read$file]]$children[[name]]$item
  problems <- list()
  for (i in which(!is.na(base))) {
    place <- paste0(name, "[", i, "]")
    chain <- chain_of_likes(i, base, ids)
    if (anyNA(chain) || anyDuplicated(chain)) {
      problems <- c(problems, list(broken_chain(chain, base, ids, name, place, read$file)))
      next
    }

    read$value[[name]][[i]] <- Reduce(
      function(above, j) take_over(entries[[j]], above, tree$rules),
      rev(chain)[-1],
      entries[[utils::tail(chain, 1)]]
    )
    walked <- walk_record(read$value[[name]][[i]], place, tree, read$file)
    problems <- c(problems, walked)
  }

  found <- bind_problems(problems)
  new <- !paste(found$place, found$found) %in% paste(read$problems$place, read$problems$found)
  read$problems <- bind_problems(read$problems, found[new, ])
  read
}

# An entry, the one that it is like, the one that this is like, and so on: their numbers, NA at
# the end where an id is missing, one twice where they go round.
chain_of_likes <- function(i, base, ids) {
  chain <- i
  while (!is.na(base[utils::tail(chain, 1)]) && !anyDuplicated(chain)) {
    chain <- c(chain, match(base[utils::tail(chain, 1)], ids))
  }

  chain
}

# Problems of a chain that leads nowhere, reported at the entry that names what is missing, and at
# no other.
broken_chain <- function(chain, base, ids, name, place, file) {
  at <- paste0(place, ".like")
  if (!anyNA(chain)) {
    return(new_problem(
      file,
      at,
      paste("a circle:", paste(ids[chain], collapse = " like ")),
      "an entry that leads to one without `like`"
    ))
  }

  if (length(chain) == 2) {
    missing <- base[chain[1]]
    near <- nearest_word(missing, stats::na.omit(ids))
    new_problem(file, at, quoted(missing), paste("the id of another of the", name), near)
  }
}

take_over <- function(own, above, rules) {
  own$like <- NULL
  inherited <- above[setdiff(names(above), names(own))]
  merged <- c(own, inherited)
  for (rule in rules) {
    if (is.null(rule$key) || !rule_holds(rule, merged)) {
      next
    }

    if (rule$key %in% names(own)) {
      merged[intersect(rule$bans, names(inherited))] <- NULL
    }

    if (rule$key %in% names(inherited) && any(rule$bans %in% names(own))) {
      merged[[rule$key]] <- NULL
    }
  }

  merged
}

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
  # Characters that YAML holds for unprintable are spelled out.
  odd <- unique(
    regmatches(text, gregexpr("[\u007f-\u009f\u2028\u2029\ufeff\ufffe\uffff]", text))[[1]]
  )
  for (one in odd) {
    text <- gsub(one, sprintf("\\u%04x", utf8ToInt(one)), text, fixed = TRUE)
  }

  text
}
