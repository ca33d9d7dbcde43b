# What a suite is known by: its meaning and its pictures' pixels. Comments and
# layout don't count, nor how a picture happens to be packed or named, nor the
# order of cases and seeds, nor the title, nor who drafted a phrase.

fingerprint_suite <- function(suite) sha256_of(suite_content(suite))

# The suite's meaning as JSON, always written the same way: a row for every
# value, with its `place` (`cases.mill.prompt`) and its `value` (`say=a mill`).
# Two long columns are written many times faster than nested values.
suite_content <- function(suite) {
  looks <- lapply(suite$looks, function(paths) {
    vapply(unname(paths), function(path) suite$files[[path]]$hash, "", USE.NAMES = FALSE)
  })
  cases <- lapply(suite$cases, case_facts, suite)
  cases <- sort_by_name(stats::setNames(cases, vapply(suite$cases, `[[`, "", "id")))
  parts <- lapply(
    c(
      list(suite = suite$suite, seeds = sort(suite$seeds), size = suite$size),
      parts_below("looks.", sort_by_name(looks)),
      unlist(
        unname(Map(parts_below, paste0("cases.", names(cases), "."), cases)),
        recursive = FALSE
      )
    ),
    spell_out
  )
  to_json(list(
    place = rep(names(parts), lengths(parts)),
    value = unlist(parts, use.names = FALSE)
  ))
}

parts_below <- function(place, parts) {
  stats::setNames(parts, if (length(parts)) paste0(place, names(parts)))
}

# Nested values as texts that say where in the part they are.
spell_out <- function(part) {
  values <- unlist(part)
  if (is.null(names(values))) {
    as.character(values)
  } else {
    paste(names(values), values, sep = "=")
  }
}

# A case by what it means, files by what is in them; what the case does without
# is left out.
case_facts <- function(case, suite) {
  hash <- function(path) if (!is.null(path)) suite$files[[path]]$hash
  by_content <- function(thing) {
    thing["path"] <- list(hash(thing$path))
    thing
  }

  case$references <- lapply(case$references, by_content)
  case$mask <- if (!is.null(case$mask)) by_content(case$mask)
  sorted <- function(things) lapply(sort_by_name(things), by_content)
  case$guides <- sorted(case$guides)
  case$watch <- sorted(case$watch)
  meant <- function(phrases) {
    lapply(phrases, function(phrase) {
      phrase[setdiff(names(phrase), c("drafted", "key", "unwanted"))]
    })
  }

  case$prompt <- meant(case$prompt)
  case$unwanted <- meant(case$unwanted)
  case[c("id", "reference")] <- NULL
  case$look <- list(case$look, if (!is.na(case$look)) case$look_weight)
  case$look_weight <- NULL
  Filter(function(part) length(part) > 0 && !all(is.na(part[[1]])), case)
}

# What differs between two contents, as places: `cases.mill.prompt`, or
# `cases.mill (new)` where a whole case came or went.
parts_changed <- function(before, after) {
  read <- function(json) {
    content <- jsonlite::fromJSON(json)
    split(content$value, factor(content$place, unique(content$place)))
  }

  before <- read(before)
  after <- read(after)
  places <- union(names(before), names(after))
  changed <- Filter(function(place) !identical(before[[place]], after[[place]]), places)
  whole <- function(places) sub("^(cases[.][^.]+)[.].*$", "\\1", places)
  unique(
    vapply(
      changed,
      function(place) {
        top <- whole(place)
        if (!top %in% whole(names(before))) {
          paste(top, "(new)")
        } else if (!top %in% whole(names(after))) {
          paste(top, "(gone)")
        } else if (!place %in% names(before)) {
          paste(place, "(new)")
        } else if (!place %in% names(after)) {
          paste(place, "(gone)")
        } else {
          place
        }
      },
      "",
      USE.NAMES = FALSE
    )
  )
}

stop_for_changed_suite <- function(run, before, after) {
  changed <- parts_changed(before, after)
  stop_sprenn(
    "run",
    c(
      paste0("The suite has changed since run ", quoted(run), " was begun."),
      x = paste("changed:", shorten_list(changed, 8)),
      i = "Takes of two different suites can't be compared.",
      i = "Begin another run with --run NAME, or put suite.yml and its pictures back as they were."
    ),
    changed = changed
  )
}
