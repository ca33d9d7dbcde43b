# From a sound suite.yml to the suite that the run works with.

suite_problems <- function(read) {
  suite <- read$value
  cases <- if (is.list(suite)) suite$cases
  sound <- sound_entries(read, "cases")
  ids <- rep(NA_character_, length(cases))
  ids[sound] <- vapply(cases[sound], `[[`, "", "id")
  problems <- list()
  note <- function(place, ...) problems[[length(problems) + 1]] <<- new_problem("suite.yml", place, ...)
  for (i in which(duplicated(tolower(ids), incomparables = NA))) {
    note(paste0("cases[", i, "].id"), quoted(ids[i]), paste0("an id that no other case has; cases[", match(tolower(ids[i]), tolower(ids)), "] has it"))
  }
  seeds <- if (is.list(suite) && is.list(suite$seeds)) suite$seeds
  for (i in which(duplicated(seeds))) {
    note(paste0("seeds[", i, "]"), show_value(seeds[[i]]), "every seed once")
  }
  for (i in sound) {
    look <- cases[[i]]$look
    if (!is.null(look) && !look %in% names(suite$looks)) {
      wanted <- if (length(suite$looks)) paste("one of the suite's looks:", paste(names(suite$looks), collapse = ", ")) else "a look that the suite describes under looks"
      note(paste0("cases[", i, "].look"), quoted(look), wanted, nearest_word(look, names(suite$looks)))
    }
    for (j in seq_along(if (is.list(cases[[i]]$prompt)) cases[[i]]$prompt)) {
      phrase <- cases[[i]]$prompt[[j]]
      if (is.list(phrase)) problems <- c(problems, list(probe_problems(phrase$probe, paste0("cases[", i, "].prompt[", j, "].probe"))))
    }
  }
  place_problems(bind_problems(problems), read$line)
}

# A probe checks one thing: a colour's share, brightness, or monochrome.
probe_problems <- function(probe, place) {
  if (is.null(probe)) {
    return(no_problems())
  }
  asked <- intersect(c("colour", "brightness", "monochrome"), names(probe))
  if (length(asked) != 1) {
    found <- if (length(asked)) paste(asked, collapse = " and ") else "no check"
    return(new_problem("suite.yml", place, found, "one of colour (with share), brightness or monochrome"))
  }
  if (("colour" == asked) != ("share" %in% names(probe))) {
    return(new_problem("suite.yml", place, if (asked == "colour") "a colour without a share" else "a share without a colour", "colour and share together"))
  }
  no_problems()
}

build_suite <- function(suite, folder) {
  looks <- lapply(suite$looks, function(look) {
    vapply(look$pictures, function(path) resolve_path(path, folder)$path, "")
  })
  list(
    suite = suite$suite, title = suite$title %||% suite$suite,
    seeds = as.integer(unlist(suite$seeds)),
    size = as.integer(unlist(suite$size %||% 576)),
    looks = looks,
    cases = lapply(suite$cases, build_case, folder = folder)
  )
}

build_case <- function(case, folder) {
  reference <- if (is.list(case$reference)) case$reference else list(picture = case$reference)
  prompt <- if (is.list(case$prompt)) case$prompt else list(case$prompt)
  list(
    id = case$id, job = case$job,
    reference = list(
      path = resolve_path(reference$picture, folder)$path,
      fit = reference$fit %||% "crop",
      focus = as.numeric(unlist(reference$focus %||% list(0.5, 0.5))),
      fill = reference$fill %||% "grey"
    ),
    look = case$look %||% NA_character_,
    prompt = lapply(prompt, build_phrase),
    negative = as.character(unlist(case$negative))
  )
}

build_phrase <- function(phrase) {
  if (is.character(phrase)) phrase <- list(say = phrase)
  list(say = phrase$say, weight = phrase$weight %||% 1, probe = build_probe(phrase$probe))
}

# The probe as its measure takes it: which measure, where, and the bound under
# the name of what is bounded.
build_probe <- function(probe) {
  if (is.null(probe)) {
    return(NULL)
  }
  where <- probe$where %||% "whole"
  where <- if (is.list(where)) as.numeric(unlist(where)) else where
  if (!is.null(probe$colour)) {
    return(list(measure = "colour_share", where = where, colour = probe$colour, share = read_bound(probe$share)))
  }
  measure <- intersect(c("brightness", "monochrome"), names(probe))
  c(list(measure = measure, where = where), stats::setNames(list(read_bound(probe[[measure]])), measure))
}

# The suite's fingerprint: its meaning and its pictures' pixels, so that
# comments and layout don't count, nor how a picture happens to be packed.
fingerprint_suite <- function(suite) {
  hash <- function(path) suite$pictures[[path]]$hash
  suite$looks <- lapply(suite$looks, function(paths) unname(vapply(paths, hash, "")))
  suite$cases <- lapply(suite$cases, function(case) {
    case$reference$path <- hash(case$reference$path)
    case
  })
  suite$pictures <- NULL
  hash_of(suite)
}

# A hash of plain nested lists that is the same in every session.
hash_of <- function(x) {
  digest::digest(as.character(jsonlite::toJSON(x, auto_unbox = TRUE, digits = NA, null = "null")), algo = "sha256", serialize = FALSE)
}
