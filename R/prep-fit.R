# Bringing a reference to the frame of its case, before any engine sees it.

# The frame (width, height) of a case: what the suite delivers, or the
# reference's own aspect at the suite's long edge.
case_frame <- function(case, suite) {
  if (length(suite$size) == 2) {
    return(as.integer(suite$size))
  }
  own <- suite$pictures[[case$reference$path]]$size
  as.integer(pmax(64, round(own * suite$size / max(own))))
}

fit_picture <- function(pixels, frame, fit = "crop", focus = c(0.5, 0.5), fill = "grey") {
  switch(fit,
    stretch = resize_picture(pixels, frame),
    crop = resize_picture(crop_around(pixels, frame, focus), frame),
    pad = pad_to(pixels, frame, fill)
  )
}

resize_picture <- function(pixels, size) core_resize(pixels, size[1], size[2])

# The largest box of the frame's aspect whose middle is as near to the focus as
# the picture's edges allow.
crop_around <- function(pixels, frame, focus) {
  own <- dim(pixels)[2:1]
  scale <- min(own / frame)
  box <- pmax(1, pmin(own, round(frame * scale)))
  start <- pmin(pmax(round(focus * own - box / 2), 0), own - box)
  pixels[start[2] + seq_len(box[2]), start[1] + seq_len(box[1]), , drop = FALSE]
}

pad_to <- function(pixels, frame, fill) {
  own <- dim(pixels)[2:1]
  inner <- pmax(1, pmin(frame, round(own * min(frame / own))))
  out <- array(rep(grDevices::col2rgb(if (fill == "grey") "#808080" else fill)[, 1] / 255, each = prod(frame)), c(frame[2:1], 3))
  start <- (frame - inner) %/% 2
  out[start[2] + seq_len(inner[2]), start[1] + seq_len(inner[1]), ] <- resize_picture(pixels, inner)
  out
}

pixel_hash <- function(pixels) {
  digest::digest(as.raw(round(pixels * 255)), algo = "sha256", serialize = FALSE)
}
