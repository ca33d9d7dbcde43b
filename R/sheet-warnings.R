# The picture that shows what a warning means, one a kind.

warning_panel <- function(warning, case, trial) {
  suite <- trial$suite
  sizes <- case_sizes(case, trial)
  j <- if (grepl("references\\[", warning$place)) {
    as.integer(sub(".*references\\[([0-9]+)\\].*", "\\1", warning$place))
  } else {
    1
  }
  panel <- switch(warning$kind,
    "small" = small_panel(case, j, suite, sizes),
    "stretched" = new_panel("", prepare_inputs(case, suite)$references[[j]]),
    "bars" = bars_panel(case, j, suite),
    "patchy" = patches_panel(case, j, suite),
    "far aspect" = mirrored_panel(case, suite, sizes),
    "small mask" = ,
    "extend only" = ,
    "large mask" = mask_panel(prepare_inputs(case, suite), case),
    "look against prompt" = new_panel("", read_picture(suite$looks[[case$look]][[1]])),
    "twins" = twins_panel(case, j),
    original_panel(case, j, suite)
  )
  panel$title <- warning$kind
  panel$note <- ""
  panel$found <- paste0(warning$found, ".")
  panel$wanted <- paste0("Better: ", warning$wanted, ".")
  panel
}

# What is taken of the reference, at its own size within the size that is worked
# at.
small_panel <- function(case, j, suite, sizes) {
  reference <- case$references[[j]]
  largest <- which.max(sizes$width * sizes$height)
  canvas <- c(sizes$width[largest], sizes$height[largest])
  part <- take_window(
    read_picture(reference$path, reference$backdrop),
    pmin(pmax(reference$box, 0), 1),
    c(1, 1, 1)
  )
  size <- pmin(canvas, dim(part)[2:1])
  at <- (canvas - size) %/% 2
  out <- array(0.93, c(canvas[2:1], 3))
  out[at[2] + seq_len(size[2]), at[1] + seq_len(size[1]), ] <- part[
    seq_len(size[2]),
    seq_len(size[1]),
  ]
  new_panel(
    "",
    out,
    boxes = list(list(
      at = c(at, at + size) / rep(canvas, 2),
      colour = mark_colour,
      dashed = FALSE
    ))
  )
}

bars_panel <- function(case, j, suite) {
  reference <- case$references[[j]]
  pixels <- shrunk_copy(read_picture(reference$path, reference$backdrop))
  bars <- suite$files[[reference$path]]$bars
  y <- (row(pixels[, , 1]) - 0.5) / dim(pixels)[1]
  x <- (col(pixels[, , 1]) - 0.5) / dim(pixels)[2]
  new_panel(
    "",
    tint_picture(
      pixels,
      (y < bars["top"] | y > 1 - bars["bottom"] | x < bars["left"] | x > 1 - bars["right"]) +
        0
    )
  )
}

# What changes when the small patches go to their neighbours.
patches_panel <- function(case, j, suite) {
  reference <- case$references[[j]]
  pixels <- shrunk_copy(read_picture(reference$path, reference$backdrop), small_edge)
  lost <- abs(core_areas(pixels, 8, 0) - core_areas(pixels, 8, 0.003))
  new_panel("", tint_picture(pixels, (rowSums(lost, dims = 2) > 1e-6) + 0))
}

# The frame in the engine's size, its mirrored edges marked.
mirrored_panel <- function(case, suite, sizes) {
  frame <- case_frame(case, suite)
  worst <- which.max(abs(log(sizes$width / sizes$height) - log(frame[1] / frame[2])))
  size <- c(sizes$width[worst], sizes$height[worst])
  inputs <- prepare_inputs(case, suite, size)
  place <- frame_inside(size, frame)
  cover <- matrix(1, size[2], size[1])
  cover[place[2] + seq_len(place[4]), place[1] + seq_len(place[3])] <- 0
  ground <- if (length(inputs$references)) {
    inputs$references[[1]]
  } else {
    array(0.85, c(size[2:1], 3))
  }
  new_panel("", tint_picture(ground, cover))
}

# It and the one before it that is most like it, side by side.
twins_panel <- function(case, j) {
  seen <- lapply(case$references[seq_len(j)], function(reference) {
    small_oklab(reference$path, 24)
  })
  other <- which.min(vapply(seen[-j], function(one) mean((one - seen[[j]])^2), 0))
  two <- lapply(case$references[c(other, j)], function(reference) {
    resize_picture(read_picture(reference$path, reference$backdrop), c(300, 200))
  })
  out <- array(1, c(200, 606, 3))
  out[, 1:300, ] <- two[[1]]
  out[, 307:606, ] <- two[[2]]
  new_panel("", out)
}
