# The part of a drafted description that is about answers: how a job is followed, and where the
# picture stands.

draft_answer <- function(make, calls, document) {
  following <- following_call(make, calls)
  wait <- if (must_wait(make, following)) draft_wait(make, following)
  last <- if (is.null(wait)) make else following %||% make
  result <- draft_result(last)
  failures <- draft_failures(last)
  list(
    keep = wait$keep,
    wait = wait$wait,
    result = result$result,
    failures = failures,
    told = rbind(wait$told, result$told),
    untold = c(wait$untold, result$untold)
  )
}

# A job has a state, or is answered for with 202; or its answer has no picture.
must_wait <- function(make, following) {
  gives_picture <- any(vapply(make$gives, is_picture_leaf, NA)) ||
    startsWith(make$given_type %||% "", "image/")
  has_state <- length(states_of(state_leaf(make$gives))$going) > 0
  identical(make$status, "202") || has_state || (!gives_picture && !is.null(following))
}

# The call that looks for a job: its path goes on from the one that makes it, or it says a state.
following_call <- function(make, calls) {
  able <- Filter(function(call) call$method == "GET" && grepl("{", call$path, fixed = TRUE), calls)
  points <- vapply(
    able,
    function(call) {
      named <- name_words(inner_parameter(call))
      given <- unlist(lapply(make$gives, function(leaf) name_words(utils::tail(leaf$path, 1))))
      4 * startsWith(call$path, paste0(make$path, "/{")) +
        3 * (length(state_leaf(call$gives)) > 0) +
        2 * any(vapply(call$gives, is_picture_leaf, NA)) +
        2 * any(named %in% given)
    },
    0
  )
  if (any(points >= 4)) able[[which.max(points)]]
}

# The last parameter of a path.
inner_parameter <- function(call) sub("^.*[{]([^{}]+)[}][^{}]*$", "\\1", call$path)

draft_wait <- function(make, following) {
  if ("location" %in% tolower(make$headers)) {
    keep <- list(job = "header Location")
    line <- "GET {+job}"
  } else if (!is.null(following)) {
    name <- gsub("[^A-Za-z0-9_]", "_", inner_parameter(following))
    leaf <- best_leaf(make$gives, id_points, name_words(name))
    keep <- stats::setNames(list(path_of_leaf(leaf)), name)
    line <- paste("GET", sub("[{][^{}]+[}]([^{}]*)$", paste0("{", name, "}\\1"), following$path))
  } else {
    return(list(untold = "how a job is followed (wait)"))
  }

  state <- state_leaf((following %||% make)$gives)
  words <- states_of(state)
  lacking <- is.null(keep[[1]])
  list(
    keep = if (!lacking) keep,
    wait = drop_empty(list(
      call = line,
      state = path_of_leaf(state) %||% "$.STATE",
      done = as.list(if (length(words$done)) words$done else "DONE"),
      going = as.list(words$going)
    )),
    told = new_table(what = "waiting", where = line),
    untold = c(
      if (lacking) "where the answer to make has the name of the job (make.keep)",
      if (is.null(state)) "where a job's state stands, and when it is done (wait)",
      if (!is.null(state) && !length(words$done)) "which state means that it is done (wait.done)",
      if (length(words$other)) {
        paste0("what the state ", paste(words$other, collapse = ", "), " means")
      }
    )
  )
}

# The likeliest of some leaves by a function of a leaf and `words`; NULL if none is likely.
best_leaf <- function(leaves, points_of, words = NULL) {
  points <- vapply(leaves, points_of, 0, words = words)
  if (length(points) && max(points) > 0) leaves[[which.max(points)]]
}

# How likely a leaf is the id that a parameter of these words wants.
id_points <- function(leaf, words) {
  own <- name_words(utils::tail(leaf$path, 1))
  if (leaf_type(leaf) %in% c("text", "whole") && !"[]" %in% leaf$path) {
    3 * identical(own, words) + 2 * identical(own, "id") + any(own %in% words)
  } else {
    0
  }
}

