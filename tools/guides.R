# Writes vignettes/*.Rmd from guides/*.Rmd: their commands (sections of examples/NAME.sh) are
# run, each guide's in a folder of its own, and what comes back is put below them, as are
# the pictures that were drawn. From the root with the package installed:
#   Rscript tools/guides.R [NAME ...]
root <- getwd()
given <- commandArgs(TRUE)
names <- if (length(given)) given else sub("[.]Rmd$", "", list.files("guides", "[.]Rmd$"))
work <- tempfile("guides-")
dir.create(file.path(work, "bin"), recursive = TRUE)

writeLines(
  c("#!/bin/sh", paste("exec sh", shQuote(file.path(root, "inst/bin/sprenn")), "\"$@\"")),
  file.path(work, "bin", "sprenn")
)

Sys.chmod(file.path(work, "bin", "sprenn"))
Sys.setenv(PATH = paste0(file.path(work, "bin"), ":", Sys.getenv("PATH")), COLUMNS = "96")
sprenn::new_trial(file.path(work, "brackwater"), demo = TRUE)

knitr::opts_chunk$set(comment = NA, engine.opts = "-e", results = "hold")

# Long answers are cut where the guide says so: `first` or `last`, so many lines.
hook <- knitr::knit_hooks$get("output")

knitr::knit_hooks$set(output = function(x, options) {
  lines <- strsplit(
    gsub(paste0(knitr::opts_knit$get("root.dir"), "/"), "", x, fixed = TRUE),
    "\n",
    fixed = TRUE
  )[[1]]
  # In a terminal the lines of progress stand in one place, and are gone at the end.
  lines <- lines[!grepl(
    "^(writing|climbing|preparing|checking|measuring|made) [0-9]+ of [0-9]+",
    lines
  ) |
    grepl("stopped", lines)]
  if (!is.null(options$last) && length(lines) > options$last) {
    lines <- c("...", utils::tail(lines, options$last))
  }

  if (!is.null(options$first) && length(lines) > options$first) {
    lines <- c(utils::head(lines, options$first), "...")
  }

  paste0("\n```\n", paste(lines, collapse = "\n"), "\n```\n")
})

knitr::knit_hooks$set(source = function(x, options) {
  paste0("\n```sh\n", paste(x, collapse = "\n"), "\n```\n")
})

# A viewing: opened as the guide says, judged by two made-up people, and stopped.
source("guides/viewers.R")

knitr::knit_engines$set(viewing = function(options) {
  code <- paste(options$code, collapse = "\n")
  said <- tempfile()
  process <- processx::process$new(
    "sh",
    c("-c", paste("exec", code)),
    stdout = said,
    stderr = NULL,
    wd = knitr::opts_knit$get("root.dir")
  )
  while (length(
    address <- grep("http://", if (file.exists(said)) readLines(said), value = TRUE)
  ) == 0) {
    Sys.sleep(0.2)
  }

  play_viewers(trimws(address), as.integer(sub(".*--ballots ([0-9]+).*", "\\1", code)))
  process$interrupt()
  process$wait(20000)
  knitr::engine_output(
    options,
    options$code,
    paste(sub(":[0-9]+/[?]token=.*", ":42817/?token=...", readLines(said)), collapse = "\n")
  )
})

dir.create("vignettes/figures", recursive = TRUE, showWarnings = FALSE)

for (name in names) {
  message(name)
  here <- file.path(work, name)
  dir.create(here)
  file.copy(file.path(work, "brackwater"), here, recursive = TRUE)
  knitr::read_chunk(file.path("examples", paste0(name, ".sh")))
  knitr::opts_knit$set(root.dir = here)
  text <- readLines(
    knitr::knit(file.path("guides", paste0(name, ".Rmd")), tempfile(), quiet = TRUE),
    encoding = "UTF-8"
  )
  knitr::knit_code$restore()
  # Pictures: of a width to read, and few colours.
  text <- vapply(
    text,
    function(line) {
      file <- sub("^!\\[.*\\]\\(([^)]+[.]png)\\)$", "\\1", line)
      if (file == line) {
        return(line)
      }

      kept <- paste0("figures/", name, "-", basename(file))
      picture <- magick::image_read(
        if (startsWith(file, "../")) {
          sub("../", "", file, fixed = TRUE)
        } else {
          file.path(here, file)
        }
      )
      if (magick::image_info(picture)$width > 900) {
        picture <- magick::image_resize(picture, "900x")
      }

      magick::image_write(
        magick::image_quantize(picture, 64, dither = FALSE),
        file.path("vignettes", kept),
        format = "png"
      )
      sub(paste0("(", file, ")"), paste0("(", kept, ")"), line, fixed = TRUE)
    },
    "",
    USE.NAMES = FALSE
  )
  at <- grep("^# ", text)[1]
  title <- sub("^# +", "", text[at])
  writeLines(
    c(
      "---",
      paste0("title: \"", title, "\""),
      "output: rmarkdown::html_vignette",
      "vignette: >",
      paste0("  %\\VignetteIndexEntry{", title, "}"),
      "  %\\VignetteEngine{knitr::rmarkdown}",
      "  %\\VignetteEncoding{UTF-8}",
      "---",
      text[-seq_len(at)]
    ),
    file.path("vignettes", paste0(name, ".Rmd")),
    useBytes = TRUE
  )
}

unlink(work, recursive = TRUE)
