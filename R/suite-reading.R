# Reads phrases of prompts, in English: which facts about a picture a phrase states that can be
# checked. What is not understood for certain is not read: a wrong check is worse than none.

# The facts of a phrase: a table with `kind`, `of` and `at`, no row where nothing can be checked.
# `things` are the kinds of things that somebody can look for.
#
#   colour  of a name in colour_names(), at top, bottom, border, or any place
#   light   dark, bright, misty, warm or cool, at the whole, top or border
#   tone    mono, vivid, muted, high contrast or low contrast
#   layout  busy, plain or symmetry, at the whole, border or centre
#   thing   of a kind, at a count: 2, 2+ (two or more), 0
#   people  at a count
#   person  smile, frown, facing left, right, front or away, full figure or portrait
#   text    none, some (as what is unwanted may be), or the words
read_phrase <- function(say, things = names(thing_words)) {
  facts <- do.call(rbind, lapply(parts_of_prompt(say), read_part, things))
  together(facts[!duplicated(facts), ])
}

# What kind of thing a phrase asks for, as far as it is understood: of which reports say how well
# sources agree.
kind_of_phrase <- function(phrase) {
  facts <- read_phrase(phrase$say)
  if (nrow(facts)) kind_words[[facts$kind[1]]] else "other"
}

kind_words <- c(
  colour = "colour", light = "light", tone = "tones and layout", layout = "tones and layout",
  thing = "things", people = "people", person = "people", text = "lettering"
)

# A prompt in one text is read part by part, but a list of colours as one.
parts_of_prompt <- function(say) {
  # Not within quotes.
  parts <- trimws(strsplit(say, "[,;.](?=( |$))(?=(?:[^\"]*\"[^\"]*\")*[^\"]*$)", perl = TRUE)[[1]])
  parts <- parts[nzchar(parts)]
  is_colour <- function(part) tolower(part) %in% unlist(colour_words)
  if (length(parts) < 2 || any(vapply(parts, is_colour, NA))) say else parts
}

# Parts that speak of the same thing twice may mean the same ones: only the larger number is sure.
together <- function(facts) {
  counted <- facts$kind %in% c("thing", "people")
  again <- paste(facts$kind, facts$of)
  for (one in unique(again[counted & duplicated(again)])) {
    own <- which(again == one)
    least <- max(as.numeric(sub("+", "", facts$at[own], fixed = TRUE)))
    facts$at[own[1]] <- if (any(facts$at[own] == "0")) NA else paste0(least, "+")
    facts <- facts[-own[-1], ]
    again <- again[-own[-1]]
  }

  facts[!is.na(facts$at), ]
}

# The phrases that a prompt in one text is made of, each of which has its own evidence: a list where
# joining them gives the same text again.
phrases_of_text <- function(text) {
  parts <- parts_of_prompt(text)
  if (identical(paste(parts, collapse = ", "), text) && length(parts) > 1) as.list(parts) else text
}

read_part <- function(say, things) {
  said <- phrase_said(say)
  if (said$keeps) {
    return(no_facts())
  }

  do.call(rbind, list(
    no_facts(),
    read_lettering(said),
    read_people(said),
    read_things(said, things),
    read_person(said),
    read_colours(said),
    read_light(said),
    read_tone(said),
    read_layout(said)
  ))
}

no_facts <- function() new_table(kind = character(), of = character(), at = character())

new_fact <- function(kind, of, at = "whole") new_table(kind = kind, of = of, at = at)

# A phrase taken apart: `text` in small letters without what is quoted, its `words`, what is
# `quoted`, whether it `denies` or `removes` something, and whether it only says what `keeps` as it
# is.
phrase_said <- function(say) {
  say <- gsub("[\u201c\u201d\u201e]", "\"", say)
  quoted <- regmatches(say, gregexpr("\"[^\"]+\"", say))[[1]]
  text <- tolower(gsub("\"[^\"]*\"", " ", say))
  text <- gsub("-", " ", gsub("[\u2018\u2019]", "'", text), fixed = TRUE)
  text <- gsub("([,;:.!?()])", " \\1 ", text)
  text <- sub("^please ", "", trimws(gsub("[[:space:]]+", " ", text)))
  begins <- function(words) grepl(paste0("^(", words, ")\\b"), text)
  removes <- begins("remove|delete|erase|take out|get rid of|clean up")
  keeps <- begins(paste0(
    "keep|leave|preserve|retain|same|match|the same|repair|restore|do not change"
  ))
  text <- what_becomes(text)
  list(
    text = text,
    words = strsplit(text, " ", fixed = TRUE)[[1]],
    quoted = substr(quoted, 2, nchar(quoted) - 1),
    denies = grepl("\\b(no|not|without)\\b", text),
    removes = removes,
    keeps = keeps
  )
}

