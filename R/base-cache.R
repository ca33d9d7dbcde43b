# What was made once is kept for the next who asks, up to so many bytes.

# What is kept at hand, up to so many bytes; what was not used for longest goes first,
# so that memory does not grow with the number of cases.
new_shelf <- function(room = 1.2e8) structure(new.env(), room = room)

keep <- function(where, name, code) {
  name <- paste0("=", name)
  room <- attr(where, "room")
  if (is.null(where[[name]])) {
    assign(name, code, where)
    if (!is.null(room)) {
      where$.sizes <- c(where$.sizes, stats::setNames(held_bytes(where[[name]]), name))
    }

    while (sum(where$.sizes) > sum(room) && length(where$.sizes) > 1) {
      rm(list = names(where$.sizes)[1], envir = where)
      where$.sizes <- where$.sizes[-1]
    }
  } else if (!is.null(room)) {
    at <- match(name, names(where$.sizes))
    where$.sizes <- c(where$.sizes[-at], where$.sizes[at])
  }

  where[[name]]
}

# What the core holds for a view counts too.
held_bytes <- function(x) {
  views <- if (inherits(x, "sprenn_view")) {
    list(x)
  } else if (is.list(x)) {
    Filter(function(one) inherits(one, "sprenn_view"), x)
  }
  as.numeric(utils::object.size(x)) + sum(vapply(views, `[[`, 0, "held"))
}