state_leaf <- function(leaves) {
  best_leaf(leaves, function(leaf, words) {
    own <- name_words(utils::tail(leaf$path, 1))
    is_state <- any(c("status", "state", "phase", "stage") %in% own) && leaf_type(leaf) == "text"
    is_single <- !"[]" %in% leaf$path
    is_state * (1 + (length(states_of(leaf)$done) > 0) + is_single)
  })
}

# What the words of a state mean, as far as they are usual.
words_of_states <- list(
  done = c(
    "succeeded", "success", "successful", "complete", "completed", "done", "ready", "finished",
    "ok"
  ),
  going = c(
    "queued", "pending", "waiting", "running", "processing", "working", "started", "starting",
    "submitted", "accepted", "created", "scheduled", "generating", "rendering"
  ),
  refused = c(
    "rejected", "refused", "blocked", "filtered", "flagged", "moderated", "denied", "disallowed"
  ),
  failed = c(
    "failed", "failure", "error", "errored", "broken", "cancelled", "canceled", "expired",
    "aborted", "timeout"
  )
)

# The words of a leaf's enumeration by their meanings, `other` where it is not known.
states_of <- function(leaf) {
  words <- as.character(unlist(leaf$schema$enum))
  meaning <- vapply(
    words,
    function(word) {
      parts <- name_words(word)
      joined <- gsub("[^a-z]", "", tolower(word))
      fits <- vapply(words_of_states, function(known) any(c(parts, joined) %in% known), NA)
      if (joined %in% c("inprogress", "inqueue", "notstarted")) {
        "going"
      } else if (any(fits)) {
        # A word such as not_ready is no word of the end.
        if ("not" %in% parts) "going" else rev(names(which(fits)))[1]
      } else {
        "other"
      }
    },
    ""
  )
  split(unname(words), unname(meaning))
}

draft_result <- function(last) {
  pictures <- Filter(is_picture_leaf, last$gives)
  is_body <- startsWith(last$given_type %||% "", "image/")
  picture <- best_leaf(pictures, picture_points)
  seed <- best_leaf(last$gives, function(leaf, words) {
    (leaf_type(leaf) == "whole") * ("seed" %in% name_words(utils::tail(leaf$path, 1)))
  })
  cost <- best_leaf(last$gives, cost_points)
  found <- drop_empty(list(
    picture = path_of_leaf(picture),
    seed = path_of_leaf(seed),
    cost = path_of_leaf(cost)
  ))
  told <- lapply(names(found), function(name) {
    new_table(what = paste("answer:", name), where = found[[name]])
  })
  if (is_body) {
    told <- c(told, list(new_table(what = "answer: picture", where = "the answer itself")))
  }

  addressed <- !is.null(picture) && is_address_leaf(picture)
  others <- setdiff(unlist(lapply(pictures, path_of_leaf)), found$picture)
  list(
    result = found,
    told = do.call(rbind, told),
    untold = c(
      if (is.null(picture) && !is_body) "where the picture stands in the answer (result.picture)",
      if (length(others)) {
        paste0(
          "whether the picture is rather at ", paste(utils::head(others, 3), collapse = " or "),
          " (result.picture)"
        )
      },
      if (addressed) "from which other hosts pictures are fetched, if any (result.hosts)",
      if (!is.null(cost)) "what one unit of the cost costs, if it is no money (result.unit_price)"
    )
  )
}

picture_words_known <- c(
  "image", "images", "picture", "pictures", "output", "outputs", "result", "results", "photo",
  "artifact", "artifacts", "frames", "render", "renders", "generated", "samples", "files", "assets"
)

# Whether a leaf of an answer may be a picture.
is_picture_leaf <- function(leaf) {
  if (leaf_type(leaf) == "picture") {
    return(TRUE)
  }

  leaf_type(leaf) == "text" && is.null(leaf$schema$enum) && picture_points(leaf) >= 3
}

