# The one table of fields of the three files that a person writes. The checks,
# the JSON Schemas in inst/schema/ and docs/files.md are all made from it.
#
# `place`: `[]` is every item of a list, `*` every name of a map.
# `type`: one or more of the words in field_types(), joined by " or ".
trial_fields <- function(file) {
  fields <- switch(file, suite.yml = suite_fields(), lineup.yml = lineup_fields(), brief.yml = brief_fields())
  fields$needed <- fields$needed == "yes"
  fields
}

suite_fields <- function() {
  tibble::tribble(
    ~place, ~type, ~needed, ~doc,
    "suite", "id", "yes", "The suite's name.",
    "title", "text", "no", "A title for sheets and reports.",
    "seeds", "list", "yes", "The seeds, the same for every pipeline.",
    "seeds[]", "integer 0..2147483647", "no", "One seed.",
    "size", "size", "no", "What is delivered: [width, height], or one number for the long edge, and then every case keeps its reference's own aspect. 576 if left out.",
    "looks", "map", "no", "Looks by name.",
    "looks.*", "record", "no", "One look.",
    "looks.*.pictures", "list", "yes", "Pictures that show the look.",
    "looks.*.pictures[]", "path", "no", "One picture of the look.",
    "cases", "list", "yes", "What is asked, one entry a case.",
    "cases[]", "record", "no", "One case.",
    "cases[].id", "id", "yes", "The case's name, once in a suite.",
    "cases[].job", "choice restyle|vary|repair", "yes", "The kind of work.",
    "cases[].reference", "path or record", "yes", "The picture to start from.",
    "cases[].reference.picture", "path", "yes", "Its file.",
    "cases[].reference.fit", "choice crop|pad|stretch", "no", "How it is brought to the delivered aspect; crop if left out.",
    "cases[].reference.focus", "point", "no", "The point that a crop keeps nearest its middle, as shares of width and height; [0.5, 0.5] if left out.",
    "cases[].reference.fill", "paint", "no", "The colour that pads; grey if left out.",
    "cases[].look", "text", "no", "The name of the look wanted.",
    "cases[].prompt", "text or list", "yes", "What is asked for: one text, or a list of phrases.",
    "cases[].prompt[]", "text or record", "no", "One phrase.",
    "cases[].prompt[].say", "text", "yes", "The phrase's words.",
    "cases[].prompt[].weight", "number 0..4", "no", "Its emphasis; 1 if left out.",
    "cases[].prompt[].probe", "record", "no", "A check that pixels alone can answer.",
    "cases[].prompt[].probe.where", "place", "no", "Where to look; whole if left out.",
    "cases[].prompt[].probe.colour", "colour", "no", "The colour whose share is taken.",
    "cases[].prompt[].probe.share", "bound", "no", "How much of the place has that colour.",
    "cases[].prompt[].probe.brightness", "bound", "no", "How light the place is: 0 black, 1 white.",
    "cases[].prompt[].probe.monochrome", "bound", "no", "How much of the place is grey or in one hue.",
    "cases[].negative", "list", "no", "What is not wanted.",
    "cases[].negative[]", "text", "no", "One unwanted thing."
  )
}

lineup_fields <- function() {
  tibble::tribble(
    ~place, ~type, ~needed, ~doc,
    "engines", "map", "yes", "The engines by name.",
    "engines.*", "record", "no", "One engine.",
    "engines.*.kind", "choice function", "yes", "How it is reached: function is an R function.",
    "engines.*.call", "text", "no", "package::function that returns the engine, such as sprenn::standin_yarrow.",
    "engines.*.file", "path", "no", "An R file whose last value is the engine. It is run when the trial is read.",
    "pipelines", "list", "yes", "The pipelines to choose between.",
    "pipelines[]", "record", "no", "One pipeline.",
    "pipelines[].id", "id", "yes", "Its name, once in a lineup.",
    "pipelines[].engine", "text", "yes", "The name of its engine.",
    "pipelines[].checkpoint", "text", "no", "The engine's checkpoint; may be left out where it has only one.",
    "pipelines[].hold", "number 0..1", "no", "How firmly the reference is held: 0 lets go, 1 keeps.",
    "pipelines[].settings", "map", "no", "Other settings of the engine by name.",
    "pipelines[].settings.*", "number or text", "no", "A setting's value.",
    "sweeps", "list", "no", "Families of pipelines that differ in one setting.",
    "sweeps[]", "record", "no", "One sweep.",
    "sweeps[].vary", "text", "yes", "What is varied: hold, or the name of a setting.",
    "sweeps[].of", "text", "yes", "The pipeline that is varied.",
    "sweeps[].over", "list", "yes", "The values.",
    "sweeps[].over[]", "number", "no", "One value."
  )
}

