# Reads OpenAPI documents (3.0 and 3.1): the calls that a service has, with the leaves of what they
# take and answer. Nothing outside of the document is fetched.

read_openapi <- function(file) {
  text <- paste(readLines(file, warn = FALSE, encoding = "UTF-8"), collapse = "\n")
  is_json <- grepl("^[[:space:]]*\\{", text)
  document <- if (is_json) {
    tryCatch(read_json_text(text), error = function(e) NULL)
  } else {
    read_yaml_text(text, basename(file))$value
  }
  version <- if (is_keyed(document)) document$openapi
  if (!is_text(version) || !startsWith(version, "3.") || !is_keyed(document$paths)) {
    told <- if (is_keyed(document) && !is.null(document$swagger)) {
      "It is of version 2: there are converters to version 3."
    } else {
      "It has to say `openapi: 3.0.x` or 3.1.x, and to have `paths`."
    }
    stop_sprenn("openapi", c(
      paste0(basename(file), " is no OpenAPI document that can be read."),
      i = told
    ))
  }

  document
}

# References within a document are followed so often, and schemas taken apart so deep: both may
# lead in circles.
most_references <- 20
deepest_leaf <- 7

# What a reference stands for; NULL if it leads out of the document, or nowhere.
resolved <- function(node, document, left = most_references) {
  target <- if (is_keyed(node)) node[["$ref"]]
  if (is.null(target)) {
    return(node)
  }

  if (left == 0 || !is_text(target) || !startsWith(target, "#")) {
    return(NULL)
  }

  pointer <- utils::URLdecode(substring(target, 2))
  found <- tryCatch(find_by_pointer(document, pointer), sprenn_error_path = function(e) NULL)
  resolved(found$value, document, left - 1)
}

# A schema with what it is put together from: all of `allOf`, and the first alternative that is an
# object, or else the first that is not null.
whole_schema <- function(schema, document) {
  schema <- resolved(schema, document)
  for (part in schema$allOf) {
    part <- whole_schema(part, document)
    schema$properties <- c(schema$properties, part$properties)
    schema$required <- c(schema$required, part$required)
    schema <- c(schema, part[setdiff(names(part), c(names(schema), "properties", "required"))])
  }

  choices <- c(schema$oneOf, schema$anyOf)
  if (length(choices) && is.null(schema$properties)) {
    choices <- lapply(choices, resolved, document)
    is_null <- vapply(choices, function(one) identical(one$type, "null"), NA)
    is_object <- vapply(choices, function(one) !is.null(one$properties), NA)
    best <- c(choices[is_object], choices[!is_null])
    if (length(best)) {
      chosen <- whole_schema(best[[1]], document)
      schema <- c(schema, chosen[setdiff(names(chosen), names(schema))])
    }
  }

  schema$type <- setdiff(unlist(schema$type), "null")
  schema
}

# The leaves of a schema: a list of `path` (names, `[]` for the elements of a list), `schema`,
# `required`, and `open` for objects whose members the document does not tell. `above` are the
# references that led here: a schema within itself is not taken apart again.
leaves_of <- function(schema, document, path = character(), required = TRUE, above = NULL) {
  target <- if (is_keyed(schema)) schema[["$ref"]]
  if (length(path) > deepest_leaf || any(target %in% above)) {
    return(list())
  }

  above <- c(above, target)
  schema <- whole_schema(schema, document)
  if (is.null(schema)) {
    return(list())
  }

  if (length(schema$properties)) {
    needed <- unlist(schema$required)
    return(unlist(
      lapply(names(schema$properties), function(name) {
        inner <- schema$properties[[name]]
        leaves_of(inner, document, c(path, name), required && name %in% needed, above)
      }),
      recursive = FALSE
    ))
  }

  if (identical(schema$type, "array") || !is.null(schema$items)) {
    return(leaves_of(schema$items, document, c(path, "[]"), required, above))
  }

  open <- identical(schema$type, "object")
  list(list(path = path, schema = schema, required = required, open = open))
}

# All calls: `method`, `path`, `about` (its words), `parameters`, `type` (of the body), `takes` and
# `gives` (leaves), `given_type` and `status`.
calls_of <- function(document) {
  calls <- lapply(names(document$paths), function(path) {
    item <- resolved(document$paths[[path]], document)
    methods <- intersect(c("post", "put", "get"), names(item))
    lapply(methods, function(method) {
      read_operation(item[[method]], toupper(method), path, item$parameters, document)
    })
  })
  unlist(calls, recursive = FALSE)
}

read_operation <- function(operation, method, path, shared, document) {
  body <- resolved(operation$requestBody, document)$content
  type <- preferred_type(names(body))
  answer <- success_of(operation$responses, document)
  given_type <- preferred_type(names(answer$content))
  list(
    method = method,
    path = path,
    about = paste(c(
      operation$operationId, operation$summary, operation$description, unlist(operation$tags)
    ), collapse = " "),
    parameters = lapply(c(shared, operation$parameters), resolved, document),
    security = operation$security %||% document$security,
    type = type,
    takes = if (!is.null(type)) leaves_of(body[[type]]$schema, document),
    gives = if (!is.null(given_type)) leaves_of(answer$content[[given_type]]$schema, document),
    given_type = given_type,
    status = answer$status,
    headers = names(answer$headers)
  )
}

preferred_type <- function(types) {
  ways <- c("json", "multipart/form-data", "image/", "")
  for (way in ways) {
    fitting <- grep(way, types, fixed = TRUE, value = TRUE)
    if (length(fitting)) {
      return(fitting[1])
    }
  }
}

success_of <- function(responses, document) {
  good <- grep("^2", names(responses), value = TRUE)
  status <- c(intersect(c("200", "201", "202"), good), good, "default")[1]
  c(list(status = status), resolved(responses[[status]], document))
}

# The words of a name: `generationId` and `generation_id` have two.
name_words <- function(name) {
  split <- gsub("([a-z0-9])([A-Z])", "\\1 \\2", paste(name, collapse = " "))
  words <- strsplit(tolower(split), "[^a-z0-9]+")[[1]]
  words[nzchar(words)]
}

# The address of the first server, with its variables filled in; NULL if the document names none
# that is whole.
server_address <- function(document) {
  server <- document$servers[[1]]
  url <- server$url
  for (name in names(server$variables)) {
    value <- as.character(server$variables[[name]]$default)
    url <- gsub(paste0("{", name, "}"), value, url, fixed = TRUE)
  }

  url <- sub("/+$", "", url %||% "")
  if (grepl(address_pattern, url, perl = TRUE)) url
}

# How the key is sent, as fields of an entry.
key_fields <- function(call, document, name) {
  schemes <- unlist(lapply(call$security, names))
  scheme <- resolved(document$components$securitySchemes[[c(schemes, "none")[1]]], document)
  variable <- paste0(toupper(gsub("[^A-Za-z0-9]+", "_", name)), "_KEY")
  if (is.null(scheme)) {
    return(list())
  }

  if (identical(scheme$type, "apiKey")) {
    where <- if (identical(scheme$`in`, "query")) "key_query" else "key_header"
    return(c(list(key = variable), stats::setNames(list(scheme$name), where)))
  }

  basic <- identical(tolower(scheme$scheme %||% ""), "basic")
  c(list(key = variable), if (basic) list(key_scheme = "Basic"))
}
