#' Explain a score with a picture
#'
#' Draws the reference and the take side by side with the measure's findings: a map of where
#' contours agree, boxes around details that vanished or appeared, the palettes of both, where a
#' flaw is, or how the frame moved.
#'
#' @inheritParams score_picture
#' @param measure A measure of [list_measures()] that looks at one take by
#'   itself: any but the probes of phrases and those that compare takes.
#' @return A ggplot, to be printed or saved.
#' @section Errors: `sprenn_error_picture` for a file that is not a picture,
#'   `sprenn_error_argument` for a measure that can't be shown.
#' @family measures and evidence
#' @export
#' @examples
#' files <- tempfile(c("a", "b"), fileext = ".png")
#' picture <- array(0.2, c(64, 96, 3))
#' picture[20:40, 30:60, ] <- 0.9
#' png::writePNG(picture, files[1])
#' png::writePNG(1 - picture, files[2])
#' explain_score(files[2], files[1], "orientation")
explain_score <- function(
  take,
  reference,
  measure = "structure",
  look = NULL,
  mask = NULL,
  job = "restyle"
) {
  known <- list_measures()
  known <- setdiff(
    known$measure[known$axis != "adherence"],
    vapply(across_measures(), `[[`, "", "measure")
  )
  check_arguments(
    take = checkmate::check_string(take),
    reference = checkmate::check_string(reference),
    measure = checkmate::check_choice(measure, known),
    look = checkmate::check_character(look, any.missing = FALSE, null.ok = TRUE),
    mask = checkmate::check_string(mask, null.ok = TRUE),
    job = checkmate::check_choice(job, jobs)
  )
  scene <- scene_of_files(take, reference, look, mask, job = job)
  pictures <- list(
    reference = read_picture(reference),
    take = read_picture(take),
    look = if (length(look)) read_picture(look[1])
  )
  scores <- score_scene(
    scene,
    measures = Filter(function(one) one$measure == measure, all_measures())
  )
  draw_explanation(explain_scene(scene, measure), pictures, scene, measure, scores)
}

# A take of another shape than the reference is compared stretched to it.
stretched_words <- function(scene) {
  own <- scene$take$own
  asked <- scene$frame
  if (has_shape(own, asked)) {
    return(NULL)
  }

  sprintf(
    paste0(
      "The take (%d x %d) has another shape than the reference (%d x %d) and was stretched to ",
      "it: `sprenn prepare` writes the reference as a run's engines get it."
    ),
    own[1],
    own[2],
    asked[1],
    asked[2]
  )
}

draw_explanation <- function(explained, pictures, scene, measure, scores) {
  number <- if (nrow(scores)) paste0(" ", two(scores$value[1])) else ""
  level <- if (nrow(scores) && !is.na(scores$level[1])) {
    paste0(" (", scores$level[1], ")")
  } else {
    ""
  }
  names <- names(explained$panels)
  shown <- lapply(names, function(name) {
    shrunk_copy(
      explained$panels[[name]]$pixels %||%
        pictures[[if (name %in% names(pictures)) name else "take"]]
    )
  })
  row_of_panels(
    explained$panels,
    shown,
    paste0(gsub("_", " ", measure), number, level),
    c(explained$words, stretched_words(scene)),
    scene
  )
}

# Pictures side by side, each a unit wide, with what is drawn over them.
row_of_panels <- function(panels, shown, title, words, scene = NULL) {
  names <- names(panels)
  high <- max(vapply(shown, function(pixels) dim(pixels)[1] / dim(pixels)[2], 0))
  deep <- high +
    if (any(vapply(panels, function(panel) isTRUE(panel$palette), NA))) 0.16 else 0.02
  layers <- Map(
    panel_layers,
    panels,
    shown,
    names,
    1.04 * (seq_along(names) - 1),
    MoreArgs = list(scene = scene)
  )
  ggplot2::ggplot() +
    layers +
    ggplot2::coord_fixed(
      xlim = c(0, 1.04 * length(names) - 0.04),
      ylim = c(-deep, 0.08),
      expand = FALSE,
      clip = "off"
    ) +
    ggplot2::labs(title = title, subtitle = paste(strwrap(words, 110), collapse = "\n")) +
    theme_sprenn() +
    ggplot2::theme(
      axis.text = ggplot2::element_blank(),
      axis.title = ggplot2::element_blank(),
      panel.grid = ggplot2::element_blank(),
      panel.grid.major = ggplot2::element_blank()
    )
}

