# Where something stands in an answer: a JSONPath (RFC 9535) such as `$.data[0].url`, a JSON Pointer
# (RFC 6901) such as `/data/0/url`, or `header NAME`.

# Reads such a place; a `sprenn_error_path` says what is wrong with it.
read_place <- function(text) {
  if (grepl("^header +[!#$%&'*+.^_`|~0-9A-Za-z-]+$", text)) {
    return(list(header = tolower(sub("^header +", "", text))))
  }

  if (startsWith(text, "/")) {
    read_pointer(text)
    return(list(pointer = text))
  }

  list(path = read_path(text))
}

# All that stands there, as a list. `document` is parsed JSON, NULL where the answer is none, and
# `headers` a list by names in lower case.
find_at_place <- function(place, document, headers = list()) {
  if (!is.null(place$header)) {
    return(as.list(headers[[place$header]]))
  }

  if (is.null(document)) {
    return(list())
  }

  if (!is.null(place$pointer)) {
    found <- find_by_pointer(document, place$pointer)
    return(lapply(list(found)[!is.null(found)], `[[`, "value"))
  }

  find_by_path(document, place$path)
}
