# The pictures of a case that an engine is given, at one size.

# `references` (arrays rows x columns x 3), `mask` (rows x columns, 1 may change,
# or NULL), `context` (left, top, right, bottom in pixels: the part around the
# mask that the engine is to be shown), `guides` (by kind: `picture`, `weight`,
# `release`, and for poses `figures`). `size` is the frame itself or an engine's
# working size.
prepare_inputs <- function(case, suite, size = case_frame(case, suite)) {
  references <- lapply(case$references, prepare_one, case = case, suite = suite, size = size)
  mask <- case_mask(case, suite, size)
  list(
    references = lapply(references, fill_masked, mask, case$mask_fill),
    mask = mask,
    context = if (!is.null(mask)) mask_context(mask, case, suite, size),
    guides = Map(
      prepare_guide,
      case$guides,
      names(case$guides),
      MoreArgs = list(case = case, suite = suite, size = size, reference = references[1])
    )
  )
}

prepare_one <- function(reference, case, suite, size) {
  place_on_canvas(
    read_packed(reference$path, reference$backdrop),
    reference,
    case,
    suite,
    size,
    paint_values(reference$fill)
  )
}

# A reference, or a map that is drawn over it, brought to the canvas of its case
# and set into `size`.
place_on_canvas <- function(picture, reference, case, suite, size, fill) {
  place <- frame_inside(size, case_frame(case, suite))
  reflect_into(
    lay_window(picture, window_at(case, suite, reference, place), place[3:4], fill),
    place,
    size
  )
}

# Where a reference comes to lie on its canvas when that is brought to `place`.
window_at <- function(case, suite, reference, place) {
  window <- canvas_window(case, suite, reference)
  window$target <- window$target * rep(place[3:4] / case_frame(case, suite), 2)
  window
}

# The part of a picture that may change, filled with something else before an engine sees it:
# `fill` is a colour, `surroundings` (what is around is blurred into it), `noise`, or `original`
# or NULL, which leaves it.
fill_masked <- function(picture, mask, fill) {
  if (is.null(mask) || is.null(fill) || fill == "original") {
    return(picture)
  }

  size <- dim(picture)[1:2]
  filling <- switch(fill,
    surroundings = spread_inwards(picture, mask),
    # The same grain for every take: it belongs to the input, not to the seed.
    noise = withr::with_seed(1, array(stats::runif(length(picture)), dim(picture))),
    array(rep(paint_values(fill), each = prod(size)), dim(picture))
  )
  cover <- array(mask, dim(picture))
  picture * (1 - cover) + filling * cover
}

# The colours around a hole, blurred into it: each pixel takes the narrowest blur that reaches
# enough of what is kept.
spread_inwards <- function(picture, mask) {
  kept <- 1 - mask
  filled <- picture
  open <- matrix(TRUE, nrow(mask), ncol(mask))
  for (reach in max(dim(mask)) * c(1 / 64, 1 / 16, 1 / 4, 1)) {
    share <- core_blur(kept, reach)
    enough <- open & share > least_share_around
    for (channel in 1:3) {
      plane <- filled[, , channel]
      blurred <- core_blur(picture[, , channel] * kept, reach) / pmax(share, 1e-9)
      plane[enough] <- blurred[enough]
      filled[, , channel] <- plane
    }

    open <- open & !enough
  }

  filled
}

# How much of what a blur covers must be kept for its colour to be taken.
least_share_around <- 0.1

fitted_reference <- function(case, suite) {
  prepare_one(case$reference, case, suite, case_frame(case, suite))
}

# The area that may change: the case's mask, the added canvas, and the padding that the engine is
# to fill.
case_mask <- function(case, suite, size) {
  reference <- case$reference
  grown <- has_added_canvas(case)
  if (is.null(case$mask) && !grown) {
    return(NULL)
  }

  mask <- matrix(0, size[2], size[1])
  if (!is.null(case$mask)) {
    own <- suite$files[[reference$path]]$size
    drawn <- if (is.null(case$mask$path)) {
      paint_boxes(case$mask$boxes, own)
    } else {
      read_map(case$mask$path)
    }
    if (case$mask$invert) {
      drawn <- 1 - drawn
    }

    mask <- place_on_canvas(drawn, reference, case, suite, size, c(0, 0, 0))[, , 1]
    softness <- case$mask$feather * size[1] / case_frame(case, suite)[1]
    if (softness > 0) {
      mask <- core_blur(mask, softness / 2)
    }
  }

  if (grown) {
    mask <- pmax(mask, added_canvas(case, suite, size))
  }

  pmin(pmax(mask, 0), 1)
}

