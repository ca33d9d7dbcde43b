# Names or installs the packages of DESCRIPTION that are missing.
#   packages.R WHAT debian   prints the names of their Debian packages, if R is Debian's
#   packages.R WHAT cran     installs them from CRAN
# WHAT is run, or demo, test, check, docs, lint, bench or coverage for what these add.
words <- commandArgs(TRUE)
with_suggested <- words[1] %in% c("test", "check", "coverage", "docs")
fields <- c("Imports", "LinkingTo", if (with_suggested) "Suggests")
text <- read.dcf("DESCRIPTION", intersect(fields, colnames(read.dcf("DESCRIPTION"))))
wanted <- trimws(unlist(strsplit(text, ",")))

wanted <- c(
  wanted,
  switch(words[1],
    demo = c("plumber", "webutils"),
    lint = c("cyclocomp", "lintr", "styler"),
    docs = c("roxygen2", "pkgdown"),
    coverage = "covr"
  )
)

needed <- sub(".*>= *([0-9.-]+).*", "\\1", wanted)
wanted <- sub("[ (\n].*", "", wanted)
is_there <- function(name) nzchar(system.file(package = name))

enough <- mapply(
  function(name, version) {
    is_there(name) && (!grepl("^[0-9]", version) || packageVersion(name) >= version)
  },
  wanted,
  needed
)

missing <- unique(wanted[!enough])

if (words[2] == "debian") {
  if (R.home() != "/usr/lib/R") {
    quit(status = 1)
  }

  if (length(missing) > 0) {
    cat(paste0("r-cran-", tolower(missing)))
  }
} else if (length(missing) > 0) {
  library <- .libPaths()[1]
  if (file.access(library, 2) != 0) {
    library <- path.expand(Sys.getenv("R_LIBS_USER"))
    dir.create(library, recursive = TRUE, showWarnings = FALSE)
    .libPaths(c(library, .libPaths()))
  }

  if (identical(unname(getOption("repos")["CRAN"]), "@CRAN@")) {
    chooseCRANmirror(ind = 1, local.only = TRUE)
  }

  message("Installing from CRAN into ", library, ": ", paste(missing, collapse = ", "))
  install.packages(
    missing,
    lib = library,
    quiet = TRUE,
    Ncpus = max(1L, parallel::detectCores(), na.rm = TRUE)
  )
  still <- Filter(Negate(is_there), missing)
  # What only the tests would use may be absent: they say so and skip.
  optional <- trimws(sub("[ (].*", "", strsplit(read.dcf("DESCRIPTION", "Suggests"), ",")[[1]]))
  if (length(setdiff(still, optional)) > 0) {
    stop(
      "These packages could not be installed: ",
      paste(still, collapse = ", "),
      call. = FALSE
    )
  }
}
