# Reading a YAML file as YAML 1.2 means it, and knowing on which line of it
# everything stands, so that messages can say so.

# Returns `value` (lists all the way down; sequences unnamed, mappings named)
# and `text`, its lines; or `problem`, one row of new_problem(), when the text is
# no YAML.
read_yaml_text <- function(text, file) {
  text <- sub("^\ufeff", "", text)
  refuse <- function(message) {
    line <- if (grepl("at line [0-9]+,", message)) {
      sub(".*at line ([0-9]+),.*", "\\1", message)
    } else {
      NA
    }
    list(
      problem = new_problem(
        file,
        "",
        "text that is no valid YAML",
        yaml_advice(message),
        line = line
      )
    )
  }

  bad_anchor <- FALSE
  value <- withCallingHandlers(
    tryCatch(
      yaml::yaml.load(text, eval.expr = FALSE, handlers = yaml_handlers()),
      error = function(e) structure(conditionMessage(e), class = "yaml_refused")
    ),
    warning = function(w) {
      if (grepl("anchor", conditionMessage(w))) {
        bad_anchor <<- TRUE
      }

      invokeRestart("muffleWarning")
    }
  )
  if (inherits(value, "yaml_refused")) {
    return(refuse(suppressWarnings(unclass(value))))
  }

  if (bad_anchor) {
    return(refuse("an alias (*name) that has no anchor (&name)"))
  }

  unfolded <- count_values(value, most_values)
  if (unfolded >= most_values) {
    return(refuse(
      "aliases that unfold to over a million values, or lists nested more than 50 deep"
    ))
  }

  list(value = value, text = strsplit(text, "\r?\n")[[1]])
}

# How many values there are, followed no further than `most`: a few lines of
# aliases can unfold to billions, which share their memory until they are walked.
most_values <- 1e6

count_values <- function(value, most, depth = 0) {
  if (depth > 50) {
    return(most)
  }

  count <- 1
  for (one in if (is.list(value)) value) {
    if (count >= most) {
      break
    }

    count <- count + (if (is.list(one)) count_values(one, most - count, depth + 1) else 1)
  }

  count
}

yaml_advice <- function(message) {
  message <- gsub("[[:space:]]+", " ", message)
  message <- sub(" *at line [0-9]+, column [0-9]+ *$", "", message)
  message <- sub("^(Parser|Scanner|Composer) error: ", "", message)
  if (grepl("cannot start any token", message)) {
    return(paste0(
      "spaces for indentation, and quotes around text that starts with a sign (the reader ",
      "says: a character that cannot start any token)"
    ))
  }

  paste0("valid YAML (the reader says: ", trimws(message), ")")
}

# The yaml package reads YAML 1.1; these make numbers and booleans those of 1.2
# and mark tags that ask for R code to be run.
yaml_handlers <- function() {
  number <- function(x) as.numeric(gsub("_", "", x))
  plain <- function(x) x
  boolean <- function(x) if (tolower(x) %in% c("true", "false")) tolower(x) == "true" else x
  code <- function(x) structure(list(x), class = "yaml_code")
  list(
    seq = plain,
    int = number,
    "int#oct" = number,
    "int#hex" = number,
    "int#base60" = plain,
    float = number,
    "float#base60" = plain,
    "bool#yes" = boolean,
    "bool#no" = boolean,
    expr = code,
    r = code,
    R = code,
    eval = code,
    code = code
  )
}

