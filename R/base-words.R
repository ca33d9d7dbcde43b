# Numbers, lists and names in words: one form for each kind of fact.

quoted <- function(text) paste0("\"", text, "\"")

shorten_list <- function(words, most = 4) {
  if (length(words) > most) {
    words <- c(words[seq_len(most - 1)], paste(length(words) - most + 1, "more"))
  }

  if (length(words) < 2) {
    words
  } else {
    paste(paste(words[-length(words)], collapse = ", "), "and", words[length(words)])
  }
}

# Texts once each, as they rise if they are numbers.
in_order <- function(values) {
  values <- unique(values)
  number <- suppressWarnings(as.numeric(values))
  if (anyNA(number)) values else values[order(number)]
}

# Texts that are longer than so many letters, cut.
cut_text <- function(text, most) {
  ifelse(nchar(text) > most, paste0(substr(text, 1, most - 3), "..."), text)
}

listed <- function(words) paste(words, collapse = ", ")

count_words <- function(n, one) paste0(n, " ", one, ifelse(n == 1, "", "s"))

format_value <- function(x) format(x, digits = 4, trim = TRUE, drop0trailing = TRUE)

two <- function(x) ifelse(is.na(x), "-", formatC(x + 0, format = "f", digits = 2))

# A share: 83 %; never 0 % or 100 % unless it is exactly that.
percent <- function(x) {
  ifelse(
    is.na(x),
    "-",
    paste0(
      ifelse(x > 0.994 & x < 1, ">99", ifelse(x < 0.006 & x > 0, "<1", round(100 * x))),
      " %"
    )
  )
}

# Small amounts need more than two digits.
small_sum <- function(x) {
  ifelse(
    !is.finite(x),
    "-",
    ifelse(x > 0 & x < 0.1, vapply(signif(x, 2), format, "", scientific = FALSE), two(x))
  )
}

chance_words <- function(x) {
  ifelse(is.na(x), "-", ifelse(x > 0.994, ">99 %", ifelse(x < 0.006, "<1 %", percent(x))))
}

# A duration, rounded up: 80 s, 3 min, 2.4 h.
show_seconds <- function(seconds) {
  ifelse(
    is.na(seconds),
    "-",
    ifelse(
      seconds < 90,
      paste(ceiling(seconds), "s"),
      ifelse(
        seconds < 5400,
        paste(ceiling(seconds / 60), "min"),
        paste(round(seconds / 3600, 1), "h")
      )
    )
  )
}

# A sum of money, in the lineup's currency.
show_money <- function(x) ifelse(is.finite(x), formatC(x, format = "f", digits = 2), "-")

# A size on disk: 12 kB, 3 MB, 1.5 GB.
show_size <- function(bytes) {
  ifelse(
    bytes >= 1e9,
    paste(round(bytes / 1e9, 1), "GB"),
    ifelse(bytes >= 1e6, paste(round(bytes / 1e6), "MB"), paste(ceiling(bytes / 1e3), "kB"))
  )
}

# The known word that is nearest to what was written, or NA if none is near.
nearest_word <- function(word, known) {
  if (length(known) == 0 || is.na(word) || !nzchar(word)) {
    return(NA_character_)
  }

  distance <- utils::adist(tolower(word), tolower(known))[1, ]
  if (min(distance) <= max(1, ceiling(nchar(word) / 3))) {
    known[which.min(distance)]
  } else {
    NA_character_
  }
}

one_line <- function(e) {
  text <- sub("^.*libpng error: |^Error: |^.*R: ", "", conditionMessage(e))
  trimws(gsub("[[:space:]]+", " ", sub(" *`' @.*$| @ error/.*$", "", text)))
}

# Names that are fit for ids: letters, digits and dashes, each once.
plain_names <- function(names) {
  plain <- iconv(sub("\\.[^.]*$", "", names), to = "ASCII//TRANSLIT", sub = "-")
  plain <- tolower(gsub("^-+|-+$", "", gsub("[^A-Za-z0-9]+", "-", plain)))
  plain <- ifelse(nzchar(plain), substr(plain, 1, 40), "picture")
  make.unique(plain, sep = "-")
}

