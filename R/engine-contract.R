#' Define an engine
#'
#' An engine makes pictures. It describes itself (`about`) and makes one picture from one request
#' (`make`). Twenty lines of R adapt any service: see `examples/own-engine.R`.
#'
#' @param about A list:
#'   - `name` and `version`: text. Takes of different versions are kept apart.
#'   - `checkpoints`: a named list, one entry a checkpoint. Each may say
#'     `sizes`, a list of `c(width, height)` that it handles well, or
#'     `multiple_of`, one number that width and height must be multiples of.
#'   - `hold`: `c(at_0 = , at_1 = )`, the values of the engine's own knob at
#'     which it lets the reference go and at which it keeps it. The direction
#'     and the range follow from these. For a knob with a few named positions,
#'     `list(words = )`, from the one that lets go to the one that keeps; then a
#'     request's `native_hold` is one of these words. Leave it out for an engine
#'     that has no such knob.
#'     If its knob is uneven, `curve`, a list of `hold` (rising from 0 to 1 or a
#'     part of that) and `knob` (the values there), takes the place of the
#'     straight line between the two; [calibrate_engine()] measures one.
#'   - `settings`: a named list of its other settings. Each is `list(from =, to =, default =)` or
#'     `list(words =, default =)`, for short `c(from, to)` or the words.
#'   - `takes`: its inputs besides a prompt and one reference, from `"look"`, `"mask"`,
#'     `"references"` (several), `"text_alone"` (no reference), `"negative"`, and the guides
#'     `"edges"`, `"soft_edges"`, `"areas"`, `"depth"`, `"pose"`. A case with any other input is
#'     refused before anything is made.
#'   - `enlarge`: how many times the size that it works at it can deliver, from 1 to 4.
#'   - `add_ons`: the names of the add-ons it has.
#'   - `emphasis`: how a phrase is stressed: `"weights"` if the engine reads them from `prompt`, a
#'     pattern such as `"[{say} x{weight}]"` if they belong in the text, or `"none"`.
#'   - `repeatable`: whether the same seed gives the same picture.
#'   - `per_call`: how many pictures one call can return, `at_once`: how many calls it accepts at
#'     a time. With a `per_call` of more than 1, `make` is given requests for several `seeds`, and
#'     returns a list with an [engine_result()] for each.
#'   - `price` per picture, `call_price` per call besides, whatever it returns, and `seconds` per
#'     picture: for planning.
#' @param make A function of one request, see [engine_request()], that returns a
#'   [engine_result()] or calls [engine_failure()].
#' @param caption A function of one picture (an array rows x columns x 3, sRGB
#'   from 0 to 1, at most 1024 long) that returns the phrases of a prompt for it,
#'   as text, or calls [engine_failure()]. `NULL` for an engine that can't.
#' @param kind How it is reached; shown in listings.
#' @param secrets The names of the environment variables that hold its keys. Their values are
#'   removed from everything that is kept or shown.
#' @param seconds The time limit of `make` in seconds. It applies to R code only; code that calls
#'   other programs needs its own limit.
#' @return An object of class `sprenn_engine`.
#' @family engines
#' @export
#' @examples
#' engine(
#'   about = list(
#'     name = "copier", version = "1", checkpoints = list(plain = list()),
#'     hold = c(at_0 = 0, at_1 = 1)
#'   ),
#'   make = function(request) engine_result(request$reference)
#' )
engine <- function(
  about,
  make,
  caption = NULL,
  kind = "function",
  secrets = character(),
  seconds = Inf
) {
  check_arguments(
    about = checkmate::check_list(about, names = "unique"),
    make = checkmate::check_function(make, nargs = 1),
    caption = checkmate::check_function(caption, nargs = 1, null.ok = TRUE),
    kind = checkmate::check_choice(kind, engine_kinds),
    secrets = checkmate::check_character(
      secrets,
      any.missing = FALSE,
      pattern = variable_pattern
    ),
    seconds = checkmate::check_number(seconds, lower = 0)
  )
  structure(
    list(
      about = new_about(about),
      make = make,
      caption = caption,
      kind = kind,
      secrets = secrets,
      seconds = seconds
    ),
    class = "sprenn_engine"
  )
}

about_defaults <- list(
  version = "",
  settings = list(),
  hold = NULL,
  hold_words = NULL,
  curve = NULL,
  takes = character(),
  enlarge = 1,
  add_ons = character(),
  emphasis = "weights",
  repeatable = TRUE,
  per_call = 1,
  at_once = 1,
  price = 0,
  call_price = 0,
  seconds = NA_real_
)

