#' An engine: something that makes pictures
#'
#' The one contract that every engine keeps. An engine says what it is and can
#' do (`about`), and makes one picture from one request (`make`). Twenty lines
#' of R put any service behind it: see `examples/own-engine.R`.
#'
#' @param about A list:
#'   - `name` and `version`: text. Takes made by one version are never passed
#'     off as those of another.
#'   - `checkpoints`: a named list, one entry a checkpoint. Each may say
#'     `sizes`, a list of `c(width, height)` that it handles well, or
#'     `multiple_of`, one number that width and height must be multiples of.
#'   - `hold`: `c(at_0 = , at_1 = )`, the values of the engine's own knob at
#'     which it lets the reference go and at which it keeps it. The direction
#'     and the range follow from these. Leave it out for an engine that has no
#'     such knob.
#'   - `settings`: a named list of the other settings it takes, each
#'     `c(lowest, highest)` or the words to choose from.
#'   - `takes`: which inputs it takes beside a prompt and one reference, of
#'     `"look"`, `"mask"`, `"references"` (several), `"text_alone"` (no
#'     reference), `"negative"`, and the guides `"edges"`, `"soft_edges"`,
#'     `"areas"`, `"depth"`, `"pose"`. A case that brings another is refused
#'     before anything is made.
#'   - `add_ons`: the names of the add-ons it has.
#'   - `repeatable`: whether the same seed gives the same picture.
#'   - `price` per picture, `seconds` per picture: for planning.
#' @param make A function of one request that returns a [take_result()] or
#'   calls [engine_failure()]. A request is a list: `prompt` (a tibble with
#'   `say` and `weight`), `negative` (texts), `reference` (an array rows x
#'   columns x 3, sRGB from 0 to 1, already fitted to `size`, or `NULL` for text
#'   alone), `references` (a list of all of them) with `reference_weights`,
#'   `looks` (a list of such arrays) with `look_weight`, `guides` (a list by kind,
#'   each with `picture`, `weight` and `release`, the share of the process after
#'   which it lets go, and for `pose` the joints in pixels, `figures`), `mask`
#'   (rows x columns, 1 may change, or `NULL`) with `context` (`c(left, top,
#'   right, bottom)` in pixels, the part around it that the engine should see),
#'   `grow` (canvas added at left, top, right and bottom, as shares; it is in
#'   `reference` and `mask` already), `hold` (0 to 1), `native_hold` (the same on
#'   the engine's own knob), `checkpoint`, `add_ons` (weights by name), `settings`
#'   (a list), `size` (`c(width, height)`), `seed`, and `dropped` (inputs of the
#'   case that were left out because the engine does not take them).
#' @param caption A function of one picture (an array rows x columns x 3, sRGB
#'   from 0 to 1, at most 1024 long) that returns the phrases of a prompt for it,
#'   as text, or calls [engine_failure()]. `NULL` for an engine that can't.
#' @return An object of class `sprenn_engine`.
#' @export
#' @examples
#' engine(
#'   about = list(
#'     name = "copier", version = "1", checkpoints = list(plain = list()),
#'     hold = c(at_0 = 0, at_1 = 1)
#'   ),
#'   make = function(request) take_result(request$reference)
#' )
engine <- function(about, make, caption = NULL) {
  check_arguments(
    about = checkmate::check_list(about, names = "unique"),
    make = checkmate::check_function(make, nargs = 1), caption = checkmate::check_function(caption, nargs = 1, null.ok = TRUE)
  )
  defaults <- list(
    version = "", settings = list(), hold = NULL, takes = character(), add_ons = character(),
    repeatable = TRUE, price = 0, seconds = NA_real_
  )
  known <- c("name", "checkpoints", names(defaults), "hold")
  unknown <- setdiff(names(about), known)
  near <- stats::na.omit(vapply(unknown, nearest_word, "", known = known))
  check_arguments(about = if (length(unknown)) paste0("says ", shorten_list(quoted(unknown)), ", which is none of ", paste(unique(known), collapse = ", "), if (length(near)) paste0("; did you mean ", quoted(near[1]), "?")) else TRUE)
  about <- utils::modifyList(defaults, about)
  check_arguments(
    "about$name" = checkmate::check_string(about$name, min.chars = 1),
    "about$version" = checkmate::check_string(about$version),
    "about$checkpoints" = checkmate::check_list(about$checkpoints, names = "unique", min.len = 1),
    "about$hold" = check_hold_knob(about$hold),
    "about$settings" = checkmate::check_list(about$settings, names = if (length(about$settings)) "unique" else NULL),
    "about$takes" = checkmate::check_subset(about$takes, input_kinds()),
    "about$add_ons" = checkmate::check_character(about$add_ons, any.missing = FALSE),
    "about$repeatable" = checkmate::check_flag(about$repeatable),
    "about$price" = checkmate::check_number(about$price, lower = 0),
    "about$seconds" = checkmate::check_number(about$seconds, lower = 0, na.ok = TRUE)
  )
  structure(list(about = about, make = make, caption = caption), class = "sprenn_engine")
}

