# Finds values in parsed JSON: by a JSONPath (RFC 9535) that read_path() has read, or by a JSON
# Pointer (RFC 6901). JSON is as jsonlite::parse_json() returns it: objects are named lists.

# All that a path finds in a document, in the order of the document: a list of values, NULL for
# null. `most` is the largest number of values that are looked at: a path of many `..` would
# otherwise look at each of them again and again.
find_by_path <- function(document, segments, most = 1e5) {
  looked <- 0
  count <- function(many) {
    looked <<- looked + many
    if (looked > most) {
      words <- paste0("the path looks at more than ", format(most, big.mark = ","), " values")
      stop_sprenn("path", words)
    }
  }

  lapply(find_nodes(list(list(value = document)), segments, document, count), `[[`, "value")
}

# Nodes are lists with a `value`, so that null can be one.
find_nodes <- function(nodes, segments, document, count) {
  for (segment in segments) {
    if (segment$deep) {
      nodes <- unlist(lapply(nodes, descendants, count), recursive = FALSE)
    }

    found <- lapply(nodes, function(node) {
      count(1)
      lapply(segment$selectors, select_from, node$value, document, count)
    })
    nodes <- unlist(unlist(found, recursive = FALSE), recursive = FALSE)
  }

  nodes
}

# A node and all below it, each before those that it holds.
descendants <- function(node, count) {
  count(1)
  below <- lapply(children_of(node$value), descendants, count)
  c(list(node), unlist(below, recursive = FALSE))
}

children_of <- function(value) {
  if (is.list(value)) lapply(unname(value), function(one) list(value = one)) else list()
}

is_object <- function(value) is.list(value) && !is.null(names(value))

is_array <- function(value) is.list(value) && is.null(names(value))

# The nodes that a selector takes out of a value.
select_from <- function(selector, value, document, count) {
  switch(selector$kind,
    name = if (is_object(value) && selector$name %in% names(value)) {
      list(list(value = value[[match(selector$name, names(value))]]))
    },
    wildcard = children_of(value),
    index = if (is_array(value)) {
      at <- selector$index + if (selector$index < 0) length(value) + 1 else 1
      children_of(value)[at[at >= 1 & at <= length(value)]]
    },
    slice = if (is_array(value)) {
      children_of(value)[slice_of(length(value), selector$from, selector$to, selector$by)]
    },
    filter = Filter(
      function(node) holds(selector$test, node$value, document, count),
      children_of(value)
    )
  )
}

# The places of a slice (RFC 9535, 2.3.4.2.2).
slice_of <- function(many, from, to, by) {
  if (by == 0) {
    return(integer())
  }

  whole <- function(bound, usual) {
    bound <- bound %||% usual
    if (bound < 0) bound + many else bound
  }

  if (by > 0) {
    first <- min(max(whole(from, 0), 0), many)
    last <- min(max(whole(to, many), 0), many)
    return(if (first < last) seq(first, last - 1, by = by) + 1 else integer())
  }

  first <- min(max(whole(from, many - 1), -1), many - 1)
  last <- if (is.null(to)) -1 else min(max(whole(to, 0), -1), many - 1)
  if (first > last) seq(first, last + 1, by = by) + 1 else integer()
}

# Whether a filter's test holds for a value.
holds <- function(test, value, document, count) {
  each <- function(tests) vapply(tests, holds, NA, value, document, count)
  switch(test$kind,
    any = any(each(test$tests)),
    all = all(each(test$tests)),
    not = !holds(test$test, value, document, count),
    query = length(nodes_of(test, value, document, count)) > 0,
    call = value_of(test, value, document, count)$value,
    compare = compare_values(
      value_of(test$left, value, document, count),
      value_of(test$right, value, document, count),
      test$sign
    )
  )
}

nodes_of <- function(query, value, document, count) {
  start <- if (query$root) document else value
  find_nodes(list(list(value = start)), query$segments, document, count)
}

# The node that an operand stands for; NULL for nothing.
value_of <- function(operand, value, document, count) {
  if (operand$kind == "literal") {
    return(operand["value"])
  }

  if (operand$kind == "query") {
    found <- nodes_of(operand, value, document, count)
    return(if (length(found) == 1) found[[1]])
  }

  given <- lapply(operand$arguments, function(one) {
    if (path_functions[[operand$name]]$takes[1] == "nodes") {
      nodes_of(one, value, document, count)
    } else {
      value_of(one, value, document, count)
    }
  })
  switch(operand$name,
    length = length_of_node(given[[1]]),
    count = list(value = length(given[[1]])),
    value = if (length(given[[1]]) == 1) given[[1]][[1]],
    match = list(value = fits_regexp(given[[1]], given[[2]], whole = TRUE)),
    search = list(value = fits_regexp(given[[1]], given[[2]], whole = FALSE))
  )
}

