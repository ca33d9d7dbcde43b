# Finding: what is in a picture, without being asked about anything. What a finding is made of is
# said in score-findings.R.

box_names <- c("left", "top", "right", "bottom")

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

  check_each(
    judge,
    said,
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
  many <- function(name, inner) {
    sizes <- outputs[[name]]$sizes
    fits <- length(sizes) == 2 + length(inner) && sizes[1] == n &&
      all(is.na(inner) | utils::tail(sizes, length(inner)) == inner)
    if (!fits) {
      wrong(name, paste(c("pictures x how many", ifelse(is.na(inner), "numbers", inner)),
        collapse = " x "
      ))
    }

    sizes[2]
  }
  # What an output says of one picture: a matrix with a row for each that was found.
  of_picture <- function(name, i, inner) {
    long <- many(name, inner)
    width <- max(1, utils::tail(outputs[[name]]$sizes, length(inner)))
    at <- (i - 1) * long * width + seq_len(long * width)
    matrix(outputs[[name]]$values[at], long, width, byrow = TRUE)
  }
  lapply(seq_len(n), function(i) {
    Filter(Negate(is.null), list(
      things = said_in_tensors(outputs, "thing", of_picture, i),
      words = said_in_tensors(outputs, "word", of_picture, i),
      faces = faces_in_tensors(outputs, of_picture, i),
      figures = if (!is.null(outputs$figures)) {
        figures_in(
          as.numeric(outputs$figures$values),
          outputs$figures$sizes,
          n,
          function(wanted) wrong("figures", wanted)
        )[[i]]
      }
    ))
  })
}

# Boxes whose confidence is below 0 only fill up what a picture has less of than another.
said_in_tensors <- function(outputs, name, of_picture, i) {
  if (is.null(outputs[[name]])) {
    return(NULL)
  }

  boxes <- of_picture(paste0(name, "_box"), i, 5)
  said <- of_picture(name, i, numeric())[, 1]
  rows <- cbind(new_table(said = as.character(said)), boxed(boxes))
  rows[rows$sure >= 0, ]
}

faces_in_tensors <- function(outputs, of_picture, i) {
  if (is.null(outputs$face_box)) {
    return(NULL)
  }

  faces <- boxed(of_picture("face_box", i, 5))
  there <- faces$sure >= 0
  faces <- as.list(faces[there, ])
  for (part in intersect(names(face_widths()), names(outputs))) {
    faces[[part]] <- of_picture(part, i, face_widths()[[part]])[there, , drop = FALSE]
  }

  faces
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

# A finding in words: "2 people, 1 kite, 1 face, no lettering".
finding_in_words <- function(said) {
  people <- score_of_count(said, list(of = "person", bound = c(0, Inf)))$raw
  things <- said$things$said[said$things$sure >= even_confidence]
  things <- table(things[things != "person"])
  faces <- sum(said$faces$sure >= sure_face)
  words <- words_found(said$words)$said
  parts <- c(
    if (!is.null(said$things)) count_words(people, "person"),
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
  sub("\\b([02-9]|[0-9]{2,}) persons\\b", "\\1 people", listed(parts))
}
