#' Create a request for an engine
#'
#' A request contains everything that an engine is told. A run creates its requests from the suite
#' and the lineup; this function creates one by hand, to try an engine.
#'
#' @param engine The [engine()] that it is for: inputs that it does not accept are refused here.
#' @param prompt The phrases, as text, or a data frame with `say` and `weight`.
#' @param reference A picture: an array rows x columns x 3, sRGB from 0 to 1, or
#'   `NULL` for text alone. It is resampled to `size`.
#' @param hold How firmly the reference is kept, 0 to 1; by default 0.5 if the engine has such a
#'   knob.
#' @param checkpoint The engine's checkpoint; the first one if `NULL`.
#' @param size `c(width, height)`; the reference's own, or the checkpoint's first,
#'   if `NULL`.
#' @param seed A whole number.
#' @param settings,add_ons Lists by name.
#' @param negative,looks,guides,mask See the value.
#' @return An object of class `sprenn_request`, a list: `prompt` (a data frame with `say` and
#'   `weight`), `text` (the same as one text, with the engine's own emphasis), `negative` (texts),
#'   `reference` (an array rows x columns x 3, sRGB from 0 to 1, already fitted to `size`, or
#'   `NULL` for text alone), `references` (a list of all of them) with `reference_weights`,
#'   `looks` (a list of such arrays) with `look_weight`, `guides` (a list by kind, each with
#'   `picture`, `weight` and `release`, the share of the process after which it lets go, and for
#'   `pose` the joints in pixels, `figures`), `mask` (rows x columns, 1 may change, or `NULL`)
#'   with `context` (`c(left, top, right, bottom)` in pixels, the part around it that the engine
#'   should see) and `part` (where this lies in the whole picture, `c(left, top, right, bottom)`
#'   in shares of it, if only the masked part is shown; otherwise `NULL`), `grow` (canvas added at
#'   left, top, right and bottom, as shares; it is in `reference` and `mask` already), `hold` (0 to
#'   1), `native_hold` (the same on the engine's own knob: a number, or a word where its positions
#'   have names), `checkpoint`, `add_ons` (weights by name), `settings` (a list), `size` (`c(width,
#'   height)`), `seed`, `seeds` (of all pictures that this call asks for: more than one only if the
#'   engine's `per_call` is), `key` (a text that stays the same when the same picture is requested
#'   again, so that it is paid for once), `label` (a readable name), and `notes`: inputs of the
#'   case that were left out or changed because the engine does not accept them.
#'   `enlarge`, where it is there, is the multiple of `size` at which the picture is to be
#'   delivered; inputs are of `size`.
#' @section Errors: `sprenn_error_argument` if the engine does not accept the request.
#' @family engines
#' @export
#' @examples
#' engine_request(standin_yarrow(), "a windmill", size = c(128, 64))
engine_request <- function(
  engine,
  prompt,
  reference = NULL,
  hold = NULL,
  checkpoint = NULL,
  size = NULL,
  seed = 1L,
  settings = list(),
  add_ons = list(),
  negative = character(),
  looks = list(),
  guides = list(),
  mask = NULL
) {
  about <- engine$about
  checkpoint <- checkpoint %||% names(about$checkpoints)[1]
  if (is.character(prompt)) {
    prompt <- data.frame(say = prompt, weight = rep(1, length(prompt)))
  }

  size <- size %||% if (is.null(reference)) {
    good_size(about$checkpoints[[checkpoint]])
  } else {
    working_size(dim(reference)[2:1], about$checkpoints[[checkpoint]])
  }
  asked <- list(
    prompt = as_table(prompt),
    negative = negative,
    references = if (!is.null(reference)) {
      list(resize_picture(reference, as.integer(size)))
    } else {
      list()
    },
    looks = looks,
    guides = guides,
    mask = mask,
    hold = hold %||% if (is.null(about$hold)) NA_real_ else 0.5,
    checkpoint = checkpoint,
    add_ons = add_ons,
    settings = settings,
    size = as.integer(size),
    seed = as.integer(seed)
  )
  request <- new_request(engine, asked)
  request$key <- fresh_key()
  validate_request(request, about)
}

