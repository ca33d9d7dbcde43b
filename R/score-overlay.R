# What a report lays over a take: where its contours run as the reference's do, and the
# largest parts of either that the other lacks. Small enough to be kept for every take.

overlay_edge <- 48
most_boxes <- 8

# An overlay as text (base64): columns and rows of the map, how many boxes of what vanished
# and of what is new, the boxes (left, top, right, bottom, a byte each, 255 is the far
# edge), and the map by rows, 0 against, 128 nothing there, 255 agreeing. NA without a
# reference.
take_overlay <- function(scene) {
  if (is.null(scene$reference)) {
    return(NA_character_)
  }

  found <- core_agreement_map(scene$settled, scene$reference$handle)
  size <- pmax(
    1L,
    as.integer(round(scene$take$working * min(1, overlay_edge / max(scene$take$working))))
  )
  map <- resize_map((1 + found$agreement * found$presence) / 2, size)
  largest <- function(unmatched) {
    boxes <- large_boxes(unmatched)
    utils::head(boxes[order(-boxes[, "weight"]), 1:4, drop = FALSE], most_boxes)
  }

  gone <- largest(scene$gone)
  come <- largest(scene$come)
  byte <- function(x) as.raw(pmin(pmax(round(x), 0), 255))
  bytes <- c(
    byte(c(size, nrow(gone), nrow(come))),
    byte(255 * c(t(gone), t(come))),
    byte(255 * c(t(map)))
  )
  gsub("\n", "", jsonlite::base64_enc(bytes), fixed = TRUE)
}
