# Predicates for values that are checked in many places.

is_text <- function(x) is.character(x) && length(x) == 1 && grepl("\\S", x, perl = TRUE)

is_number <- function(x) is.numeric(x) && length(x) == 1 && is.finite(x)

is_numbers <- function(x, n, ends = c(-Inf, Inf)) {
  is.list(x) &&
    length(x) == n &&
    is.null(names(x)) &&
    all(vapply(x, is_number, NA)) &&
    all(unlist(x) >= ends[1] & unlist(x) <= ends[2])
}

is_keyed <- function(x) {
  is.list(x) && !inherits(x, "yaml_code") && !is.null(names(x)) && length(x) > 0
}

in_range <- function(x, more) {
  ends <- if (!is.na(more)) as.numeric(split_words(more, ".."))
  is.na(more) || (x >= ends[1] && (length(ends) < 2 || x <= ends[2]))
}

are_between <- function(x, ends) is.numeric(x) && all(x >= ends[1] & x <= ends[2])

split_words <- function(text, by) strsplit(text, by, fixed = TRUE)[[1]]

# Errors for users: one headline, then where it happened and what to do.

# `kind` becomes the class `sprenn_error_<kind>`; every one of them is also a
# `sprenn_error`, which the command line turns into exit status 2. In R, the error names the
# exported function that was called.
stop_sprenn <- function(kind, message, ...) {
  names(message) <- names(message) %||% rep("", length(message))
  message[] <- clean_text(message)
  rlang::abort(
    message,
    class = c(paste0("sprenn_error_", kind), "sprenn_error"),
    headline = message[[1]],
    details = message[-1],
    ...,
    call = public_call()
  )
}

# The call of the first of our exported functions on the stack; NULL without one.
public_call <- function() {
  exports <- getNamespaceExports("sprenn")
  for (call in sys.calls()) {
    called <- call[[1]]
    name <- if (is.call(called) && length(called) == 3) called[[3]] else called
    if (is.name(name) && as.character(name) %in% exports) {
      return(call(as.character(name)))
    }
  }

  NULL
}

# Checks arguments: each of `...` is a name and the result of a checkmate `check_*()`. Reports all
# problems at once.
check_arguments <- function(...) {
  said <- list(...)
  wrong <- Filter(is.character, said)
  if (length(wrong) == 0) {
    return(invisible())
  }

  stop_sprenn(
    "argument",
    c(
      "These arguments can't be used:",
      stats::setNames(paste0("`", names(wrong), "`: ", unlist(wrong)), rep("x", length(wrong)))
    )
  )
}

# The left value unless there is none. (rlang has the same, and takes 0.2 s to load.)
`%||%` <- function(a, b) if (is.null(a)) b else a

# Unknown names given by a user: `owner` has no such `thing`.
stop_for_unknown <- function(given, known, owner, thing) {
  unknown <- setdiff(given, known)
  if (length(unknown) == 0) {
    return(invisible())
  }

  near <- nearest_word(unknown[1], known)
  stop_sprenn(
    "argument",
    c(
      paste0(owner, " has no ", thing, " ", shorten_list(quoted(unknown)), "."),
      if (!is.na(near)) c(i = paste0("Did you mean ", quoted(near), "?")),
      i = paste("It has", shorten_list(known, 12))
    )
  )
}
