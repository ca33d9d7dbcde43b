#' Draw what a probe counted
#'
#' The picture, and beside it the place that was looked at with what counted in
#' its own colours; all else is faded.
#'
#' @param object What [probe_picture()] returned.
#' @param ... Not used.
#' @return A ggplot.
#' @exportS3Method ggplot2::autoplot
#' @examples
#' file <- tempfile(fileext = ".png")
#' picture <- array(0.9, c(60, 90, 3))
#' picture[1:20, , 1] <- 0.1
#' png::writePNG(picture, file)
#' ggplot2::autoplot(probe_picture(file, "colour: teal, share: at least 0.3"))
autoplot.sprenn_probe <- function(object, ...) {
  pixels <- shrunk_copy(object$pixels)
  size <- dim(pixels)[2:1]
  inside <- resize_map(object$inside + 0, size) > 0.5
  counted <- if (is.null(object$counted)) inside + 0 else resize_map(object$counted, size)
  shown <- list(pixels, fade_out(pixels, counted, inside))
  words <- if (is.null(object$counted)) {
    "In colour: the place that was looked at."
  } else {
    "In colour: what counted. Grey: the rest of the place. Pale: outside it."
  }
  said <- format(object)
  row_of_panels(
    list(
      picture = list(),
      counted = list(
        boxes = if (NROW(object$boxes)) {
          new_boxes(object$boxes, as.character(seq_len(nrow(object$boxes))))
        }
      )
    ),
    shown,
    said[1],
    c(paste0(sub("^ *f", "F", said[2]), "."), words)
  )
}

# What counts keeps its colours, the rest of the place is grey, all else pale.
fade_out <- function(pixels, counted, inside) {
  grey <- array(rowMeans(pixels, dims = 2), dim(pixels))
  rest <- ifelse(rep(c(inside), 3), 0.25 + 0.5 * grey, 0.88 + 0.1 * grey)
  share <- rep(c(counted), 3)
  array(share * pixels + (1 - share) * rest, dim(pixels))
}
