# What filters of a JSONPath test (RFC 9535, 2.3.5), for the reader of base-path-read.R. A test is a
# list with a `kind`: any or all of several tests, not, compare, query or call.

PathReader <- R6::R6Class(
  "sprenn_path_reader",
  inherit = BracketReader,
  cloneable = FALSE,
  private = list(
    # What a filter tests: alternatives, each of several tests that must all hold.
    any_of = function() {
      tests <- private$chain("||", private$all_of)
      if (length(tests) == 1) tests[[1]] else list(kind = "any", tests = tests)
    },

    all_of = function() {
      tests <- private$chain("&&", private$one_test)
      if (length(tests) == 1) tests[[1]] else list(kind = "all", tests = tests)
    },

    chain = function(between, one) {
      found <- list(one())
      repeat {
        before <- private$at
        private$blanks()
        if (!private$skip(between)) {
          private$at <- before
          return(found)
        }

        private$blanks()
        found <- c(found, list(one()))
      }
    },

    one_test = function() {
      negated <- private$skip("!")
      private$blanks()
      if (private$skip("(")) {
        private$blanks()
        test <- private$any_of()
        private$blanks()
        self$expect(")")
        return(if (negated) list(kind = "not", test = test) else test)
      }

      left <- private$operand()
      before <- private$at
      private$blanks()
      sign <- Find(private$skip, c("==", "!=", "<=", ">=", "<", ">"))
      if (is.null(sign)) {
        private$at <- before
        test <- private$as_test(left)
        return(if (negated) list(kind = "not", test = test) else test)
      }

      if (negated) {
        self$fail("no comparison after !, or one in parentheses")
      }

      private$blanks()
      right <- private$operand()
      sides <- lapply(list(left, right), private$as_comparable)
      list(kind = "compare", sign = sign, left = sides[[1]], right = sides[[2]])
    },

    # Existence of what a query finds, or a function that is true or false.
    as_test = function(operand) {
      if (operand$kind == "literal" ||
        (operand$kind == "call" && path_functions[[operand$name]]$gives != "truth")) {
        self$fail("a comparison")
      }

      operand
    },

    # A single value: a literal, a query that finds one at most, or a function that gives one.
    as_comparable = function(operand) {
      fits <- switch(operand$kind,
        literal = TRUE,
        query = is_singular(operand$segments),
        call = path_functions[[operand$name]]$gives == "value"
      )
      if (!fits) {
        self$fail("a single value to compare with")
      }

      operand
    },

    operand = function() {
      if (private$comes("@") || private$comes("$")) {
        root <- private$letters[private$at] == "$"
        private$at <- private$at + 1
        return(list(kind = "query", root = root, segments = self$segments()))
      }

      if (private$comes("'") || private$comes("\"")) {
        return(list(kind = "literal", value = private$quoted_text()))
      }

      if (!self$is_at_end() && grepl("[-0-9]", private$letters[private$at])) {
        return(list(kind = "literal", value = private$number()))
      }

      private$word()
    },

    number = function() {
      text <- paste0(
        if (private$skip("-")) "-",
        private$run("[0-9]"),
        if (private$skip(".")) paste0(".", private$run("[0-9]")),
        if (private$skip("e") || private$skip("E")) paste0("e", private$run("[-+0-9]"))
      )
      if (!grepl("^-?(0|[1-9][0-9]*)([.][0-9]+)?(e[-+]?[0-9]+)?$", text)) {
        self$fail("a number as JSON has it")
      }

      as.numeric(text)
    },

    word = function() {
      name <- private$run("[a-z0-9_]")
      constants <- list(true = TRUE, false = FALSE)
      if (name %in% names(constants)) {
        return(list(kind = "literal", value = constants[[name]]))
      }

      if (name == "null") {
        return(list(kind = "literal", value = NULL))
      }

      if (!name %in% names(path_functions) || !private$skip("(")) {
        self$fail(paste("@, $, a value, or one of", listed(paste0(names(path_functions), "()"))))
      }

      takes <- path_functions[[name]]$takes
      arguments <- lapply(seq_along(takes), function(k) {
        private$blanks()
        if (k > 1) {
          self$expect(",")
          private$blanks()
        }

        private$argument(takes[k])
      })
      private$blanks()
      self$expect(")")
      list(kind = "call", name = name, arguments = arguments)
    },

    argument = function(takes) {
      given <- private$operand()
      if (takes == "value") {
        return(private$as_comparable(given))
      }

      if (given$kind != "query") {
        self$fail("a query")
      }

      given
    }
  )
)

# What the functions of filters take and give.
path_functions <- list(
  length = list(takes = "value", gives = "value"),
  count = list(takes = "nodes", gives = "value"),
  match = list(takes = c("value", "value"), gives = "truth"),
  search = list(takes = c("value", "value"), gives = "truth"),
  value = list(takes = "nodes", gives = "value")
)

# Whether a query finds one value at most.
is_singular <- function(segments) {
  all(vapply(
    segments,
    function(one) {
      !one$deep && length(one$selectors) == 1 && one$selectors[[1]]$kind %in% c("name", "index")
    },
    NA
  ))
}