# Of a change only what comes of it is a fact.
what_becomes <- function(text) {
  change <- paste0(
    "^(change|turn|replace|transform|swap|recolou?r|paint)\\b.*?",
    "\\b(to|into|with|by|for)\\b "
  )
  text <- sub(change, "", text, perl = TRUE)
  text <- sub("^make (it|him|her|them)? ?", "", text)
  sub("^add ", "", text)
}

says <- function(said, pattern) grepl(pattern, said$text, perl = TRUE)

# Words in quotes are to be read in the picture.
read_lettering <- function(said) {
  writing <- paste0(
    "(text|lettering|letters|words|writing|captions?|labels?|watermarks?|logos?|date stamp|",
    "typography)"
  )
  none <- paste0("\\b(no|without|without any|free of) (\\w+ )?", writing, "\\b|^text free$")
  if (says(said, none) || (said$removes && says(said, paste0("\\b", writing, "\\b")))) {
    new_fact("text", "none")
  } else if (length(said$quoted)) {
    rows_of("text", said$quoted)
  } else if (says(said, paste0("^(any |some )?", writing, "$"))) {
    new_fact("text", "some")
  }
}

# What is said of the people in the picture.
read_person <- function(said) {
  if (said$denies) {
    return(NULL)
  }

  found <- Filter(function(of) says(said, person_patterns[[of]]), names(person_patterns))
  if (says(said, "\\bclose ?up of an?\\b") && length(person_words(said))) {
    found <- c(found, "portrait")
  }

  # An animal's portrait is of nobody.
  if (!is.null(read_things(said, names(thing_words)))) {
    found <- setdiff(found, "portrait")
  }

  rows_of("person", found)
}

turned_word <- "(facing|looking|walking|running|galloping|turned|riding)"
person_patterns <- list(
  "smile" = "\\b(smil(e|es|ing)|laugh(s|ing)?|grinning|grin)\\b",
  "frown" = paste0(
    "\\b(frown(s|ing)?|crying|weeping|",
    "sad (man|woman|boy|girl|child|face|clown|look|expression))\\b"
  ),
  "facing front" = paste0(
    "\\b(facing|looking( straight)? (at|into)) (the )?(camera|viewer|us|lens)\\b|",
    "\\bfacing (the )?(front|forwards?)\\b"
  ),
  "facing left" = paste0("\\b", turned_word, " (to )?(the )?left\\b"),
  "facing right" = paste0("\\b", turned_word, " (to )?(the )?right\\b"),
  "facing away" = paste0(
    "\\b((seen )?from behind|back view|facing away|with (his|her|their) backs? to)\\b"
  ),
  "full figure" = "\\bfull (body|length|figure)\\b|\\bhead to toe\\b",
  "portrait" = paste0(
    "\\bportrait of an? |",
    "\\b(self portrait|head ?shot|passport photo|half length|head and shoulders)\\b"
  )
)

# A fact of a kind for each.
rows_of <- function(kind, of) {
  do.call(rbind, lapply(unique(of), function(one) new_fact(kind, one)))
}

# How light it is, and how warm.
read_light <- function(said) {
  if (said$denies) {
    return(NULL)
  }

  found <- Filter(function(of) says(said, light_patterns[[of]]), names(light_patterns))
  above <- says(said, "\\bdark( \\w+)? (sky|skies|clouds)\\b") && !"dark" %in% found
  do.call(rbind, list(
    rows_of("light", found),
    if (above) new_fact("light", "dark", "top")
  ))
}