#' @param ... Passed on to `engine_request()`.
#' @rdname engine_request
#' @export
take_request <- function(...) {
  .Deprecated("engine_request")
  engine_request(...)
}

# A unique key that does not touch the caller's random numbers.
fresh_key <- function() paste(as.character(openssl::rand_bytes(10)), collapse = "")

# Builds a request in the form that the engine wants.
new_request <- function(engine, asked) {
  about <- engine$about
  emphasised <- any(asked$prompt$weight != 1)
  notes <- c(
    asked$notes,
    if (emphasised && about$emphasis == "none") "phrase weights: it has no emphasis"
  )
  request <- list(
    negative = character(),
    looks = list(),
    look_weight = 1,
    guides = list(),
    add_ons = list(),
    settings = list(),
    grow = c(0, 0, 0, 0),
    label = ""
  )
  request[names(asked)] <- asked
  request$text <- emphasised_text(asked$prompt, about$emphasis)
  request["reference"] <- list(if (length(asked$references)) asked$references[[1]])
  request$reference_weights <- asked$reference_weights %||% rep(1, length(asked$references))
  request[c("mask", "context")] <- list(asked$mask, asked$context)
  request$part <- asked$part
  request$enlarge <- asked$enlarge
  request$native_hold <- knob_value(to_native_hold(asked$hold, about), about)
  request$notes <- as.character(notes)
  request$seeds <- asked$seed
  structure(request, class = "sprenn_request")
}

# The phrases as one text. Weights other than 1 are written in the engine's own form, or left out
# if it has none.
emphasised_text <- function(prompt, emphasis) {
  shown <- prompt$say
  stressed <- which(prompt$weight != 1)
  if (!emphasis %in% c("weights", "none")) {
    shown[stressed] <- vapply(
      stressed,
      function(i) {
        one <- sub("{say}", prompt$say[i], emphasis, fixed = TRUE)
        sub("{weight}", format(prompt$weight[i]), one, fixed = TRUE)
      },
      ""
    )
  }

  paste(shown, collapse = ", ")
}

# Converts hold (0 lets go, 1 keeps) to the engine's own knob: along its curve if there is one,
# linearly otherwise.
to_native_hold <- function(hold, about) {
  if (is.null(about$hold) || is.na(hold)) {
    return(NA_real_)
  }

  curve <- about$curve
  knob <- if (is.null(curve)) {
    to_knob(hold, about$hold)
  } else {
    stats::approx(unlist(curve$hold), unlist(curve$knob), hold, rule = 2, ties = "ordered")$y
  }
  if (is.null(about$hold_words)) knob else round(knob)
}

# Values of the knob as the engine has them: their names where positions have names.
knob_value <- function(knob, about) {
  if (is.null(about$hold_words)) knob else about$hold_words[knob]
}

# From 0 to 1 along the knob, on its own scale.
to_knob <- function(at, ends) ends[["at_0"]] + at * (ends[["at_1"]] - ends[["at_0"]])

