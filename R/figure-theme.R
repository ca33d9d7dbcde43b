# One look for all figures: a pipeline's colour, the type sizes, the theme.

# Okabe and Ito's colours (2008), which colour-blind readers can tell apart,
# without the yellow that is too faint on white, and with an indigo far darker than all.
family_palette <- c(
  "#0072B2", "#D55E00", "#009E73", "#CC79A7", "#56B4E9", "#E69F00", "#555555", "#332288"
)

# Members of a sweep share the colour of the pipeline that is varied, so that a
# family is seen as one; the same in every figure of a run. Steps within chains want none.
# Further families get the same hues, darker.
family_colours <- function(recipes) {
  family <- unique(family_of(recipes[order(!recipes$shown), ]))
  round <- (seq_along(family) - 1) %/% length(family_palette)
  shade <- grDevices::col2rgb(rep_len(family_palette, length(family))) / 255
  shade <- t(shade) * 0.6^round
  stats::setNames(grDevices::rgb(shade[, 1], shade[, 2], shade[, 3]), family)
}

family_of <- function(recipes) ifelse(is.na(recipes$sweep), recipes$pipeline, recipes$sweep)

# Families together, each along its sweep.
by_family <- function(recipes) {
  recipes[order(match(family_of(recipes), unique(family_of(recipes))), recipes$value), ]
}

# The looks of lines, for a plot whose colour, fill and dashes are those of `line`: a family's
# colour, and dashes of its own for each line, so that colour is not needed; named above the panels.
looks_of_lines <- function(line, family, recipes) {
  family <- family[!duplicated(line)]
  line <- unique(line)
  colours <- stats::setNames(family_colours(recipes)[family], line)
  dashes <- stats::setNames(rep_len(dashes_told_apart, length(line)), line)
  list(
    ggplot2::scale_colour_manual(
      NULL,
      values = colours,
      breaks = line,
      aesthetics = c("colour", "fill")
    ),
    ggplot2::scale_linetype_manual(NULL, values = dashes, breaks = line),
    theme_sprenn(),
    ggplot2::theme(
      panel.spacing = ggplot2::unit(18, "pt"),
      legend.position = "top",
      legend.justification = "left",
      legend.margin = ggplot2::margin(0, 0, 0, 0),
      legend.key.width = ggplot2::unit(34, "pt"),
      legend.text = ggplot2::element_text(size = 12)
    )
  )
}

# In ggplot2's way: lengths of dash and gap.
dashes_told_apart <- c("solid", "41", "13", "4113", "81", "2111")

# The size of text in points, on a screen.
text_points <- 13

theme_sprenn <- function() {
  ggplot2::theme_minimal(base_size = text_points) +
    ggplot2::theme(
      plot.title = ggplot2::element_text(size = 16, face = "bold"),
      plot.subtitle = ggplot2::element_text(size = 12, colour = "#444444"),
      plot.title.position = "plot",
      panel.grid.minor = ggplot2::element_blank(),
      panel.grid.major = ggplot2::element_line(colour = "#e4e4e4", linewidth = 0.4),
      strip.text = ggplot2::element_text(size = 13, face = "bold", hjust = 0),
      axis.title = ggplot2::element_text(size = 12),
      plot.background = ggplot2::element_rect(fill = "white", colour = NA),
      plot.margin = ggplot2::margin(12, 16, 10, 10)
    )
}

# The kinds of file that a figure can be drawn in.
figure_endings <- c("png", "svg", "pdf", "tif", "tiff")

# Text on paper has this size in points, and pixels this resolution.
print_points <- 7.5
print_dpi <- 600

# Saves a figure by the file's ending; sizes in pixels at 96 dpi, of which a PNG has `times` as
# many. For paper, `size` is its width in millimetres and its height, which is as the rows of the
# figure need where it is NA; text and lines are then as large as is usual in print.
save_figure <- function(figure, file, width = 1100, height = 640, times = 2, size = NULL) {
  inches <- c(width, height) / 96
  dpi <- 96 * times
  if (!is.null(size)) {
    factor <- print_points / text_points
    # What a publication says in its caption is not repeated in the figure.
    figure <- smaller_marks(figure, factor) +
      ggplot2::labs(title = NULL, subtitle = NULL, caption = NULL)
    inches <- ifelse(is.na(size), factor * inches, size / 25.4)
    dpi <- print_dpi
  }

  device <- switch(tolower(tools::file_ext(file)),
    svg = "svg",
    pdf = if (capabilities("cairo")) grDevices::cairo_pdf else "pdf",
    tif = ,
    tiff = ragg::agg_tiff,
    ragg::agg_png
  )
  write_drawings(file, function(path) {
    ggplot2::ggsave(
      path,
      figure,
      device = device,
      width = inches[1],
      height = inches[2],
      dpi = dpi,
      # A figure of many pipelines is as high as they need.
      limitsize = FALSE
    )
  })
}

# How wide a figure of so many millimetres on paper is in pixels of a screen whose text is as large.
paper_pixels <- function(millimetres) {
  millimetres / 25.4 * 96 * text_points / print_points
}

# What a figure says of itself, as a caption beside it.
caption_of <- function(figure) {
  said <- c(figure$labels$title, figure$labels$subtitle, figure$labels$caption)
  said <- gsub("[[:space:]]+", " ", said)
  paste(paste0(sub("[.]$", "", said), ".", recycle0 = TRUE), collapse = " ")
}

# A figure whose text, points and lines are so many times as large.
smaller_marks <- function(figure, factor) {
  scaled <- c("size", "linewidth", "stroke")
  figure$layers <- lapply(figure$layers, function(layer) {
    # A layer is shared with the figure that it came from.
    own <- ggplot2::ggproto(NULL, layer)
    for (name in setdiff(scaled, names(layer$mapping))) {
      value <- layer$aes_params[[name]] %||% layer$geom$default_aes[[name]]
      if (is.numeric(value)) {
        own$aes_params[[name]] <- factor * value
      }
    }

    own
  })
  # What is long for a narrow figure is not cut at the edge of its panel.
  coordinates <- figure$coordinates
  figure$coordinates <- ggplot2::ggproto(NULL, coordinates, clip = "off")
  figure + smaller_theme(factor)
}

# The sizes that theme_sprenn() states in points.
smaller_theme <- function(factor) {
  text <- function(points) ggplot2::element_text(size = factor * points)
  ggplot2::theme(
    text = text(text_points),
    plot.title = text(16),
    plot.subtitle = text(12),
    strip.text = text(text_points),
    axis.title = text(12),
    legend.text = text(12),
    legend.key.width = ggplot2::unit(factor * 34, "pt"),
    panel.spacing = ggplot2::unit(factor * 18, "pt"),
    panel.grid.major = ggplot2::element_line(linewidth = factor * 0.4),
    plot.margin = ggplot2::margin(5, 6, 4, 4)
  )
}

# A row of pictures (row_of_panels()), as high as they are.
save_row <- function(figure, file, width = 1280) {
  limits <- figure$coordinates$limits
  save_figure(figure, file, width, round(width * diff(limits$y) / diff(limits$x)) + 110)
}

# The colour of each pipeline, by its name.
pipeline_colours <- function(recipes) {
  colours <- family_colours(recipes)[family_of(recipes)]
  stats::setNames(colours, recipes$pipeline)
}
