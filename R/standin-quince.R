#' @rdname standin_yarrow
#' @export
standin_quince <- function() {
  seen <- new.env()
  engine(
    about = list(
      name = "quince",
      version = "1",
      checkpoints = list(quick = list(multiple_of = 32)),
      hold = c(at_0 = 0, at_1 = 10),
      takes = c("look", "mask", "text_alone"),
      emphasis = "none",
      repeatable = FALSE,
      price = 0.002,
      seconds = 0.15
    ),
    make = function(request) take_result(quince_picture(request, seen), cost = 0.002)
  )
}

quince_picture <- function(request, seen) {
  # Not quite repeatable: every call begins a little elsewhere.
  seen$calls <- (seen$calls %||% 0) + 1
  request$seed <- request$seed + 1000003L * (seen$calls %% 97L)
  mask <- request$mask
  # It paints beyond the mask's edge.
  if (!is.null(mask)) {
    request$mask <- clamp(4 * soften(mask, 24))
  }

  style <- manner_of(request, own = "mosaic", seen)
  change <- 1 - request$native_hold / 10
  small <- request$size[1] / 230
  picture <- paint_take(
    request,
    change,
    pull = 0.9,
    style$manner,
    style$palette,
    strength = 0.9,
    blur = small
  )
  mirrors <- is.null(mask) && with_drawing_seed(request$seed, stats::runif(1)) < 0.3 * change
  if (mirrors) {
    picture[, rev(seq_len(dim(picture)[2])), ]
  } else {
    picture
  }
}
