# Drafts the description of a service from its OpenAPI document: what each member of a request is
# most likely for, by its name, its type and what is said of it.

#' Draft the description of a service from its OpenAPI document
#'
#' Reads an OpenAPI document (3.0 or 3.1, YAML or JSON) and drafts an engine of the kind
#' `described` for `lineup.yml`: which call makes a picture, where prompt, picture, size, seed and
#' hold go, how a job is waited for, and where the result stands. It goes by names, types and
#' explanations, so a person has to check every line; what the document does not tell is listed.
#' Nothing is fetched.
#'
#' @param file The document.
#' @param call The call that makes a picture, such as `"POST /images"`; the likeliest if `NULL`.
#' @return An object of class `sprenn_draft`, a list: `name`; `entry`, the description as a list;
#'   `told`, a data frame with `what` and `where` for each thing that was found; `untold`, texts;
#'   `candidates`, the calls that may make a picture, likeliest first; `call`, the one that was
#'   taken; and `file`. `format()` gives the YAML.
#' @section Errors: `sprenn_error_openapi` if the document can't be read, or no call in it could
#'   make a picture; `sprenn_error_argument` for a `call` that it lacks.
#' @family engines
#' @export
#' @examples
#' file <- tempfile(fileext = ".yaml")
#' writeLines(c(
#'   "openapi: 3.1.0",
#'   "info: {title: Sundew, version: '2'}",
#'   "servers: [{url: 'https://sundew.example'}]",
#'   "paths:",
#'   "  /pictures:",
#'   "    post:",
#'   "      summary: Make a picture",
#'   "      requestBody:",
#'   "        content:",
#'   "          application/json:",
#'   "            schema:",
#'   "              type: object",
#'   "              properties:",
#'   "                prompt: {type: string}",
#'   "                seed: {type: integer}",
#'   "      responses:",
#'   "        '200': {description: It, content: {image/png: {}}}"
#' ), file)
#' draft_engine(file)
draft_engine <- function(file, call = NULL) {
  check_arguments(
    file = checkmate::check_file_exists(file),
    call = checkmate::check_string(call, null.ok = TRUE)
  )
  document <- read_openapi(file)
  calls <- calls_of(document)
  making <- making_calls(calls)
  names <- vapply(making, call_line, "")
  if (length(making) == 0) {
    stop_sprenn("openapi", c(
      paste0("No call in ", basename(file), " could make a picture."),
      i = "A call that does takes a body, by POST or PUT."
    ))
  }

  check_arguments(call = checkmate::check_choice(call, names, null.ok = TRUE))
  make <- making[[if (is.null(call)) 1 else match(call, names)]]
  draft <- draft_of(document, make, calls)
  draft$candidates <- names
  draft$call <- call_line(make)
  draft$file <- basename(file)
  structure(draft, class = "sprenn_draft")
}

call_line <- function(call) paste(call$method, call$path)

# The calls that may make a picture, the likeliest first.
making_calls <- function(calls) {
  able <- Filter(function(call) call$method != "GET" && !is.null(call$type), calls)
  points <- vapply(able, likeliness, 0)
  able[order(-points)]
}

likeliness <- function(call) {
  words <- name_words(paste(call$path, call$about))
  roles <- vapply(call$takes, function(leaf) role_of(leaf)$role %||% "", "")
  making <- c(
    "image", "images", "picture", "pictures", "generate", "generation", "generations", "render",
    "paint", "draw", "create", "run", "restyle", "transform", "make"
  )
  other <- c(
    "upload", "uploads", "file", "files", "blob", "blobs", "store", "delete", "caption", "describe",
    "train", "training", "upscale", "account", "webhook", "cancel", "embedding", "embeddings",
    "chat", "audio", "speech", "moderation", "moderations", "token", "login"
  )
  gives_picture <- length(call$gives) && any(vapply(call$gives, is_picture_leaf, NA))
  sum(making %in% words) - 2 * sum(other %in% words) + 4 * ("prompt" %in% roles) +
    2 * ("reference" %in% roles) + ("seed" %in% roles) +
    3 * (isTRUE(gives_picture) || startsWith(call$given_type %||% "", "image/"))
}

