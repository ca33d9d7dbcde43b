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
