# Phrases of prompts as they are built from suite.yml, with the checks that they have.

# A phrase: `key` is what its evidence goes by.
build_phrase <- function(phrase, unwanted = FALSE) {
  phrase <- as_phrase(phrase)
  list(
    say = phrase$say,
    key = if (unwanted) unwanted_key(phrase$say) else phrase$say,
    unwanted = unwanted,
    weight = as.numeric(phrase$weight %||% 1),
    ask = phrase$ask %||% phrase$say,
    must = phrase$must %||% FALSE,
    drafted = is_drafted(phrase),
    # Several checks of one phrase.
    probe = lapply(probes_of(phrase), build_probe),
    find = lapply(finds_of(phrase), build_find),
    read_as = read_as(phrase)
  )
}

# A phrase as a record, which a file may give as a text.
as_phrase <- function(phrase) if (is.list(phrase)) phrase else list(say = phrase)

unwanted_key <- function(say) paste("no", sub("^(a|an|the|some|any) ", "", say))

# The phrases that can be checked in a take: a neutral prompt asks for nothing that could be.
asked_phrases <- function(case) c(if (!case$neutral) case$prompt, case$unwanted)

# The mark of drafted words. It fits only these words, so editing them makes them a person's own.
is_drafted <- function(phrase) {
  !is.null(phrase$drafted) && phrase$drafted == draft_mark(phrase$say)
}

draft_mark <- function(say) substr(sha256_of(say), 1, 8)

# A phrase's probes, and what judges look for, as they are written, none or several.
probes_of <- function(phrase) checks_of(phrase, "probe")
finds_of <- function(phrase) checks_of(phrase, "find")

checks_of <- function(phrase, key) {
  check <- if (is.list(phrase)) phrase[[key]]
  if (is_keyed(check)) list(check) else check
}

# What judges look for, as score_of_find() takes it.
build_find <- function(find) {
  if (!is.null(find$thing)) {
    return(list(kind = "thing", of = find$thing, bound = read_count(find$count)))
  }

  kind <- intersect(c("face", "lettering", "text"), names(find))
  list(kind = kind, of = find[[kind]])
}

# The same in words: "kite: exactly 2".
find_words <- function(find) {
  switch(find$kind,
    thing = paste0(find$of, ": ", bound_words(find$bound, counts = TRUE)),
    face = find$of,
    lettering = if (find$of == "none") "no lettering" else "lettering",
    text = paste("the words", show_value(find$of))
  )
}

# The mark of a drafted check, in brackets behind the words for how its phrase was understood: the
# first part fits only the phrase's words, the second only the probe.
probe_mark <- function(say, probe) {
  part <- function(text) substr(sha256_of(text), 1, 4)
  probe <- sort_by_name(probe[setdiff(names(probe), "drafted")])
  paste0(part(say), part(to_json(probe)))
}

mark_pattern <- "^(.*) \\(([0-9a-f]{4})([0-9a-f]{4})\\)$"

# Whether a probe is drafted and nobody has edited it since; `stale` if the words were.
draft_state <- function(say, probe) {
  said <- probe$drafted %||% ""
  parts <- regmatches(said, regexec(mark_pattern, said))[[1]]
  if (length(parts) == 0) {
    return("own")
  }

  mark <- probe_mark(say, probe)
  if (parts[4] != substr(mark, 5, 8)) {
    "own"
  } else if (parts[3] != substr(mark, 1, 4)) {
    "stale"
  } else {
    "drafted"
  }
}

# How a phrase was understood, by its drafted probes.
read_as <- function(phrase) {
  checks <- c(probes_of(phrase), finds_of(phrase))
  drafted <- Filter(function(check) draft_state(phrase$say, check) == "drafted", checks)
  vapply(drafted, function(check) sub(mark_pattern, "\\1", check$drafted), "")
}

# The probe as its measure takes it: which measure, where, the bound, and the colour or
# the look that it is about.
build_probe <- function(probe) {
  measure <- Find(function(one) one$asks %in% names(probe), all_probes())
  where <- probe$where %||% "whole"
  list(
    measure = measure$measure,
    where = if (is.list(where)) as.numeric(unlist(where)) else where,
    bound = (if (measure$counts) read_count else read_bound)(probe[[measure$asks]]),
    colour = probe$colour,
    look = probe$look
  )
}
