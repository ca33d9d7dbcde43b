# Holds the value of a file against the table of fields.

walk_fields <- function(value, file) {
  fields <- trial_fields(file)
  if (!is.list(value) || is.null(names(value))) {
    return(new_problem(file, "", show_value(value), "keys with values, see docs/files.md"))
  }
  walk_record(value, "", "", fields, file)
}

walk_record <- function(value, place, pattern, fields, file) {
  known <- child_names(pattern, fields)
  below <- function(base, name) if (nzchar(base)) paste0(base, ".", name) else name
  unknown <- setdiff(names(value), known)
  problems <- lapply(unknown, function(name) {
    new_problem(
      file, below(place, name), "an unknown key", paste("one of", paste(known, collapse = ", ")),
      nearest_word(name, known)
    )
  })
  for (name in known) {
    row <- fields[fields$place == below(pattern, name), ]
    if (!name %in% names(value)) {
      if (row$needed) {
        problems <- c(problems, list(new_problem(file, below(place, name), "nothing", paste0(type_words(row$type), ": ", row$doc))))
      }
      next
    }
    problems <- c(problems, list(walk_value(value[[name]], below(place, name), row, fields, file)))
  }
  bind_problems(problems)
}

walk_value <- function(value, place, row, fields, file) {
  types <- strsplit(row$type, " or ", fixed = TRUE)[[1]]
  words <- sub(" .*", "", types)
  more <- ifelse(grepl(" ", types), sub("^[^ ]+ ", "", types), NA)
  kinds <- field_types()[words]
  fits <- mapply(function(kind, more) kind$fits(value, more), kinds, more)
  if (inherits(value, "yaml_code") || !any(fits)) {
    known <- unlist(mapply(function(kind, more) if (is.null(kind$known)) choices_in(more) else kind$known(more), kinds, more))
    near <- if (is.character(value) && length(value) == 1) nearest_word(value, known) else NA_character_
    return(new_problem(file, place, show_value(value), type_words(row$type), near))
  }
  word <- words[fits][1]
  if (word == "record") {
    return(walk_record(value, place, row$place, fields, file))
  }
  if (!word %in% c("list", "map")) {
    return(no_problems())
  }
  inner <- paste0(row$place, if (word == "list") "[]" else ".*")
  row <- fields[fields$place == inner, ]
  step <- if (word == "list") paste0("[", seq_along(value), "]") else paste0(".", names(value))
  bind_problems(lapply(seq_along(value), function(i) {
    walk_value(value[[i]], paste0(place, step[i]), row, fields, file)
  }))
}

choices_in <- function(more) if (!is.na(more) && grepl("|", more, fixed = TRUE)) strsplit(more, "|", fixed = TRUE)[[1]]

child_names <- function(pattern, fields) {
  head <- if (nzchar(pattern)) paste0(pattern, ".") else ""
  rest <- substring(fields$place[startsWith(fields$place, head)], nchar(head) + 1)
  rest[!grepl("[.[*]", rest) & nzchar(rest)]
}

type_words <- function(type) {
  types <- strsplit(type, " or ", fixed = TRUE)[[1]]
  words <- vapply(types, function(one) {
    field_types()[[sub(" .*", "", one)]]$words(if (grepl(" ", one)) sub("^[^ ]+ ", "", one) else NA)
  }, character(1))
  paste(words, collapse = ", or ")
}

# The JSON Schema (2020-12) of one of the three files, as a list.
field_schema <- function(file) {
  fields <- trial_fields(file)
  c(
    list(
      `$schema` = "https://json-schema.org/draft/2020-12/schema",
      title = paste("Sprenn", file)
    ),
    record_schema("", fields)
  )
}

record_schema <- function(pattern, fields) {
  names <- child_names(pattern, fields)
  places <- if (nzchar(pattern)) paste0(pattern, ".", names) else names
  rows <- lapply(places, function(place) fields[fields$place == place, ])
  properties <- lapply(rows, function(row) c(list(description = row$doc), value_schema(row, fields)))
  needed <- names[vapply(rows, function(row) row$needed, NA)]
  c(
    list(type = "object", properties = stats::setNames(properties, names), additionalProperties = FALSE, minProperties = 1),
    if (length(needed) > 0) list(required = as.list(needed))
  )
}

value_schema <- function(row, fields) {
  types <- strsplit(row$type, " or ", fixed = TRUE)[[1]]
  schemas <- lapply(types, function(one) {
    word <- sub(" .*", "", one)
    schema <- field_types()[[word]]$schema(if (grepl(" ", one)) sub("^[^ ]+ ", "", one) else NA)
    inner <- function(ending) value_schema(fields[fields$place == paste0(row$place, ending), ], fields)
    switch(word,
      record = record_schema(row$place, fields),
      list = c(schema, list(items = inner("[]"))),
      map = c(schema, list(additionalProperties = inner(".*"))),
      schema
    )
  })
  if (length(schemas) == 1) schemas[[1]] else list(anyOf = schemas)
}
