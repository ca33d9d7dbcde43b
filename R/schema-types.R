# The kinds of value that a field may hold: whether a value is of the kind, what
# is wanted in words, and the same as JSON Schema. In the table of fields a type
# is one of these words, perhaps with something behind it (`number 0..1`).

field_types <- function() {
  c(text_types(), number_types(), picture_types(), nested_types(), described_types())
}

text_types <- function() {
  list(
    text = new_type(is_text, "text", list(type = "string", pattern = "\\S")),
    id = new_type(
      function(x) is_text(x) && grepl(id_pattern, x, perl = TRUE),
      "a name of letters, digits, - and _, at most 60 long",
      list(type = "string", pattern = id_pattern)
    ),
    flag = new_type(
      function(x) isTRUE(x) || isFALSE(x),
      "true or false",
      list(type = "boolean")
    ),
    path = new_type(
      is_text,
      "the path of a file in the trial",
      list(type = "string", pattern = "\\S")
    ),
    variable = new_type(
      function(x) is_text(x) && grepl(variable_pattern, x, perl = TRUE),
      "the name of an environment variable",
      list(type = "string", pattern = variable_pattern)
    ),
    # Text that is read by people on the way may be http on this machine alone.
    address = new_type(
      function(x) is_text(x) && grepl(address_pattern, x, perl = TRUE),
      paste0(
        "https://HOST or https://HOST:PORT, perhaps with a path; http:// only on this machine ",
        "(127.0.0.1, localhost)"
      ),
      list(type = "string", pattern = address_pattern)
    ),
    endpoint = new_type(
      function(x) is_text(x) && grepl(endpoint_pattern, x, perl = TRUE),
      "HOST or HOST:PORT",
      list(type = "string", pattern = endpoint_pattern)
    ),
    # As a word of a command line: nothing in it may be read as an option.
    host = new_type(
      function(x) is_text(x) && grepl(host_pattern, x, perl = TRUE),
      "HOST, USER@HOST or USER@HOST:PORT",
      list(type = "string", pattern = host_pattern)
    ),
    choice = new_type(
      function(x, more) is_text(x) && x %in% split_words(more, "|"),
      function(more) paste("one of", gsub("|", ", ", more, fixed = TRUE)),
      function(more) list(enum = as.list(split_words(more, "|"))),
      known = function(more) split_words(more, "|")
    )
  )
}

number_types <- function() {
  list(
    integer = new_type(
      function(x, more) is_number(x) && x == round(x) && in_range(x, more),
      function(more) paste0("a whole number", range_words(more)),
      function(more) c(list(type = "integer"), range_schema(more))
    ),
    number = new_type(
      function(x, more) is_number(x) && in_range(x, more),
      function(more) paste0("a number", range_words(more)),
      function(more) c(list(type = "number"), range_schema(more))
    ),
    size = new_type(
      function(x) {
        ok <- function(v) v == round(v) && v >= 64 && v <= 8192
        if (is_number(x)) {
          ok(x)
        } else {
          is_numbers(x, 2) && all(vapply(x, ok, NA))
        }
      },
      "[width, height] or a long edge, in whole pixels from 64 to 8192",
      local({
        edge <- list(type = "integer", minimum = 64, maximum = 8192)
        list(anyOf = list(edge, list(type = "array", items = edge, minItems = 2, maxItems = 2)))
      })
    ),
    range = new_type(
      function(x) is_numbers(x, 2, c(0, Inf)) && x[[1]] < x[[2]],
      "[from, to] with from below to",
      list(
        type = "array",
        items = list(type = "number", minimum = 0),
        minItems = 2,
        maxItems = 2
      )
    ),
    bound = new_type(
      function(x) !is.null(read_bound(x)),
      "\"at least 0.3\", \"at most 0.3\" or \"between 0.2 and 0.5\", with numbers from 0 to 1",
      list(type = "string", pattern = bound_pattern)
    ),
    count = new_type(
      function(x) !is.null(read_count(x)),
      "a whole number, \"at least 2\", \"at most 5\" or \"between 2 and 4\"",
      list(
        anyOf = list(
          list(type = "integer", minimum = 0, maximum = 999),
          list(type = "string", pattern = count_pattern)
        )
      )
    )
  )
}