# Everything in a request that the engine does not take, reported at once.
validate_request <- function(request, about) {
  in_use <- c(
    look = length(request$looks),
    mask = !is.null(request$mask),
    references = length(request$references) > 1,
    text_alone = length(request$references) == 0,
    negative = length(request$negative)
  )
  inputs <- c(names(in_use)[in_use > 0], names(request$guides))
  lacking <- setdiff(inputs, about$takes)
  settings <- bind_problems(
    lapply(names(request$settings), function(name) {
      setting_problem(request$settings[[name]], name, about, name)
    })
  )
  check_arguments(
    prompt = checkmate::check_data_frame(
      request$prompt,
      any.missing = FALSE,
      col.names = "named"
    ),
    "prompt$say" = checkmate::check_character(request$prompt$say, any.missing = FALSE),
    "prompt$weight" = checkmate::check_numeric(
      request$prompt$weight,
      lower = 0,
      any.missing = FALSE
    ),
    inputs = if (length(lacking)) {
      paste0(
        "brings ", paste(input_words[lacking], collapse = " and "), ", which ",
        about$name, " does not take"
      )
    } else {
      TRUE
    },
    checkpoint = checkmate::check_choice(request$checkpoint, names(about$checkpoints)),
    hold = checkmate::check_number(request$hold, lower = 0, upper = 1, na.ok = TRUE),
    settings = if (nrow(settings)) {
      paste0(
        settings$place, " is ", settings$found, "; expected ", settings$wanted,
        collapse = "; "
      )
    } else {
      TRUE
    },
    add_ons = checkmate::check_subset(names(request$add_ons) %||% character(), about$add_ons),
    size = checkmate::check_integerish(
      request$size,
      lower = 1,
      upper = 16384,
      len = 2,
      any.missing = FALSE
    ),
    seed = checkmate::check_int(request$seed, lower = 0),
    mask = if (is.null(request$mask)) {
      TRUE
    } else {
      checkmate::check_matrix(request$mask, nrows = request$size[2], ncols = request$size[1])
    }
  )
  request
}

# The size that the picture is to have.
delivered_size <- function(request) request$size * (request$enlarge %||% 1)

# A size that a checkpoint handles well.
good_size <- function(checkpoint) {
  unlist(checkpoint$sizes[[1]] %||% working_size(c(768, 512), checkpoint))
}

#' @export
format.sprenn_request <- function(x, ...) {
  c(
    paste0(
      "<request> ", x$label, if (nzchar(x$label)) ", ",
      paste(x$size, collapse = " x "), ", seed ", x$seed
    ),
    paste0("  says    ", x$text),
    paste0(
      "  shows   ",
      paste(
        c(
          count_words(length(x$references), "reference"),
          if (length(x$looks)) count_words(length(x$looks), "look"),
          names(x$guides),
          if (!is.null(x$mask)) "a mask"
        ),
        collapse = ", "
      )
    ),
    paste0(
      "  on      checkpoint ",
      x$checkpoint,
      if (!is.na(x$hold)) {
        paste0(
          ", hold ", format(x$hold), " (",
          if (is.numeric(x$native_hold)) format(x$native_hold, digits = 4) else x$native_hold,
          " on its own knob)"
        )
      }
    ),
    if (length(x$notes)) paste0("  note    ", x$notes)
  )
}

#' @export
print.sprenn_request <- function(x, ...) {
  writeLines(format(x, ...))
  invisible(x)
}

# Whether an engine takes a setting, and this value of it: a range of numbers, or
# one of several words.
setting_problem <- function(value, name, about, place) {
  setting <- about$settings[[name]]
  if (is.null(setting)) {
    return(unknown_setting(name, about, place))
  }

  words <- unlist(setting$words)
  if (is.null(words)) {
    if (is.numeric(value) && value >= setting$from && value <= setting$to) {
      return(no_problems())
    }

    span <- paste("a number from", setting$from, "to", setting$to)
    return(new_problem("lineup.yml", place, show_value(value), span))
  }

  if (value %in% words) {
    return(no_problems())
  }

  new_problem(
    "lineup.yml",
    place,
    show_value(value),
    paste("one of", paste(words, collapse = ", ")),
    nearest_word(as.character(value), words)
  )
}

unknown_setting <- function(name, about, place) {
  known <- names(about$settings)
  takes <- if (length(known)) {
    paste0("what ", about$name, " takes: ", paste(known, collapse = ", "))
  } else {
    paste0("no settings: ", about$name, " takes none")
  }
  new_problem(
    "lineup.yml",
    place,
    "a setting that the engine does not take",
    takes,
    nearest_word(name, known)
  )
}
