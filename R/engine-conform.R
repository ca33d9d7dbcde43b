#' Check an engine against the contract
#'
#' For those who implement the contract for their own service: makes a number of small requests,
#' valid and invalid, and says for every requirement whether it was met, and if not, what came
#' instead. For a server of the kind `http`, the exchange of messages is checked too;
#' `inst/contract/openapi.yaml` specifies it.
#'
#' About a dozen small pictures are made. An engine that says that it is busy is waited for as in a
#' run: up to four tries, each after the pause that it asks for.
#'
#' @param engine An [engine()], or the address of a server that follows the HTTP contract.
#' @param key The name of an environment variable that holds its key, or `NULL`.
#' @param key_header The header that carries the key; `NULL` for `Authorization:
#'   Bearer`.
#' @param seconds How long one call may take.
#' @return A list of class `sprenn_conformance`: `checks`, a data frame with `part` (`about`,
#'   `takes`, `errors`, `captions`), `requirement`, `met` (`TRUE`, `FALSE`, or `NA` if
#'   it could not be tried, since the engine stayed busy) and `why`.
#' @family engines
#' @export
#' @examples
#' conform_engine(standin_yarrow())
conform_engine <- function(engine, key = NULL, key_header = NULL, seconds = 120) {
  check_arguments(
    key = checkmate::check_string(key, pattern = variable_pattern, null.ok = TRUE),
    key_header = checkmate::check_string(key_header, null.ok = TRUE),
    seconds = checkmate::check_number(seconds, lower = 0.1),
    engine = if (inherits(engine, "sprenn_engine") ||
      (is_text(engine) && grepl(address_pattern, engine, perl = TRUE))) {
      TRUE
    } else {
      "must be an engine() or an address: https://, or http:// on this machine"
    }
  )
  notes <- new_notes()
  server <- NULL
  if (is.character(engine)) {
    server <- list(
      address = sub("/$", "", engine),
      key = key,
      key_header = key_header,
      seconds = seconds,
      patience = seconds
    )
    engine <- conform_about(server, notes)
  }

  if (!is.null(engine)) {
    conform_pictures(engine, notes)
    if (!is.null(server)) {
      conform_exchange(engine, server, notes)
    }

    conform_captions(engine, notes)
  }

  checks <- notes$table()
  checks$why <- safe_said(checks$why, c(key, engine$secrets))
  structure(
    list(checks = checks),
    class = "sprenn_conformance"
  )
}

# Collects requirements and results. `try` takes a function that returns TRUE, or a text that says
# what came instead.
new_notes <- function() {
  rows <- list()
  list(
    try = function(part, requirement, code) {
      busy <- FALSE
      said <- tryCatch(
        code,
        sprenn_failure = function(e) {
          busy <<- e$kind == "busy"
          conditionMessage(e)
        },
        error = function(e) paste("an error:", conditionMessage(e))
      )
      rows[[length(rows) + 1]] <<- new_table(
        part = part,
        requirement = requirement,
        met = if (busy) NA else isTRUE(said),
        why = if (is.character(said)) said else ""
      )
      isTRUE(said)
    },
    table = function() do.call(rbind, rows)
  )
}

# To be busy for a while keeps the contract: the same is asked again after the pause that the engine
# asks for. A failure if it stays busy.
while_busy <- function(attempt, key) {
  outcome <- try_patiently(attempt, key, kinds = "busy")
  if (inherits(outcome, "condition")) stop(outcome) else outcome
}

busy_statuses <- c(425, 429, 503)

fetch_when_free <- function(method, url, ...) {
  while_busy(key = url, attempt = function() {
    answer <- fetch(method, url, ...)
    if (answer$status %in% busy_statuses) {
      stop_for_status(answer, url)
    }

    answer
  })
}