picture_types <- function() {
  list(
    point = new_type(
      function(x) is_numbers(x, 2, c(0, 1)),
      "[x, y] as shares from 0 to 1",
      numbers_schema(2, c(0, 1))
    ),
    paint = new_type(
      function(x) is_text(x) && grepl(paint_pattern, x, perl = TRUE),
      "black, grey, white or #rrggbb",
      list(type = "string", pattern = paint_pattern)
    ),
    colour = new_type(
      function(x) {
        is_text(x) && (x %in% colour_names()$colour || grepl(hex_pattern, x, perl = TRUE))
      },
      function(more) {
        paste0("#rrggbb or one of ", paste(colour_names()$colour, collapse = ", "))
      },
      function(more) {
        list(
          anyOf = list(
            list(enum = as.list(colour_names()$colour)),
            list(type = "string", pattern = hex_pattern)
          )
        )
      },
      known = function(more) colour_names()$colour
    ),
    # A box inside the picture; `cut` may reach beyond its edges.
    box = new_type(
      function(x) is_box(x, c(0, 1)),
      paste(box_words, "from 0 to 1"),
      numbers_schema(4, c(0, 1))
    ),
    cut = new_type(
      function(x) is_box(x, c(-4, 5)),
      paste(box_words, "where 0 to 1 is the picture"),
      numbers_schema(4, c(-4, 5))
    ),
    place = new_type(
      function(x) {
        (is_text(x) && (x %in% place_names() || grepl(region_pattern, x, perl = TRUE))) ||
          is_box(x, c(0, 1))
      },
      function(more) {
        paste0(
          box_words, " from 0 to 1, or one of ", paste(place_names(), collapse = ", "),
          ", or inside or outside followed by mask or the name of a watched region"
        )
      },
      function(more) {
        list(
          anyOf = list(
            list(enum = as.list(place_names())),
            list(type = "string", pattern = region_pattern),
            numbers_schema(4, c(0, 1))
          )
        )
      },
      known = function(more) c(place_names(), "inside mask", "outside mask")
    )
  )
}

nested_types <- function() {
  list(
    list = new_type(
      function(x, more) {
        is.list(x) && is.null(names(x)) && in_range(length(x), more %|NA|% "1..1000000")
      },
      function(more) {
        few <- as.numeric(split_words(more %|NA|% "1..", ".."))[1]
        if (few > 1) {
          paste("a list with at least", few, "entries")
        } else {
          "a list with at least one entry"
        }
      },
      function(more) {
        ends <- as.numeric(split_words(more %|NA|% "1", ".."))
        c(
          list(type = "array", minItems = ends[1]),
          if (length(ends) > 1) list(maxItems = ends[2])
        )
      }
    ),
    map = new_type(is_keyed, "names with values", list(type = "object", minProperties = 1)),
    record = new_type(
      function(x) is_keyed(x) || identical(names(x), character()),
      "keys with values",
      list(type = "object")
    )
  )
}

# `fits`, `words` and `schema` of a type; what does not depend on the part of
# the type behind its word may be given plainly.
new_type <- function(fits, words, schema, known = function(more) NULL) {
  constant <- function(x) if (is.function(x)) x else function(more) x
  list(
    fits = if (length(formals(fits)) == 1) function(x, more) fits(x) else fits,
    words = constant(words),
    schema = constant(schema),
    known = known
  )
}

# A type as the table writes it, `number 0..1 or text`, taken apart: a list of
# types, each with its word and what is behind it.
parse_type <- function(type) {
  lapply(split_words(type, " or "), function(one) {
    word <- sub(" .*", "", one)
    c(
      list(word = word, more = if (grepl(" ", one)) sub("^[^ ]+ ", "", one) else NA_character_),
      known_types[[word]]
    )
  })
}

type_words <- function(type) {
  paste(vapply(parse_type(type), function(one) one$words(one$more), ""), collapse = ", or ")
}

`%|NA|%` <- function(a, b) if (is.na(a)) b else a

address_pattern <- paste0(
  "^(https://[A-Za-z0-9.-]+|http://(127\\.[0-9]+\\.[0-9]+\\.[0-9]+|localhost)",
  "|https?://\\[::1\\])(:[0-9]{1,5})?(/[A-Za-z0-9._~/-]*)?$"
)