length_of_node <- function(node) {
  if (is.character(node$value)) {
    list(value = nchar(node$value))
  } else if (is.list(node$value)) {
    list(value = length(node$value))
  }
}

# I-Regexp (RFC 9485) is close to Perl's; its dot matches neither end of line.
fits_regexp <- function(node, pattern, whole) {
  if (!is.character(node$value) || !is.character(pattern$value)) {
    return(FALSE)
  }

  dots <- gsub("(\\\\.|\\[(?:\\\\.|[^\\]\\\\])*\\])(*SKIP)(*FAIL)|[.]", "[^\\\\n\\\\r]",
    pattern$value,
    perl = TRUE
  )
  wanted <- if (whole) paste0("\\A(?:", dots, ")\\z") else dots
  isTRUE(suppressWarnings(tryCatch(grepl(wanted, node$value, perl = TRUE), error = function(e) NA)))
}

# Numbers and texts have an order, all else is the same or not.
compare_values <- function(left, right, sign) {
  same <- identical_json(left, right)
  comparable <- !is.null(left) && !is.null(right) &&
    ((is.numeric(left$value) && is.numeric(right$value)) ||
      (is.character(left$value) && is.character(right$value)))
  less <- function(a, b) comparable && comes_before(a$value, b$value)
  switch(sign,
    "==" = same,
    "!=" = !same,
    "<" = less(left, right),
    ">" = less(right, left),
    "<=" = less(left, right) || same,
    ">=" = less(right, left) || same
  )
}

# Texts by their code points, whatever the locale.
comes_before <- function(a, b) {
  if (is.numeric(a)) {
    return(a < b)
  }

  a <- utf8ToInt(a)
  b <- utf8ToInt(b)
  shared <- seq_len(min(length(a), length(b)))
  apart <- which(a[shared] != b[shared])
  if (length(apart)) a[apart[1]] < b[apart[1]] else length(a) < length(b)
}

identical_json <- function(left, right) {
  if (is.null(left) || is.null(right)) {
    return(is.null(left) && is.null(right))
  }

  a <- left$value
  b <- right$value
  if (is.numeric(a) && is.numeric(b)) {
    return(a == b)
  }

  if (is.list(a) && is.list(b)) same_contents(a, b) else identical(a, b)
}

# The members of objects in any order, the elements of arrays in theirs.
same_contents <- function(a, b) {
  if (is_object(a) != is_object(b) || length(a) != length(b) || !setequal(names(a), names(b))) {
    return(FALSE)
  }

  if (is_object(a)) {
    b <- b[names(a)]
  }

  same <- function(x, y) identical_json(list(value = x), list(value = y))
  all(as.logical(mapply(same, unname(a), unname(b))))
}

# The value at a JSON Pointer as `list(value = )`, or NULL if there is none.
find_by_pointer <- function(document, pointer) {
  node <- list(value = document)
  for (name in read_pointer(pointer)) {
    at <- place_of_token(node$value, name)
    if (is.na(at)) {
      return(NULL)
    }

    node <- list(value = node$value[[at]])
  }

  node
}

# Where a pointer's token leads within an object or array; NA if nowhere.
place_of_token <- function(value, token) {
  if (is_object(value)) {
    return(match(token, names(value)))
  }

  at <- if (grepl("^(0|[1-9][0-9]*)$", token)) as.numeric(token) + 1 else Inf
  if (is_array(value) && at <= length(value)) at else NA
}

# The names that a pointer leads through.
read_pointer <- function(pointer) {
  if (pointer == "") {
    return(character())
  }

  if (!startsWith(pointer, "/") || grepl("~(?![01])", pointer, perl = TRUE)) {
    words <- paste(quoted(pointer), "is no JSON Pointer: / before each name, ~0 for ~, ~1 for /")
    stop_sprenn("path", words)
  }

  # strsplit() drops an empty name at the end.
  names <- strsplit(paste0(substring(pointer, 2), "/."), "/", fixed = TRUE)[[1]]
  gsub("~0", "~", gsub("~1", "/", names[-length(names)], fixed = TRUE), fixed = TRUE)
}
