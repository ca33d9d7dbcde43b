# Holds the value of a file against the tables of fields and rules, which are
# grown into a tree once, when the package is built.

# A node of the tree: `types` (parsed), `doc`, `needed`, `children` (of a
# record, by key), `musts` (the keys that are needed), `item` (of a list), `each`
# (of a map), `rules`.
grow_tree <- function(fields, rules, place = "") {
  row <- fields[fields$place == place, ]
  below <- function(ending) {
    if (paste0(place, ending) %in% fields$place) {
      grow_tree(fields, rules, paste0(place, ending))
    }
  }

  head <- if (nzchar(place)) paste0(place, ".") else ""
  rest <- substring(fields$place[startsWith(fields$place, head)], nchar(head) + 1)
  keys <- rest[!grepl("[.[*]", rest) & nzchar(rest)]
  children <- lapply(stats::setNames(keys, keys), function(key) {
    grow_tree(fields, rules, paste0(head, key))
  })
  list(
    place = place,
    types = if (nrow(row)) parse_type(row$type),
    wanted = if (nrow(row)) type_words(row$type),
    doc = row$doc,
    needed = isTRUE(row$needed),
    children = children,
    musts = names(Filter(function(child) child$needed, children)),
    item = below("[]"),
    each = below(".*"),
    rules = parse_rules(rules[rules$place == place, ])
  )
}

walk_fields <- function(value, file) {
  if (!is_keyed(value)) {
    return(new_problem(file, "", show_value(value), "keys with values, see docs/files.md"))
  }

  bind_problems(walk_record(value, "", trial_trees[[file]], file))
}

# The problems of a record, as a list: binding tables at every level would cost
# more than all the checks.
walk_record <- function(value, place, node, file) {
  below <- function(name) if (nzchar(place)) paste0(place, ".", name) else name
  known <- names(node$children)
  given <- names(value)
  problems <- lapply(given[!given %in% known], function(name) {
    new_problem(
      file,
      below(name),
      "an unknown key",
      paste("one of", paste(known, collapse = ", ")),
      nearest_word(name, known)
    )
  })
  for (name in given[given %in% known]) {
    problems <- c(problems, walk_value(value[[name]], below(name), node$children[[name]], file))
  }

  for (name in node$musts[!node$musts %in% given]) {
    if (name == "id" || !"like" %in% given) {
      child <- node$children[[name]]
      problems <- c(
        problems,
        list(new_problem(file, below(name), "nothing", paste0(child$wanted, ": ", child$doc)))
      )
    }
  }

  broken <- rule_breaks(value, node$rules)
  c(
    problems,
    lapply(broken, function(one) {
      new_problem(file, if (is.null(one$key)) place else below(one$key), one$found, one$wanted)
    })
  )
}

walk_value <- function(value, place, node, file) {
  word <- fitting_type(value, node)
  if (is.null(word)) {
    known <- unlist(lapply(node$types, function(type) type$known(type$more)))
    is_word <- is.character(value) && length(value) == 1
    near <- if (is_word) nearest_word(value, known) else NA_character_
    return(list(new_problem(file, place, show_value(value), node$wanted, near)))
  }

  switch(word,
    record = walk_record(value, place, node, file),
    list = walk_each(value, paste0(place, "[", seq_along(value), "]"), node$item, file),
    map = walk_each(value, paste0(place, ".", names(value)), node$each, file),
    list()
  )
}

# The first of the types that a field may have which a value is of; NULL if it is of none.
fitting_type <- function(value, node) {
  if (inherits(value, "yaml_code")) {
    return(NULL)
  }

  for (type in node$types) {
    if (isTRUE(type$fits(value, type$more))) {
      return(type$word)
    }
  }
}

walk_each <- function(values, places, inner, file) {
  if (is.null(inner)) {
    return(list())
  }

  unlist(
    lapply(seq_along(values), function(i) walk_value(values[[i]], places[i], inner, file)),
    recursive = FALSE
  )
}

# The JSON Schema (2020-12) of one of the files, as a list.
field_schema <- function(file) {
  c(
    list(
      `$schema` = "https://json-schema.org/draft/2020-12/schema",
      title = paste("Sprenn", file)
    ),
    record_schema(trial_trees[[file]])
  )
}

record_schema <- function(node) {
  relaxed <- "like" %in% names(node$children)
  needed <- as.list(names(Filter(function(child) child$needed, node$children)))
  always <- if (relaxed) as.list(intersect(unlist(needed), "id")) else needed
  rules <- rule_schemas(node$rules, relaxed)
  if (relaxed && length(needed) > length(always)) {
    rules <- c(
      rules,
      list(list(anyOf = list(list(required = list("like")), list(required = needed))))
    )
  }

  c(
    list(
      type = "object",
      properties = lapply(node$children, function(child) {
        c(list(description = child$doc), value_schema(child))
      }),
      additionalProperties = FALSE,
      minProperties = 1
    ),
    if (length(always) > 0) list(required = always),
    if (length(rules) > 0) list(allOf = rules)
  )
}

value_schema <- function(node) {
  schemas <- lapply(node$types, function(type) {
    schema <- type$schema(type$more)
    switch(type$word,
      record = record_schema(node),
      list = c(schema, list(items = value_schema(node$item))),
      map = c(schema, list(additionalProperties = value_schema(node$each))),
      schema
    )
  })
  if (length(schemas) == 1) {
    schemas[[1]]
  } else {
    list(anyOf = schemas)
  }
}

trial_files <- c("suite.yml", "lineup.yml", "brief.yml")
written_files <- c(trial_files, "workers.yml")

# The one table of fields of the files that a person writes: the three of a trial, and
# that of workers on other machines. The checks, the JSON Schemas in inst/schema/ and
# docs/files.md are all made from it.
#
# `place`: `[]` is every item of a list, `*` every name of a map.
# `type`: one or more of the words in field_types(), joined by " or ".
trial_fields <- function(file) {
  fields <- switch(file,
    suite.yml = suite_fields(),
    lineup.yml = lineup_fields(),
    brief.yml = brief_fields(),
    workers.yml = workers_fields()
  )
  fields$needed <- fields$needed == "yes"
  fields
}

trial_trees <- lapply(stats::setNames(written_files, written_files), function(file) {
  grow_tree(trial_fields(file), trial_rules(file))
})