in_chunks <- function(some, size) unname(split(some, (seq_along(some) - 1) %/% size))

# Text from elsewhere (engines, judges, files), fit to be shown and kept. Sequences that steer a
# terminal go, and so do characters that reorder the text around them; other control characters
# and bytes that are no UTF-8 become U+FFFD. Line breaks and tabs stay, and so do the joiners and
# marks that scripts need.
clean_text <- function(text) {
  if (!is.character(text)) {
    return(text)
  }

  broken <- which(!validUTF8(text))
  text[broken] <- iconv(text[broken], "UTF-8", "UTF-8", sub = "\ufffd")
  odd <- which(has_controls(text))
  clean <- gsub("\r\n?|[\u2028\u2029]", "\n", enc2utf8(text[odd]), perl = TRUE)
  clean <- gsub(terminal_sequence, "", clean, perl = TRUE)
  clean <- gsub(paste0("[", reordering, "]"), "", clean, perl = TRUE)
  text[odd] <- gsub(paste0("[", control_characters, "]"), "\ufffd", clean, perl = TRUE)
  text
}

# Whether there is something in a text that clean_text() changes.
has_controls <- function(text) {
  broken <- !validUTF8(text)
  text[broken] <- ""
  broken | grepl(unclean, text, perl = TRUE)
}

# Each such character spelled out, such as \u001b, so that it can be seen.
spell_controls <- function(text) {
  for (one in unique(unlist(regmatches(text, gregexpr(unclean, text, perl = TRUE))))) {
    text <- gsub(one, sprintf("\\u%04x", utf8ToInt(one)), text, fixed = TRUE)
  }

  text
}

# Embeddings, overrides and isolates of direction, and the byte order mark.
reordering <- "\u202a-\u202e\u2066-\u2069\ufeff"

# C0 but for the tab and the line feed, DEL, C1, and the anchors of annotations.
control_characters <- "\\x{01}-\\x{08}\\x{0b}-\\x{1f}\\x{7f}-\\x{9f}\ufff9-\ufffb"

unclean <- paste0("[\r\u2028\u2029", reordering, control_characters, "]")

# What terminals take for commands (ECMA-48): a control sequence, a string with its end, or an
# escape with one character behind it. \u009b and its like are the same in one character.
terminal_sequence <- paste(
  "(?:\\x{1b}\\[|\u009b)[0-?]*[ -/]*[@-~]",
  paste0(
    "(?:\\x{1b}[\\]PX^_]|[\u0090\u0098\u009d-\u009f])",
    "[^\\x{07}\\x{1b}\u009c]*(?:\\x{07}|\\x{1b}\\\\|\u009c)"
  ),
  "\\x{1b}[ -/]*[0-~]",
  sep = "|"
)

# Text as cells of a table that a spreadsheet may open: what it would take for a formula begins
# with an apostrophe.
as_cells <- function(table) {
  for (column in names(table)[vapply(table, is.character, NA)]) {
    cells <- table[[column]]
    table[[column]] <- ifelse(grepl("^[=+@\t-]", cells), paste0("'", cells), cells)
  }

  table
}

# A text of JSON as lists, its strings fit to be shown; an error if it is no JSON.
read_json_text <- function(text) {
  if (is_deep(text)) {
    stop("JSON ", nested_too_deep, call. = FALSE)
  }

  clean_said(jsonlite::parse_json(text))
}

# Parsers, and what walks through their results, go as deep as a text does. Nothing that is meant
# for us is this deep.
most_nested <- 50
nested_too_deep <- paste("that is nested more than", most_nested, "deep")
is_deep <- function(json) core_nesting(charToRaw(json), skip_strings = TRUE) > most_nested

clean_said <- function(said) change_texts(said, clean_text)

# Nested lists with all their texts changed, names too.
change_texts <- function(said, change) {
  if (is.list(said)) {
    names(said) <- if (!is.null(names(said))) change(names(said))
    said[] <- lapply(said, change_texts, change)
  } else if (is.character(said)) {
    said[] <- change(said)
  }

  said
}
