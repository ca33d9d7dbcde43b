# Checks the form of the code: styler's tidyverse style, lintr's rules (.lintr), a cyclomatic
# complexity of at most 15 and a nesting of at most 3 for R, clang-format (.clang-format) for C++,
# prettier and eslint (tools/web) for the pages.
#   Rscript tools/lint.R             everything
#   Rscript tools/lint.R since REV   what has changed since a revision
# Ends with status 1 and a list where something does not hold. `make format` mends the layout.
# R files in which nothing was found are remembered by their content, and not looked at again.
suppressMessages(library(sprenn))
given <- commandArgs(TRUE)
mend <- "mend" %in% given
since <- if ("since" %in% given) given[match("since", given) + 1]
cores <- max(1L, parallel::detectCores(), na.rm = TRUE)

changed <- function() {
  if (is.null(since)) {
    return(system2("git", "ls-files", stdout = TRUE))
  }

  system2("git", c("diff", "--name-only", "--diff-filter=d", since), stdout = TRUE)
}

files <- setdiff(changed(), c("R/RcppExports.R", "src/RcppExports.cpp"))
files <- files[file.exists(files)]
r_files <- grep("^(R|tests|tools|bench|data-raw)/.*[.]R$", files, value = TRUE)
cpp_files <- grep("^src/.*[.](cpp|h)$", files, value = TRUE)
page_files <- grep("^(inst|tools)/.*[.](m?js|css)$", files, value = TRUE)

options(styler.quiet = TRUE)

# Blank lines between the methods of a class stay.
style <- styler::tidyverse_style()
style$line_break$remove_line_break_in_fun_call <- NULL
styler::cache_deactivate(verbose = FALSE)

styled <- function(file) {
  made <- styler::style_file(file, transformers = style, dry = if (mend) "off" else "on")
  if (isTRUE(made$changed) && !mend) {
    paste0(file, ": not in the package's style; `make format`")
  }
}

linted <- function(file) {
  found <- as.data.frame(lintr::lint(file))
  if (nrow(found)) {
    paste0(file, ":", found$line_number, ": ", found$message)
  }
}

# The functions of a file: those at its top, and the methods of its R6 classes.
functions_in <- function(expression) {
  if (!is.call(expression)) {
    return(list())
  }

  if (identical(expression[[1]], quote(`function`))) {
    return(list(expression))
  }

  unlist(lapply(as.list(expression), functions_in), recursive = FALSE)
}

# How deep control structures are nested; `else if` is no deeper than its `if`.
nesting_of <- function(expression) {
  if (!is.call(expression)) {
    return(0)
  }

  word <- if (is.name(expression[[1]])) as.character(expression[[1]]) else ""
  parts <- as.list(expression)[-1]
  inner <- max(0, vapply(parts, nesting_of, 0))
  if (word == "if" && length(parts) == 3 && is.call(parts[[3]])) {
    inner_if <- max(0, vapply(parts[1:2], nesting_of, 0))
    chained <- identical(parts[[3]][[1]], quote(`if`))
    return(max(inner_if + 1, nesting_of(parts[[3]]) + !chained))
  }

  inner + word %in% c("if", "for", "while", "repeat")
}

simple <- function(file) {
  each <- unlist(lapply(as.list(parse(file, keep.source = FALSE)), functions_in))
  complexity <- vapply(each, function(one) cyclocomp::cyclocomp(eval(one)), 0)
  nesting <- vapply(each, nesting_of, 0)
  named <- vapply(each, function(one) substr(deparse(one)[1], 1, 60), "")
  c(
    if (any(complexity > 15)) {
      paste0(file, ": complexity ", complexity, " of ", named)[complexity > 15]
    },
    if (any(nesting > 3)) paste0(file, ": nesting ", nesting, " of ", named)[nesting > 3]
  )
}

clang_formatted <- function(file) {
  laid_out <- system2("clang-format", file, stdout = TRUE)
  if (mend) {
    writeLines(laid_out, file)
  } else if (!identical(laid_out, readLines(file))) {
    paste0(file, ": not in the package's style; `make format`")
  }
}

page_checked <- function(files) {
  if (length(files) == 0) {
    return(NULL)
  }

  bin <- file.path("tools", "web", "node_modules", ".bin")
  run <- function(program, arguments, on) {
    said <- suppressWarnings(system2(
      file.path(bin, program),
      c(arguments, on),
      stdout = TRUE,
      stderr = TRUE
    ))
    if (!is.null(attr(said, "status"))) {
      said
    }
  }

  scripts <- grep("^inst/.*[.]m?js$", files, value = TRUE)
  c(
    run(
      "prettier",
      c("--config tools/web/prettier.json", if (mend) "--write" else "--check"),
      files
    ),
    if (length(scripts)) run("eslint", "--config tools/web/eslint.config.js", scripts)
  )
}

# Complexity and the use of objects are checked in the package only.
r_checked <- function(file) {
  c(styled(file), if (startsWith(file, "R/")) c(simple(file), linted(file)))
}

on_all_cores <- function(files, check) parallel::mclapply(files, check, mc.cores = cores)

# What was found depends on the file, these rules and what applies them.
version <- function(package) as.character(utils::packageVersion(package))
rules <- c(
  tools::md5sum(c("tools/lint.R", ".lintr")),
  vapply(c("styler", "lintr", "cyclocomp"), version, "")
)
keys <- paste(tools::md5sum(r_files), paste(rules, collapse = " "))
memory <- file.path(tools::R_user_dir("sprenn", "cache"), "lint.rds")
clean <- if (file.exists(memory)) readRDS(memory)
news <- mend | !keys %in% clean
found_in_r <- on_all_cores(r_files[news], r_checked)

if (!mend) {
  dir.create(dirname(memory), recursive = TRUE, showWarnings = FALSE)
  saveRDS(unique(c(clean, keys[news][lengths(found_in_r) == 0])), memory)
}

found <- unlist(c(found_in_r, on_all_cores(cpp_files, clang_formatted), page_checked(page_files)))

cat(found, sep = "\n")

cat(
  "\n", length(r_files), " R, ", length(cpp_files), " C++ and ",
  length(page_files), " page files looked at, ", length(found), " findings\n",
  sep = ""
)

quit(status = if (length(found)) 1 else 0)
