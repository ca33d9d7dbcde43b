# What pages are made of: styles and scripts, their content policy, data for scripts, and small
# drawings by attributes, as no element may bring a style of its own.

page_part <- function(name) {
  file <- system.file("pages", name, package = "sprenn")
  paste(readLines(file, encoding = "UTF-8", warn = FALSE), collapse = "\n")
}

# The style and the script of a page: what all have, and its own parts.
page_style <- function(...) {
  parts <- c("common", ...)
  paste(vapply(paste0(parts, ".css"), page_part, ""), collapse = "\n")
}

page_script <- function(...) {
  parts <- c("viewer", ...)
  paste(vapply(paste0(parts, ".js"), page_part, ""), collapse = "\n")
}

# A script or style as a content policy names it, so that no other runs.
only_source <- function(text) {
  paste0("'sha256-", openssl::base64_encode(openssl::sha256(charToRaw(enc2utf8(text)))), "'")
}

# The policy of a page in a file: nothing is loaded, and no other script runs.
file_policy <- function(style, script) {
  paste0(
    "default-src 'none'; img-src data:; style-src ", only_source(style), "; script-src ",
    only_source(script), "; base-uri 'none'; form-action 'none'"
  )
}

# The beginning of a page up to its body. Written out by hand, because htmltools lifts the head out
# of a page that it turns into text. A page that is served has its `policy` in a header.
page_top <- function(title, style, policy = NULL) {
  paste0(
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n",
    if (!is.null(policy)) {
      paste0("<meta http-equiv=\"Content-Security-Policy\" content=\"", policy, "\">\n")
    },
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n",
    "<meta name=\"color-scheme\" content=\"light dark\">\n",
    "<link rel=\"icon\" href=\"data:,\">\n",
    "<title>", htmltools::htmlEscape(title), "</title>\n<style>", style,
    "</style>\n</head>\n<body>\n"
  )
}

# Data that a script reads. No text can end the element or begin a comment in it.
data_block <- function(id, data) {
  text <- as.character(
    jsonlite::toJSON(data, auto_unbox = TRUE, digits = 4, na = "null", null = "null")
  )
  paste0(
    "<script type=\"application/json\" id=\"", id, "\">",
    gsub("<", "\\u003c", text, fixed = TRUE), "</script>\n"
  )
}

data_uri <- function(bytes, type) {
  paste0("data:", type, ";base64,", gsub("\n", "", jsonlite::base64_enc(bytes)))
}

# A value between 0 and 1 with its interval.
interval_bar <- function(value, low, high, colour) {
  at <- function(x) formatC(100 * clamp_share(x), format = "f", digits = 1)
  htmltools::tags$svg(
    class = "track",
    viewBox = "0 0 100 8",
    preserveAspectRatio = "none",
    `aria-hidden` = "true",
    htmltools::HTML(paste0(
      "<rect class=\"rail\" x=\"0\" y=\"0\" width=\"100\" height=\"8\"></rect>",
      if (!is.na(low)) {
        paste0(
          "<rect x=\"", at(low), "\" y=\"2\" width=\"", at(high - low),
          "\" height=\"4\" fill=\"", colour, "\" fill-opacity=\"0.5\"></rect>"
        )
      },
      "<rect x=\"",
      at(value - 0.01),
      "\" y=\"0\" width=\"2.5\" height=\"8\" fill=\"",
      colour,
      "\"></rect>"
    ))
  )
}

swatch <- function(colour) {
  htmltools::tags$svg(
    class = "swatch",
    viewBox = "0 0 1 1",
    `aria-hidden` = "true",
    htmltools::HTML(paste0("<rect width=\"1\" height=\"1\" fill=\"", colour, "\"></rect>"))
  )
}

# A table that scrolls by itself where the page is narrow. `label` is said to those who can't see
# it; `rows` are the rows of its body.
scroll_table <- function(label, caption, heads, rows, id = NULL) {
  tag <- htmltools::tags
  tag$div(
    class = "scroll",
    tabindex = "0",
    role = "region",
    `aria-label` = label,
    tag$table(
      id = id,
      tag$caption(caption),
      tag$thead(tag$tr(lapply(heads, function(head) {
        if (nzchar(head)) tag$th(scope = "col", head) else tag$td()
      }))),
      tag$tbody(rows)
    )
  )
}

# What keys do, named by them, to be opened.
keys_part <- function(keys) {
  tag <- htmltools::tags
  tag$details(
    class = "keys",
    tag$summary("Keys"),
    tag$table(
      lapply(names(keys), function(key) {
        tag$tr(tag$th(scope = "row", tag$kbd(key)), tag$td(keys[[key]]))
      })
    )
  )
}

# A picture with its name, and the key that shows it.
picture_frame <- function(id, label, key) {
  tag <- htmltools::tags
  tag$figure(
    id = paste0("frame-", id),
    tag$figcaption(label, if (!is.null(key)) tag$kbd(key)),
    tag$div(
      class = "pane",
      tag$img(id = paste0("picture-", id), alt = label, draggable = "false")
    )
  )
}

tool_button <- function(id, label, key) {
  htmltools::tags$button(id = id, type = "button", label, htmltools::tags$kbd(key))
}

# A picture over another, with a slider for the edge between them.
wipe_part <- function() {
  tag <- htmltools::tags
  tag$div(
    id = "wipe",
    hidden = NA,
    tag$div(id = "wiped", tag$img(id = "under", alt = ""), tag$img(id = "over", alt = "")),
    tag$label(
      class = "slide",
      tag$span(id = "wipe-of"),
      tag$input(
        id = "edge",
        type = "range",
        min = "0",
        max = "100",
        value = "50",
        `aria-label` = "How far the second picture is drawn over the first"
      )
    )
  )
}

# A dialog in which the pictures of `...` are looked at side by side or wiped: see
# inst/pages/opened.js. `steps` names the buttons that go to another take.
opened_dialog <- function(steps, ...) {
  tag <- htmltools::tags
  tag$dialog(
    id = "compare",
    `aria-labelledby` = "compare-title",
    tag$div(
      class = "bar",
      tag$h2(id = "compare-title"),
      tool_button("earlier", steps[["earlier"]], "\u2190"),
      tool_button("later", steps[["later"]], "\u2192"),
      tool_button("nearer", "Nearer", "+"),
      tool_button("further", "Further", "\u2212"),
      tool_button("whole", "Whole", "0"),
      tool_button("wiping", "Wipe", "W"),
      if (...length() > 2) tool_button("next-wipe", "Wipe the next two", "E"),
      tool_button("close", "Close", "Esc")
    ),
    tag$p(id = "compare-words"),
    tag$div(id = "stage", ...),
    wipe_part()
  )
}
