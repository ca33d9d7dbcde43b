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

theme_sprenn <- function() {
  ggplot2::theme_minimal(base_size = 13) +
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

# Saves a figure as PNG or SVG, by the file's ending; sizes in pixels at 96 dpi, of which a
# PNG has `times` as many.
save_figure <- function(figure, file, width = 1100, height = 640, times = 2) {
  device <- if (grepl("\\.svg$", file)) "svg" else ragg::agg_png
  write_drawings(file, function(path) {
    ggplot2::ggsave(
      path,
      figure,
      device = device,
      width = width / 96,
      height = height / 96,
      dpi = 96 * times,
      # A figure of many pipelines is as high as they need.
      limitsize = FALSE
    )
  })
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