draft_of <- function(document, make, calls) {
  name <- short_name(document$info$title)
  request <- draft_request(make)
  answer <- draft_answer(make, calls, document)
  address <- server_address(document)
  headers <- idempotency_headers(make)
  about <- draft_about(document, request)
  line <- draft_line(make, request)
  entry <- c(
    list(kind = "described", address = address %||% "https://SERVICE.example"),
    key_fields(make, document, name),
    list(make = drop_empty(list(
      call = line$line,
      headers = headers,
      json = if (!request$is_form) request$template,
      form = if (request$is_form) request$template,
      keep = answer$keep
    ))),
    drop_empty(answer[c("wait", "result", "failures")]),
    list(about = about)
  )
  untold <- c(
    if (!any(c("prompt", "reference") %in% names(request$leaves)) && !length(answer$result)) {
      "whether any call makes pictures: by its words this one is the likeliest"
    },
    if (is.null(address)) "the service's address",
    if (length(make$security) == 0) "how the key is sent (key, key_header)",
    line$untold,
    request$untold,
    answer$untold,
    if (length(headers) == 0) {
      "how a call that comes twice is known (idempotent): it is taken that it is not"
    },
    if (is.null(answer$result$cost)) {
      "what a picture costs (about.price, or result.cost where an answer says it)"
    }
  )
  list(name = name, entry = entry, told = rbind(request$told, answer$told), untold = untold)
}

drop_empty <- function(list) Filter(function(one) length(one) > 0, list)

short_name <- function(title) {
  words <- name_words(tolower(title %||% "service"))
  words <- setdiff(words, c("api", "the", "image", "images", "picture", "service", "rest", "http"))
  name <- substr(c(words, "service")[1], 1, 40)
  if (grepl(id_pattern, name)) name else "service"
}

# Headers by which a call is known again.
idempotency_headers <- function(make) {
  named <- Filter(
    function(one) identical(one$`in`, "header") && "idempotency" %in% name_words(one$name),
    make$parameters
  )
  stats::setNames(rep(list("{key}"), length(named)), vapply(named, `[[`, "", "name"))
}

# The request line. Parameters of the path that are inputs become their names.
draft_line <- function(make, request) {
  line <- call_line(make)
  untold <- character()
  for (one in make$parameters) {
    if (!isTRUE(one$required) || !one$`in` %in% c("path", "query", "header")) {
      next
    }

    leaf <- list(path = one$name, schema = one$schema, required = TRUE, open = FALSE)
    role <- role_of(leaf)$role
    if (one$`in` == "path" && identical(role, "checkpoint")) {
      line <- sub(paste0("{", one$name, "}"), "{checkpoint}", line, fixed = TRUE)
    } else if (!"idempotency" %in% name_words(one$name)) {
      untold <- c(untold, paste0("what belongs in the ", one$`in`, " parameter ", one$name))
    }
  }

  list(line = line, untold = untold)
}

# The template of a request, with what was told of it, and what was not.
draft_request <- function(make) {
  is_form <- startsWith(make$type, "multipart")
  guesses <- sort_out(lapply(make$takes, role_of))
  template <- list()
  told <- list()
  untold <- character()
  settings <- list()
  for (i in seq_along(make$takes)) {
    leaf <- make$takes[[i]]
    guess <- guesses[[i]]
    place <- paste(setdiff(leaf$path, "[]"), collapse = ".")
    value <- if (!is.null(guess$role)) value_for(guess$role, leaf, is_form)
    if (is.null(value)) {
      setting <- setting_of(leaf)
      if (!is.null(setting)) {
        name <- gsub("[^A-Za-z0-9_-]", "_", utils::tail(setdiff(leaf$path, "[]"), 1))
        settings[[name]] <- setting
        value <- paste0("{settings.", name, "}")
        guess$role <- paste("setting", name)
      }
    }

    value <- value %||% constant_of(leaf)
    if (is.null(value)) {
      untold <- c(untold, untold_leaf(leaf, place))
    } else {
      template <- placed_in(template, leaf$path, value)
      if (!is.null(guess$role)) {
        told <- c(told, list(new_table(what = guess$role, where = place)))
      }
    }
  }

  roles <- vapply(guesses, function(guess) guess$role %||% "", "")
  list(
    template = template,
    is_form = is_form,
    settings = settings,
    leaves = stats::setNames(make$takes, roles),
    told = do.call(rbind, told),
    untold = c(untold, unsure_of(roles, make$takes))
  )
}

untold_leaf <- function(leaf, place) {
  if (leaf$open) {
    return(paste0("what belongs in ", place, ": the document does not say what it holds"))
  }

  if (leaf$required) {
    paste0("what belongs in ", place, ", which is required", said_of(leaf))
  }
}

