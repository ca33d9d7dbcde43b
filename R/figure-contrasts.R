#' Draw pipelines that differ in one thing
#'
#' @param contrasts The result of [list_contrasts()].
#' @return A ggplot: for each contrast, how far each pipeline is from the one that it is compared
#'   with, in structure, adherence, style and worth, with 90 % intervals.
#' @family figures, sheets and reports
#' @export
#' @examples
#' folder <- file.path(tempdir(), "contrasts-figure")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' two <- trial$lineup$pipelines$pipeline %in% c("yarrow", "yarrow/hold=0.2")
#' trial$lineup$pipelines <- trial$lineup$pipelines[two, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' draw_contrasts(list_contrasts(trial))
#' unlink(folder, recursive = TRUE)
draw_contrasts <- function(contrasts) {
  check_arguments(contrasts = checkmate::check_class(contrasts, "sprenn_contrasts"))
  rows <- contrasts$differences
  if (nrow(rows) == 0) {
    stop_sprenn(
      "run",
      c("There is nothing to draw: no two pipelines that differ in one thing have scores.")
    )
  }

  named <- contrasts$contrasts
  value_of <- function(pipelines) {
    at <- match(paste(rows$contrast, pipelines), paste(named$contrast, named$pipeline))
    value <- named$value[at]
    cut_text(ifelse(nzchar(value), value, "not set"), longest_label)
  }
  vary <- named$vary[match(rows$contrast, named$contrast)]
  heading <- cut_text(paste0(vary, ", against ", rows$to, ":"), longest_label + 6)
  rows$line <- paste(rows$contrast, rows$pipeline)
  rows$score <- factor(rows$score, c(axes, "worth"))
  rows$sure <- !is.na(rows$low) & (rows$low > 0 | rows$high < 0)
  # A line for each pipeline, under a line that says what it is compared with.
  own <- !duplicated(rows$line)
  lines <- new_table(
    line = c(rows$line[own], paste(unique(rows$contrast), "")),
    label = c(
      paste0("      ", value_of(rows$pipeline)[own]),
      heading[!duplicated(rows$contrast)]
    ),
    contrast = c(rows$contrast[own], unique(rows$contrast)),
    heads = rep(c(FALSE, TRUE), c(sum(own), length(unique(rows$contrast))))
  )
  lines <- lines[order(lines$contrast, !lines$heads), ]
  ggplot2::ggplot(rows, ggplot2::aes(.data$difference, .data$line)) +
    ggplot2::geom_vline(xintercept = 0, colour = "#888888") +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$low, xend = .data$high, yend = .data$line),
      rows[!is.na(rows$low), ],
      linewidth = 1,
      colour = "#5b6770"
    ) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$sure), size = 3, fill = "#ffffff") +
    ggplot2::scale_shape_manual(values = c(`TRUE` = 19, `FALSE` = 21), guide = "none") +
    ggplot2::scale_y_discrete(limits = rev(lines$line), labels = rev(lines$label)) +
    ggplot2::scale_x_continuous(n.breaks = 4) +
    ggplot2::facet_wrap("score", nrow = 1) +
    ggplot2::labs(
      title = "One thing at a time",
      x = "difference, all else equal",
      y = NULL,
      subtitle = "Means with 90 % intervals; filled: beyond luck"
    ) +
    theme_sprenn() +
    ggplot2::theme(
      axis.text.y = ggplot2::element_text(hjust = 0),
      panel.spacing.x = ggplot2::unit(14, "pt")
    )
}

# Letters of a value that fit beside the panels.
longest_label <- 40

#' @rdname draw_contrasts
#' @param object,... The same, for [ggplot2::autoplot()].
#' @exportS3Method ggplot2::autoplot
autoplot.sprenn_contrasts <- function(object, ...) draw_contrasts(object)
