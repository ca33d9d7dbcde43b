# Finding: what is in a picture, without being asked about anything. What a finding is made of is
# said in score-findings.R.

# What each part of a finding must be.
part_is_sound <- list(
  things = function(part) is_list_of_said(part),
  words = function(part) is_list_of_said(part),
  faces = function(part) is_list_of_faces(part),
  figures = function(part) all(vapply(part, is_figure, NA))
)

#' @export
check_said.sprenn_finding <- function(judge, said, subjects, statements) {
  is_finding <- function(one) {
    is.list(one) &&
      !is.null(names(one)) &&
      all(names(one) %in% names(part_is_sound)) &&
      all(mapply(function(part, name) part_is_sound[[name]](part), one, names(one)))
  }

  # What a server says is shown to people.
  check_each(
    judge,
    safe_said(said, judge$secrets),
    length(subjects),
    is_finding,
    "found something that is not a list of `things`, `words`, `faces` or `figures` (see ?judge)."
  )
}

# Boxes as shares of the picture may reach a little beyond it.
box_slack <- 0.5

is_boxed <- function(rows) {
  columns <- c(box_names, "sure")
  if (!is.list(rows) || !all(columns %in% names(rows))) {
    return(FALSE)
  }

  numbers <- unclass(rows)[columns]
  between <- function(x, low, high) is.numeric(x) && all(is.finite(x) & x >= low & x <= high)
  length(unique(lengths(numbers))) == 1 &&
    all(vapply(numbers[box_names], between, NA, -box_slack, 1 + box_slack)) &&
    between(numbers$sure, -probability_slack, 1 + probability_slack)
}

is_list_of_said <- function(rows) {
  is_boxed(rows) && is.character(rows$said) && length(rows$said) == length(rows$sure)
}

is_list_of_faces <- function(faces) {
  is_boxed(faces) && all(vapply(names(face_widths()), is_face_part, NA, faces))
}

# What is told of each face beside its box, and in how many numbers.
face_widths <- function() {
  list(expression = length(expression_names), turn = length(turn_names), descriptor = NA)
}

is_face_part <- function(name, faces) {
  part <- faces[[name]]
  is.null(part) ||
    (is_numbers_matrix(part) &&
      nrow(part) == length(faces$sure) &&
      (is.na(face_widths()[[name]]) || ncol(part) == face_widths()[[name]]))
}

is_numbers_matrix <- function(x) is.matrix(x) && is.numeric(x) && all(is.finite(x))

#' @export
pack_said.sprenn_finding <- function(judge, said) {
  if (!is.null(said$faces$descriptor)) {
    each <- seq_along(said$faces$sure)
    said$faces$descriptor <- vapply(each, function(i) pack_floats(said$faces$descriptor[i, ]), "")
  }

  for (part in intersect(c("expression", "turn"), names(said$faces))) {
    said$faces[[part]] <- round(said$faces[[part]], 4)
  }

  columns <- setdiff(names(said), "figures")
  said[columns] <- lapply(said[columns], function(rows) lapply(unclass(rows), I))
  to_json(said)
}

#' @export
unpack_said.sprenn_finding <- function(judge, text) {
  unpack_each(text, function(one) {
    said <- jsonlite::fromJSON(one, simplifyVector = FALSE)
    lists <- intersect(c("things", "words"), names(said))
    said[lists] <- lapply(said[lists], said_rows)
    if (!is.null(said$faces)) {
      said$faces <- face_rows(said$faces)
    }

    if (!is.null(said$figures)) {
      said$figures <- lapply(said$figures, lapply, function(at) as.numeric(unlist(at)))
    }

    said
  })
}

said_rows <- function(columns) {
  numbers <- lapply(columns[c(box_names, "sure")], as_numbers)
  as_table(c(list(said = as.character(unlist(columns$said))), numbers))
}

face_rows <- function(columns) {
  faces <- lapply(columns[c(box_names, "sure")], as_numbers)
  many <- length(faces$sure)
  rows_of <- function(each) {
    values <- as.numeric(unlist(each))
    matrix(values, many, if (many > 0) length(values) / many else 0, byrow = TRUE)
  }
  for (part in intersect(c("expression", "turn"), names(columns))) {
    faces[[part]] <- rows_of(columns[[part]])
  }

  if (!is.null(columns$descriptor)) {
    faces$descriptor <- rows_of(lapply(columns$descriptor, unpack_floats))
  }

  faces
}

as_numbers <- function(values) as.numeric(unlist(values))

# The outputs of a model that findings are read from: which part each belongs to. A part is told if
# the model has all outputs that the part needs.
finding_outputs <- list(
  things = c("thing", "thing_box"),
  words = c("word", "word_box"),
  faces = "face_box",
  figures = "figures"
)

