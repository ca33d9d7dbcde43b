# What a value is, asked often.

is_text <- function(x) is.character(x) && length(x) == 1 && grepl("\\S", x, perl = TRUE)

is_number <- function(x) is.numeric(x) && length(x) == 1 && is.finite(x)

is_numbers <- function(x, n, ends = c(-Inf, Inf)) {
  is.list(x) &&
    length(x) == n &&
    is.null(names(x)) &&
    all(vapply(x, is_number, NA)) &&
    all(unlist(x) >= ends[1] & unlist(x) <= ends[2])
}

is_keyed <- function(x) {
  is.list(x) && !inherits(x, "yaml_code") && !is.null(names(x)) && length(x) > 0
}

in_range <- function(x, more) {
  ends <- if (!is.na(more)) as.numeric(split_words(more, ".."))
  is.na(more) || (x >= ends[1] && (length(ends) < 2 || x <= ends[2]))
}

are_between <- function(x, ends) is.numeric(x) && all(x >= ends[1] & x <= ends[2])

split_words <- function(text, by) strsplit(text, by, fixed = TRUE)[[1]]
