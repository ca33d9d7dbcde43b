# Writes the static site into site/: README, guides, docs and the functions' help, each page
# whole in itself. From the root with the package installed:
#   Rscript tools/site.R
out <- "site"
unlink(out, recursive = TRUE)
dir.create(file.path(out, "functions"), recursive = TRUE)

guides <- file.path(
  "vignettes",
  paste0(
    c(
      "first-pipeline", "own-engine", "telling-suite", "scores", "local-edits", "blind-viewing",
      "new-version", "many-machines", "own-measure"
    ),
    ".md"
  )
)

stopifnot(setequal(guides, list.files("vignettes", "[.]md$", full.names = TRUE)))
files <- c("README.md", guides, list.files("docs", "[.]md$", full.names = TRUE))

titles <- vapply(
  files,
  function(file) {
    sub("^# +", "", grep("^# ", readLines(file, encoding = "UTF-8"), value = TRUE)[1])
  },
  ""
)

pages <- stats::setNames(
  sub("README", "index", sub("[.]md$", ".html", basename(files))),
  titles
)

write <- function(text, file) writeLines(enc2utf8(text), file.path(out, file), useBytes = TRUE)
shown <- c(pages[seq_len(1 + length(guides))], Reference = "reference.html")

# Pictures and sources that a page links to lie in files/.
dir.create(file.path(out, "files"))

for (i in seq_along(files)) {
  text <- sprenn:::guide_page(files[i], shown)
  for (link in unique(
    gsub(
      "^<a href=\"|\"$",
      "",
      unlist(regmatches(text, gregexpr("<a href=\"[^\":#]+\"", text)))
    )
  )) {
    linked <- file.path(dirname(files[i]), link)
    if (file.exists(linked) && !dir.exists(linked)) {
      file.copy(linked, file.path(out, "files"), overwrite = TRUE)
      text <- gsub(
        paste0("<a href=\"", link, "\""),
        paste0("<a href=\"files/", basename(link), "\""),
        text,
        fixed = TRUE
      )
    }
  }

  write(text, pages[[i]])
}

# What can be looked up: the docs, and every exported function.
help <- list.files("man", "[.]Rd$", full.names = TRUE)
parsed <- lapply(help, tools::parse_Rd)

part <- function(rd, tag) {
  trimws(
    gsub(
      "[[:space:]]+",
      " ",
      paste(unlist(rd[vapply(rd, attr, "", "Rd_tag") == tag]), collapse = "")
    )
  )
}

topics <- unlist(lapply(seq_along(help), function(i) {
  names <- vapply(
    parsed[[i]][vapply(parsed[[i]], attr, "", "Rd_tag") == "\\alias"],
    function(one) as.character(one[[1]]),
    ""
  )
  stats::setNames(rep(sub("[.]Rd$", ".html", basename(help[i])), length(names)), names)
}))

for (i in seq_along(help)) {
  tools::Rd2HTML(
    parsed[[i]],
    file.path(out, "functions", sub("[.]Rd$", ".html", basename(help[i]))),
    package = "sprenn",
    Links = topics,
    stylesheet = "help.css"
  )
}

# Links to this package's own pages, and none to other packages' that are not here.
for (file in list.files(file.path(out, "functions"), full.names = TRUE)) {
  text <- gsub(
    "<a href=\"[^\"]*/sprenn/(html|help)/([^\"]+)\"",
    "<a href=\"\\2\"",
    paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
  )
  text <- gsub("00Index.html", "../reference.html", text, fixed = TRUE)
  writeLines(
    gsub("<a href=\"(?:[.][.]/){2}[^\"]*\">(.*?)</a>", "\\1", text, perl = TRUE),
    file,
    useBytes = TRUE
  )
}

file.copy(
  system.file("report", "guide.css", package = "sprenn"),
  file.path(out, "functions", "help.css")
)

rows <- sprintf(
  "| [%s](functions/%s) | %s |",
  vapply(parsed, part, "", "\\name"),
  sub("[.]Rd$", ".html", basename(help)),
  vapply(parsed, part, "", "\\title")
)

reference <- tempfile(fileext = ".md")

writeLines(
  c(
    "# Reference",
    "",
    "## Documents",
    "",
    paste0(
      "- [", titles[-seq_len(1 + length(guides))], "](",
      basename(files)[-seq_len(1 + length(guides))],
      ")"
    ),
    "",
    "## In R",
    "",
    "| | |",
    "| --- | --- |",
    rows,
    "",
    "## On the command line",
    "",
    "```",
    sprenn:::help_text(sprenn:::cli_commands()),
    "```"
  ),
  reference
)

write(sprenn:::guide_page(reference, shown), "reference.html")

# Nothing leads nowhere.
for (page in list.files(out, "[.]html$", recursive = TRUE)) {
  text <- paste(readLines(file.path(out, page), encoding = "UTF-8"), collapse = "\n")
  links <- sub(
    "#.*",
    "",
    gsub("^<a href=\"|\"$", "", unlist(regmatches(text, gregexpr("<a href=\"[^\":]+\"", text))))
  )
  dead <- unique(links[nzchar(links) & !file.exists(file.path(out, dirname(page), links))])
  if (length(dead)) {
    stop(page, " links to what is not there: ", paste(dead, collapse = ", "))
  }
}

message(
  "The site is ",
  file.path(out, "index.html"),
  ", ",
  length(list.files(out, "[.]html$", recursive = TRUE)),
  " pages."
)
