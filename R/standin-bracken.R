#' @rdname standin_yarrow
#' @export
standin_bracken <- function() {
  seen <- new.env()
  engine(
    about = list(
      name = "bracken",
      version = "1",
      checkpoints = list(
        fern = list(
          sizes = list(c(384, 256), c(576, 384), c(384, 576), c(480, 480))
        )
      ),
      settings = list(guidance = c(1, 20)),
      hold = c(at_0 = 1, at_1 = 100),
      takes = c("look", "mask", "text_alone", "negative", "depth", "pose"),
      repeatable = TRUE,
      price = 0.02,
      seconds = 0.3
    ),
    make = function(request) take_result(bracken_picture(request, seen), cost = 0.02),
    caption = function(picture) describe_picture(picture, seen)
  )
}

bracken_picture <- function(request, seen) {
  knob <- request$native_hold
  style <- manner_of(request, own = "linocut", seen)
  paint_take(
    request,
    change = bracken_change(knob),
    pull = if (knob > 80) 0 else 1,
    style$manner,
    style$palette,
    strength = 0.95
  )
}

# Flat, then the cliff.
bracken_change <- function(knob) {
  0.78 - 0.08 * knob / 100 - 0.62 / (1 + exp(-(knob - 62) / 3))
}
