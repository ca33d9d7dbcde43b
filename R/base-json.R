# JSON in one form, so that the same facts give the same text.

to_json <- function(x) {
  as.character(
    jsonlite::toJSON(
      if (length(x) == 0) structure(list(), names = character()) else x,
      auto_unbox = TRUE,
      digits = NA,
      null = "null"
    )
  )
}

sort_by_name <- function(values) {
  if (length(values) == 0) {
    list()
  } else {
    values[order(names(values), method = "radix")]
  }
}
