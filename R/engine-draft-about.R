# The part of a drafted description that says what the engine is and takes.

# Words by which the ends of a knob are told: at its higher end the picture is kept, or let go.
words_of_keeping <- c(
  "keep", "close", "closeness", "similar", "similarity", "fidelity", "preserve", "preservation",
  "retain", "follow", "hold", "faithful", "influence of the"
)
words_of_letting_go <- c(
  "change", "denois", "noise", "differ", "loose", "ignore", "vary", "variation",
  "freedom", "depart"
)

# The engine's own description.
draft_about <- function(document, request) {
  leaf <- function(role) request$leaves[[role]]
  models <- as.character(unlist(leaf("checkpoint")$schema$enum))
  models <- gsub("[^A-Za-z0-9_.-]", "-", if (length(models)) models else "plain")
  multiple <- leaf("width")$schema$multipleOf
  size <- drop_empty(list(multiple_of = if (is_number(multiple)) multiple))
  sizes <- sizes_among(unlist(leaf("size")$schema$enum))
  if (length(sizes)) {
    size <- list(sizes = sizes)
  }

  ends <- if (!is.null(leaf("knob"))) ends_of_knob(leaf("knob"))
  reference <- leaf("reference")
  version <- document$info$version
  drop_empty(list(
    version = if (is_text(version)) version,
    checkpoints = stats::setNames(rep(list(named_list(size)), length(models)), models),
    hold = ends[c("at_0", "at_1")],
    settings = request$settings,
    takes = as.list(c(
      if (is.null(reference) || !reference$required) "text_alone",
      intersect(c("look", "mask", "negative"), names(request$leaves)),
      if (!is.null(leaf("guide"))) guide_kind(leaf("guide"))
    ))
  ))
}

sizes_among <- function(words) {
  parts <- regmatches(words, regexec("^([0-9]+)[^0-9]([0-9]+)$", words))
  parts <- Filter(length, parts)
  lapply(parts, function(part) as.list(as.integer(part[2:3])))
}

# The lowest and the highest value that a schema allows; NULL if it does not say both.
span_of <- function(schema) {
  from <- schema$minimum %||% schema$exclusiveMinimum
  to <- schema$maximum %||% schema$exclusiveMaximum
  if (is_number(from) && is_number(to) && from < to) c(from, to)
}

# The ends of a knob: `at_0` lets the picture go, `at_1` keeps it; `sure` is whether that was told.
# NULL if it has no ends.
ends_of_knob <- function(leaf) {
  span <- span_of(leaf$schema)
  if (is.null(span)) {
    return(NULL)
  }

  from <- span[1]
  to <- span[2]
  said <- tolower(paste(utils::tail(leaf$path, 1), leaf$schema$description %||% ""))
  at_low <- regmatches(said, regexpr(paste0("\\b", from, "[^.;0-9]*"), said))
  # What is said of the lower end counts first.
  turned <- length(at_low) > 0 && any(vapply(words_of_keeping, grepl, NA, at_low, fixed = TRUE))
  keeps <- any(vapply(words_of_keeping, grepl, NA, said, fixed = TRUE))
  lets_go <- any(vapply(words_of_letting_go, grepl, NA, said, fixed = TRUE))
  kept_high <- keeps && !lets_go && !turned
  if (kept_high) {
    list(at_0 = from, at_1 = to, sure = TRUE)
  } else {
    list(at_0 = to, at_1 = from, sure = turned || (lets_go && !keeps))
  }
}
