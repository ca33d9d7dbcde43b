# What a suite is known by: its meaning and its pictures' pixels. Comments and
# layout don't count, nor how a picture happens to be packed or named, nor the
# order of cases and seeds, nor the title, nor who drafted a phrase.

fingerprint_suite <- function(suite) hash_of(as.list(suite_parts(suite)))

# A hash for every part of the suite that a person could change, named by the
# place in suite.yml.
suite_parts <- function(suite) {
  looks <- lapply(suite$looks, function(paths) unname(vapply(paths, function(path) suite$files[[path]]$hash, "")))
  names(looks) <- paste0("looks.", names(looks), recycle0 = TRUE)
  cases <- lapply(suite$cases, function(case) {
    facts <- case_facts(case, suite)
    stats::setNames(facts, paste0("cases.", case$id, ".", names(facts)))
  })
  parts <- c(list(suite = suite$suite, seeds = sort(suite$seeds), size = suite$size), looks, unlist(cases, recursive = FALSE))
  parts <- vapply(parts, hash_of, "")
  parts[order(names(parts), method = "radix")]
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
  case$prompt <- lapply(case$prompt, function(phrase) phrase[names(phrase) != "drafted"])
  case[c("id", "reference")] <- NULL
  case$look <- list(case$look, if (!is.na(case$look)) case$look_weight)
  case$look_weight <- NULL
  Filter(function(part) length(part) > 0 && !all(is.na(part[[1]])), case)
}

# What differs between two sets of parts, as places: `cases.mill.prompt`, or
# `cases.mill (new)` where a whole case came or went.
parts_changed <- function(before, after) {
  places <- union(names(before), names(after))
  differ <- places[!(before[places] %in% after[places] & !is.na(before[places]) & before[places] == after[places])]
  case <- ifelse(startsWith(differ, "cases."), sub("^(cases\\.[^.]+)\\..*", "\\1", differ), NA)
  whole <- function(parts, one) any(startsWith(names(parts), paste0(one, ".")))
  unique(mapply(function(place, case) {
    if (!is.na(case) && !whole(before, case)) {
      paste(case, "(new)")
    } else if (!is.na(case) && !whole(after, case)) {
      paste(case, "(gone)")
    } else if (!place %in% names(before)) {
      paste(place, "(new)")
    } else if (!place %in% names(after)) {
      paste(place, "(gone)")
    } else {
      place
    }
  }, differ, case, USE.NAMES = FALSE))
}

stop_for_changed_suite <- function(run, before, after) {
  changed <- parts_changed(before, after)
  stop_sprenn("run", c(
    paste0("The suite has changed since run ", quoted(run), " was begun."),
    x = paste("changed:", shorten_list(changed, 8)),
    i = "Takes of two different suites can't be compared.",
    i = "Begin another run with --run NAME, or put suite.yml and its pictures back as they were."
  ), changed = changed)
}

# A hash of plain nested lists that is the same in every session.
hash_of <- function(x) {
  digest::digest(as.character(jsonlite::toJSON(x, auto_unbox = TRUE, digits = NA, null = "null")), algo = "sha256", serialize = FALSE)
}
