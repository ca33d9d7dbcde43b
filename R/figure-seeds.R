#' Draw how much is luck
#'
#' @param verdict What [choose_pipeline()] returned.
#' @return A ggplot: for every pipeline, best first, a thin line for each case from its
#'   worst seed to its best, with a dot for each take. Long lines: another seed is
#'   worth a try. Lines far apart: it depends on the picture.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "seeds-figure")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1:2, ]
#' trial$suite$seeds <- c(11L, 23L)
#' run_trial(trial)
#' draw_seeds(choose_pipeline(trial))
#' unlink(folder, recursive = TRUE)
draw_seeds <- function(verdict) {
  check_arguments(verdict = checkmate::check_class(verdict, "sprenn_verdict"))
  stop_if_nothing_made(verdict)
  takes <- verdict$table[!is.na(verdict$table$utility), ]
  order <- rev(verdict$pipelines$pipeline)
  cases <- unique(takes$case)
  # The cases of a pipeline lie one below the other within its band.
  takes$at <- match(takes$pipeline, order) +
    0.36 -
    0.72 * (match(takes$case, cases) - 0.5) / length(cases)
  takes$family <- family_of(verdict$recipes)[match(takes$pipeline, verdict$recipes$pipeline)]
  spans <- do.call(
    rbind,
    lapply(split(takes, paste(takes$pipeline, takes$case)), function(own) {
      data.frame(
        family = own$family[1],
        at = own$at[1],
        low = min(own$utility),
        high = max(own$utility)
      )
    })
  )
  ggplot2::ggplot(takes, ggplot2::aes(y = .data$at, colour = .data$family)) +
    ggplot2::geom_linerange(
      ggplot2::aes(xmin = .data$low, xmax = .data$high),
      spans,
      linewidth = 0.6,
      alpha = 0.6
    ) +
    ggplot2::geom_point(ggplot2::aes(x = .data$utility), size = 1.4, alpha = 0.8) +
    ggplot2::scale_colour_manual(values = family_colours(verdict$recipes), guide = "none") +
    ggplot2::scale_y_continuous(
      breaks = seq_along(order),
      labels = order,
      expand = ggplot2::expansion(add = 0.6)
    ) +
    ggplot2::coord_cartesian(xlim = 0:1) +
    ggplot2::labs(
      title = "How much is luck",
      x = "worth of a take; 0 is no keeper",
      y = NULL,
      subtitle = "A line for each case, from its worst seed to its best"
    ) +
    theme_sprenn() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}
