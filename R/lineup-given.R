# What a step gives its engine in place of what a case has: guides, look, reference, wording,
# phrases and mask. A case is the same for all pipelines; this is what they differ in besides an
# engine's own settings.

# The fields of a step that change what of a case its engine is given, without what changes
# nothing; sorted, so that the same gives the same hash.
step_gives <- function(step, stage) {
  step <- write_out_step(step)
  gives <- step[intersect(given_fields, names(step))]
  usual <- list(
    guides = list(others = "keep"),
    look = list(from = "suite"),
    reference = list(from = if (stage == 1) "case" else "before"),
    wording = list(prompt = "case", unwanted = "case", emphasis = 1),
    mask = list(fill = "original", show = "whole")
  )
  for (name in intersect(names(usual), names(gives))) {
    own <- gives[[name]]
    # YAML reads 1 as an integer.
    same <- vapply(names(own), function(key) setequal(own[[key]], usual[[name]][[key]]), NA)
    gives[[name]] <- if (is.list(own)) own[!same] else own
  }

  if (identical(as.numeric(gives$enlarge), 1)) {
    gives$enlarge <- NULL
  }

  sort_deeply(Filter(length, gives))
}

given_fields <- c(
  "guides", "look", "reference", "size", "enlarge", "wording", "phrases", "mask"
)

sort_deeply <- function(values) {
  if (!is.list(values)) {
    return(values)
  }

  values <- lapply(values, sort_deeply)
  if (is.null(names(values))) values else sort_by_name(values)
}

# The same as texts by their paths.
flat_gives <- function(gives) {
  if (length(gives) == 0) {
    return(list())
  }

  values <- unlist(lapply(gives, unlist))
  names(values) <- gsub("([a-z])([0-9]+)$", "\\1.\\2", names(values))
  as.list(values)
}

# The same in one line.
changes_words <- function(gives) {
  flat <- flat_gives(gives)
  listed(paste(names(flat), vapply(flat, format_value, ""), recycle0 = TRUE))
}

# The case as a step gives it to its engine. What it asks for and the case can't have, such as a
# map of depth that nobody has drawn, is left out, and named in `lacking`.
given_case <- function(case, gives, stage = 1) {
  if (length(gives) == 0) {
    return(case)
  }

  case <- given_guides(case, gives$guides)
  if (!is.null(gives$look)) {
    from <- gives$look$from %||% "suite"
    case$look_from <- from
    case$look_weight <- gives$look$weight %||% case$look_weight
    if (from == "none") {
      case$look <- NA_character_
    }
  }

  case <- given_references(case, gives$reference, stage)
  case <- given_wording(case, gives$wording, gives$phrases)
  given_mask(case, gives$mask)
}

given_guides <- function(case, guides) {
  if (identical(guides$others, "none")) {
    case$guides <- case$guides[intersect(names(case$guides), c(names(guides), guides$kind))]
  }

  # One of any kind, for sweeps over kinds.
  if (isTRUE(guides$kind %in% guide_kinds)) {
    guides[[guides$kind]] <- utils::modifyList(
      as.list(guides[[guides$kind]]),
      guides[intersect(c("weight", "release"), names(guides))]
    )
  }

  for (kind in intersect(guide_kinds, names(guides))) {
    wanted <- guides[[kind]]
    own <- case$guides[[kind]]
    if (identical(as.numeric(wanted$weight), 0)) {
      case$guides[[kind]] <- NULL
    } else if (is.null(own) && !can_compute(kind, case)) {
      case$lacking <- c(case$lacking, input_words[[kind]])
    } else {
      own <- own %||% list(path = NULL, weight = 1, release = 1, near = NULL)
      own$weight <- as.numeric(wanted$weight %||% own$weight)
      own$release <- as.numeric(wanted$release %||% own$release)
      case$guides[[kind]] <- own
    }
  }

  case$guides <- case$guides[intersect(guide_kinds, names(case$guides))]
  case
}