# One picture at its place in the row, a unit wide, with what is drawn over it.
panel_layers <- function(panel, pixels, name, left, scene) {
  # A take whose frame moved is shown as it was compared.
  if (isTRUE(panel$settled) && !identical(scene$settled, scene$take$handle)) {
    pixels <- core_view_srgb(scene$settled)
  }

  high <- dim(pixels)[1] / dim(pixels)[2]
  if (!is.null(panel$map)) {
    pixels <- lay_map(pixels, panel$map)
  }

  layers <- list(
    ggplot2::annotation_raster(
      grDevices::as.raster(pmin(pmax(pixels, 0), 1)),
      left,
      left + 1,
      -high,
      0,
      interpolate = TRUE
    ),
    ggplot2::annotate(
      "text",
      left,
      0.02,
      label = name,
      hjust = 0,
      vjust = 0,
      fontface = "bold",
      size = 4.2
    )
  )
  if (NROW(panel$boxes)) {
    layers <- c(layers, box_layers(panel$boxes, left, high))
  }

  if (length(panel$figures)) {
    layers <- c(layers, figure_layers(panel$figures, left, high))
  }

  if (!is.null(panel$outline)) {
    layers <- c(layers, marked_shape(left + panel$outline[, 1], -panel$outline[, 2] * high))
  }

  if (isTRUE(panel$palette)) {
    strip <- palette_of_picture(pixels)
    right <- cumsum(strip$share)
    layers <- c(
      layers,
      list(
        ggplot2::annotate(
          "rect",
          xmin = left + right - strip$share,
          xmax = left + right,
          ymin = -high - 0.14,
          ymax = -high - 0.02,
          fill = strip$colour
        )
      )
    )
  }

  layers
}

box_layers <- function(boxes, left, high) {
  shapes <- unlist(
    lapply(seq_len(nrow(boxes)), function(i) {
      box <- boxes[i, ]
      marked_shape(
        left + c(box$left, box$right, box$right, box$left),
        -high * c(box$top, box$top, box$bottom, box$bottom)
      )
    }),
    recursive = FALSE
  )
  named <- boxes[boxes$label != "", ]
  # At the right a label would reach into the next picture.
  aside <- named$left > 0.8
  # Over a word it would cover the word.
  above <- rep("part" %in% names(named), nrow(named)) & named$top > 0.06
  above[above] <- named$part[above] == "word"
  labels <- if (nrow(named)) {
    ggplot2::annotate(
      "label",
      left + ifelse(aside, named$right, named$left),
      -named$top * high,
      label = named$label,
      hjust = as.numeric(aside),
      vjust = as.numeric(!above),
      size = 3.2,
      label.size = 0,
      fill = family_palette[2],
      colour = "white"
    )
  }
  c(shapes, list(labels))
}

# An outline that is seen on light and on dark.
marked_shape <- function(x, y) {
  outline <- function(colour, width) {
    ggplot2::annotate("polygon", x = x, y = y, fill = NA, colour = colour, linewidth = width)
  }

  list(outline("white", 1.6), outline(family_palette[2], 0.8))
}

# A map over a greyed picture: blue where it is above 0, orange below.
lay_map <- function(pixels, map) {
  size <- dim(pixels)[2:1]
  map <- 2 * resize_map((map + 1) / 2, size) - 1
  grey <- 0.35 + 0.5 * array(rowMeans(pixels, dims = 2), dim(pixels))
  agrees <- rep(c(grDevices::col2rgb(family_palette[1])) / 255, each = prod(size))
  differs <- rep(c(grDevices::col2rgb(family_palette[2])) / 255, each = prod(size))
  strength <- c(pmin(1, 1.4 * abs(map)))
  grey * (1 - 0.8 * strength) + 0.8 * strength * ifelse(rep(c(map) > 0, 3), agrees, differs)
}

#' Draw what a probe counted
#'
#' The picture, and beside it the probed place: pixels that count are in colour, all others are
#' faded.
#'
#' @param object The result of [probe_picture()].
#' @param ... Not used.
#' @return A ggplot.
#' @family measures and evidence
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
    "In colour: the place that was examined."
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

# What counts keeps its colours; the rest of the place turns grey, everything else pale.
fade_out <- function(pixels, counted, inside) {
  grey <- array(rowMeans(pixels, dims = 2), dim(pixels))
  rest <- ifelse(rep(c(inside), 3), 0.25 + 0.5 * grey, 0.88 + 0.1 * grey)
  share <- rep(c(counted), 3)
  array(share * pixels + (1 - share) * rest, dim(pixels))
}
