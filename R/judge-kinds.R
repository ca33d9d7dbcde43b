# What the kinds of judges do differently: the form of their answers, how these are kept, and which
# texts they are asked about. A kind is a class with a method for each generic of this file.

# Checks an answer: a list with one element a subject, for answering a row of probabilities.
# Anything else is a failure of the judge.
check_said <- function(judge, said, subjects, statements) UseMethod("check_said")

# An answer about one subject as text, in which form it is stored, and a list of answers from such
# texts.
pack_said <- function(judge, said) UseMethod("pack_said")
unpack_said <- function(judge, text) UseMethod("unpack_said")

# Which of a case's statements go with its pictures, and which are sent without any.
asked_of_pictures <- function(judge, statements) UseMethod("asked_of_pictures")
asked_of_texts <- function(judge, statements) UseMethod("asked_of_texts")

# A job's answers as columns: whom they are about, the statement, and what was said.
answer_rows <- function(judge, job, said) UseMethod("answer_rows")

#' @export
asked_of_pictures.sprenn_judge <- function(judge, statements) character()

#' @export
asked_of_texts.sprenn_judge <- function(judge, statements) character()

# A vector that the judge has not is kept too, as one that is lacking, so that it is not asked for
# again and again.
#' @export
answer_rows.sprenn_judge <- function(judge, job, said) {
  of_texts <- length(job$subjects) == 0
  none <- rep("", length(said))
  list(
    subject = if (of_texts) none else subjects_of(job),
    statement = if (of_texts) job$statements else none,
    said = vapply(said, pack_said, "", judge = judge)
  )
}

subjects_of <- function(job) vapply(job$subjects, `[[`, "", "sha256")

refuse_answer <- function(judge, ...) engine_failure("bad_answer", paste0(judge$name, " ", ...))

# Answering: a probability for each picture and statement.

# Tolerance for rounding.
probability_slack <- 1e-3

#' @export
check_said.sprenn_answering <- function(judge, said, subjects, statements) {
  n <- length(subjects)
  wanted <- n * length(statements)
  if (!is.numeric(said) || length(said) != wanted) {
    refuse_answer(judge, "gave ", length(said), " answers to ", wanted, " questions.")
  }

  said <- matrix(said, n)
  if (!all(is.finite(said))) {
    refuse_answer(judge, "gave an answer that is not a number.")
  }

  outside <- said < -probability_slack | said > 1 + probability_slack
  if (any(outside)) {
    refuse_answer(
      judge,
      "gave the probability ",
      format(said[outside][1], digits = 4),
      "; probabilities lie between 0 and 1."
    )
  }

  lapply(seq_len(n), function(i) pmin(1, pmax(0, said[i, ])))
}

#' @export
pack_said.sprenn_answering <- function(judge, said) formatC(said, digits = 15, format = "g")

#' @export
unpack_said.sprenn_answering <- function(judge, text) as.list(as.numeric(text))

#' @export
asked_of_pictures.sprenn_answering <- function(judge, statements) statements

#' @export
answer_rows.sprenn_answering <- function(judge, job, said) {
  subjects <- subjects_of(job)
  list(
    subject = rep(subjects, each = length(job$statements)),
    statement = rep(job$statements, length(subjects)),
    said = unlist(lapply(said, pack_said, judge = judge))
  )
}

# Embedding: a vector for each picture or text.

#' @export
check_said.sprenn_embedding <- function(judge, said, subjects, statements) {
  n <- if (length(subjects)) length(subjects) else length(statements)
  if (!is.numeric(said) || length(dim(said)) != 2 || nrow(said) != n) {
    size <- paste(dim(said) %||% length(said), collapse = " x ")
    refuse_answer(judge, "gave ", size, " numbers for ", n, " vectors.")
  }

  # A row of NA means that there is no vector.
  lacking <- rowSums(!is.na(said)) == 0
  if (!all(is.finite(said[!lacking, ]))) {
    refuse_answer(judge, "gave a vector that contains something other than numbers.")
  }

  lapply(seq_len(n), function(i) if (!lacking[i]) said[i, ])
}

#' @export
pack_said.sprenn_embedding <- function(judge, said) pack_floats(said)

#' @export
unpack_said.sprenn_embedding <- function(judge, text) unpack_each(text, unpack_floats)

#' @export
asked_of_texts.sprenn_embedding <- function(judge, statements) statements

# Pose: for each picture a list of figures, which are lists of joints by name.

#' @export
check_said.sprenn_pose <- function(judge, said, subjects, statements) {
  are_figures <- function(one) is.list(one) && all(vapply(one, is_figure, NA))
  check_each(
    judge,
    said,
    length(subjects),
    are_figures,
    "gave figures that are not lists of joints by name, each x and y."
  )
}

is_figure <- function(figure) {
  is_point <- function(at) is.numeric(at) && length(at) == 2 && all(is.finite(at))
  is.list(figure) && all(names(figure) %in% joint_names) && all(vapply(figure, is_point, NA))
}

#' @export
pack_said.sprenn_pose <- function(judge, said) to_json(list(figures = said))

#' @export
unpack_said.sprenn_pose <- function(judge, text) {
  unpack_each(text, function(one) {
    lapply(jsonlite::parse_json(one)$figures, function(figure) {
      lapply(figure, function(at) as.numeric(unlist(at)))
    })
  })
}

# Depth: for each picture a matrix, larger where things are nearer. It is kept in a small, uniform
# size and scale: only what is nearer than what counts.

kept_depth <- c(32, 32)

#' @export
check_said.sprenn_depth <- function(judge, said, subjects, statements) {
  is_map <- function(one) {
    is.matrix(one) && is.numeric(one) && length(one) >= 4 && all(is.finite(one))
  }

  check_each(
    judge,
    said,
    length(subjects),
    is_map,
    "gave a depth map that is not a matrix of numbers."
  )
}

#' @export
pack_said.sprenn_depth <- function(judge, said) {
  nearness <- (said - min(said)) / max(diff(range(said)), 1e-12)
  pack_floats(resize_map(array(nearness, dim(said)), kept_depth))
}

#' @export
unpack_said.sprenn_depth <- function(judge, text) unpack_each(text, unpack_floats)

check_each <- function(judge, said, n, sound, otherwise) {
  if (!is.list(said) || length(said) != n) {
    refuse_answer(judge, "answered for ", length(said), " pictures of ", n, ".")
  }

  if (!all(vapply(said, sound, NA))) {
    refuse_answer(judge, otherwise)
  }

  said
}

unpack_each <- function(text, unpack) lapply(text, function(one) if (!is.na(one)) unpack(one))

# Numbers of four bytes, as text.
pack_floats <- function(values) {
  bytes <- writeBin(as.double(values), raw(), size = 4, endian = "little")
  gsub("\n", "", jsonlite::base64_enc(bytes), fixed = TRUE)
}

unpack_floats <- function(text) {
  bytes <- jsonlite::base64_dec(text)
  readBin(bytes, "double", length(bytes) %/% 4, size = 4, endian = "little")
}
