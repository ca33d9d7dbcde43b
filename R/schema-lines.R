# On which line of a YAML file everything stands, so that messages can say so.

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
