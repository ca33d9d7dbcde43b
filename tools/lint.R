# Holds the code against its form: styler's tidyverse style and lintr's rules (.lintr) for R,
# clang-format (.clang-format) for C++, prettier and eslint (tools/web) for the pages.
#   Rscript tools/lint.R             everything
#   Rscript tools/lint.R since REV   what has changed since a revision
# Ends with status 1 and a list where something does not hold. `make format` mends the layout.
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
page_files <- grep("^(inst|tools)/.*[.](js|css)$", files, value = TRUE)

options(styler.quiet = TRUE)

styled <- function(file) {
  made <- styler::style_file(file, dry = if (mend) "off" else "on")
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

  scripts <- grep("^inst/.*[.]js$", files, value = TRUE)
  c(
    run(
      "prettier",
      c("--config tools/web/prettier.json", if (mend) "--write" else "--check"),
      files
    ),
    if (length(scripts)) run("eslint", "--config tools/web/eslint.config.js", scripts)
  )
}

each <- function(files, check) unlist(parallel::mclapply(files, check, mc.cores = cores))

# Complexity and the use of objects are asked of the package; tests and tools are held
# against its style.
found <- c(
  each(r_files, styled),
  each(grep("^R/", r_files, value = TRUE), linted),
  each(cpp_files, clang_formatted),
  page_checked(page_files)
)

cat(found, sep = "\n")

cat(
  "\n", length(r_files), " R, ", length(cpp_files), " C++ and ",
  length(page_files), " page files looked at, ", length(found), " findings\n",
  sep = ""
)

quit(status = if (length(found)) 1 else 0)