check_hold_knob <- function(hold) {
  if (is.null(hold)) {
    return(TRUE)
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
    paste0("hold 0 is ", about$hold[[1]], ", hold 1 is ", about$hold[[2]], " on its own knob")
  }
  c(
    paste0("<engine ", about$name, "> version ", about$version),
    paste0("  checkpoints  ", paste(names(about$checkpoints), collapse = ", ")),
    paste0("  hold         ", knob),
    paste0("  settings     ", paste(c(names(about$settings), if (!length(about$settings)) "none"), collapse = ", ")),
    paste0("  price        ", about$price, " a picture"),
    if (!is.null(x$caption)) "  captions     yes"
  )
}

#' @export
print.sprenn_engine <- function(x, ...) {
  cat(format(x, ...), sep = "\n")
  invisible(x)
}

#' What an engine gives back
#'
#' @param picture The picture: an array rows x columns x 3 with sRGB values
#'   from 0 to 1, or a raw vector with the bytes of a PNG, JPEG or WebP file,
#'   which is then kept as it is.
#' @param cost What this picture cost, or `NA` if the engine did not say.
#' @param seed The seed that was really used, or `NA`.
#' @param says A list of whatever else the engine said it did; kept with the
#'   take.
#' @return `take_result()` returns an object of class `sprenn_take_result`;
#'   `engine_failure()` never returns but raises a condition of the classes
#'   `sprenn_failure_<kind>` and `sprenn_failure`.
#' @export
#' @examples
#' take_result(array(0.5, c(4, 6, 3)), cost = 0.02)
take_result <- function(picture, cost = NA_real_, seed = NA_integer_, says = list()) {
  structure(
    list(picture = picture, cost = cost, seed = seed, says = says),
    class = "sprenn_take_result"
  )
}

#' @param kind Why there is no picture: `"refused"` (a content filter),
#'   `"out_of_credit"`, `"busy"`, `"unreachable"`, `"timed_out"`,
#'   `"bad_request"` or `"bad_answer"`.
#' @param message What to tell the person, in one sentence.
#' @rdname take_result
#' @export
engine_failure <- function(kind, message) {
  check_arguments(
    kind = checkmate::check_choice(kind, failure_kinds()),
    message = checkmate::check_string(message)
  )
  rlang::abort(message, class = c(paste0("sprenn_failure_", kind), "sprenn_failure"), call = NULL)
}

failure_kinds <- function() {
  c("refused", "out_of_credit", "busy", "unreachable", "timed_out", "bad_request", "bad_answer")
}

# Our hold, 0 lets go and 1 keeps, on the engine's own knob.
to_native_hold <- function(hold, about) {
  if (is.null(about$hold) || is.na(hold)) {
    return(NA_real_)
  }
  about$hold[["at_0"]] + hold * (about$hold[["at_1"]] - about$hold[["at_0"]])
}
