# Paths into a pipeline as it is written: `hold`, `guides.edges.weight`, `steps.2.hold`. Sweeps
# name by them what they vary.

# A pipeline or step whose short forms are written out: a number is a weight, none is no weight or
# no source.
write_out_step <- function(step) {
  if (!is.null(step$steps)) {
    step$steps <- lapply(step$steps, write_out_step)
  }

  for (name in intersect(c("look", "reference"), names(step))) {
    step[[name]] <- write_out(step[[name]], list(from = "none"))
  }

  for (name in intersect(c("guides", "phrases"), names(step))) {
    each <- setdiff(names(step[[name]]), c("others", "kind", "weight", "release"))
    step[[name]][each] <- lapply(step[[name]][each], write_out, list(weight = 0))
  }

  step
}

write_out <- function(value, none) {
  if (identical(value, "none")) {
    none
  } else if (is.numeric(value)) {
    list(weight = value)
  } else {
    value
  }
}

# The steps of a pipeline as it is written.
written_steps <- function(pipeline) pipeline$steps %||% list(pipeline)

# A path taken apart: keys, and places in lists. A setting of the engine may go by its name alone.
# NULL if it leads nowhere in this pipeline.
path_parts <- function(path, pipeline, engines) {
  parts <- split_words(path, ".")
  if (is.null(pipeline$steps)) {
    return(parts_in_step(parts, engines[[pipeline$engine]]$about))
  }

  if (length(parts) < 3 || parts[1] != "steps" || !parts[2] %in% seq_along(pipeline$steps)) {
    return(NULL)
  }

  engine <- pipeline$steps[[as.integer(parts[2])]]$engine
  inside <- parts_in_step(parts[-(1:2)], engines[[engine]]$about, chain = TRUE)
  if (!is.null(inside)) c(parts[1:2], inside)
}

parts_in_step <- function(parts, about, chain = FALSE) {
  name <- paste(parts, collapse = ".")
  if (name %in% names(about$settings)) {
    parts <- c("settings", name)
  } else if (parts[1] %in% c("settings", "add_ons") && length(parts) > 1) {
    # The rest is a name, which may have dots.
    parts <- c(parts[1], sub("^[^.]*[.]", "", name))
  }

  node <- field_at(parts, chain)
  if (!is.null(node) && takes_one_value(node) && !parts[1] %in% not_swept) parts
}

# What makes a pipeline another one altogether.
not_swept <- c("id", "like", "jobs", "if_missing", "steps")

# The field of lineup.yml that a path within a step leads to, or NULL.
field_at <- function(parts, chain = FALSE) {
  node <- trial_trees$lineup.yml$children$pipelines$item
  if (chain) {
    node <- node$children$steps$item
  }

  for (part in parts) {
    node <- node$children[[part]] %||% node$each %||% if (grepl("^[1-9]$", part)) node$item
    if (is.null(node)) {
      return(NULL)
    }
  }

  node
}

takes_one_value <- function(node) {
  any(!vapply(node$types, `[[`, "", "word") %in% c("record", "list", "map"))
}

# All paths that lead to one value in a step of this engine.
known_paths <- function(about, chain = FALSE) {
  below <- function(node, place) {
    own <- if (takes_one_value(node)) place
    keys <- names(node$children)
    if (!is.null(node$each)) {
      keys <- switch(place,
        settings = names(about$settings),
        add_ons = about$add_ons,
        phrases = as.character(1:3)
      )
    }

    inner <- lapply(keys, function(key) {
      below(node$children[[key]] %||% node$each, paste0(place, ".", key))
    })
    c(own, unlist(inner))
  }

  tree <- trial_trees$lineup.yml$children$pipelines$item
  if (chain) {
    tree <- tree$children$steps$item
  }

  keys <- setdiff(names(tree$children), not_swept)
  found <- unlist(lapply(keys, function(key) below(tree$children[[key]], key)))
  c(names(about$settings), found)
}

value_at <- function(pipeline, parts) {
  value <- pipeline
  for (part in parts) {
    keys <- names(value) %||% as.character(seq_along(value))
    if (!is.list(value) || !part %in% keys) {
      return(NULL)
    }

    value <- value[[match(part, keys)]]
  }

  value
}

with_value_at <- function(pipeline, parts, value) {
  if (length(parts) == 0) {
    return(value)
  }

  # A word such as none gives way to keys with values.
  whole <- if (is.list(pipeline)) pipeline else list()
  is_sequence <- length(whole) > 0 && is.null(names(whole))
  at <- if (is_sequence) as.integer(parts[1]) else parts[1]
  whole[[at]] <- with_value_at(value_at(whole, parts[1]), parts[-1], value)
  whole
}
