# Reading a YAML file as YAML 1.2 means it.

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
