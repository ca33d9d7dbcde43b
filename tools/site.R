# Writes the static site into site/ with pkgdown: README, guides, docs, reference and news. From
# the root, with the package installed:
#   Rscript tools/site.R
# pkgdown knows no docs/, so its pages are added to the guides in a copy of the package.
root <- getwd()
copy <- file.path(tempfile("site-"), "sprenn")
dir.create(copy, recursive = TRUE)
parts <- c(
  "DESCRIPTION", "NAMESPACE", "LICENSE", "README.md", "NEWS.md", "CONTRIBUTING.md", "R", "man",
  "vignettes", "examples"
)
file.copy(parts, copy, recursive = TRUE)
file.copy("tools/pkgdown.yml", file.path(copy, "_pkgdown.yml"))

read <- function(file) readLines(file, encoding = "UTF-8")
write <- function(text, file) writeLines(enc2utf8(text), file, useBytes = TRUE)

for (file in list.files("docs", "[.]md$", full.names = TRUE)) {
  if (basename(file) == "README.md") {
    next
  }

  text <- read(file)
  at <- grep("^# ", text)[1]
  write(
    c(
      "---",
      paste0("title: \"", sub("^# +", "", text[at]), "\""),
      "output: rmarkdown::html_document",
      "---",
      text[-seq_len(at)]
    ),
    file.path(copy, "vignettes", sub("[.]md$", ".Rmd", basename(file)))
  )
}

for (pictures in c("docs/screenshots", "bench")) {
  to <- file.path(copy, "vignettes", basename(pictures))
  dir.create(to, showWarnings = FALSE)
  file.copy(list.files(pictures, "[.]png$", full.names = TRUE), to)
}

# On the site all pages of guides and docs lie beside each other, in articles/.
guides <- list.files(file.path(copy, "vignettes"), "[.]Rmd$", full.names = TRUE)

for (file in guides) {
  text <- read(file)
  text <- gsub("\\]\\((?:[.][.]/docs/)?([a-z-]+)[.](?:md|Rmd)", "](\\1.html", text, perl = TRUE)
  text <- gsub("](../bench/", "](bench/", text, fixed = TRUE)
  # Sources are not part of the site.
  text <- gsub("\\[([^]]+)\\]\\([.][.]/[^)]*\\)", "\\1", text)
  write(text, file)
}

# The pages beside the README lead to those in articles/.
for (name in c("README.md", "CONTRIBUTING.md")) {
  text <- read(file.path(copy, name))
  text <- gsub("](NEWS.md)", "](news/index.html)", text, fixed = TRUE)
  text <- gsub("](docs/README.md)", "](articles/index.html)", text, fixed = TRUE)
  text <- gsub(
    "\\]\\((?:docs|vignettes)/([a-z-]+)[.](?:md|Rmd)",
    "](articles/\\1.html",
    text,
    perl = TRUE
  )
  text <- gsub("](docs/screenshots/", "](articles/screenshots/", text, fixed = TRUE)
  text <- gsub("\\[([^]]+)\\]\\((?:examples|inst)/[^)]*\\)", "\\1", text, perl = TRUE)
  write(text, file.path(copy, name))
}

options(pkgdown.internet = FALSE)
pkgdown::build_site(
  copy,
  examples = FALSE,
  install = FALSE,
  new_process = FALSE,
  preview = FALSE,
  devel = FALSE
)

made <- file.path(copy, "made")
dir.create(file.path(made, "articles"), showWarnings = FALSE)
file.copy(
  file.path(copy, "vignettes", c("screenshots", "bench")),
  file.path(made, "articles"),
  recursive = TRUE
)

# No link may lead nowhere.
dead <- character()

for (page in list.files(made, "[.]html$", recursive = TRUE)) {
  text <- paste(read(file.path(made, page)), collapse = "\n")
  links <- unlist(regmatches(text, gregexpr("(href|src)=\"[^\"#]+", text)))
  links <- unique(sub("^[^\"]*\"", "", links))
  # Those with a scheme lead out of the site.
  links <- links[!grepl("^[a-z]+:", links)]
  missing <- links[!file.exists(file.path(made, dirname(page), links))]
  dead <- c(dead, if (length(missing)) paste(page, "->", missing))
}

if (length(dead)) {
  stop("Links that lead nowhere:\n", paste(dead, collapse = "\n"))
}

unlink(file.path(root, "site"), recursive = TRUE)
file.copy(made, root, recursive = TRUE)
file.rename(file.path(root, "made"), file.path(root, "site"))
message("The site is site/index.html.")