conform_about <- function(server, notes) {
  url <- paste0(server$address, "/about")
  said <- NULL
  notes$try("about", "GET /about answers 200 with JSON", {
    answer <- fetch_when_free("GET", url, key_headers(server), seconds = server$seconds)
    if (answer$status != 200) {
      stop_for_status(answer, url)
    }

    said <- read_json_answer(answer, url)
    if (answer$type == "application/json") TRUE else paste("its type is", answer$type)
  })
  if (is.null(said)) {
    return(NULL)
  }

  engine <- NULL
  notes$try("about", "it says what the contract requires, in its form", {
    lacking <- setdiff(c("version", "checkpoints"), names(said))
    engine <- http_engine_at(server, said, "engine")
    if (length(lacking)) {
      paste("it lacks", paste(lacking, collapse = " and "))
    } else if (!nzchar(said$version)) {
      "its version is empty"
    } else {
      TRUE
    }
  })
  engine
}

# The smallest size that a checkpoint handles well, to keep pictures cheap.
smallest_size <- function(checkpoint) {
  sizes <- checkpoint$sizes
  if (length(sizes)) {
    sizes[[which.min(vapply(sizes, prod, 0))]]
  } else {
    working_size(c(256, 192), checkpoint)
  }
}

# Requests that any engine must be able to serve.
conform_pictures <- function(engine, notes) {
  about <- engine$about
  size <- smallest_size(about$checkpoints[[1]])
  reference <- core_dead_leaves(size[1], size[2], 41)
  ask <- function(...) make_when_free(engine, engine_request(engine, ..., size = size))
  first <- NULL
  worked <- notes$try(
    "takes",
    "it makes a picture of the size asked for, from a reference and a prompt",
    {
      first <- ask("a hill", reference)
      TRUE
    }
  )
  if (!worked) {
    return(invisible())
  }

  notes$try("takes", "it takes long, odd and empty words", {
    ask(odd_words, reference)
    TRUE
  })
  if (!is.null(about$hold)) {
    notes$try("takes", "it takes both ends of its knob", holds_at_its_end(ask, reference))
  }

  if (about$repeatable) {
    notes$try("takes", "the same seed gives the same picture, as it says", {
      again <- ask("a hill", reference)
      if (identical(pixels_of(again), pixels_of(first))) {
        TRUE
      } else {
        "two requests with one seed gave two pictures"
      }
    })
  }

  conform_settings(engine, ask, reference, notes)
  conform_inputs(about$takes, ask, reference, notes)
  conform_given(engine, reference, size, notes)
}

make_when_free <- function(engine, request) {
  while_busy(function() make_picture(engine, request), request$key)
}

odd_words <- c(
  strrep("a very long phrase ", 100),
  "caf\u00e9 \u2603 \U0001f3a8 \"quoted\" <b>&amp;</b>\\",
  " "
)

pixels_of <- function(made) decode_picture(encoded_picture(made$bytes))

holds_at_its_end <- function(ask, reference) {
  close <- function(hold) {
    made <- pixels_of(ask("a hill", reference, hold = hold))
    stats::cor(c(rowMeans(made, dims = 2)), c(rowMeans(reference, dims = 2)))
  }

  if (close(1) > close(0)) {
    return(TRUE)
  }

  "at_1, where the reference should be kept, gave a picture less like it than at_0"
}

# The other checkpoints, and both ends of each setting.
conform_settings <- function(engine, ask, reference, notes) {
  about <- engine$about
  for (name in names(about$checkpoints)[-1]) {
    notes$try("takes", paste("checkpoint", name, "makes pictures"), {
      size <- smallest_size(about$checkpoints[[name]])
      request <- engine_request(engine, "a hill", reference, checkpoint = name, size = size)
      make_when_free(engine, request)
      TRUE
    })
  }

  for (name in names(about$settings)) {
    notes$try("takes", paste("it takes both ends of", name), {
      setting <- about$settings[[name]]
      words <- unlist(setting$words)
      ends <- if (is.null(words)) c(setting$from, setting$to) else range(words)
      for (end in ends) {
        ask("a hill", reference, settings = stats::setNames(list(end), name))
      }

      TRUE
    })
  }
}

# Tries every input that the engine says it takes.
conform_inputs <- function(takes, ask, reference, notes) {
  inputs <- list(
    look = list(looks = list(core_dead_leaves(64, 48, 5))),
    mask = list(mask = upper_half(reference)),
    negative = list(negative = "lettering"),
    text_alone = list(reference = NULL)
  )
  for (kind in intersect(guide_kinds, takes)) {
    inputs[[kind]] <- list(guides = stats::setNames(list(drawn_guide(kind, reference)), kind))
  }

  for (input in intersect(names(inputs), takes)) {
    notes$try("takes", paste("it takes", input_words[[input]]), {
      more <- inputs[[input]]
      if (!"reference" %in% names(more)) {
        more <- c(list(reference = reference), more)
      }

      do.call(ask, c(list("a hill"), more))
      TRUE
    })
  }
}

