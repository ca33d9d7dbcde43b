#' Draw how sure the ranking is
#'
#' @param verdict What [choose_pipeline()] returned.
#' @return A ggplot: for every pipeline, best first, the ranks that hold 90 % of draws, its
#'   rank as measured, and the chance that it is the best.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "ranks-figure")
#' new_trial(folder, demo = TRUE, cases = 2)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1:2, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' draw_ranks(choose_pipeline(trial))
#' unlink(folder, recursive = TRUE)
draw_ranks <- function(verdict) {
  check_arguments(verdict = checkmate::check_class(verdict, "sprenn_verdict"))
  stop_if_nothing_made(verdict)
  rows <- verdict$pipelines
  n <- nrow(rows)
  rows$rank <- rank(-rows$utility, ties.method = "first")
  rows$family <- family_of(verdict$recipes)[match(rows$pipeline, verdict$recipes$pipeline)]
  rows$pipeline <- factor(rows$pipeline, rev(rows$pipeline))
  rows$chance <- ifelse(is.na(rows$chance_best), "not known", chance_words(rows$chance_best))
  ggplot2::ggplot(rows, ggplot2::aes(.data$rank, .data$pipeline, colour = .data$family)) +
    ggplot2::geom_linerange(
      ggplot2::aes(xmin = .data$rank_low, xmax = .data$rank_high),
      rows[!is.na(rows$rank_low), ],
      linewidth = 5,
      alpha = 0.35
    ) +
    ggplot2::geom_point(size = 3.4) +
    ggplot2::geom_text(
      ggplot2::aes(x = 1.08 * n + 0.4, label = .data$chance),
      colour = "#333333",
      hjust = 1,
      size = 3.9
    ) +
    ggplot2::annotate(
      "text",
      x = 1.08 * n + 0.4,
      y = n + 0.75,
      label = "chance best",
      hjust = 1,
      size = 3.6,
      colour = "#666666"
    ) +
    ggplot2::scale_colour_manual(values = family_colours(verdict$recipes), guide = "none") +
    ggplot2::scale_x_continuous(breaks = seq_len(n), limits = c(0.6, 1.08 * n + 0.5)) +
    ggplot2::scale_y_discrete(expand = ggplot2::expansion(add = c(0.6, 1.1))) +
    ggplot2::labs(
      title = "How sure the ranking is",
      x = "rank by worth",
      y = NULL,
      subtitle = "Bars: ranks that hold 90 % of draws; dots: as measured; 1 is the best"
    ) +
    theme_sprenn()
}
