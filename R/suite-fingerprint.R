# What a suite is known by: its meaning and its pictures' pixels. Comments and
# layout don't count, nor how a picture happens to be packed or named, nor the
# order of cases and seeds, nor the title, nor who drafted a phrase.

fingerprint_suite <- function(suite) sha256_of(suite_content(suite))

# The suite's meaning as JSON, always written the same way.
suite_content <- function(suite) {
  looks <- lapply(suite$looks, function(paths) lapply(unname(paths), function(path) suite$files[[path]]$hash))
  cases <- lapply(suite$cases, function(case) lapply(case_facts(case, suite), spell_out))
  names(cases) <- vapply(suite$cases, `[[`, "", "id")
  to_json(list(suite = suite$suite, seeds = as.list(sort(suite$seeds)), size = as.list(suite$size), looks = sort_by_name(looks), cases = sort_by_name(cases)))
}

# Nested values as texts with their places, which is quicker to write as JSON
# than one value after the other.
spell_out <- function(part) {
  values <- unlist(part)
  I(if (is.null(names(values))) as.character(values) else paste(names(values), values, sep = "="))
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

# What differs between two contents, as places: `cases.mill.prompt`, or
# `cases.mill (new)` where a whole case came or went.
parts_changed <- function(before, after) {
  read <- function(json) jsonlite::fromJSON(json, simplifyVector = FALSE)
  differing(read(before), read(after), "", deep = c("cases", "looks"))
}

differing <- function(before, after, place, deep) {
  unlist(lapply(union(names(before), names(after)), function(name) {
    here <- paste0(place, name)
    if (identical(before[[name]], after[[name]])) {
      NULL
    } else if (is.null(before[[name]])) {
      paste(here, "(new)")
    } else if (is.null(after[[name]])) {
      paste(here, "(gone)")
    } else if (name %in% deep || place == "cases.") {
      differing(before[[name]], after[[name]], paste0(here, "."), character())
    } else {
      here
    }
  }))
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