light_patterns <- list(
  dark = paste(
    paste0(
      "(^|\\b(at|by|in the|into|the|it|late|dark|moonlit|starry|winter|summer|polar) )night\\b",
      "(?! ?(gown|stand|dress|shirt|mare|cap))"
    ),
    "\\b(at|by|after) (dusk|midnight|twilight)\\b",
    "^(dusk|midnight|twilight)$",
    "\\bnight ?time\\b",
    "^(very |quite )?dark$",
    "\\blow key\\b",
    "\\bmoonli(t|ght)\\b",
    "\\bunder the stars\\b",
    "\\bdimly lit\\b",
    "\\bblue hour\\b",
    paste0(
      "\\bdark( \\w+)? (background|backdrop|room|scene|forest|alley|street|lighting|library|",
      "interior|hall|mood)\\b"
    ),
    sep = "|"
  ),
  bright = paste(
    paste0(
      "\\b(bright|harsh|strong) (noon|day|daylight|sun|sunlight|sunshine|light|morning|",
      "afternoon|room|scene|white room)\\b"
    ),
    "\\b(noon|midday)\\b",
    "\\bsunny\\b",
    "^(very )?bright( and airy)?$",
    "\\bhigh key\\b",
    "\\bsunlit\\b",
    sep = "|"
  ),
  misty = "\\b(fog|foggy|mist|misty|haze|hazy)\\b",
  warm = paste(
    "\\bgolden (hour|light)\\b",
    "\\b(sunset|sunrise)\\b",
    "\\b(candle|fire) ?light\\b",
    "\\bwarm( \\w+)? (light|lighting|tones|colou?rs|glow|palette|sunlight)\\b",
    "^warm evening$",
    sep = "|"
  ),
  cool = paste(
    "\\b(cold|cool|icy)( \\w+)? (light|lighting|tones|colou?rs|palette)\\b",
    "\\bblue hour\\b",
    sep = "|"
  )
)

# How it is coloured as a whole.
read_tone <- function(said) {
  if (said$denies || says(said, "\\b(less|more)\\b")) {
    return(NULL)
  }

  found <- Filter(function(of) says(said, tone_patterns[[of]]), names(tone_patterns))
  rows_of("tone", c(if (is_black_and_white(said)) "mono", found))
}

tone_patterns <- list(
  mono = paste0(
    "\\b(monochrome|monochromatic|grey ?scale|gray ?scale|sepia)\\b|",
    "\\b(pencil|charcoal|graphite|ink) (sketch|drawing|portrait)\\b"
  ),
  vivid = paste0(
    "^(vivid|vibrant|saturated|colou?rful)$|",
    "\\b(vivid|vibrant|saturated|bold|intense) colou?rs\\b"
  ),
  # Pastels are pale, but not weak in colour.
  muted = paste0(
    "^(muted|desaturated|washed out|faded)$|",
    "\\b(muted|faded|desaturated|subdued|washed out)( \\w+)? (colou?rs|tones|palette|shades)\\b|",
    "\\bmuted (greens|blues|browns|reds)\\b"
  ),
  "high contrast" = "\\b(high|strong|hard|stark) contrasts?\\b",
  "low contrast" = "\\b(low|flat|weak) contrast\\b"
)

# How full it is, and whether it is the same on both sides.
read_layout <- function(said) {
  plain <- paste0(
    "\\b(plain|simple|seamless|blank|uniform|solid|clean)( \\w+){0,3} (background|backdrop)\\b|",
    "\\bisolated on (white|black|grey|gray)\\b"
  )
  busy <- "\\b(busy|cluttered|bustling|teeming)\\b|^(highly |very )?(detailed|intricate)\\b"
  do.call(rbind, list(
    if (says(said, plain)) new_fact("layout", "plain", "border"),
    if (says(said, busy) && !said$denies && !says(said, "\\bless\\b")) new_fact("layout", "busy"),
    if (says(said, "\\bsymmetr(y|ic|ical)\\b")) new_fact("layout", "symmetry"),
    if (says(said, "\\bempty (middle|centre|center)\\b")) new_fact("layout", "plain", "centre")
  ))
}
