# From what a phrase was understood to say to checks: of pixels, and of what judges find.

# The checks of a phrase: `probes` and `finds`, as suite.yml has them, what they were `read_as`, and
# in words what was understood that nothing here tells (`for_judges`): colours that most pictures
# have somewhere, and whatever no judge finds that `tells` of it (things, faces, figures, words).
draft_checks <- function(say, tells = character()) {
  facts <- read_phrase(say)
  facts <- facts[facts$kind != "colour" | !duplicated(facts[c("kind", "of")]), ]
  rows <- lapply(seq_len(nrow(facts)), function(i) facts[i, ])
  probes <- lapply(rows, probe_of_fact)
  finds <- lapply(rows, find_of_fact, tells)
  words <- vapply(rows, understood_words, "")
  seen <- !vapply(probes, is.null, NA)
  found <- !vapply(finds, is.null, NA)
  marked <- function(probe, words) {
    c(probe, drafted = paste0(words, " (", probe_mark(say, probe), ")"))
  }
  list(
    probes = Map(marked, probes[seen], words[seen], USE.NAMES = FALSE),
    finds = Map(marked, finds[found], words[found], USE.NAMES = FALSE),
    read_as = words[seen | found],
    for_judges = words[!seen & !found]
  )
}

# What judges look for of a fact, or NULL if none of them tells of it.
find_of_fact <- function(fact, tells) {
  find <- switch(fact$kind,
    thing = list(thing = fact$of, count = count_of_fact(fact$at)),
    people = list(thing = "person", count = count_of_fact(fact$at)),
    person = if (fact$of %in% names(face_of_fact)) list(face = face_of_fact[[fact$of]]),
    text = if (fact$of %in% c("none", "some")) list(lettering = fact$of) else list(text = fact$of)
  )
  if (!is.null(find) && part_needed(find) %in% tells) find
}

# Which part of a finding it takes to tell.
part_needed <- function(find) {
  if (identical(find$face, "full figure")) "figures" else part_of_kind[[names(find)[1]]]
}

part_of_kind <- c(thing = "things", face = "faces", lettering = "words", text = "words")

# A number alone is wanted exactly.
count_of_fact <- function(at) {
  if (endsWith(at, "+")) paste("at least", sub("+", "", at, fixed = TRUE)) else as.numeric(at)
}

# Facts about people that a face or a figure shows.
face_of_fact <- list(
  smile = "smiling",
  frown = "frowning",
  "facing left" = "facing left",
  "facing right" = "facing right",
  "facing front" = "facing front",
  portrait = "portrait",
  "full figure" = "full figure"
)

# The probe of a fact, or NULL if pixels don't tell.
probe_of_fact <- function(fact) {
  place <- list(top = "top third", bottom = "bottom third", border = "border", centre = "centre")
  where <- place[[fact$at]]
  key <- paste(fact$kind, fact$of)
  if (fact$kind == "colour" && !is.null(where)) {
    list(colour = fact$of, where = where, share = paste("at least", least_of_place))
  } else if (fact$kind == "colour" && fact$of %in% telling_colours) {
    list(colour = fact$of, patches = "at least 1")
  } else if (!is.null(fact_bounds[[key]])) {
    bound <- fact_bounds[[key]]
    drop_empty(c(list(where = where), stats::setNames(list(bound[[2]]), bound[[1]])))
  }
}

# Colours of which one patch somewhere tells something: less than a third of the photographs of the
# part `fit` in bench/natural/photographs.csv have it. How often the other part has it by chance,
# and keeps to the bounds below, is in docs/measures.md.
telling_colours <- c("red", "yellow", "teal", "purple", "pink")

# Of a sky or a background that has a colour, a good part has it; engines shade and cloud the rest.
# A choice, as is that of `mono`.
least_of_place <- 0.3

# The bounds of everything else: a tenth of the same photographs keeps to them. Of symmetry it is a
# quarter, since pictures that are meant to be symmetrical are so only by and large.
fact_bounds <- list(
  "light dark" = list("brightness", "at most 0.43"),
  "light bright" = list("brightness", "at least 0.67"),
  "light misty" = list("contrast", "at most 0.42"),
  "light warm" = list("warmth", "at least 0.75"),
  "light cool" = list("warmth", "at most 0.3"),
  "tone mono" = list("monochrome", "at least 0.9"),
  "tone vivid" = list("colourfulness", "at least 0.53"),
  "tone muted" = list("colourfulness", "at most 0.1"),
  "tone high contrast" = list("contrast", "at least 0.8"),
  "tone low contrast" = list("contrast", "at most 0.42"),
  "layout busy" = list("busy", "at least 0.68"),
  "layout plain" = list("busy", "at most 0.1"),
  "layout symmetry" = list("symmetry", "at least 0.6")
)

understood_words <- function(fact) {
  place <- c(
    top = " at the top", bottom = " at the bottom", border = " around", centre = " in the middle"
  )
  place <- if (fact$at %in% names(place)) place[[fact$at]] else ""
  switch(fact$kind,
    colour = paste0(fact$of, if (nzchar(place)) place else " somewhere"),
    light = paste0(fact$of, place),
    tone = if (fact$of == "mono") "in greys or one tint" else fact$of,
    layout = paste0(if (fact$of == "symmetry") "symmetrical" else fact$of, place),
    thing = ,
    people = paste0(fact$of, ": ", count_wanted(fact$at)),
    person = fact$of,
    text = switch(fact$of,
      none = "no lettering",
      some = "lettering",
      paste("lettering", show_value(fact$of))
    )
  )
}

count_wanted <- function(at) {
  if (at == "0") {
    "none"
  } else if (endsWith(at, "+")) {
    paste("at least", sub("+", "", at, fixed = TRUE))
  } else {
    at
  }
}
