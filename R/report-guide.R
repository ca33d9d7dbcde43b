# Guides: Markdown in, a page out that needs nothing beside it. R CMD build makes the
# vignettes with this, and `make docs` the site.

# `pages` are the pages of a site, addresses named by their titles. A page by itself has no
# links to what would lie beside it there.
guide_page <- function(file, pages = character()) {
  lines <- readLines(file, encoding = "UTF-8", warn = FALSE)
  # What R reads of a vignette stands in a comment at its head.
  if (identical(lines[1], "<!--")) {
    lines <- lines[-seq_len(match("-->", lines))]
  }

  title <- sub("^# +", "", c(grep("^# ", lines, value = TRUE), basename(file))[1])
  body <- commonmark::markdown_html(
    paste(lines, collapse = "\n"),
    extensions = c("table", "autolink")
  )
  body <- replace_each(body, "<h([23])>(.*?)</h[23]>", function(one) {
    paste0(
      "<h", one[2], " id=\"", anchor_of(one[3]),
      "\">", one[3], "</h", one[2], ">"
    )
  })
  body <- replace_each(body, "<img src=\"([^\":]+)\"", function(one) {
    paste0("<img src=\"", embedded_picture(file.path(dirname(file), one[2])), "\"")
  })
  if (length(pages) == 0) {
    body <- replace_each(body, "<a href=\"[.][.]/[^\"]+\">(.*?)</a>", function(one) one[2])
  }

  body <- replace_each(body, "<a href=\"([^\":]+)\"", function(one) {
    paste0("<a href=\"", page_address(one[2]), "\"")
  })
  body <- gsub(
    "<table>",
    "<div class=\"scroll\"><table>",
    gsub("</table>", "</table></div>", body, fixed = TRUE),
    fixed = TRUE
  )
  tag <- htmltools::tags
  nav <- if (length(pages)) {
    tag$nav(
      `aria-label` = "Pages",
      Map(
        function(address, name) {
          tag$a(href = address, `aria-current` = if (name == title) "page", name)
        },
        pages,
        names(pages)
      )
    )
  }
  paste0(
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n",
    "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; img-src data:; ",
    "style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'\">\n",
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<meta ",
    "name=\"color-scheme\" content=\"light dark\">\n",
    "<title>",
    htmltools::htmlEscape(title),
    "</title>\n<style>",
    report_part("guide.css"),
    "</style>\n</head>\n<body>\n",
    as.character(nav),
    "<main>\n",
    body,
    "</main>\n</body>\n</html>\n"
  )
}

# `text` with every match of `pattern` replaced by what `f` makes of the match and its groups.
replace_each <- function(text, pattern, f) {
  found <- gregexpr(pattern, text, perl = TRUE)
  regmatches(text, found) <- list(
    vapply(
      regmatches(text, found)[[1]],
      function(one) f(regmatches(one, regexec(pattern, one, perl = TRUE))[[1]]),
      "",
      USE.NAMES = FALSE
    )
  )
  text
}

anchor_of <- function(heading) {
  gsub("^-|-$", "", gsub("[^a-z0-9]+", "-", tolower(gsub("<[^>]+>", "", heading))))
}

embedded_picture <- function(file) {
  if (!file.exists(file)) {
    stop_sprenn("file", paste0("There is no picture ", file, "."))
  }

  data_uri(
    read_bytes(file),
    paste0("image/", sub("svg", "svg+xml", sub("jpg", "jpeg", tolower(tools::file_ext(file)))))
  )
}

# On the site all pages lie beside each other.
page_address <- function(address) {
  if (!grepl("[.]md(#|$)", address)) {
    address
  } else {
    sub("README", "index", basename(sub("[.]md", ".html", address)))
  }
}

# What R CMD build calls for each vignette.
weave_guide <- function(file, ...) {
  out <- sub("[.]md$", ".html", basename(file))
  con <- file(out, "wb")
  on.exit(close(con))
  writeBin(charToRaw(enc2utf8(guide_page(file))), con)
  out
}

# Guides show commands of a shell; of R code there is nothing to take out.
tangle_guide <- function(file, ...) {
  out <- sub("[.]md$", ".R", basename(file))
  writeLines("# The code of this guide is in the folder examples/ of Sprenn's sources.", out)
  out
}

.onLoad <- function(libname, pkgname) {
  tools::vignetteEngine(
    "guide",
    weave = weave_guide,
    tangle = tangle_guide,
    pattern = "[.]md$",
    package = "sprenn"
  )
}
