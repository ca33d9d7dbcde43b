# The colours that a phrase names, and where they are.

read_colours <- function(said) {
  if (said$removes || said$denies) {
    return(NULL)
  }

  words <- said$words
  rows <- list()
  at <- 1
  while (at <= length(words)) {
    found <- colour_at(words, at)
    place <- if (!is.null(found)) place_of_colour(words, at, found)
    if (!is.null(place)) {
      rows <- c(rows, list(new_fact("colour", found$colour, place)))
    }

    at <- at + (if (is.null(found)) 1 else found$long)
  }

  # Black and white are no colours of the things where they are the picture's.
  facts <- do.call(rbind, rows)
  if (is_black_and_white(said)) facts[!facts$of %in% c("black", "white"), ] else facts
}

# The longest colour that begins at a word: `colour` and how `long` it is.
colour_at <- function(words, at) {
  for (long in 3:1) {
    text <- paste(words[seq(at, length.out = long)], collapse = " ")
    colour <- names(Filter(function(names) text %in% names, colour_words))
    if (length(colour)) {
      before <- if (at > 1) words[at - 1] else ""
      if (long == 1 && may_be_another(before, colour)) {
        return(NULL)
      }

      return(list(colour = colour, long = long))
    }
  }

  NULL
}

# Pale yellow may be cream; dark red, blue and brown keep their names.
may_be_another <- function(before, colour) {
  dimming <- c("pale", "light", "dark", "dusty", "greyish", "bluish", "greenish", "reddish")
  shifting <- c("yellow", "blue", "brown", "red", "orange", "pink", "purple")
  before %in% dimming &&
    colour %in% shifting &&
    !(before == "dark" && colour %in% c("red", "blue", "brown"))
}

# Where a colour is to be: of the noun that it stands before. NULL if it is no colour there.
place_of_colour <- function(words, at, found) {
  nearest <- noun_behind(words[-seq_len(at + found$long - 1)])
  ends <- c(utils::tail(c("", nearest), 1), c(nearest, "")[1])
  before <- if (at > 1) words[at - 1] else ""
  if (is_other_thing(found$colour, ends, before)) {
    return(NULL)
  }

  for (place in names(placed_words)) {
    if (any(nearest %in% placed_words[[place]])) {
      return(place)
    }
  }

  on_it <- identical(utils::tail(words[seq_len(at - 1)], 2), c("isolated", "on"))
  if (on_it) "border" else "any"
}

# The words of the noun that a colour belongs to, three at most. In "pink and blue lights" it comes
# after the other colours.
noun_behind <- function(following) {
  repeat {
    other <- if (c(following, "")[1] %in% c("and", ",", "or")) colour_at(following, 2)
    if (is.null(other)) {
      break
    }

    following <- following[-seq_len(1 + other$long)]
  }

  nearest <- utils::head(following, 3)
  stop <- which(nearest %in% c(after_a_noun, ","))
  utils::head(nearest, c(stop, 4)[1] - 1)
}

# Whether a colour's name means something else: a fruit, somebody's hair or skin, a fox.
is_other_thing <- function(colour, nouns, before) {
  is_fruit <- colour == "orange" &&
    nouns[2] == "" &&
    before %in% c("a", "an", "the", "one", "sliced", "peeled", "ripe")
  of_light <- any(nouns %in% c("light", "lights")) && colour %in% colours_of_light
  is_fruit ||
    (any(nouns %in% no_colour_before) && !of_light) ||
    nouns[2] %in% c(one_person, names(irregular_people))
}

is_black_and_white <- function(said) {
  of_picture <- paste0(
    "(photo|photograph|photography|film|picture|image|print|drawing|illustration|engraving|sketch|",
    "version|only|comic|woodcut|linocut|etching)"
  )
  says(said, paste0("\\b(black (and|&) white|b ?& ?w|b/w)( ", of_picture, ".*)?$")) &&
    !says(said, "[a-z]+ ?, (and )?black (and|&) white")
}