# Traits that follow from an engine's kind.

is_server <- function(engine) engine$kind %in% c("http", "inference", "described")

is_by_hand <- function(engine) engine$kind == "folder"

# Whether its inputs are sent as PNG files.
takes_png <- function(engine) engine$kind %in% c("http", "command", "described")

# Whether it guarantees that a key is paid for once.
pays_once <- function(engine) engine$kind == "http" || isFALSE(engine$asks_once)

# Whether what may have been paid for is not asked for again by itself.
asks_once <- function(engine) isTRUE(engine$asks_once)

# How many seeds one call asks for. Programs, tensors and people are asked for one picture at a
# time.
seeds_a_call <- function(engine) {
  if (engine$kind %in% c("http", "function", "described")) engine$about$per_call else 1
}

# An engine's description of itself, complete and normalised; all problems are reported at once.
new_about <- function(about) {
  about <- number_positions(about)
  known <- c("name", "checkpoints", names(about_defaults))
  unknown <- setdiff(names(about), known)
  near <- stats::na.omit(vapply(unknown, nearest_word, "", known = known))
  check_arguments(
    about = if (length(unknown)) {
      paste0(
        "says ", shorten_list(quoted(unknown)), ", which is none of ",
        paste(known, collapse = ", "),
        if (length(near)) paste0("; did you mean ", quoted(near[1]), "?")
      )
    } else {
      TRUE
    }
  )
  given <- about_defaults
  given[names(about)] <- about
  check_arguments(
    "about$name" = checkmate::check_string(given$name, min.chars = 1),
    "about$version" = checkmate::check_string(given$version),
    "about$checkpoints" = check_checkpoints(given$checkpoints),
    "about$hold" = check_hold_knob(given$hold),
    "about$curve" = check_hold_curve(given$curve, given$hold),
    "about$settings" = check_settings(given$settings),
    "about$takes" = checkmate::check_subset(given$takes, input_kinds()),
    "about$enlarge" = checkmate::check_int(given$enlarge, lower = 1, upper = most_enlarged),
    "about$add_ons" = checkmate::check_character(given$add_ons, any.missing = FALSE),
    "about$emphasis" = check_emphasis(given$emphasis),
    "about$repeatable" = checkmate::check_flag(given$repeatable),
    "about$per_call" = checkmate::check_int(given$per_call, lower = 1, upper = 64),
    "about$at_once" = checkmate::check_int(given$at_once, lower = 1, upper = 256),
    "about$price" = checkmate::check_number(given$price, lower = 0, finite = TRUE),
    "about$call_price" = checkmate::check_number(given$call_price, lower = 0, finite = TRUE),
    "about$seconds" = checkmate::check_number(given$seconds, lower = 0, na.ok = TRUE)
  )
  given$settings <- lapply(given$settings, new_setting)
  given$checkpoints <- lapply(given$checkpoints, function(one) {
    if (!is.null(one$sizes)) {
      one$sizes <- lapply(one$sizes, function(size) as.integer(unlist(size)))
    }

    one
  })
  given
}

# A knob with named positions is one whose values are their numbers: `hold_words` keeps the names.
number_positions <- function(about) {
  words <- if (is.list(about$hold)) unlist(about$hold$words)
  if (is.character(words) && length(words) > 1 && !anyDuplicated(words)) {
    about$hold <- c(at_0 = 1, at_1 = length(words))
    about$hold_words <- words
  }

  about
}

check_checkpoints <- function(checkpoints) {
  said <- checkmate::check_list(checkpoints, names = "unique", min.len = 1)
  if (!isTRUE(said)) {
    return(said)
  }

  wrong <- names(checkpoints)[!vapply(checkpoints, is_checkpoint, NA)]
  if (length(wrong)) {
    paste0(
      "must give pairs of pixels in sizes, or one number in multiple_of, for ",
      paste(wrong, collapse = ", ")
    )
  } else {
    TRUE
  }
}

# The edges that a checkpoint may work at, in pixels.
checkpoint_edges <- c(8, 16384)

is_checkpoint <- function(checkpoint) {
  is.list(checkpoint) &&
    all(lengths(checkpoint$sizes) == 2) &&
    are_between(unlist(checkpoint$sizes) %||% checkpoint_edges, checkpoint_edges) &&
    checkmate::test_number(checkpoint$multiple_of %||% 1, lower = 1)
}

