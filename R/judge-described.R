# Judges on a service that is described in brief.yml: one call asks whether a statement holds for a
# picture, or several statements at once, and the answer is a number, yes or no. Pictures may be
# uploaded before, and the question may be a job, as with engines.

described_judge <- function(wanted, name) {
  wanted$make <- wanted$question
  if (!is.null(wanted$upload)) {
    wanted$upload$pictures <- "picture"
  }

  service <- new_service(wanted)
  # Asking a question twice costs little, so an answer that was lost is asked for again.
  service$asks_once <- FALSE
  asks_all <- "statements" %in% words_behind(wanted$question, "each")
  new_judge(
    name,
    wanted$kind,
    function() wanted$version,
    function(subjects, statements) {
      questions <- if (asks_all) list(statements) else as.list(statements)
      pairs <- unlist(
        lapply(subjects, function(subject) {
          lapply(questions, function(said) list(pixels = subject$pixels, statements = said))
        }),
        recursive = FALSE
      )
      ask_service(service, pairs, list(), length(subjects))
    },
    edge = wanted$edge %||% 384,
    # One picture at a time: a service is asked about several by several calls at once.
    batch = 1,
    at_once = wanted$at_once %||% 2,
    pattern = c(wanted$ask %||% "{say}", wanted$deny %||% "not the case: {say}"),
    secrets = as.character(wanted$key),
    converses = TRUE
  )
}

# Asks one question after the other; ends with a matrix, a row a picture.
ask_service <- function(service, pairs, answers, pictures) {
  if (length(pairs) == 0) {
    return(matrix(unlist(answers), pictures, byrow = TRUE))
  }

  asked <- pairs[[1]]
  request <- list(
    picture = asked$pixels,
    statements = asked$statements,
    size = dim(asked$pixels)[2:1],
    seeds = 1L,
    key = fresh_key()
  )
  read <- function(talk, answer, found) {
    said <- read_probabilities(service$wanted, found, length(asked$statements))
    ask_service(service, pairs[-1], c(answers, list(said)), pictures)
  }
  described_take(request, service, read, list(statement = asked$statements[1]))
}

# The probabilities in an answer, as many as there were statements.
read_probabilities <- function(wanted, found, many) {
  about <- wanted$answer
  said <- all_found(found, about$at)
  if (length(said) != many) {
    engine_failure(
      "bad_answer",
      paste0(
        wanted$address, " answered ", count_words(many, "question"), " with ",
        count_words(length(said), "value"), " at ", about$at, "."
      )
    )
  }

  vapply(said, probability_said, 0, about, wanted$address)
}

probability_said <- function(said, about, address) {
  from <- about$from %||% 0
  to <- about$to %||% 1
  number <- if (is.numeric(said)) said else suppressWarnings(as.numeric(texts_of(said)))
  if (length(number) == 1 && !is.na(number)) {
    return((number - from) / (to - from))
  }

  word <- tolower(trimws(c(texts_of(said), "")[1]))
  begins <- function(words) {
    any(vapply(tolower(texts_of(words)), function(one) {
      word == one || grepl(paste0("^\\Q", one, "\\E[^[:alnum:]]"), word, perl = TRUE)
    }, NA))
  }
  if (begins(about$yes %||% c("yes", "true"))) {
    1
  } else if (begins(about$no %||% c("no", "false"))) {
    0
  } else {
    engine_failure(
      "bad_answer",
      paste0(address, " answered ", show_value(said), " at ", about$at, ", neither yes nor no.")
    )
  }
}

# The problems of the description of a judge, an entry of brief.yml.
judge_description_problems <- function(wanted, place) {
  problem <- function(at, ...) new_problem("brief.yml", paste0(place, ".", at), ...)
  known <- c(
    in_forms("picture", names(picture_forms)), "statement", "key",
    if (!is.null(wanted$upload)) "picture.uploaded"
  )
  kept <- names(wanted$question$keep)
  used <- c(
    names_in_template(wanted$question),
    paste0(wanted$question$bytes, ".part", recycle0 = TRUE)
  )
  each <- words_behind(wanted$question, "each")
  bind_problems(
    upload_call_problems(wanted$upload, problem),
    call_problems(wanted$question, known, "question", problem, judge_lists),
    call_problems(wanted$wait, c(known, kept), "wait", problem, judge_lists),
    repeat_problems(wanted$wait, kept, problem, "question.keep"),
    if (!any(grepl("^picture[.]", used))) {
      problem("question", "templates that lack it", "{picture.base64} or another form")
    },
    if (!any(c("statement", "statements") %in% c(used, each))) {
      problem("question", "templates that lack it", "{statement}")
    }
  )
}

judge_lists <- list(statements = "statement")