has_added_canvas <- function(case) any(case$grow > 0) || identical(case$reference$fit, "extend")

# 1 where the canvas is bare of the reference (rows x columns).
added_canvas <- function(case, suite, size) {
  place <- frame_inside(size, case_frame(case, suite))
  bare <- uncovered(window_at(case, suite, case$reference, place), place[3:4])
  reflect_into(array(bare, c(dim(bare), 1)), place, size)[, , 1]
}

# The regions that must survive, as maps (rows x columns, 1 inside) on the canvas.
case_watch <- function(case, suite, size) {
  reference <- case$reference
  lapply(case$watch, function(region) {
    drawn <- if (is.null(region$path)) {
      paint_boxes(list(region$box), suite$files[[reference$path]]$size)
    } else {
      read_map(region$path)
    }
    list(
      kept = place_on_canvas(drawn, reference, case, suite, size, c(0, 0, 0))[, , 1],
      least = region$keep
    )
  })
}

# A black and white map as three equal channels.
read_map <- function(path) {
  pixels <- read_picture(path, "black")
  array(rowMeans(pixels, dims = 2), dim(pixels))
}

# Boxes given in shares, painted white at a size that keeps them to a pixel or so.
paint_boxes <- function(boxes, own) {
  size <- pmax(1, round(own * min(1, 1024 / max(own))))
  mask <- matrix(0, size[2], size[1])
  for (box in boxes) {
    rows <- span(box[c(2, 4)], size[2])
    columns <- span(box[c(1, 3)], size[1])
    mask[rows, columns] <- 1
  }

  array(mask, c(dim(mask), 3))
}

# The box around what may change, with the case's padding; the whole picture
# where none is asked for.
mask_context <- function(mask, case, suite, size) {
  padding <- case$mask$padding %||% NA_real_
  if (is.na(padding)) {
    return(c(0, 0, size))
  }

  part_box(mask, padding * size[1] / case_frame(case, suite)[1]) %||% c(0, 0, size)
}

prepare_guide <- function(guide, kind, case, suite, size, reference) {
  from <- case$reference %||% list(
    fit = "crop",
    focus = c(0.5, 0.5),
    box = c(0, 0, 1, 1),
    path = guide$path
  )
  facts <- suite$files[[guide$path %||% ""]]
  place <- function(pixels) place_on_canvas(pixels, from, case, suite, size, c(0, 0, 0))
  picture <- if (kind == "pose") {
    figures <- place_figures(facts$figures, from, case, suite, size)
    return(list(
      picture = draw_figures(figures, size),
      figures = figures,
      weight = guide$weight,
      release = guide$release
    ))
  } else if (!is.null(guide$path)) {
    drawn <- if (kind == "areas") read_picture(guide$path) else read_map(guide$path)
    place(if (identical(guide$near, "dark")) 1 - drawn else drawn)
  } else {
    compute_guide(reference[[1]], kind)
  }
  list(picture = picture, weight = guide$weight, release = guide$release)
}

#' Compute a guide from a picture
#'
#' A guide is a map that steers an engine's structure. These three are computed;
#' depth and poses come as files.
#'
#' @param picture An array rows x columns x 3, sRGB from 0 to 1.
#' @param kind `"edges"`: thin outlines, white on black, found where lightness
#'   changes most and followed along weaker stretches (Canny 1986).
#'   `"soft_edges"`: broad outlines, the strongest colour gradient over three
#'   scales. `"areas"`: connected regions of about one colour, painted flat
#'   (k-means in OKLab with 8 colours; regions under 0.2 % of the picture go to
#'   the neighbour nearest in colour).
#' @return An array of the picture's shape, from 0 to 1.
#' @family trials
#' @export
#' @examples
#' picture <- array(0.2, c(40, 60, 3))
#' picture[11:30, 21:40, ] <- 0.8
#' edges <- compute_guide(picture, "edges")
#' sum(edges[, , 1])
compute_guide <- function(picture, kind = c("edges", "soft_edges", "areas")) {
  kind <- kind[1]
  check_arguments(
    picture = check_pixels(picture),
    kind = checkmate::check_choice(kind, computed_guides)
  )
  one <- switch(kind,
    edges = core_thin_edges(picture),
    soft_edges = core_soft_edges(picture),
    areas = core_areas(picture, 8, 0.002)
  )
  if (kind == "areas") one else array(one, dim(picture))
}

