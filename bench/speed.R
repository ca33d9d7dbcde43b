# What measuring costs, against decoding the same PNG and against what R users would
# otherwise call. One thread, one run, in turns, the least of several tries each. From the root
# with the package installed:
#   Rscript bench/speed.R
library(sprenn)
source("bench/pictures.R")

# In turns, for a machine is now faster, now slower, and what is compared should share that.
in_turns <- function(..., tries = 9) {
  jobs <- list(...)
  took <- vapply(
    seq_len(tries),
    function(i) vapply(jobs, function(job) system.time(job())[["elapsed"]], 0),
    numeric(length(jobs))
  )
  apply(matrix(took, ncol = tries), 1, min) * 1000
}

least <- function(code) {
  code <- substitute(code)
  where <- parent.frame()
  in_turns(function() eval(code, where))
}

line <- function(what, ms, than = NULL) {
  cat(
    sprintf(
      "%-58s %8.1f ms%s\n",
      what,
      ms,
      if (is.null(than)) "" else sprintf("   %5.2f x %s", ms / than$ms, than$what)
    )
  )
}

edge <- 1024
frame <- c(edge, edge)
reference <- draw_scene(4, "held_out", edge, edge)

take <- clamp(
  restyle(reference, restyles()$held_out$dry_gouache, 1) +
    seeded(2, rnorm(length(reference), sd = 0.01))
)

file <- tempfile(fileext = ".png")
png::writePNG(take, file)
bytes <- core("read_bytes")(file)
cat(sprintf("A PNG of %d x %d, %.1f MB\n", edge, edge, length(bytes) / 1e6))

known <- core("view_picture")(reference, frame, "reference")

decoys <- lapply(
  core("draw_decoys")(frame),
  core("view_picture"),
  frame = frame,
  part = "decoy"
)

look <- list(
  core("look_facts")(
    core("view_picture")(
      restyle(draw_scene(2, "held_out", edge, edge), restyles()$held_out$dry_gouache, 1),
      frame
    )
  )
)

measure_it <- function() {
  view <- core("view_encoded")(bytes, frame)$view
  core("score_scene")(core("new_scene")(view, known, look, decoys, frame = frame))
}

took <- in_turns(
  function() core("decode_samples")(core("encoded_picture")(bytes)),
  measure_it,
  function() png::readPNG(bytes),
  function() {
    whole <- core("decode_whole")(core("encoded_picture")(bytes))
    core("plain_samples")(whole, "rgb", frame)
  },
  tries = 25
)

decode <- list(what = "decoding", ms = took[1])
all <- took[2]
line("decoding it (libpng, as a run does)", decode$ms)
line("decoding it (ImageMagick)", took[4], decode)
line("decoding it (png::readPNG)", took[3], decode)

line(
  sprintf("decoding and all %d numbers against a prepared reference", nrow(measure_it())),
  all,
  decode
)

cat("\nwhere the time goes\n")
samples <- core("decode_samples")(core("encoded_picture")(bytes))
view <- core("view_bytes")(samples$bytes, samples$size, frame)

line(
  "  seeing the take (features of all kinds)",
  least(core("view_bytes")(samples$bytes, samples$size, frame)),
  decode
)

line(
  "  comparing it: reference, six decoys, framing",
  least(core("new_scene")(view, known, look, decoys, frame = frame)),
  decode
)

scene <- core("new_scene")(view, known, look, decoys, frame = frame)
line("  making scores of that", least(core("score_scene")(scene)), decode)

line(
  "a take that shows something else (its framing is searched)",
  {
    other <- core("view_picture")(draw_scene(7, "held_out", edge, edge), frame)
    least(core("new_scene")(other, known, look, decoys, frame = frame))
  },
  decode
)

cat("\nagainst ImageMagick, at the same size\n")
a <- magick::image_read(take)
b <- magick::image_read(reference)

# SSIM as it is put together from ImageMagick's own operators.
magick_ssim <- function(a, b) {
  grey <- function(image) magick::image_convert(image, colorspace = "gray")
  smooth <- function(image) {
    as.integer(magick::image_data(magick::image_blur(image, 5, 1.5), "gray")) / 255
  }

  x <- grey(a)
  y <- grey(b)
  times <- function(p, q) magick::image_composite(p, q, operator = "Multiply")
  mx <- smooth(x)
  my <- smooth(y)
  xx <- smooth(times(x, x)) - mx^2
  yy <- smooth(times(y, y)) - my^2
  xy <- smooth(times(x, y)) - mx * my
  mean(
    (2 * mx * my + 1e-4) *
      (2 * xy + 9e-4) /
      ((mx^2 + my^2 + 1e-4) * (xx + yy + 9e-4))
  )
}

versus <- function(what, ours, theirs) {
  took <- in_turns(ours, theirs, tries = 5)
  cat(
    sprintf(
      "%-34s %8.1f ms, by magick %8.1f ms: %.1f times as fast\n",
      what,
      took[1],
      took[2],
      took[2] / took[1]
    )
  )
}

versus("SSIM at full size", function() core("core_ssim")(take, reference), function() {
  magick_ssim(a, b)
})

versus("outlines (Canny) at full size", function() core("core_thin_edges")(take), function() {
  magick::image_canny(a, "0x1.2+10%+30%")
})
