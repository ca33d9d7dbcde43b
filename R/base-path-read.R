# JSONPath (RFC 9535), read into a list of segments. A segment is a list: `deep`, whether it
# looks at all descendants, and `selectors`, each a list with a `kind`: name, index, slice,
# wildcard or filter. base-path-find.R applies it.

# Reads a path; a `sprenn_error_path` says what is wrong with it and where.
read_path <- function(text) {
  reader <- PathReader$new(text)
  reader$expect("$", "a path that begins with $")
  segments <- reader$segments()
  if (!reader$is_at_end()) {
    reader$fail("the end, a dot or a bracket")
  }

  segments
}

# The largest index: integers that JSON can carry exactly (RFC 7493).
largest_index <- 2^53 - 1

BracketReader <- R6::R6Class(
  "sprenn_bracket_reader",
  cloneable = FALSE,
  public = list(
    initialize = function(text) {
      private$letters <- strsplit(enc2utf8(text), "")[[1]]
    },

    is_at_end = function() private$at > length(private$letters),

    fail = function(wanted) {
      found <- if (self$is_at_end()) "its end" else quoted(private$letters[private$at])
      words <- paste0("expected ", wanted, " at letter ", private$at, ", found ", found)
      stop_sprenn("path", words)
    },

    expect = function(what, wanted = quoted(what)) {
      if (!private$skip(what)) {
        self$fail(wanted)
      }
    },

    segments = function() {
      found <- list()
      repeat {
        before <- private$at
        private$blanks()
        segment <- private$segment()
        if (is.null(segment)) {
          private$at <- before
          return(found)
        }

        found <- c(found, list(segment))
      }
    }
  ),
  private = list(
    letters = NULL,
    at = 1,

    # The next letters, without going on.
    comes = function(what) {
      many <- nchar(what)
      identical(paste(private$ahead(many), collapse = ""), what)
    },

    ahead = function(many) {
      private$letters[seq_len(many) - 1 + private$at][
        seq_len(many) - 1 + private$at <= length(private$letters)
      ]
    },

    skip = function(what) {
      comes <- private$comes(what)
      if (comes) {
        private$at <- private$at + nchar(what)
      }

      comes
    },

    blanks = function() private$run("[ \t\n\r]"),

    next_letter = function() if (self$is_at_end()) "" else private$letters[private$at],

    # As many letters as fit, as one text.
    run = function(class) {
      from <- private$at
      while (!self$is_at_end() && grepl(class, private$letters[private$at], perl = TRUE)) {
        private$at <- private$at + 1
      }

      paste(private$letters[seq_len(private$at - from) + from - 1], collapse = "")
    },

    segment = function() {
      if (private$skip("..")) {
        selectors <- if (private$comes("[")) private$bracketed() else list(private$short())
        return(list(deep = TRUE, selectors = selectors))
      }

      if (private$skip(".")) {
        return(list(deep = FALSE, selectors = list(private$short())))
      }

      if (private$comes("[")) {
        list(deep = FALSE, selectors = private$bracketed())
      }
    },

    # A name without quotes, or a wildcard.
    short = function() {
      if (private$skip("*")) {
        return(list(kind = "wildcard"))
      }

      if (!grepl("[A-Za-z_]|[^\\x00-\\x7f]", private$next_letter(), perl = TRUE)) {
        self$fail("a name or *")
      }

      list(kind = "name", name = private$run("[A-Za-z0-9_]|[^\\x00-\\x7f]"))
    },

    bracketed = function() {
      self$expect("[")
      found <- list()
      repeat {
        private$blanks()
        found <- c(found, list(private$selector()))
        private$blanks()
        if (private$skip("]")) {
          return(found)
        }

        self$expect(",", "a comma or ]")
      }
    },

    selector = function() {
      if (private$comes("'") || private$comes("\"")) {
        return(list(kind = "name", name = private$quoted_text()))
      }

      if (private$skip("*")) {
        return(list(kind = "wildcard"))
      }

      if (private$skip("?")) {
        private$blanks()
        return(list(kind = "filter", test = private$any_of()))
      }

      private$index_or_slice()
    },

    index_or_slice = function() {
      from <- private$integer()
      before <- private$at
      private$blanks()
      if (!private$skip(":")) {
        if (is.null(from)) {
          self$fail("a name in quotes, a number, *, ? or a slice")
        }

        private$at <- before
        return(list(kind = "index", index = from))
      }

      private$blanks()
      to <- private$integer()
      private$blanks()
      by <- NULL
      if (private$skip(":")) {
        private$blanks()
        by <- private$integer()
      }

      list(kind = "slice", from = from, to = to, by = by %||% 1)
    },

    integer = function() {
      if (self$is_at_end() || !grepl("[-0-9]", private$letters[private$at])) {
        return(NULL)
      }

      sign <- if (private$skip("-")) -1 else 1
      digits <- private$run("[0-9]")
      if (!grepl("^(0|[1-9][0-9]*)$", digits) || (sign < 0 && digits == "0")) {
        self$fail("a whole number without leading zeros")
      }

      if (as.numeric(digits) > largest_index) {
        self$fail(paste("a number of at most", format(largest_index, digits = 16)))
      }

      sign * as.numeric(digits)
    },

    # Text in single or double quotes, with the escapes of JSON.
    quoted_text = function() {
      mark <- private$letters[private$at]
      private$at <- private$at + 1
      found <- character()
      repeat {
        if (self$is_at_end() || grepl("[\\x00-\\x1f]", private$letters[private$at], perl = TRUE)) {
          self$fail(paste0("a closing ", mark))
        }

        letter <- private$letters[private$at]
        private$at <- private$at + 1
        if (letter == mark) {
          return(paste(found, collapse = ""))
        }

        found <- c(found, if (letter == "\\") private$escaped(mark) else letter)
      }
    },

    escaped = function(mark) {
      plain <- c(b = "\b", f = "\f", n = "\n", r = "\r", t = "\t", "/" = "/", "\\" = "\\")
      plain[[mark]] <- mark
      letter <- private$next_letter()
      if (letter %in% names(plain)) {
        private$at <- private$at + 1
        return(plain[[letter]])
      }

      if (letter != "u") {
        self$fail("an escape of JSON")
      }

      private$escaped_point()
    },

    # A code point that is written as one code unit of UTF-16, or as a pair of them.
    escaped_point = function() {
      first <- private$code_unit()
      if (!is_within(first, 0xd800, 0xdfff)) {
        return(intToUtf8(first))
      }

      second <- if (first < 0xdc00 && private$skip("\\")) private$code_unit() else 0
      if (!is_within(second, 0xdc00, 0xdfff)) {
        self$fail("a pair of surrogates")
      }

      intToUtf8(0x10000 + (first - 0xd800) * 0x400 + second - 0xdc00)
    },

    code_unit = function() {
      self$expect("u", "u and four hexadecimal digits")
      digits <- paste(private$ahead(4), collapse = "")
      if (!grepl("^[0-9A-Fa-f]{4}$", digits)) {
        self$fail("four hexadecimal digits")
      }

      private$at <- private$at + 4
      strtoi(digits, 16)
    }
  )
)

is_within <- function(x, low, high) x >= low && x <= high
