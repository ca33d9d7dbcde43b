#' Define a judge
#'
#' A judge is an outside model that says what is in a picture: an R function, a server that speaks
#' the Open Inference Protocol, a service that is described, or a file of vectors. `brief.yml`
#' names the judges of a trial; see `docs/judges.md`.
#'
#' @param name,version Text. Answers of one version are never mixed with those
#'   of another.
#' @param answer A function of `pictures` (a list of arrays rows x columns x 3,
#'   sRGB from 0 to 1, all of one size) and `statements` (texts) that returns a
#'   matrix with a row a picture and a column a statement: the probability that
#'   it holds, 0 to 1.
#' @param embed_pictures,embed_texts Functions of such pictures and of texts that
#'   return a matrix with a row each: vectors in one space.
#' @param figures A function of such pictures that returns, for each, a list of
#'   figures: lists of joints by name (as in a file of keypoints), each `c(x, y)`
#'   as shares of the picture.
#' @param depth A function of such pictures that returns, for each, a matrix
#'   that is larger where things are nearer.
#' @param find A function of such pictures that returns, for each, a list of what it found, without
#'   the parts that it can't tell of: `things` and `words`, data frames with a row for each and the
#'   columns `said` (what it is, or says), `left`, `top`, `right`, `bottom` (its box, as shares of
#'   the picture) and `sure` (0 to 1); `faces`, a list with box and `sure`, and matrices with
#'   a row a face: `expression` (7 shares: angry, disgust, fear, happy, neutral, sad, surprise),
#'   `turn` (degrees: yaw to the picture's right, pitch up, roll clockwise) and `descriptor`
#'   (numbers that are alike for one face); `figures`, as above.
#' @return An object of class `sprenn_judge`. Its kind (`answering`, `embedding`, `pose`, `depth` or
#'   `finding`) follows from the functions given.
#' @family measures and evidence
#' @export
#' @examples
#' judge("bright-or-not", "1", answer = function(pictures, statements) {
#'   light <- vapply(pictures, mean, 0)
#'   outer(light, statements, function(light, said) ifelse(grepl("dark", said), 1 - light, light))
#' })
judge <- function(
  name,
  version = "1",
  answer = NULL,
  embed_pictures = NULL,
  embed_texts = NULL,
  figures = NULL,
  depth = NULL,
  find = NULL
) {
  given <- list(
    answering = answer,
    embedding = embed_pictures,
    pose = figures,
    depth = depth,
    finding = find
  )
  kinds <- names(given)[!vapply(given, is.null, NA)]
  takes <- function(f, nargs) checkmate::check_function(f, nargs = nargs, null.ok = TRUE)
  check_arguments(
    name = checkmate::check_string(name, min.chars = 1),
    version = checkmate::check_string(version),
    answer = takes(answer, 2),
    embed_pictures = takes(embed_pictures, 1),
    embed_texts = takes(embed_texts, 1),
    figures = takes(figures, 1),
    depth = takes(depth, 1),
    find = takes(find, 1),
    functions = if (length(kinds) == 1) {
      TRUE
    } else {
      paste0(
        "must be of one kind: answer, or embed_pictures and embed_texts, or figures, or depth, ",
        "or find"
      )
    },
    embed_texts = if (is.null(embed_texts) == is.null(embed_pictures)) {
      TRUE
    } else {
      "must come together with embed_pictures"
    }
  )
  new_judge(
    name,
    kinds,
    function() version,
    ask = switch(kinds,
      answering = function(subjects, statements) {
        answer(lapply(subjects, `[[`, "pixels"), statements)
      },
      embedding = function(subjects, statements) {
        if (length(subjects)) {
          embed_pictures(lapply(subjects, `[[`, "pixels"))
        } else {
          embed_texts(statements)
        }
      },
      pose = function(subjects, statements) figures(lapply(subjects, `[[`, "pixels")),
      depth = function(subjects, statements) depth(lapply(subjects, `[[`, "pixels")),
      finding = function(subjects, statements) find(lapply(subjects, `[[`, "pixels"))
    )
  )
}

# A judge is asked about the phrases of a prompt, compares takes with their reference, or finds what
# is in a picture, for both.
judge_families <- c(
  answering = "sprenn_judge_of_phrases",
  embedding = "sprenn_judge_of_phrases",
  pose = "sprenn_judge_of_references",
  depth = "sprenn_judge_of_references",
  finding = "sprenn_judge_of_contents"
)

# `version()` returns the version. `ask(subjects, statements)` is given pictures with `pixels` and
# `sha256`, or none for texts, and returns the answers or a conversation as engines do (`call` and
# `then`), so that a run can have many in flight. `edge` is the long edge of the pictures, `batch`
# how many are sent at a time. `close()` ends what was started for it; `lacks()` says in words what
# it lacks on this machine. `converses` is whether it answers by conversations. An answering judge
# is asked each statement about `unasked` pictures that nobody asked it of.
new_judge <- function(
  name,
  kind,
  version,
  ask,
  edge = 384,
  batch = 8,
  at_once = 1,
  pattern = c("{say}", "not the case: {say}"),
  secrets = character(),
  converses = FALSE
) {
  structure(
    list(
      name = name,
      kind = kind,
      version = function() safe_said(version(), secrets),
      ask = ask,
      edge = edge,
      batch = batch,
      at_once = at_once,
      pattern = pattern,
      unasked = usual_unasked,
      secrets = secrets,
      converses = converses,
      close = function() NULL,
      lacks = function() NULL
    ),
    class = c(paste0("sprenn_", kind), judge_families[[kind]], "sprenn_judge")
  )
}

usual_unasked <- 12

#' @export
print.sprenn_judge <- function(x, ...) {
  writeLines(paste0("A judge, ", x$name, " (", x$kind, ")"))
  invisible(x)
}