# The line on which each place of a YAML text begins: a vector named by places
# such as `cases[2].prompt`. It follows indentation,
# dashes, keys and flow brackets; what it can't follow (a key spread over
# several lines, say) has no entry, and then the nearest place above it serves.
locate_places <- function(lines) {
  found <- new.env()
  note <- function(place, at) if (is.null(found[[place]])) assign(place, at, found)
  open <- list()
  skip_deeper_than <- NA
  i <- 0L
  while (i < length(lines)) {
    i <- i + 1L
    line <- lines[i]
    indent <- attr(regexpr("^ *", line), "match.length")
    rest <- substring(line, indent + 1)
    if (!nzchar(rest) || grepl("^(#|---|%)", rest)) {
      next
    }

    if (!is.na(skip_deeper_than) && indent > skip_deeper_than) {
      next
    }

    skip_deeper_than <- NA
    while (length(open) > 0 &&
      (open[[length(open)]]$indent > indent ||
        (open[[length(open)]]$indent == indent &&
          open[[length(open)]]$dash &&
          !grepl("^- |^-$", rest)))) {
      open <- open[-length(open)]
    }

    repeat {
      if (grepl("^- |^-$", rest)) {
        top <- if (length(open) > 0) open[[length(open)]]
        if (is.null(top) || !(top$dash && top$indent == indent)) {
          top <- list(
            indent = indent,
            dash = TRUE,
            index = 0,
            parent = parent_place(open),
            place = ""
          )
          open <- c(open, list(top))
        }

        top$index <- top$index + 1
        top$place <- paste0(top$parent, "[", top$index, "]")
        open[[length(open)]] <- top
        note(top$place, i)
        gap <- attr(regexpr("^- *", rest), "match.length")
        indent <- indent + gap
        rest <- substring(rest, gap + 1)
        if (!nzchar(rest) || startsWith(rest, "#")) {
          break
        }

        next
      }

      key <- regmatches(
        rest,
        regexpr(
          "^(\"[^\"]*\"|'[^']*'|[^][{}#&*!|>'\",?:-][^:#]*|-[^ :][^:#]*) *:(?= |$)",
          rest,
          perl = TRUE
        )
      )
      if (length(key) == 0) {
        i <- locate_flow(lines, i, rest, parent_place(open), note)
        break
      }

      name <- gsub("^[\"']|[\"']$", "", trimws(sub(" *:$", "", key)))
      while (length(open) > 0 &&
        !open[[length(open)]]$dash &&
        open[[length(open)]]$indent >= indent) {
        open <- open[-length(open)]
      }

      parent <- parent_place(open)
      place <- if (nzchar(parent)) paste0(parent, ".", name) else name
      open <- c(open, list(list(indent = indent, dash = FALSE, place = place)))
      note(place, i)
      rest <- trimws(substring(rest, nchar(key) + 1))
      if (grepl("^[|>]", rest)) {
        skip_deeper_than <- indent
      }

      if (!grepl("^[|>]", rest) && nzchar(rest) && !startsWith(rest, "#")) {
        i <- locate_flow(lines, i, rest, place, note)
      }

      break
    }
  }

  unlist(as.list(found))
}

parent_place <- function(open) if (length(open) > 0) open[[length(open)]]$place else ""

# Follows a value written in brackets, perhaps over several lines; calls
# `note(place, line)` for what is inside, and returns the line it ends on.
locate_flow <- function(lines, at, rest, place, note) {
  if (!grepl("^[[{]", rest)) {
    return(at)
  }

  stack <- list()
  word <- ""
  quote <- ""
  repeat {
    for (char in strsplit(rest, "")[[1]]) {
      if (nzchar(quote)) {
        if (char == quote) {
          quote <- ""
        }

        word <- paste0(word, char)
      } else if (char == "#" && (word == "" || endsWith(word, " "))) {
        break
      } else if (char %in% c("[", "{")) {
        here <- flow_place(stack, place)
        if (length(stack) > 0) {
          note(here, at)
        }

        stack <- c(stack, list(list(list = char == "[", index = 1, key = "", place = here)))
        word <- ""
      } else if (char %in% c("]", "}", ",")) {
        if (nzchar(trimws(word)) && length(stack) > 0) {
          note(flow_place(stack, place), at)
        }

        top <- length(stack)
        if (char == "," && top > 0) {
          stack[[top]]$index <- stack[[top]]$index + 1
          stack[[top]]$key <- ""
        } else if (top > 0) {
          stack <- stack[-top]
        }

        word <- ""
        if (length(stack) == 0) {
          return(at)
        }
      } else if (char == ":" &&
        !stack[[length(stack)]]$list &&
        stack[[length(stack)]]$key == "") {
        stack[[length(stack)]]$key <- gsub("^[\"' ]+|[\"' ]+$", "", word)
        note(flow_place(stack, place), at)
        word <- ""
      } else {
        if (char %in% c("\"", "'") && trimws(word) == "") {
          quote <- char
        }

        word <- paste0(word, char)
      }
    }

    at <- at + 1L
    if (at > length(lines)) {
      return(at)
    }

    rest <- lines[at]
  }
}

flow_place <- function(stack, place) {
  if (length(stack) == 0) {
    return(place)
  }

  top <- stack[[length(stack)]]
  if (top$list) {
    paste0(top$place, "[", top$index, "]")
  } else {
    paste0(top$place, ".", top$key)
  }
}

# The line of a place, or of the nearest place above it.
line_of <- function(place, lines) {
  while (nzchar(place)) {
    line <- lines[place]
    if (!is.na(line)) {
      return(unname(line))
    }

    place <- sub("(\\.[^.[]*|\\[[0-9]+\\])$", "", sub("^[^.[]*$", "", place))
  }

  1L
}
