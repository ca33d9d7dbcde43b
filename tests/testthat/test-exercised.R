# Everything that a user can reach is exercised by a test: what NAMESPACE exports, what the
# command table offers, and every option of it. This reads the tests, the guides' examples and
# the examples of --help; test-examples.R and test-help-examples.R run those.

package_root <- function() {
  root <- normalizePath(testthat::test_path("..", ".."))
  skip_if_not(file.exists(file.path(root, "NAMESPACE")), "the sources are not beside the tests")
  root
}

test_code <- function(root) {
  files <- list.files(file.path(root, "tests", "testthat"), "[.]R$", full.names = TRUE)
  unlist(lapply(files, function(file) as.list(parse(file, keep.source = FALSE))))
}

# All texts and all names that stand in an expression.
texts_in <- function(code) {
  if (is.character(code)) {
    return(code)
  }

  if (is.recursive(code)) {
    unlist(lapply(as.list(code), texts_in))
  }
}

# The texts of each call of `callers` within some code.
texts_of_calls <- function(code, callers) {
  if (!is.recursive(code)) {
    return(NULL)
  }

  own <- if (is.call(code) && is.name(code[[1]]) && as.character(code[[1]]) %in% callers) {
    list(texts_in(as.list(code)[-1]))
  }
  c(own, unlist(lapply(as.list(code), texts_of_calls, callers), recursive = FALSE))
}

# "command --option" for all that the tests type, and the commands alone.
typed_in_tests <- function(code, commands) {
  runs <- c(run_cli = NA, data_of = NA, start_run = "run")
  typed <- lapply(code, function(top) {
    anywhere <- intersect(texts_in(top), commands)
    lapply(names(runs), function(caller) {
      lapply(texts_of_calls(top, caller), function(texts) {
        own <- intersect(texts, commands)
        command <- if (!is.na(runs[[caller]])) runs[[caller]] else own[1]
        # A loop over several commands names them before the call.
        if (length(command) == 0 || is.na(command)) {
          command <- anywhere
        }

        options <- sub("=.*", "", grep("^--", texts, value = TRUE))
        if (caller == "data_of") {
          options <- c(options, "--json")
        }

        c(command, as.vector(outer(command, options, paste)))
      })
    })
  })
  unlist(typed)
}

typed_in_lines <- function(lines) {
  parts <- regmatches(lines, gregexpr("sprenn [a-z]+[^|;]*", lines))
  unlist(lapply(unlist(parts), function(line) {
    words <- strsplit(trimws(line), " +")[[1]]
    options <- sub("=.*", "", grep("^--", words, value = TRUE))
    c(words[2], paste(words[2], options, recycle0 = TRUE))
  }))
}

test_that("every export is called by a test", {
  root <- package_root()
  code <- test_code(root)
  exports <- getNamespaceExports("sprenn")
  # Some are called in lineups, briefs and other processes, as text.
  texts <- texts_in(code)
  in_texts <- regmatches(texts, gregexpr("sprenn::[a-z_]+", texts))
  called <- c(all.names(as.call(code)), sub("sprenn::", "", unlist(in_texts)))
  expect_equal(paste(setdiff(exports, called), collapse = ", "), "")
})

test_that("every command and every option is typed by a test, a guide or a help example", {
  root <- package_root()
  commands <- cli_commands()
  guides <- list.files(file.path(root, "examples"), "[.]sh$", full.names = TRUE)
  lines <- c(
    unlist(lapply(guides, readLines)),
    unlist(lapply(commands, `[[`, "examples"))
  )
  typed <- c(typed_in_tests(test_code(root), names(commands)), typed_in_lines(lines))
  wanted <- c(
    names(commands),
    unlist(lapply(names(commands), function(name) {
      paste(name, flags_of(commands[[name]]), recycle0 = TRUE)
    }))
  )
  expect_equal(paste(setdiff(wanted, typed), collapse = ", "), "")
})

test_that("what nobody types would be found", {
  code <- list(quote(test_that("x", run_cli("plan", folder, "--json"))))
  expect_setequal(typed_in_tests(code, c("plan", "run")), c("plan", "plan --json"))
  expect_setequal(
    typed_in_lines("sprenn choose tiles --if style=0.6 | head"),
    c("choose", "choose --if")
  )
})
