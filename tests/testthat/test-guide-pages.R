# Markdown in, one whole page out: for R's vignettes and for the site.
page_of <- function(..., pages = character(), env = parent.frame()) {
  skip_if_not_installed("commonmark")
  folder <- withr::local_tempdir(.local_envir = env)
  png::writePNG(array(0.5, c(4, 6, 3)), file.path(folder, "dot.png"))
  file <- file.path(folder, "page.md")
  writeLines(enc2utf8(c(...)), file, useBytes = TRUE)
  internal("guide_page")(file, pages)
}

test_that("a page fetches nothing, and has a title, anchors and its pictures inside", {
  page <- page_of(
    "<!--",
    "%\\VignetteIndexEntry{Mending & more}",
    "-->",
    "",
    "# Mending & more",
    "",
    "## What to *do* first?",
    "",
    "![a dot](dot.png)",
    "",
    "| a | b |",
    "| --- | --- |",
    "| 1 | 2 |"
  )
  expect_match(page, "<title>Mending &amp; more</title>", fixed = TRUE)
  expect_no_match(page, "VignetteIndexEntry")
  expect_match(page, "<h2 id=\"what-to-do-first\">", fixed = TRUE)
  expect_match(page, "<img src=\"data:image/png;base64,", fixed = TRUE)
  expect_match(page, "<div class=\"scroll\"><table>", fixed = TRUE)
  expect_match(page, "default-src 'none'; img-src data:", fixed = TRUE)
  expect_no_match(page, "<script|<link|src=\"http")
  expect_no_match(page, "<nav")
  xml <- xml2::read_html(page)
  expect_equal(xml2::xml_attr(xml2::xml_find_first(xml, "//html"), "lang"), "en")
  expect_equal(xml2::xml_attr(xml2::xml_find_all(xml, "//img"), "alt"), "a dot")
})

test_that("links lead to other pages; a page by itself has none to what lies elsewhere", {
  text <- c(
    "# Here",
    "",
    paste0(
      "[near](there.md#part), [far](../docs/far.md), [front](../README.md), ",
      "[out](https://pictures.example/a.md)"
    )
  )
  alone <- page_of(text)
  expect_match(alone, "<a href=\"there.html#part\">near</a>, far, front,", fixed = TRUE)
  expect_match(alone, "<a href=\"https://pictures.example/a.md\">", fixed = TRUE)
  site <- page_of(text, pages = c(Here = "here.html", There = "there.html"))
  expect_match(
    site,
    "<a href=\"far.html\">far</a>, <a href=\"index.html\">front</a>",
    fixed = TRUE
  )
  nav <- xml2::xml_find_all(xml2::read_html(site), "//nav/a")
  expect_equal(xml2::xml_text(nav), c("Here", "There"))
  expect_equal(xml2::xml_attr(nav, "aria-current"), c("page", NA))
})

test_that("letters of all kinds stay, and code is shown as it is", {
  page <- page_of(
    "# \u00d6l auf Stein \u2014 \u05e9\u05dc\u05d5\u05dd",
    "",
    "```sh",
    "sprenn measure \"<a>.png\" && echo $?",
    "```"
  )
  expect_match(page, "\u05e9\u05dc\u05d5\u05dd", fixed = TRUE)
  expect_match(page, "&quot;&lt;a&gt;.png&quot; &amp;&amp; echo $?", fixed = TRUE)
  expect_match(page, "class=\"language-sh\"", fixed = TRUE)
})

test_that("a picture that is not there is an error that names it", {
  expect_error(page_of("# x", "", "![gone](gone.png)"), "gone.png", class = "sprenn_error_file")
})

test_that("R finds every guide as a vignette, and weaves it into a page", {
  skip_if_not_installed("commonmark")
  vignettes <- testthat::test_path("..", "..", "vignettes")
  skip_if_not(dir.exists(vignettes), "the sources are not beside the tests")
  found <- tools::pkgVignettes(dir = dirname(normalizePath(vignettes)), check = TRUE)
  expect_equal(found$msg, character())
  expect_setequal(found$names, sub("[.]md$", "", list.files(vignettes, "[.]md$")))
  expect_equal(unique(found$engines), "sprenn::guide")
  out <- withr::local_tempdir()
  withr::local_dir(out)
  for (file in found$docs) {
    engine <- tools::vignetteEngine("sprenn::guide")
    expect_gt(file.size(engine$weave(file)), 5000)
    parse(engine$tangle(file))
  }

  # None is a burden to the package.
  expect_lt(sum(file.size(list.files(out, "[.]html$", full.names = TRUE))), 3e6)
})