check_pixels <- function(pixels) {
  said <- checkmate::check_array(pixels, mode = "numeric", d = 3, any.missing = FALSE)
  if (!isTRUE(said)) {
    return(said)
  }

  if (dim(pixels)[3] != 3 || length(pixels) == 0) {
    return("must be rows x columns x 3")
  }

  if (min(pixels) < 0 || max(pixels) > 1) {
    "must be from 0 to 1"
  } else {
    TRUE
  }
}

#' Fit a reference to a frame
#'
#' Fits a picture to a frame as a run fits a case's `reference`, without a trial.
#'
#' @param picture The path of a picture, or an array rows x columns x 3 with
#'   sRGB values from 0 to 1.
#' @param frame `c(width, height)` in pixels.
#' @param fit `"crop"`, `"pad"`, `"stretch"` or `"extend"` (pads, and gives a
#'   mask of the padding for an engine to fill).
#' @param focus The point that a crop keeps nearest to its centre, as shares of width and height.
#' @param box The box to cut out first: `c(left, top, right, bottom)` in shares of the picture.
#'   Parts beyond 0 and 1 are filled.
#' @param fill `"black"`, `"grey"`, `"white"` or `"#rrggbb"`.
#' @return A list: `picture` (an array of the frame's size), `mask` (rows x
#'   columns, 1 where the engine is to fill, or `NULL`), `source` (the window
#'   that was taken, as shares of the picture) and `target` (where it lies in
#'   the frame, in pixels).
#' @family trials
#' @export
#' @examples
#' tall <- array(runif(90 * 60 * 3), c(90, 60, 3))
#' fitted <- prepare_reference(tall, c(96, 64), focus = c(0.5, 0.2))
#' dim(fitted$picture)
#' fitted$source
prepare_reference <- function(
  picture,
  frame,
  fit = "crop",
  focus = c(0.5, 0.5),
  box = c(0, 0, 1, 1),
  fill = "grey"
) {
  pixels <- if (is.character(picture)) read_picture(picture) else picture
  unit <- function(x) {
    checkmate::check_numeric(x, lower = 0, upper = 1, len = 2, any.missing = FALSE)
  }

  check_arguments(
    picture = check_pixels(pixels),
    frame = checkmate::check_integerish(
      frame,
      lower = 1,
      upper = 8192,
      len = 2,
      any.missing = FALSE
    ),
    fit = checkmate::check_choice(fit, c("crop", "pad", "stretch", "extend")),
    focus = unit(focus),
    box = checkmate::check_numeric(box, lower = -4, upper = 5, len = 4, any.missing = FALSE),
    fill = checkmate::check_string(fill, pattern = paint_pattern)
  )
  if (box[1] >= box[3] || box[2] >= box[4]) {
    stop_sprenn(
      "argument",
      c(
        "These arguments can't be used:",
        x = "`box` must run from left to right and from top to bottom."
      )
    )
  }

  own <- dim(pixels)[2:1]
  window <- fit_window(own, frame, list(fit = fit, focus = focus, box = box))
  list(
    picture = lay_window(pixels, window, as.integer(frame), paint_values(fill)),
    mask = if (fit == "extend") uncovered(window, as.integer(frame)),
    source = window$source,
    target = window$target
  )
}

# The inputs of every engine, as files to look at.

# The inputs of a case: prepare_inputs() for each size that one of its engines works at, with the
# names of those engines.
inputs_by_size <- function(case, trial) {
  sizes <- case_sizes(case, trial)
  label <- paste(sizes$width, sizes$height)
  lapply(unname(split(sizes, factor(label, unique(label)))), function(same) {
    size <- c(same$width[1], same$height[1])
    c(
      prepare_inputs(case, trial$suite, size),
      list(size = size, engines = unique(paste(same$engine, same$checkpoint)))
    )
  })
}

# Writes fitted references, guides and mask, one folder a size.
write_inputs <- function(prepared, folder) {
  for (inputs in prepared) {
    to <- file.path(folder, paste(inputs$size, collapse = "x"))
    dir.create(to, recursive = TRUE, showWarnings = FALSE)
    pictures <- c(
      stats::setNames(
        inputs$references,
        c("reference", paste0("reference-", 2:9))[seq_along(inputs$references)]
      ),
      lapply(inputs$guides, `[[`, "picture"),
      if (!is.null(inputs$mask)) list(mask = inputs$mask)
    )
    for (name in names(pictures)) {
      write_bytes(png::writePNG(pictures[[name]]), file.path(to, paste0(name, ".png")))
    }
  }
}