can_compute <- function(kind, case) kind %in% computed_guides && !is.null(case$reference)

# The reference that sets the frame, and that guides are computed from, stays in `reference`.
given_references <- function(case, wanted, stage) {
  from <- wanted$from %||% if (stage == 1) "case" else "before"
  case$reference_from <- from
  if (from == "none") {
    case$references <- list()
  }

  weights <- wanted[["weight"]] %||% unlist(wanted[["weights"]])
  for (i in seq_len(min(length(weights), length(case$references)))) {
    case$references[[i]]$weight <- as.numeric(weights[i])
  }

  if (length(weights) > max(1, length(case$references))) {
    case$lacking <- c(case$lacking, paste0("reference ", length(weights)))
  }

  case
}

given_wording <- function(case, wording, phrases) {
  emphasis <- wording$emphasis %||% 1
  case$prompt <- lapply(case$prompt, function(phrase) {
    phrase$weight <- min(most_emphasis, phrase$weight * emphasis)
    phrase
  })
  places <- as.integer(names(phrases))
  for (place in places[places <= length(case$prompt)]) {
    case$prompt[[place]]$weight <- as.numeric(phrases[[as.character(place)]]$weight)
  }

  if (any(places > length(case$prompt))) {
    case$lacking <- c(case$lacking, paste0("phrase ", max(places)))
  }

  if (isTRUE(wording$prompt %in% drafting)) {
    case <- with_draft(case, wording)
  }

  added <- list(before = wording$before, after = wording$after)
  added <- lapply(Filter(Negate(is.null), added), build_phrase)
  # A neutral prompt stands for nothing being said.
  says <- !identical(wording$prompt, "none") && !(case$neutral && length(added))
  case$prompt <- unname(c(added["before"], if (says) case$prompt, added["after"]))
  case$prompt <- Filter(Negate(is.null), case$prompt)
  case$negative <- c(
    if (!identical(wording$unwanted, "none")) case$negative,
    as.character(unlist(wording$negative))
  )
  case
}

# A prompt that an engine drafts from the reference, in place of the case's or after it. The case
# carries what was drafted as `drafts`, by engine, once that is known.
with_draft <- function(case, wording) {
  said <- case$drafts[[wording$drafted_by]] %||% paste0("(drafted by ", wording$drafted_by, ")")
  own <- if (wording$prompt == "both" && !case$neutral) case$prompt
  known <- tolower(vapply(own, `[[`, "", "say"))
  case$prompt <- c(own, lapply(said[!tolower(said) %in% known], build_phrase))
  case$neutral <- FALSE
  case
}

# Who drafts the prompt of a step, or NULL.
drafted_by <- function(gives) {
  if (isTRUE(gives$wording$prompt %in% drafting)) gives$wording$drafted_by
}

drafting <- c("caption", "both")

# The heaviest weight that a phrase may have, as the field `weight` says.
most_emphasis <- 4

given_mask <- function(case, wanted) {
  if (identical(wanted, "none")) {
    case["mask"] <- list(NULL)
    return(case)
  }

  case$mask_fill <- wanted$fill
  case$mask_show <- wanted$show
  if (!is.null(case$mask)) {
    case$mask$feather <- as.numeric(wanted$feather %||% case$mask$feather)
    case$mask$padding <- as.numeric(wanted$padding %||% case$mask$padding)
  }

  case
}

# The size that a step works at, for a frame: what it says, brought to what the checkpoint needs,
# or else what suits the checkpoint.
given_size <- function(gives, frame, checkpoint) {
  if (is.null(gives$size)) {
    return(working_size(frame, checkpoint))
  }

  wanted <- as.numeric(unlist(gives$size))
  if (length(wanted) == 1) {
    wanted <- pmax(1, round(frame * wanted / max(frame)))
  }

  if (is.null(checkpoint$multiple_of)) {
    as.integer(wanted)
  } else {
    working_size(wanted, checkpoint["multiple_of"])
  }
}
