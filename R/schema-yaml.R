# Reading a YAML file as YAML 1.2 means it, and knowing on which line of it
# everything stands, so that messages can say so.

# Returns `value` (lists all the way down; sequences unnamed, mappings named)
# and `text`, its lines; or `problem`, one row of new_problem(), when the text is
# no YAML.
read_yaml_text <- function(text, file, seconds = 10) {
  text <- sub("^\ufeff", "", text)
  depth <- yaml_nesting(text)
  if (depth$least > most_open) {
    return(list(problem = too_deep_problem(file)))
  }

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
        "text that is not valid YAML",
        yaml_advice(message),
        line = line
      )
    )
  }

  read <- if (depth$most > most_open) parse_yaml_apart(text, seconds) else parse_yaml(text)
  if (is.null(read)) {
    return(list(problem = too_deep_problem(file)))
  }

  if (!is.null(read$refused)) {
    return(refuse(read$refused))
  }

  if (read$bad_anchor) {
    return(refuse("an alias (*name) that has no anchor (&name)"))
  }

  count <- count_values(read$value, most_values)
  if (is.infinite(count)) {
    return(list(problem = too_deep_problem(file)))
  }

  if (count >= most_values) {
    return(refuse("aliases that unfold to over a million values"))
  }

  list(value = read$value, text = strsplit(text, "\r?\n")[[1]])
}

# `value`, or how the parser `refused` the text; and whether there is a `bad_anchor`.
parse_yaml <- function(text) {
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
    return(list(refused = suppressWarnings(unclass(value))))
  }

  list(value = value, bad_anchor = bad_anchor)
}

# The same in a process that is ended after so many seconds; then NULL.
parse_yaml_apart <- function(text, seconds) {
  pool <- WorkerPool$new(1)
  on.exit(pool$close())
  wait_for(pool$send(parse_yaml, list(text), seconds = seconds))
}

# The parser's time grows with the square of the nesting. How many brackets and dashes are open at
# once is at least what the text has if nothing in it is quoted or a comment, and at most what
# it has if whatever looks like a comment is one.
yaml_nesting <- function(text) {
  dashes <- regmatches(text, gregexpr("(?m)^ *(?:[-?] +){50,}", text, perl = TRUE))[[1]]
  dashes <- max(0, nchar(gsub(" ", "", dashes)))
  count <- function(text) max(dashes, core_nesting(charToRaw(text), skip_strings = FALSE))
  list(least = count(text), most = count(gsub("(^|[ \t\n])#[^\n]*", "\\1", text)))
}

# Texts with brackets that are never closed are rarely this many.
most_open <- 1000

too_deep_problem <- function(file) {
  new_problem(file, "", paste("a text", nested_too_deep), "a file as docs/files.md describes it")
}

# How many values there are, followed no further than `most`: a few lines of aliases can unfold to
# billions, which share their memory until they are walked. Infinite if they are too deep.
most_values <- 1e6

