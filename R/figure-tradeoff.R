#' Draw the trade-off between structure and style
#'
#' Structure against style, one point per pipeline with 90 % intervals and its share of keepers;
#' members of a sweep are joined.
#'
#' @param verdict The result of [choose_pipeline()].
#' @return A ggplot.
#' @family figures, sheets and reports
#' @export
#' @examples
#' folder <- file.path(tempdir(), "figure-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1:2, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' score_run(trial)
#' draw_tradeoff(choose_pipeline(trial))
#' unlink(folder, recursive = TRUE)
draw_tradeoff <- function(verdict) {
  check_arguments(verdict = checkmate::check_class(verdict, "sprenn_verdict"))
  tradeoff_figure(verdict)
}

# Labels are placed for a figure of this width, in pixels of 96 to the inch where text has the size
# that theme_sprenn() states.
tradeoff_figure <- function(verdict, width = 1280) {
  stop_if_nothing_made(verdict)
  rows <- family_rows(verdict)
  # A pipeline without any take, or without evidence for an axis, has no place.
  rows <- rows[!is.na(rows$structure) & !is.na(rows$style), ]
  along <- paste(rows$family, sub("^.*[.]", "", rows$vary), format_value(rows$value))
  name <- ifelse(is.na(rows$value), short_label(rows$pipeline), along)
  rows$label <- paste0(name, ", ", percent(rows$keepers))
  colours <- family_colours(verdict$recipes)
  rows$fill <- mix_with_white(colours[rows$family], rows$keepers)
  at <- place_labels(rows$structure, rows$style, rows$label, 12.5 / width)
  floor <- verdict$brief$floors[["structure"]]
  ggplot2::ggplot(rows, ggplot2::aes(.data$structure, .data$style, colour = .data$family)) +
    (if (!is.na(floor)) {
      ggplot2::geom_vline(xintercept = floor, linetype = "dashed", colour = "#888888")
    }) +
    (if (!is.na(floor)) {
      ggplot2::annotate(
        "text",
        x = floor,
        y = 1.02,
        label = "floor",
        hjust = 1.15,
        size = 3.6,
        colour = "#666666"
      )
    }) +
    ggplot2::geom_path(
      data = rows[rows$family %in% rows$family[duplicated(rows$family)], ],
      linewidth = 0.5,
      alpha = 0.5
    ) +
    ggplot2::geom_linerange(
      ggplot2::aes(xmin = .data$structure_low, xmax = .data$structure_high),
      rows[!is.na(rows$structure_low), ],
      linewidth = 0.5,
      alpha = 0.45
    ) +
    ggplot2::geom_linerange(
      ggplot2::aes(ymin = .data$style_low, ymax = .data$style_high),
      rows[!is.na(rows$style_low), ],
      linewidth = 0.5,
      alpha = 0.45
    ) +
    ggplot2::geom_point(shape = 21, size = 4.5, stroke = 1.2, fill = rows$fill) +
    ggplot2::geom_text(
      ggplot2::aes(x = at$x, y = at$y, label = .data$label),
      hjust = at$hjust,
      size = 3.8
    ) +
    ggplot2::scale_colour_manual(values = colours, guide = "none") +
    ggplot2::scale_x_continuous(
      limits = c(min(0, rows$structure_low, na.rm = TRUE), 1),
      expand = ggplot2::expansion(0.05)
    ) +
    ggplot2::scale_y_continuous(
      limits = c(min(0, rows$style_low, na.rm = TRUE), 1.05),
      expand = ggplot2::expansion(0.02)
    ) +
    ggplot2::labs(
      title = "Trade-off",
      x = "structure: 0 chance, 1 the reference's layout",
      y = paste0("style: ", style_words(verdict$brief)),
      subtitle = paste0(
        "One point per pipeline, with 90 % intervals and the share of its takes that are keepers: ",
        "the fuller, the higher"
      )
    ) +
    theme_sprenn()
}

# Members of sweeps without the heads of paths: `edged guides.kind=areas` as `edged kind areas`.
short_label <- function(pipeline) {
  short <- gsub("(/|,)(?:[a-z0-9_]+[.])*([a-z0-9_]+)=", "\\1\\2 ", pipeline, perl = TRUE)
  gsub(",(?=\\S)", ", ", sub("/", " ", short, fixed = TRUE), perl = TRUE)
}

# Puts each label beside its point where it covers no other point and no label
# that was put down before: right, left, above or below. `letter` is how wide one is.
place_labels <- function(x, y, label, letter) {
  wide <- letter * nchar(label)
  tall <- 0.045
  placed <- list()
  for (i in seq_along(x)) {
    ways <- list(
      list(x = x[i] + 0.015, y = y[i] + 0.03, hjust = 0),
      list(x = x[i] - 0.015, y = y[i] + 0.03, hjust = 1),
      list(x = x[i] + 0.015, y = y[i] - 0.03, hjust = 0),
      list(x = x[i] - 0.015, y = y[i] - 0.03, hjust = 1),
      list(x = x[i] + 0.015, y = y[i] + 0.075, hjust = 0),
      list(x = x[i] + 0.015, y = y[i] - 0.075, hjust = 0)
    )
    cost <- vapply(
      ways,
      function(way) {
        left <- way$x - way$hjust * wide[i]
        meets <- vapply(
          placed,
          function(other) {
            abs(other$y - way$y) < tall &&
              left < other$left + other$wide &&
              other$left < left + wide[i]
          },
          NA
        )
        covers <- x[-i] > left &
          x[-i] < left + wide[i] &
          abs(y[-i] - way$y) < tall / 2
        10 * sum(meets) +
          sum(covers, na.rm = TRUE) +
          20 * (left < -0.05 || left + wide[i] > 1.05)
      },
      0
    )
    way <- ways[[which.min(cost)]]
    placed[[i]] <- c(way, left = way$x - way$hjust * wide[i], wide = wide[i])
  }

  data.frame(
    x = vapply(placed, `[[`, 0, "x"),
    y = vapply(placed, `[[`, 0, "y"),
    hjust = vapply(placed, `[[`, 0, "hjust")
  )
}

mix_with_white <- function(colours, share) {
  rgb <- grDevices::col2rgb(colours) / 255
  mixed <- 1 - rep(share, each = 3) * (1 - rgb)
  grDevices::rgb(mixed[1, ], mixed[2, ], mixed[3, ])
}

style_words <- function(brief) {
  if (identical(brief$style, "reach the look")) {
    return("0 no nearer the look, 1 in it")
  }

  if (identical(brief$style, "stay")) "0 another look, 1 unchanged" else "1 the change wanted"
}

# The pipelines of a verdict with what they vary, in the order of the sweep.
family_rows <- function(verdict) {
  recipes <- verdict$recipes
  recipes$family <- family_of(recipes)
  rows <- merge(
    verdict$pipelines,
    recipes[c("pipeline", "family", "vary", "value", "hold", "position")],
    by = "pipeline",
    sort = FALSE
  )
  as_table(rows[order(rows$family, rows$value, rows$position), ])
}

#' @rdname draw_tradeoff
#' @param object,... The same, for [ggplot2::autoplot()].
#' @exportS3Method ggplot2::autoplot
autoplot.sprenn_verdict <- function(object, ...) draw_tradeoff(object)
