# How many people and things a phrase speaks of.

# How many people there are, if that is said.
read_people <- function(said) {
  if (says(said, nobody_pattern) || (said$removes && says(said, removed_people_pattern))) {
    return(new_fact("people", "people", "0"))
  }

  if (said$denies || says(said, "\\b(like an?|statue of|mask of|doll)\\b")) {
    return(NULL)
  }

  if (says(said, many_of_pattern)) {
    return(new_fact("people", "people", "2+"))
  }

  count <- group_count(said) %||% counts_of(said, function(i) person_at(said$words, i))
  if (!is.null(count)) new_fact("people", "people", count)
}

# The number in "a family of four".
group_count <- function(said) {
  found <- regmatches(said$text, regexec(group_pattern(), said$text, perl = TRUE))[[1]]
  if (length(found)) as.character(number_of(found[2]))
}

nobody_pattern <- paste0(
  "\\b(no|without|without any) (people|person|one|persons|humans?|figures?|rider|passengers?|man|",
  "woman|child|children)\\b|\\b(nobody|deserted|unpeopled)\\b|^(an )?empty (road|street|square|",
  "room|living room|parking lot|stage|beach|pavement|hall|platform|station|corridor|city)\\b"
)
removed_people_pattern <- "\\b(people|persons?|man|woman|tourists?)\\b"
many_of_pattern <- paste0(
  "\\b(hundreds|dozens|thousands|lots|groups?|teams?|crowds?) of ",
  "(people|men|women|children|soldiers)\\b"
)
group_pattern <- function() {
  paste0(
    "\\b(?:group|group photo|family|team|party|crew) of (",
    paste(names(number_words), collapse = "|"), "|[0-9]+)\\b"
  )
}

# What a word says of people: whether it is a `plural`, how many there are at `least`, and whether
# that is `exact`. NULL if it names none.
person_at <- function(words, i) {
  word <- words[i]
  if (word %in% one_person) {
    new_count(FALSE)
  } else if (word %in% names(irregular_people) || plural_of(word) %in% one_person) {
    new_count(TRUE)
  } else if (word %in% pairs_of_people) {
    new_count(FALSE, least = 2, exact = TRUE)
  } else if (word %in% many_people) {
    new_count(TRUE)
  }
}

new_count <- function(plural, least = 1 + plural, exact = FALSE, long = 1L) {
  list(plural = plural, least = least, exact = exact, long = long)
}

# The word that a word is the plural of.
plural_of <- function(word) if (grepl("s$", word)) sub("s$", "", word) else ""

person_words <- function(said) {
  Filter(function(i) !is.null(person_at(said$words, i)), seq_along(said$words))
}

number_of <- function(word) {
  if (grepl("^[0-9]+$", word)) as.integer(word) else unname(number_words[word])
}

# The count of all that `named` finds at the words, as a text; NULL for nothing. It is exact where
# numbers are said, and else the least that there must be.
counts_of <- function(said, named) {
  words <- said$words
  at <- Filter(
    function(i) {
      one <- named(i)
      !is.null(one) && ends_noun(words, i, one$long)
    },
    seq_along(words)
  )
  if (length(at) == 0) {
    return(NULL)
  }

  each <- lapply(at, function(i) count_of_noun(words, i, named(i)))
  exact <- all(vapply(each, function(one) one$exact, NA))
  paste0(sum(vapply(each, function(one) one$number, 0)), if (!exact) "+")
}

# The number that a noun has, and whether it is meant exactly.
count_of_noun <- function(words, i, noun) {
  count <- count_before(words, i)
  if (is.na(count)) {
    list(number = noun$least, exact = noun$exact)
  } else if (noun$plural == (count > 1)) {
    list(number = count, exact = TRUE)
  } else {
    # "two colour chair": the number is another word's.
    list(number = noun$least, exact = FALSE)
  }
}

# The number that belongs to a noun: at most two words stand in between. "a" and "an" are one, or
# more.
count_before <- function(words, i) {
  before <- rev(utils::head(words, i - 1))[seq_len(min(3, i - 1))]
  stop <- which(before %in% c(after_a_noun, ",", "several", "many"))
  before <- utils::head(before, c(stop, 4)[1] - 1)
  numbers <- before[before %in% names(number_words) | grepl("^[0-9]+$", before)]
  if (length(numbers)) as.numeric(number_of(numbers[1])) else NA_real_
}

# Whether a noun ends with this word, so that it is no part of a longer one.
ends_noun <- function(words, i, long) {
  following <- words[i + long]
  is.na(following) ||
    following %in% c(after_a_noun, ",", ";", ":", ".", "!", "?", "(", ")") ||
    grepl("(ing|ed)$", following)
}

# Things of a kind that somebody can look for, each with its count.
read_things <- function(said, things) {
  if (says(said, "\\b(like an?|shaped|toy|pattern of)\\b")) {
    return(NULL)
  }

  longest <- longest_things(said$words)
  rows <- lapply(intersect(names(thing_words), things), function(kind) {
    count <- counts_of(said, function(i) if (identical(longest[[i]]$kind, kind)) longest[[i]])
    if (is.null(count)) {
      NULL
    } else if (said$removes || negates(said, thing_words[[kind]])) {
      new_fact("thing", kind, "0")
    } else if (!said$denies) {
      new_fact("thing", kind, count)
    }
  })
  do.call(rbind, rows)
}

negates <- function(said, nouns) {
  nouns <- paste(nouns, collapse = "|")
  says(said, paste0("\\b(no|without|without any) (\\w+ )?(", nouns, ")s?\\b"))
}

# The thing that each word is, or begins to be, by its longest name: the bear in "teddy bear" is
# none.
longest_things <- function(words) {
  found <- vector("list", length(words))
  at <- 1
  while (at <= length(words)) {
    here <- Filter(Negate(is.null), lapply(names(thing_words), function(kind) {
      thing <- thing_at(words, at, thing_words[[kind]])
      if (!is.null(thing)) c(thing, kind = kind)
    }))
    long <- vapply(here, function(one) one$long, 0L)
    if (length(here)) {
      found[[at]] <- here[[which.max(long)]]
    }

    at <- at + max(1L, long)
  }

  found
}

# Whether one of the nouns begins at a word, alone or as a plural.
thing_at <- function(words, i, nouns) {
  for (noun in nouns) {
    parts <- strsplit(noun, " ", fixed = TRUE)[[1]]
    here <- words[seq(i, length.out = length(parts))]
    last <- here[length(here)]
    plural <- !is.na(last) && last != parts[length(parts)]
    if (plural) {
      irregular <- last %in% names(irregular_things)
      here[length(here)] <- if (irregular) irregular_things[[last]] else plural_of(last)
    }

    if (identical(here, parts)) {
      alone <- !any(words[max(1, i - 1)] %in% c("a", "the", "one"))
      return(new_count(plural || (last %in% uncounted_things && alone), long = length(parts)))
    }
  }

  NULL
}