count_values <- function(value, most, depth = 0) {
  if (depth > most_nested) {
    return(Inf)
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
  noted <- vector("list", length(lines))
  open <- list()
  block <- Inf
  at <- 0L
  while (at < length(lines)) {
    at <- at + 1L
    line <- indented(lines[at])
    # The lines of a text that is written as a block are not YAML.
    if (says_nothing(line$rest) || grepl("^(---|%)", line$rest) || line$indent > block) {
      next
    }

    read <- read_line(lines, at, line, close_levels(open, line))
    noted[[at]] <- read$noted
    open <- read$open
    block <- read$block
    at <- read$at
  }

  places <- unlist(noted)
  places[!duplicated(names(places))]
}

key_pattern <- paste0(
  "^(\"[^\"]*\"|'[^']*'|[^][{}#&*!|>'\",?:-][^:#]*|-[^ :][^:#]*)", " *:(?= |$)"
)

indented <- function(line) {
  indent <- attr(regexpr("^ *", line), "match.length")
  list(indent = indent, rest = substring(line, indent + 1))
}

says_nothing <- function(rest) !nzchar(rest) || startsWith(rest, "#")
starts_item <- function(rest) grepl("^- |^-$", rest)

# The lists and mappings that a line still belongs to: those that are indented no deeper.
close_levels <- function(open, line) {
  ends <- function(level) {
    level$indent > line$indent ||
      (level$indent == line$indent && level$dash && !starts_item(line$rest))
  }

  while (length(open) > 0 && ends(open[[length(open)]])) {
    open <- open[-length(open)]
  }

  open
}

# Reads the structure of a line: `open` with its levels, the places `noted` on it, the indent of
# the `block` of text that it begins (Inf for none), and the line `at` which its value ends.
read_line <- function(lines, at, line, open) {
  noted <- integer()
  while (starts_item(line$rest)) {
    open <- open_item(open, line$indent)
    noted[parent_place(open)] <- at
    gap <- attr(regexpr("^- *", line$rest), "match.length")
    line <- list(indent = line$indent + gap, rest = substring(line$rest, gap + 1))
  }

  rest <- line$rest
  key <- regmatches(rest, regexpr(key_pattern, rest, perl = TRUE))
  if (!says_nothing(rest) && length(key)) {
    open <- open_key(open, line$indent, key)
    noted[parent_place(open)] <- at
    rest <- trimws(substring(rest, nchar(key) + 1))
    if (grepl("^[|>]", rest)) {
      return(list(open = open, noted = noted, block = line$indent, at = at))
    }
  }

  if (says_nothing(rest)) {
    return(list(open = open, noted = noted, block = Inf, at = at))
  }

  flow <- locate_flow(lines, at, rest, parent_place(open))
  list(open = open, noted = c(noted, flow$noted), block = Inf, at = flow$at)
}

# One more item of the list at an indent, which it may be the first of.
open_item <- function(open, indent) {
  top <- if (length(open) > 0) open[[length(open)]]
  if (is.null(top) || !(top$dash && top$indent == indent)) {
    top <- list(indent = indent, dash = TRUE, index = 0, parent = parent_place(open))
    open <- c(open, list(top))
  }

  top$index <- top$index + 1
  top$place <- paste0(top$parent, "[", top$index, "]")
  open[[length(open)]] <- top
  open
}

open_key <- function(open, indent, key) {
  name <- gsub("^[\"']|[\"']$", "", trimws(sub(" *:$", "", key)))
  while (length(open) > 0 &&
    !open[[length(open)]]$dash &&
    open[[length(open)]]$indent >= indent) {
    open <- open[-length(open)]
  }

  parent <- parent_place(open)
  place <- if (nzchar(parent)) paste0(parent, ".", name) else name
  c(open, list(list(indent = indent, dash = FALSE, place = place)))
}

parent_place <- function(open) if (length(open) > 0) open[[length(open)]]$place else ""

# Follows a value written in brackets, perhaps over several lines: the places `noted` inside,
# with their lines, and the line `at` which it ends. `stack` has the brackets that are open,
# `word` what was read since the last mark.
locate_flow <- function(lines, at, rest, place) {
  flow <- list(place = place, at = at, stack = list(), word = "", quote = "", noted = integer())
  flow$done <- !grepl("^[[{]", rest)
  while (!flow$done) {
    for (char in strsplit(rest, "")[[1]]) {
      if (begins_comment(flow, char)) {
        break
      }

      flow <- take_char(flow, char)
      if (flow$done) {
        return(flow)
      }
    }

    flow$at <- flow$at + 1L
    flow$done <- flow$at > length(lines)
    rest <- lines[flow$at]
  }

  flow
}

take_char <- function(flow, char) {
  if (nzchar(flow$quote)) {
    if (char == flow$quote) {
      flow$quote <- ""
    }

    flow$word <- paste0(flow$word, char)
    return(flow)
  }

  if (char %in% c("[", "{")) {
    return(open_bracket(flow, char == "["))
  }

  if (char %in% c("]", "}", ",")) {
    return(end_value(flow, char == ","))
  }

  if (char == ":" && awaits_key(flow)) {
    return(end_key(flow))
  }

  if (char %in% c("\"", "'") && trimws(flow$word) == "") {
    flow$quote <- char
  }

  flow$word <- paste0(flow$word, char)
  flow
}

awaits_key <- function(flow) {
  top <- flow$stack[[length(flow$stack)]]
  !top$list && top$key == ""
}

begins_comment <- function(flow, char) {
  char == "#" && !nzchar(flow$quote) && (flow$word == "" || endsWith(flow$word, " "))
}

note_here <- function(flow) {
  flow$noted <- c(flow$noted, stats::setNames(flow$at, flow_place(flow$stack, flow$place)))
  flow
}

open_bracket <- function(flow, list) {
  if (length(flow$stack) > 0) {
    flow <- note_here(flow)
  }

  level <- list(list = list, index = 1, key = "", place = flow_place(flow$stack, flow$place))
  flow$stack <- c(flow$stack, list(level))
  flow$word <- ""
  flow
}

end_value <- function(flow, more) {
  if (nzchar(trimws(flow$word))) {
    flow <- note_here(flow)
  }

  top <- length(flow$stack)
  if (more) {
    flow$stack[[top]]$index <- flow$stack[[top]]$index + 1
    flow$stack[[top]]$key <- ""
  } else {
    flow$stack <- flow$stack[-top]
  }

  flow$word <- ""
  flow$done <- length(flow$stack) == 0
  flow
}

end_key <- function(flow) {
  flow$stack[[length(flow$stack)]]$key <- gsub("^[\"' ]+|[\"' ]+$", "", flow$word)
  flow <- note_here(flow)
  flow$word <- ""
  flow
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