picture_points <- function(leaf, words = NULL) {
  names <- setdiff(leaf$path, "[]")
  own <- name_words(utils::tail(names, 1))
  above <- name_words(paste(utils::head(names, -1), collapse = " "))
  carries <- c("url", "uri", "href", "image", "picture", "content", "b64", "base64", "data", "link")
  2 * any(carries %in% own) +
    2 * any(picture_words_known %in% c(own, above)) +
    2 * ("[]" %in% leaf$path) * any(carries %in% own) +
    3 * (leaf_type(leaf) == "picture") +
    ((leaf$schema$format %||% "") %in% c("uri", "url")) -
    4 * any(words_of_other_addresses %in% c(own, above))
}

words_of_other_addresses <- c(
  "thumbnail", "preview", "next", "previous", "webhook", "cancel", "get", "type", "input", "mask"
)

cost_points <- function(leaf, words = NULL) {
  own <- name_words(utils::tail(leaf$path, 1))
  known <- c("cost", "charged", "charge", "price", "billed", "credits")
  left <- c("remaining", "balance", "left", "limit", "total")
  leaf_type(leaf) %in% c("number", "whole") && any(known %in% own) && !any(left %in% own)
}

# Failures that an answer tells by a word.
draft_failures <- function(last) {
  message <- best_leaf(last$gives, function(leaf, words) {
    own <- name_words(utils::tail(leaf$path, 1))
    above <- name_words(paste(utils::head(leaf$path, -1), collapse = " "))
    (leaf_type(leaf) == "text" && is.null(leaf$schema$enum)) *
      (2 * any(c("message", "reason", "detail", "error") %in% own) + ("error" %in% above))
  })
  rules <- lapply(last$gives, function(leaf) {
    words <- states_of(leaf)
    rule <- function(kind, said) {
      if (length(said)) {
        drop_empty(list(
          kind = kind,
          at = path_of_leaf(leaf),
          is = as.list(said),
          message = path_of_leaf(message)
        ))
      }
    }
    list(rule("refused", words$refused), rule("bad_answer", words$failed))
  })
  Filter(Negate(is.null), unlist(rules, recursive = FALSE))
}

# A leaf's place as a JSONPath; NULL of none.
path_of_leaf <- function(leaf) {
  if (is.null(leaf)) {
    return(NULL)
  }

  steps <- vapply(
    leaf$path,
    function(name) {
      if (name == "[]") {
        "[*]"
      } else if (grepl("^[A-Za-z_][A-Za-z0-9_]*$", name)) {
        paste0(".", name)
      } else {
        paste0("['", gsub("'", "\\\\'", name), "']")
      }
    },
    ""
  )
  paste0("$", paste(steps, collapse = ""))
}

#' @export
format.sprenn_draft <- function(x, ...) {
  heading <- paste0(
    "Drafted from ", x$file, " (", x$call, "). Check every line against the service's ",
    "documentation, add a pipeline, and try it: sprenn engines TRIAL --try --dry"
  )
  others <- setdiff(x$candidates, x$call)
  untold <- c(x$untold, if (length(others)) {
    paste0(
      "whether another call is meant (`--call`): ", paste(utils::head(others, 5), collapse = ", ")
    )
  })
  told <- if (!is.null(x$told)) {
    paste0("  ", formatC(x$told$what, width = -max(nchar(x$told$what))), "  ", x$told$where)
  }
  c(
    paste("#", strwrap(heading, 96)),
    "# Told by the document:",
    paste("#", told, recycle0 = TRUE),
    "# Not told:",
    paste("#", strwrap(untold, 92, indent = 2, exdent = 4, prefix = ""), recycle0 = TRUE),
    strsplit(
      yaml::as.yaml(
        list(engines = stats::setNames(list(x$entry), x$name)),
        indent.mapping.sequence = TRUE,
        handlers = list(logical = as_written, numeric = as_written)
      ),
      "\n"
    )[[1]]
  )
}

# How true and false, and whole numbers, are written in YAML 1.2.
as_written <- function(value) structure(vapply(value, value_text, ""), class = "verbatim")

#' @export
print.sprenn_draft <- function(x, ...) print_lines(x)