# Tries what pipelines may give in place of what a case has: weights, the reference as a look, a
# masked part by itself with its inside filled, an enlarged picture.
conform_given <- function(engine, reference, size, notes) {
  about <- engine$about
  asked_with <- function(requirement, change, ...) {
    notes$try("takes", requirement, {
      request <- engine_request(engine, "a hill", reference, size = size, ...)
      request[names(change)] <- change
      make_when_free(engine, request)
      TRUE
    })
  }

  if ("look" %in% about$takes) {
    look <- list(core_dead_leaves(64, 48, 5))
    asked_with("it takes a look of little weight", list(look_weight = 0.2), looks = look)
    asked_with("it takes a look of great weight", list(look_weight = 2), looks = look)
    asked_with("it takes the reference as a look", list(), looks = list(reference))
  }

  for (kind in intersect(guide_kinds, about$takes)) {
    guide <- drawn_guide(kind, reference)
    guide[c("weight", "release")] <- list(2, 0.1)
    asked_with(
      paste("it takes", input_words[[kind]], "of great weight that lets go early"),
      list(),
      guides = stats::setNames(list(guide), kind)
    )
  }

  if ("mask" %in% about$takes) {
    mask <- upper_half(reference)
    filled <- fill_masked(reference, mask, "noise")
    asked_with(
      "it takes a masked part by itself, filled with noise",
      list(part = c(0.2, 0.2, 0.8, 0.8), reference = filled, references = list(filled)),
      mask = mask
    )
  }

  if (about$enlarge > 1) {
    asked_with(
      paste("it delivers", about$enlarge, "times the size, as it says"),
      list(enlarge = about$enlarge)
    )
  }
}

upper_half <- function(picture) {
  mask <- matrix(0, nrow(picture), ncol(picture))
  mask[seq_len(nrow(mask) %/% 2), ] <- 1
  mask
}

drawn_guide <- function(kind, reference) {
  guide <- list(
    picture = array(rowMeans(reference, dims = 2), dim(reference)),
    weight = 1,
    release = 0.8
  )
  if (kind == "pose") {
    c(guide, list(figures = list()))
  } else {
    guide
  }
}

conform_captions <- function(engine, notes) {
  if (is.null(engine$caption)) {
    return(invisible())
  }

  notes$try("captions", "it says what is in a picture", {
    phrases <- while_busy(function() engine$caption(core_dead_leaves(96, 64, 3)), "caption")
    if (is.character(phrases) && length(phrases) && all(nzchar(trimws(phrases)))) {
      TRUE
    } else {
      "no phrases came"
    }
  })
}

#' @export
format.sprenn_conformance <- function(x, ...) {
  checks <- x$checks
  mark <- ifelse(is.na(checks$met), "  ?  ", ifelse(checks$met, "  ok ", "  NO "))
  failed <- sum(!checks$met, na.rm = TRUE)
  untried <- sum(is.na(checks$met))
  lines <- unlist(lapply(seq_len(nrow(checks)), function(i) {
    c(
      paste0(mark[i], formatC(checks$part[i], width = -9), checks$requirement[i]),
      if (nzchar(checks$why[i])) {
        strwrap(
          checks$why[i],
          92,
          initial = "              ",
          prefix = "              "
        )
      }
    )
  }))
  c(
    lines,
    "",
    if (failed) {
      paste0(
        count_words(failed, "requirement"), " of ", nrow(checks),
        if (failed == 1) " was" else " were", " not met."
      )
    } else if (untried == 0) {
      paste("All", nrow(checks), "requirements were met.")
    },
    if (untried) {
      paste0(
        count_words(untried, "requirement"), " of ", nrow(checks),
        " could not be tried: the engine stayed busy."
      )
    }
  )
}

#' @export
print.sprenn_conformance <- function(x, ...) {
  writeLines(format(x, ...))
  invisible(x)
}
