#' Draw yield and cost
#'
#' @param verdict What [choose_pipeline()] returned.
#' @return A ggplot: for every pipeline, best first, the share of its takes that are
#'   keepers with its 90 % interval, and what a keeper costs in money and in seconds.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "yield-figure")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1:2, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' draw_yield(choose_pipeline(trial))
#' unlink(folder, recursive = TRUE)
draw_yield <- function(verdict) {
  check_arguments(verdict = checkmate::check_class(verdict, "sprenn_verdict"))
  stop_if_nothing_made(verdict)
  rows <- verdict$pipelines
  panel <- function(name, value, low, high, label) {
    tibble::tibble(
      panel = factor(name, c("keepers", "cost per keeper", "seconds per keeper")),
      pipeline = factor(rows$pipeline, rev(rows$pipeline)),
      family = family_of(verdict$recipes)[match(rows$pipeline, verdict$recipes$pipeline)],
      value = ifelse(is.finite(value), value, NA),
      low = low,
      high = high,
      label = ifelse(is.finite(value), label, "no keeper")
    )
  }

  long <- rbind(
    panel("keepers", rows$yield, rows$yield_low, rows$yield_high, percent(rows$yield)),
    panel(
      "cost per keeper",
      rows$cost_per_keeper,
      NA_real_,
      NA_real_,
      small_sum(rows$cost_per_keeper)
    ),
    panel(
      "seconds per keeper",
      rows$seconds_per_keeper,
      NA_real_,
      NA_real_,
      small_sum(rows$seconds_per_keeper)
    )
  )
  ggplot2::ggplot(long, ggplot2::aes(y = .data$pipeline, colour = .data$family)) +
    ggplot2::geom_segment(
      ggplot2::aes(x = 0, xend = .data$value, yend = .data$pipeline),
      long[!is.na(long$value), ],
      linewidth = 0.5,
      alpha = 0.5
    ) +
    ggplot2::geom_linerange(
      ggplot2::aes(xmin = .data$low, xmax = .data$high),
      long[!is.na(long$low), ],
      linewidth = 3,
      alpha = 0.3
    ) +
    ggplot2::geom_point(ggplot2::aes(x = .data$value), long[!is.na(long$value), ], size = 2.8) +
    ggplot2::geom_text(
      ggplot2::aes(
        x = ifelse(is.na(.data$value), 0, pmax(.data$value, .data$high, na.rm = TRUE)),
        label = .data$label
      ),
      hjust = -0.25,
      size = 3.6,
      colour = "#333333"
    ) +
    ggplot2::facet_wrap("panel", nrow = 1, scales = "free_x") +
    ggplot2::scale_colour_manual(values = family_colours(verdict$recipes), guide = "none") +
    ggplot2::scale_x_continuous(limits = c(0, NA), expand = ggplot2::expansion(c(0, 0.3))) +
    ggplot2::labs(
      title = "Yield and cost",
      x = NULL,
      y = NULL,
      subtitle = paste0(
        "What a take that can be used costs, the failed tries included; keepers with 90 % ",
        "intervals"
      )
    ) +
    theme_sprenn() +
    ggplot2::theme(axis.text.x = ggplot2::element_blank())
}