brief_fields <- function() {
  axes <- c("structure", "adherence", "style")
  rows <- tibble::tribble(
    ~place, ~type, ~needed, ~doc,
    "brief", "text", "yes", "What the choice is for, in words.",
    "job", "choice restyle|vary|repair", "no", "The job it speaks for; all cases if left out.",
    "weights", "record", "yes", "How much each axis counts; they are divided by their sum.",
    "floors", "record", "no", "What a take must reach on an axis to be usable.",
    "style", "choice reach the look|stay or record", "no", "What style should do; reach the look if left out.",
    "style.change", "range", "yes", "The style change wanted, [from, to], where 1 is as far as two looks are apart.",
    "confidence", "number 0.5..0.999", "no", "How sure a decision has to be; 0.9 if left out.",
    "draws", "integer 200..100000", "no", "Bootstrap draws; 2000 if left out.",
    "seed", "integer 0..2147483647", "no", "The seed of the bootstrap; 1 if left out."
  )
  weights <- tibble::tibble(
    place = paste0("weights.", axes), type = "number 0..100", needed = "no",
    doc = paste0("The weight of ", axes, "; 0 if left out.")
  )
  floors <- tibble::tibble(
    place = paste0("floors.", axes), type = "number 0..1", needed = "no",
    doc = paste0("The floor of ", axes, ".")
  )
  rbind(rows[1:3, ], weights, rows[4, ], floors, rows[5:9, ])
}

