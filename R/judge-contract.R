#' A judge: an outside model that says what is in a picture
#'
#' The contract that every judge keeps, whether it is an R function, a server
#' that speaks the Open Inference Protocol or a file of vectors. `brief.yml`
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
#' @return An object of class `sprenn_judge`. It is of one kind: `answering`,
#'   `embedding`, `pose` or `depth`, by which functions are given.
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
  depth = NULL
) {
  given <- list(answering = answer, embedding = embed_pictures, pose = figures, depth = depth)
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
    functions = if (length(kinds) == 1) {
      TRUE
    } else {
      "must be of one kind: answer, or embed_pictures and embed_texts, or figures, or depth"
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
      depth = function(subjects, statements) depth(lapply(subjects, `[[`, "pixels"))
    )
  )
}

# `version()` finds the version out. `ask(subjects, statements)` is given pictures as
# `pixels` and `sha256` each, or for texts none, and returns what was said, or a
# conversation as engines have it (`call` and `then`), which a run keeps in flight with
# others. `edge` is the long edge at which pictures are shown, `batch` how many at a time.
new_judge <- function(
  name,
  kind,
  version,
  ask,
  edge = 384,
  batch = 8,
  at_once = 1,
  pattern = c("{say}", "not the case: {say}"),
  secrets = character()
) {
  structure(
    list(
      name = name,
      kind = kind,
      version = version,
      ask = ask,
      edge = edge,
      batch = batch,
      at_once = at_once,
      pattern = pattern,
      secrets = secrets
    ),
    class = "sprenn_judge"
  )
}

#' @export
print.sprenn_judge <- function(x, ...) {
  writeLines(paste0("A judge, ", x$name, " (", x$kind, ")"))
  invisible(x)
}

# What was said, held against what may be said: a list with one thing a subject, for
# answering a row of probabilities. Anything else is a failure of the judge.
check_said <- function(judge, said, subjects, statements) {
  refuse <- function(...) engine_failure("bad_answer", paste0(judge$name, " ", ...))
  n <- if (length(subjects)) length(subjects) else length(statements)
  switch(judge$kind,
    answering = check_answers(said, n, length(statements), refuse),
    embedding = check_vectors(said, n, refuse),
    pose = check_figures(said, n, refuse),
    depth = check_depth(said, n, refuse)
  )
}

# What may be a little off by rounding.
probability_slack <- 1e-3

check_answers <- function(said, n, statements, refuse) {
  if (!is.numeric(said) || length(said) != n * statements) {
    refuse("gave ", length(said), " answers to ", n * statements, " questions.")
  }

  said <- matrix(said, n)
  if (!all(is.finite(said))) {
    refuse("gave an answer that is no number.")
  }

  outside <- said < -probability_slack | said > 1 + probability_slack
  if (any(outside)) {
    refuse(
      "gave the probability ",
      format(said[outside][1], digits = 4),
      "; probabilities lie between 0 and 1."
    )
  }

  lapply(seq_len(n), function(i) pmin(1, pmax(0, said[i, ])))
}

check_vectors <- function(said, n, refuse) {
  if (!is.numeric(said) || length(dim(said)) != 2 || nrow(said) != n) {
    size <- paste(dim(said) %||% length(said), collapse = " x ")
    refuse("gave ", size, " numbers for ", n, " vectors.")
  }

  # A row without numbers is one that it has no vector for.
  lacking <- rowSums(!is.na(said)) == 0
  if (!all(is.finite(said[!lacking, ]))) {
    refuse("gave a vector with something in it that is no number.")
  }

  lapply(seq_len(n), function(i) if (!lacking[i]) said[i, ])
}

check_figures <- function(said, n, refuse) {
  is_point <- function(at) is.numeric(at) && length(at) == 2 && all(is.finite(at))
  is_figure <- function(figure) {
    is.list(figure) && all(names(figure) %in% joint_names) && all(vapply(figure, is_point, NA))
  }

  are_figures <- function(one) is.list(one) && all(vapply(one, is_figure, NA))
  check_each(
    said,
    n,
    are_figures,
    "gave figures that are no lists of joints by name, each x and y.",
    refuse
  )
}

check_depth <- function(said, n, refuse) {
  is_map <- function(one) {
    is.matrix(one) && is.numeric(one) && length(one) >= 4 && all(is.finite(one))
  }

  check_each(said, n, is_map, "gave a depth map that is no matrix of numbers.", refuse)
}

check_each <- function(said, n, sound, otherwise, refuse) {
  if (!is.list(said) || length(said) != n) {
    refuse("answered for ", length(said), " pictures of ", n, ".")
  }

  if (!all(vapply(said, sound, NA))) {
    refuse(otherwise)
  }

  said
}

# What was said as it is kept, and back.
pack_said <- function(said, kind) {
  floats <- function(values) {
    gsub(
      "\n",
      "",
      jsonlite::base64_enc(writeBin(as.double(values), raw(), size = 4, endian = "little")),
      fixed = TRUE
    )
  }

  switch(kind,
    answering = formatC(said, digits = 15, format = "g"),
    embedding = floats(said),
    pose = to_json(list(figures = said)),
    depth = floats(
      resize_map(
        array((said - min(said)) / max(diff(range(said)), 1e-12), dim(said)),
        c(32, 32)
      )
    )
  )
}

unpack_said <- function(text, kind) {
  floats <- function(one) {
    bytes <- jsonlite::base64_dec(one)
    readBin(bytes, "double", length(bytes) %/% 4, size = 4, endian = "little")
  }

  if (kind == "answering") {
    return(as.list(as.numeric(text)))
  }

  lapply(text, function(one) {
    if (is.na(one)) {
      return(NULL)
    }

    if (kind == "pose") {
      lapply(jsonlite::parse_json(one)$figures, function(figure) {
        lapply(figure, function(at) as.numeric(unlist(at)))
      })
    } else {
      floats(one)
    }
  })
}

# From what brief.yml says of judges to the judges themselves.

# Either `judges`, by name, or `problems`.
build_judges <- function(brief, folder) {
  problems <- list()
  judges <- list()
  taken <- c(list_measures()$measure, "viewing")
  for (name in names(brief$judges)) {
    wanted <- brief$judges[[name]]
    place <- paste0("judges.", name)
    if (name %in% taken) {
      problems <- c(
        problems,
        list(new_problem("brief.yml", place, quoted(name), "a name that no measure has"))
      )
    }

    made <- tryCatch(judge_of(wanted, name, folder), error = one_line)
    if (inherits(made, "sprenn_judge")) {
      judges[[name]] <- made
    } else {
      problems <- c(
        problems,
        list(new_problem("brief.yml", place, made, "a judge that can be used"))
      )
    }
  }

  list(judges = judges, problems = bind_problems(problems))
}

judge_of <- function(wanted, name, folder) {
  if (wanted$kind == "vectors") {
    return(vectors_judge(wanted, name, folder))
  }

  if (!is.null(wanted$address)) {
    return(inference_judge(wanted, name))
  }

  made <- code_value(wanted, folder)
  if (!inherits(made, "sprenn_judge")) {
    stop("what ", wanted$call %||% wanted$file, " gives is no judge()", call. = FALSE)
  }

  if (made$kind != wanted$kind) {
    stop("it is a judge of the kind ", made$kind, call. = FALSE)
  }

  made$name <- name
  made$pattern <- c(wanted$ask %||% made$pattern[1], wanted$deny %||% made$pattern[2])
  made$batch <- wanted$batch %||% made$batch
  made$edge <- wanted$edge %||% made$edge
  made
}