# Which of these a model has, by our names.
outputs_for_findings <- function(has) {
  told <- Filter(function(needs) all(needs %in% has), finding_outputs)
  of_faces <- if ("faces" %in% names(told)) intersect(names(face_widths()), has)
  c(unlist(told, use.names = FALSE), of_faces)
}

# The findings about `n` pictures in a model's outputs, by our names: `values` (row by row) and
# `sizes` each. `wrong(output, wanted)` refuses.
findings_in <- function(outputs, n, wrong) {
  figures <- if (!is.null(outputs$figures)) {
    told <- outputs$figures
    figures_in(as.numeric(told$values), told$sizes, n, function(wanted) wrong("figures", wanted))
  }
  each <- intersect(names(output_widths()), names(outputs))
  told <- lapply(stats::setNames(nm = each), function(name) {
    by_picture(outputs[[name]], n, output_widths()[[name]], function(wanted) wrong(name, wanted))
  })
  lapply(seq_len(n), function(i) {
    own <- lapply(told, `[[`, i)
    Filter(Negate(is.null), list(
      things = said_in_tensors(own$thing, own$thing_box),
      words = said_in_tensors(own$word, own$word_box),
      faces = faces_in_tensors(own),
      figures = figures[[i]]
    ))
  })
}

# How many values an output has for each that was found: none of their own for texts, NA for as many
# as the model likes.
output_widths <- function() {
  boxes <- list(thing_box = 5, word_box = 5, face_box = 5)
  c(list(thing = numeric(), word = numeric()), boxes, face_widths())
}

# An output's values for each picture: a matrix with a row for each that was found.
by_picture <- function(output, n, width, wrong) {
  sizes <- output$sizes
  inner <- utils::tail(sizes, length(width))
  if (length(sizes) != 2 + length(width) || sizes[1] != n || !all(is.na(width) | inner == width)) {
    wanted <- ifelse(is.na(width), "numbers", width)
    wrong(paste(c("pictures x how many", wanted), collapse = " x "))
  }

  many <- sizes[2]
  if (many > most_found) {
    wrong(paste("at most", most_found, "things a picture"))
  }

  columns <- max(1, inner)
  lapply(seq_len(n), function(i) {
    at <- (i - 1) * many * columns + seq_len(many * columns)
    matrix(output$values[at], many, columns, byrow = TRUE)
  })
}

# Nobody looks for more in one picture.
most_found <- 1000

# Boxes whose confidence is below 0 only fill up what a picture has less of than another.
said_in_tensors <- function(said, boxes) {
  if (is.null(said) || is.null(boxes)) {
    return(NULL)
  }

  rows <- boxed(boxes)
  there <- rows$sure >= 0
  as_table(c(list(said = as.character(said[there, 1])), rows[there, ]))
}

faces_in_tensors <- function(own) {
  if (is.null(own$face_box)) {
    return(NULL)
  }

  faces <- boxed(own$face_box)
  there <- faces$sure >= 0
  parts <- own[intersect(names(face_widths()), names(own))]
  c(as.list(faces[there, ]), lapply(parts, function(part) part[there, , drop = FALSE]))
}

boxed <- function(boxes) {
  columns <- lapply(seq_len(5), function(k) as.numeric(boxes[, k]))
  as_table(stats::setNames(columns, c(box_names, "sure")))
}

# The measures that a judge gives scores of structure by.
structure_measures <- function(judge) {
  if (inherits(judge, "sprenn_judge_of_contents")) {
    paste0(judge$name, "_", compared_parts)
  } else if (inherits(judge, "sprenn_judge_of_references")) {
    judge$name
  }
}

# The measures that a judge gives scores of flaws by.
flaw_measures <- function(judge) {
  if (inherits(judge, "sprenn_judge_of_contents")) {
    paste0(judge$name, "_", judged_flaw_names)
  }
}

# A finding in words: "2 people, 1 kite, 1 face, no lettering".
finding_in_words <- function(said) {
  people <- people_in(said)
  things <- said$things$said[said$things$sure >= even_confidence]
  things <- table(things[things != "person"])
  faces <- length(sure_faces(said$faces))
  words <- words_found(said$words)$said
  parts <- c(
    if (!is.null(said$things)) paste(people, if (people == 1) "person" else "people"),
    paste0(things, ifelse(things > 1, " x ", " "), names(things), recycle0 = TRUE),
    if (!is.null(said$faces)) count_words(faces, "face"),
    if (!is.null(said$figures)) count_words(length(said$figures), "figure"),
    if (!is.null(said$words)) {
      if (length(words)) {
        paste("reads", show_value(paste(words, collapse = " ")))
      } else {
        "no lettering"
      }
    }
  )
  listed(parts)
}