said_of <- function(leaf) {
  said <- leaf$schema$description
  if (is_text(said)) paste0(" (", substr(gsub("[[:space:]]+", " ", said), 1, 80), ")") else ""
}

unsure_of <- function(roles, leaves) {
  lacking <- setdiff(c("prompt", "reference", "seed", "knob"), roles)
  size <- any(c("width", "size", "aspect") %in% roles)
  in_words <- c(
    prompt = "where the prompt goes",
    reference = "where the picture to start from goes",
    seed = "where the seed goes (if nowhere, about needs `repeatable: false`)",
    knob = "how firmly the picture is kept (about.hold is left out)"
  )
  knob <- leaves[roles == "knob"]
  ends <- if (length(knob)) ends_of_knob(knob[[1]])
  c(
    unname(in_words[lacking]),
    if (!size) "where the size goes",
    if (length(knob) && is.null(ends)) "the ends of the knob that keeps the picture (about.hold)",
    if (length(ends) && !ends$sure) {
      "which end of the knob keeps the picture (about.hold): check it"
    },
    if (any(roles == "reference" & vapply(leaves, is_address_leaf, NA))) {
      "how a picture gets to an address (upload), which is what the service takes"
    }
  )
}

# What stands in the template for a role; NULL where the leaf can't hold it.
value_for <- function(role, leaf, is_form) {
  choices <- as.character(unlist(leaf$schema$enum))
  form <- form_for(leaf, is_form)
  switch(role,
    reference = ,
    look = ,
    mask = paste0("{", role, ".", form, "}"),
    guide = paste0("{guides.", guide_kind(leaf), ".", form, "}"),
    knob = "{knob}",
    size = size_value(leaf),
    aspect = "{aspect}",
    count = "{count}",
    checkpoint = if (length(choices) != 1) "{checkpoint}" else choices,
    paste0("{", role, "}")
  )
}

# In which form a leaf takes a picture.
form_for <- function(leaf, is_form) {
  said <- tolower(leaf$schema$description %||% "")
  if (is_form && !identical(leaf$schema$format, "byte")) {
    "part"
  } else if (grepl("data[ :-]?ur[il]", said) || startsWith(choices_or_example(leaf), "data:")) {
    "data_url"
  } else if (is_address_leaf(leaf)) {
    "uploaded"
  } else {
    "base64"
  }
}

guide_kind <- function(leaf) {
  c(intersect(name_words(leaf$path), c("edges", "depth", "pose")), "edges")[1]
}

choices_or_example <- function(leaf) {
  schema <- leaf$schema
  c(
    as.character(unlist(schema$enum)), as.character(unlist(schema$examples)),
    as.character(schema$example), as.character(schema$default), ""
  )[1]
}

# Sizes as text have two numbers with something between them.
size_value <- function(leaf) {
  shown <- c(choices_or_example(leaf), leaf$schema$pattern)
  sized <- grep("^[^0-9]*([0-9]+|\\[0-9\\][^x*, ]*)[x*, \u00d7].*", shown, value = TRUE)
  between <- if (length(sized)) regmatches(sized[1], regexpr("[x*,\u00d7]", sized[1])) else "x"
  paste0("{width}", between, "{height}")
}

# A setting that a pipeline can give: a range, or words.
setting_of <- function(leaf) {
  schema <- leaf$schema
  if (leaf$open || "[]" %in% leaf$path) {
    return(NULL)
  }

  words <- as.character(unlist(schema$enum))
  if (length(words) > 1) {
    return(c(list(words = as.list(words)), default_of(schema, words)))
  }

  span <- span_of(schema)
  if (!is.null(span) && leaf_type(leaf) %in% c("whole", "number")) {
    default <- if (is_number(schema$default)) list(default = schema$default)
    c(list(from = span[1], to = span[2]), default)
  }
}

default_of <- function(schema, words) {
  if (is_text(schema$default) && schema$default %in% words) list(default = schema$default)
}

# What a required leaf always holds, where the document says it.
constant_of <- function(leaf) {
  schema <- leaf$schema
  only <- if (length(schema$enum) == 1) schema$enum[[1]]
  only %||% schema$const %||% if (leaf$required) schema$default
}

# A value put into nested lists.
placed_in <- function(template, path, value) {
  if (length(path) == 0) {
    return(value)
  }

  if (path[1] == "[]") {
    inner <- if (length(template)) template[[1]] else list()
    return(list(placed_in(inner, path[-1], value)))
  }

  inner <- template[[path[1]]] %||% list()
  template[[path[1]]] <- placed_in(inner, path[-1], value)
  template
}
