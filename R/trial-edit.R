# Changes to the text of suite.yml that leave everything else as it was written: order, comments,
# and the form of other entries.

# A suite that may lack prompts, or have problems at places of this pattern: its cases as written,
# and with what they take over from others.
read_draftable <- function(folder, besides = NULL) {
  read <- read_trial_file(folder, "suite.yml")
  files <- examine_files(read, folder)
  problems <- bind_problems(read$problems, files$problems, suite_problems(read, files$facts))
  lacking <- grepl("^cases\\[[0-9]+\\]\\.prompt$", problems$place) & problems$found == "nothing"
  if (!is.null(besides)) {
    lacking <- lacking | grepl(besides, problems$place)
  }

  stop_for_problems(
    place_problems(problems[!lacking, ], list(suite.yml = read$text)),
    what = "This suite"
  )
  written <- read_yaml_text(paste(read$text, collapse = "\n"), "suite.yml")$value
  list(cases = read$value$cases, written = written$cases, value = written, text = read$text)
}

# Writes lines in place of suite.yml, but only if they say what is `wanted`.
write_suite <- function(folder, lines, wanted) {
  stop_for_other_text(lines, wanted)
  file <- file.path(folder, "suite.yml")
  write_lines(lines, file, kind = "draft", kept = "The file is as it was.")
}

# Nothing but what was to change may have changed.
stop_for_other_text <- function(lines, wanted) {
  back <- read_yaml_text(paste(lines, collapse = "\n"), "suite.yml")$value
  sorted <- function(suite) {
    suite$cases <- lapply(suite$cases, sort_by_name)
    suite
  }

  if (!identical(sorted(back), sorted(wanted))) {
    stop_sprenn(
      "draft",
      c(
        "Can't put this into suite.yml as it is written.",
        i = "Write its cases one key a line, without anchors, and try again."
      )
    )
  }
}

# Puts phrases into the lines of a case under `key`, prompt or negative.
put_phrases <- function(lines, case, i, phrases, key = "prompt") {
  put_value(lines, case, i, unname(phrases), key)
}

# Puts the value of a key into the lines of case number `i`, which is written as `case`; NULL takes
# the key away. `places` may be older than changes of later cases.
put_value <- function(lines, case, i, value, key, places = locate_places(lines)) {
  if (is.null(value)) {
    return(drop_key(lines, case, i, key, places))
  }

  at <- where_in_case(lines, i, key, places)
  if (at$flow) {
    case[[key]] <- value
    return(open_up_case(lines, case, i, at, places))
  }

  block <- yaml_entry(key, value, at$indent)
  if (is.na(at$from)) {
    return(append(lines, block, last_said(lines, at$first, at$last)))
  }

  if (at$from == at$first) {
    substr(block[1], 1, nchar(at$dash)) <- at$dash
  }

  ends <- end_of_value(lines, at$from, at$last, at$indent)
  fresh <- with_comments(block, lines[at$from:ends])
  c(lines[seq_len(at$from - 1)], fresh, lines[-seq_len(ends)])
}

drop_key <- function(lines, case, i, key, places) {
  at <- where_in_case(lines, i, key, places)
  if (is.na(at$from)) {
    return(lines)
  }

  # Where the key stands beside the dash or others, each gets a line of its own.
  if (at$flow || at$from == at$first) {
    case[[key]] <- NULL
    return(open_up_case(lines, case, i, at, places))
  }

  ends <- end_of_value(lines, at$from, at$last, at$indent)
  kept <- comments_alone(lines[at$from:ends], at$indent)
  c(lines[seq_len(at$from - 1)], kept, lines[-seq_len(ends)])
}

# What is left of lines that go: their comments.
comments_alone <- function(lines, indent) {
  comments <- comment_of(lines)
  paste0(indent, comments[nzchar(comments)], recycle0 = TRUE)
}

# Where case number `i` and a key of it stand: its `first` and `last` line, the `dash` before it,
# the `indent` of its keys, the line `from` which the key is written (NA if it is not), and whether
# the case is written in brackets (`flow`).
where_in_case <- function(lines, i, key, places) {
  first <- places[[paste0("cases[", i, "]")]]
  after <- places[paste0("cases[", i + 1, "]")]
  dash <- sub("^( *- *).*", "\\1", lines[first])
  list(
    first = first,
    last = (if (is.na(after)) length(lines) + 1L else after[[1]]) - 1L,
    dash = dash,
    indent = strrep(" ", nchar(dash)),
    from = unname(places[paste0("cases[", i, "].", key)]),
    flow = grepl("^ *- *\\{", lines[first])
  )
}

# A case that was written in brackets, with a line for each key.
open_up_case <- function(lines, case, i, at, places) {
  fresh <- yaml_block(case, at$indent)
  substr(fresh[1], 1, nchar(at$dash)) <- at$dash
  ends <- max(places[startsWith(names(places), paste0("cases[", i, "]"))])
  fresh <- with_comments(fresh, lines[at$first:ends])
  c(lines[seq_len(at$first - 1)], fresh, lines[-seq_len(ends)])
}

# The lines of a value with the comments of those that they replace: the first line's behind it, the
# others above, each on a line of its own.
with_comments <- function(block, replaced) {
  # What looks like a comment in a text over several lines is none.
  if (grepl("[|>][+-]? *$", replaced[1])) {
    return(block)
  }

  comments <- comment_of(replaced)
  if (nzchar(comments[1])) {
    block[1] <- paste(block[1], comments[1])
  }

  others <- comments[-1][nzchar(comments[-1])]
  if (length(others) == 0) {
    return(block)
  }

  c(paste0(sub("^( *).*", "\\1", block[1]), others), block)
}

# The comment that each line has, "" without one. A # within quotes begins none.
comment_of <- function(lines) {
  bare <- gsub("\"(\\\\.|[^\"])*\"|'[^']*'", "", lines)
  found <- sub("^(|.*?\\s)(#.*)$", "\\2", bare, perl = TRUE)
  ifelse(grepl("(^|\\s)#", bare), found, "")
}

# The last line of a case that is neither empty nor a comment.
last_said <- function(lines, first, last) {
  while (last > first && grepl("^ *(#|$)", lines[last])) {
    last <- last - 1
  }

  last
}

# The last line of a value that begins at `from`: what is indented deeper, or its list.
end_of_value <- function(lines, from, last, indent) {
  deeper <- paste0("^", indent, "( +\\S|- )")
  while (from < last && grepl(deeper, lines[from + 1])) {
    from <- from + 1
  }

  from
}