# For every type: whether a value is of it, what is wanted in words, and the
# same as JSON Schema. `more` is what stands behind the type's word.
field_types <- function() {
  is_number <- function(x) is.numeric(x) && length(x) == 1 && is.finite(x)
  is_text <- function(x) is.character(x) && length(x) == 1 && nzchar(trimws(x))
  is_numbers <- function(x, n) is.list(x) && length(x) == n && is.null(names(x)) && all(vapply(x, is_number, NA))
  within <- function(more) as.numeric(strsplit(more, "..", fixed = TRUE)[[1]])
  in_range <- function(x, more) is.na(more) || (x >= within(more)[1] && x <= within(more)[2])
  range_words <- function(more) if (is.na(more)) "" else paste0(" from ", sub("..", " to ", more, fixed = TRUE))
  range_schema <- function(more) if (is.na(more)) list() else list(minimum = within(more)[1], maximum = within(more)[2])
  share <- list(type = "number", minimum = 0, maximum = 1)
  numbers <- function(n) list(type = "array", items = share, minItems = n, maxItems = n)
  list(
    text = list(
      fits = function(x, more) is_text(x), words = function(more) "text",
      schema = function(more) list(type = "string", pattern = "\\S")
    ),
    id = list(
      fits = function(x, more) is_text(x) && grepl(id_pattern, x),
      words = function(more) "a name of letters, digits, - and _, at most 60 long",
      schema = function(more) list(type = "string", pattern = id_pattern)
    ),
    integer = list(
      fits = function(x, more) is_number(x) && x == round(x) && in_range(x, more),
      words = function(more) paste0("a whole number", range_words(more)),
      schema = function(more) c(list(type = "integer"), range_schema(more))
    ),
    number = list(
      fits = function(x, more) is_number(x) && in_range(x, more),
      words = function(more) paste0("a number", range_words(more)),
      schema = function(more) c(list(type = "number"), range_schema(more))
    ),
    path = list(
      fits = function(x, more) is_text(x), words = function(more) "the path of a file in the trial",
      schema = function(more) list(type = "string", pattern = "\\S")
    ),
    choice = list(
      fits = function(x, more) is_text(x) && x %in% strsplit(more, "|", fixed = TRUE)[[1]],
      words = function(more) paste("one of", gsub("|", ", ", more, fixed = TRUE)),
      schema = function(more) list(enum = as.list(strsplit(more, "|", fixed = TRUE)[[1]]))
    ),
    size = list(
      fits = function(x, more) {
        ok <- function(v) v == round(v) && v >= 64 && v <= 8192
        if (is_number(x)) ok(x) else is_numbers(x, 2) && all(vapply(x, ok, NA))
      },
      words = function(more) "[width, height] or a long edge, in whole pixels from 64 to 8192",
      schema = function(more) {
        edge <- list(type = "integer", minimum = 64, maximum = 8192)
        list(anyOf = list(edge, list(type = "array", items = edge, minItems = 2, maxItems = 2)))
      }
    ),
    point = list(
      fits = function(x, more) is_numbers(x, 2) && all(unlist(x) >= 0 & unlist(x) <= 1),
      words = function(more) "[x, y] as shares from 0 to 1", schema = function(more) numbers(2)
    ),
    range = list(
      fits = function(x, more) is_numbers(x, 2) && x[[1]] >= 0 && x[[1]] < x[[2]],
      words = function(more) "[from, to] with from below to",
      schema = function(more) list(type = "array", items = list(type = "number", minimum = 0), minItems = 2, maxItems = 2)
    ),
    paint = list(
      fits = function(x, more) is_text(x) && grepl(paint_pattern, x),
      words = function(more) "black, grey, white or #rrggbb",
      schema = function(more) list(type = "string", pattern = paint_pattern)
    ),
    colour = list(
      fits = function(x, more) is_text(x) && (x %in% colour_names()$colour || grepl(hex_pattern, x)),
      words = function(more) paste0("#rrggbb or one of ", paste(colour_names()$colour, collapse = ", ")),
      known = function(more) colour_names()$colour,
      schema = function(more) {
        list(anyOf = list(list(enum = as.list(colour_names()$colour)), list(type = "string", pattern = hex_pattern)))
      }
    ),
    place = list(
      fits = function(x, more) {
        (is_text(x) && x %in% names(place_boxes())) ||
          (is_numbers(x, 4) && all(unlist(x) >= 0 & unlist(x) <= 1) && x[[1]] < x[[3]] && x[[2]] < x[[4]])
      },
      words = function(more) {
        paste0("a box [left, top, right, bottom] of shares from 0 to 1, or one of ", paste(names(place_boxes()), collapse = ", "))
      },
      known = function(more) names(place_boxes()),
      schema = function(more) list(anyOf = list(list(enum = as.list(names(place_boxes()))), numbers(4)))
    ),
    bound = list(
      fits = function(x, more) !is.null(read_bound(x)),
      words = function(more) "\"at least 0.3\", \"at most 0.3\" or \"between 0.2 and 0.5\", with numbers from 0 to 1",
      schema = function(more) list(type = "string", pattern = bound_pattern)
    ),
    list = list(
      fits = function(x, more) is.list(x) && is.null(names(x)) && length(x) > 0,
      words = function(more) "a list with at least one entry", schema = function(more) list(type = "array", minItems = 1)
    ),
    map = list(
      fits = function(x, more) is.list(x) && (!is.null(names(x)) && length(x) > 0),
      words = function(more) "names with values", schema = function(more) list(type = "object", minProperties = 1)
    ),
    record = list(
      fits = function(x, more) is.list(x) && !inherits(x, "yaml_code") && (!is.null(names(x)) && length(x) > 0),
      words = function(more) "keys with values", schema = function(more) list(type = "object")
    )
  )
}

id_pattern <- "^[A-Za-z0-9][A-Za-z0-9_-]{0,59}$"
hex_pattern <- "^#[0-9A-Fa-f]{6}$"
paint_pattern <- "^(black|grey|white|#[0-9A-Fa-f]{6})$"
share_pattern <- "(0|1|0?\\.[0-9]+|0\\.[0-9]+|1\\.0+)"
bound_pattern <- paste0(
  "^(at least ", share_pattern, "|at most ", share_pattern,
  "|between ", share_pattern, " and ", share_pattern, ")$"
)

# A bound in words as its lower and upper end, or NULL if it is none.
read_bound <- function(text) {
  if (!is.character(text) || length(text) != 1 || !grepl(bound_pattern, text)) {
    return(NULL)
  }
  numbers <- as.numeric(regmatches(text, gregexpr("[0-9.]+", text))[[1]])
  if (startsWith(text, "at least")) {
    return(c(numbers, 1))
  }
  if (startsWith(text, "at most")) {
    return(c(0, numbers))
  }
  if (numbers[1] <= numbers[2]) numbers else NULL
}