check_emphasis <- function(emphasis) {
  said <- checkmate::check_string(emphasis)
  if (!isTRUE(said)) {
    return(said)
  }

  fits <- emphasis %in% c("weights", "none") ||
    (grepl("{say}", emphasis, fixed = TRUE) && grepl("{weight}", emphasis, fixed = TRUE))
  if (fits) TRUE else "must be weights, none, or a pattern with {say} and {weight}"
}

# Normalises a setting given as a range, as words, or in full.
new_setting <- function(setting) {
  if (is.list(setting)) {
    setting
  } else if (is.numeric(setting)) {
    list(from = setting[1], to = setting[2])
  } else {
    list(words = setting)
  }
}

check_settings <- function(settings) {
  said <- checkmate::check_list(settings, names = if (length(settings)) "unique" else NULL)
  if (!isTRUE(said)) {
    return(said)
  }

  wrong <- Filter(function(name) !is_setting(new_setting(settings[[name]])), names(settings))
  if (length(wrong)) {
    paste0("must give a range or words for ", paste(wrong, collapse = ", "))
  } else {
    TRUE
  }
}

is_setting <- function(setting) {
  if (!is.null(setting$words)) {
    is_choice_of_words(setting)
  } else {
    is_span(setting)
  }
}

is_choice_of_words <- function(setting) {
  words <- unlist(setting$words)
  is.character(words) && length(words) > 0 && all(setting$default %in% words)
}

is_span <- function(setting) {
  ends <- c(setting$from, setting$to)
  is.numeric(ends) &&
    length(ends) == 2 &&
    all(is.finite(ends)) &&
    ends[1] < ends[2] &&
    (is.null(setting$default) || are_between(setting$default, ends))
}

# The numbers of an entry; none where it is no list of numbers.
numbers_in <- function(entries, name) {
  values <- if (is.list(entries)) unlist(entries[[name]])
  if (is.numeric(values)) as.numeric(values) else numeric()
}

check_hold_curve <- function(curve, hold) {
  if (is.null(curve)) {
    return(TRUE)
  }

  at <- numbers_in(curve, "hold")
  knob <- numbers_in(curve, "knob")
  if (!rises_within(at, c(0, 1)) || length(at) != length(knob) || anyNA(knob)) {
    return("must have as many values of hold, rising from 0 to 1, as of knob")
  }

  if (is.null(hold)) {
    return("needs hold, the ends of the knob")
  }

  steps <- diff(knob) * sign(hold[[2]] - hold[[1]])
  if (are_between(knob, range(hold)) && all(steps >= 0)) {
    TRUE
  } else {
    "must stay on the knob and not turn back"
  }
}

rises_within <- function(x, ends) {
  length(x) > 1 && !anyNA(x) && all(diff(x) > 0) && are_between(x, ends)
}

check_hold_knob <- function(hold) {
  if (is.null(hold)) {
    return(TRUE)
  }

  if (is.list(hold)) {
    return("must have at least two different words")
  }

  said <- checkmate::check_numeric(hold, len = 2, any.missing = FALSE, finite = TRUE)
  if (!isTRUE(said)) {
    return(said)
  }

  if (!identical(names(hold), c("at_0", "at_1"))) {
    return("must be named at_0 and at_1, in this order")
  }

  if (hold[[1]] == hold[[2]]) "at_0 and at_1 must differ" else TRUE
}

#' @export
format.sprenn_engine <- function(x, ...) {
  about <- x$about
  knob <- if (is.null(about$hold)) {
    "no hold knob"
  } else {
    ends <- knob_value(about$hold, about)
    paste0("hold 0 is ", ends[[1]], ", hold 1 is ", ends[[2]], " on its own knob")
  }
  c(
    paste0("<engine ", about$name, "> version ", about$version, ", ", x$kind),
    paste0("  checkpoints  ", paste(names(about$checkpoints), collapse = ", ")),
    paste0("  hold         ", knob),
    paste0(
      "  settings     ",
      paste(c(names(about$settings), if (!length(about$settings)) "none"), collapse = ", ")
    ),
    paste0("  price        ", price_words(about)),
    if (!is.null(x$caption)) "  captions     yes"
  )
}

price_words <- function(about) {
  each <- paste(about$price, "a picture")
  if (about$call_price > 0) paste0(each, " and ", about$call_price, " a call") else each
}

#' @export
print.sprenn_engine <- function(x, ...) {
  cat(format(x, ...), sep = "\n")
  invisible(x)
}
