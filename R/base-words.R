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

listed <- function(words) paste(words, collapse = ", ")

count_words <- function(n, one) paste0(n, " ", one, ifelse(n == 1, "", "s"))

two <- function(x) ifelse(is.na(x), "-", formatC(x + 0, format = "f", digits = 2))

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

# Small sums differ in what two digits hide.
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

show_seconds <- function(seconds) {
  if (seconds < 90) {
    paste(ceiling(seconds), "s")
  } else if (seconds < 5400) {
    paste(ceiling(seconds / 60), "min")
  } else {
    paste(format(round(seconds / 3600, 1)), "h")
  }
}

format_bytes <- function(n) {
  if (n >= 1e6) {
    paste(round(n / 1e6), "MB")
  } else {
    paste(round(n / 1e3), "kB")
  }
}

# The known word that is nearest to what was written, or NA if none is near.
nearest_word <- function(word, known) {
  if (length(known) == 0 || !nzchar(word)) {
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