endpoint_pattern <- "^([A-Za-z0-9][A-Za-z0-9.-]*|\\[[0-9a-fA-F:]+\\])(:[0-9]{1,5})?$"
host_pattern <- "^([A-Za-z0-9_][A-Za-z0-9._-]*@)?[A-Za-z0-9][A-Za-z0-9.-]*(:[0-9]{1,5})?$"

is_box <- function(x, ends) is_numbers(x, 4, ends) && x[[1]] < x[[3]] && x[[2]] < x[[4]]
box_words <- "a box [left, top, right, bottom] in shares"

range_words <- function(more) {
  if (is.na(more)) {
    ""
  } else {
    paste0(" from ", sub("..", " to ", more, fixed = TRUE))
  }
}

range_schema <- function(more) {
  ends <- if (is.na(more)) NULL else as.numeric(split_words(more, ".."))
  if (is.na(more)) {
    list()
  } else {
    list(minimum = ends[1], maximum = ends[2])
  }
}

numbers_schema <- function(n, ends) {
  list(
    type = "array",
    items = list(type = "number", minimum = ends[1], maximum = ends[2]),
    minItems = n,
    maxItems = n
  )
}

id_pattern <- "^[A-Za-z0-9][A-Za-z0-9_-]{0,59}$"
hex_pattern <- "^#[0-9A-Fa-f]{6}$"
paint_pattern <- "^(black|grey|white|#[0-9A-Fa-f]{6})$"
share_pattern <- "(0|1|0?\\.[0-9]+|1\\.0+)"

bound_of <- function(number) {
  paste0("^(at least ", number, "|at most ", number, "|between ", number, " and ", number, ")$")
}

bound_pattern <- bound_of(share_pattern)
count_pattern <- bound_of("[0-9]{1,3}")

# A bound in words as its lower and upper end, or NULL if it is none.
read_bound <- function(text, pattern = bound_pattern, most = 1) {
  if (!is.character(text) || length(text) != 1 || !grepl(pattern, text, perl = TRUE)) {
    return(NULL)
  }

  words <- split_words(text, " ")
  numbers <- as.numeric(words[grepl("^[0-9.]", words)])
  if (startsWith(text, "at least")) {
    return(c(numbers, most))
  }

  if (startsWith(text, "at most")) {
    return(c(0, numbers))
  }

  if (numbers[1] <= numbers[2]) numbers else NULL
}

# The same of things that are counted; a number alone is wanted exactly.
read_count <- function(text) {
  if (is_number(text)) {
    return(if (text == round(text) && text >= 0 && text <= 999) rep(as.numeric(text), 2))
  }

  read_bound(text, count_pattern, Inf)
}

# Words that a suite, a lineup and a brief may use.

jobs <- c("restyle", "vary", "repair", "swap", "edit", "extend", "blend", "fresh")

# Jobs that leave the look of the reference as it is.
jobs_that_keep_looks <- c("repair", "edit", "extend")

guide_kinds <- c("edges", "soft_edges", "areas", "depth", "pose")

# Guides that are computed from a reference; the others come as files.
computed_guides <- c("edges", "soft_edges", "areas")

control_kinds <- c(
  "blank_prompt", "swapped_prompt", "no_reference", "no_look", "no_guide", "repeat"
)

choice_of <- function(words) paste("choice", paste(words, collapse = "|"))

# Which of several pipelines that are close enough is taken.
preferences <- c("better", "cheaper", "faster")

engine_kinds <- c("function", "http", "inference", "command", "folder", "described")

judge_kinds <- c("answering", "embedding", "vectors", "pose", "depth", "finding", "local")

# What the largest face can be like, and how much of a person can be seen.
face_words <- c(
  "smiling", "frowning", "facing left", "facing right", "facing front", "portrait", "full figure"
)

# The flaws that a case may have judges look for.
judged_flaw_words <- c("lettering", "number", "likeness")

# The judges that `sprenn judges --install` installs.
local_judge_names <- c("people", "letters")

variable_pattern <- "^[A-Za-z_][A-Za-z0-9_]*$"

# Inputs that a case may bring and an engine may or may not take.
input_words <- c(
  look = "pictures of a look",
  mask = "a mask",
  references = "several references",
  text_alone = "no reference at all",
  negative = "unwanted things",
  edges = "an edges guide",
  soft_edges = "a soft_edges guide",
  areas = "an areas guide",
  depth = "a depth guide",
  pose = "a pose guide"
)

input_kinds <- function() names(input_words)

known_types <- field_types()
