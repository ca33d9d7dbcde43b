#' Draw the ranking with its uncertainty
#'
#' @param verdict The result of [choose_pipeline()].
#' @return A ggplot: for every pipeline, best first, the ranks in 90 % of draws, its observed
#'   rank, and the chance that it is the best.
#' @family figures, sheets and reports
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
  rows$rank <- rank(-rows$worth, ties.method = "first")
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
      title = "Ranking",
      x = "rank by worth",
      y = NULL,
      subtitle = "Bars: ranks in 90 % of draws; dots: as measured; 1 is the best"
    ) +
    theme_sprenn()
}

#' Draw the variation between seeds
#'
#' @param verdict The result of [choose_pipeline()].
#' @return A ggplot: for every pipeline, best first, a thin line for each case from its worst seed
#'   to its best, with a dot for each take. Long lines mean that another seed is worth a try;
#'   lines far apart mean that the result depends on the picture.
#' @family figures, sheets and reports
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
  takes <- verdict$table[!is.na(verdict$table$worth), ]
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
        low = min(own$worth),
        high = max(own$worth)
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
    ggplot2::geom_point(ggplot2::aes(x = .data$worth), size = 1.4, alpha = 0.8) +
    ggplot2::scale_colour_manual(values = family_colours(verdict$recipes), guide = "none") +
    ggplot2::scale_y_continuous(
      breaks = seq_along(order),
      labels = order,
      expand = ggplot2::expansion(add = 0.6)
    ) +
    ggplot2::coord_cartesian(xlim = 0:1) +
    ggplot2::labs(
      title = "Variation between seeds",
      x = "worth of a take; 0 is not a keeper",
      y = NULL,
      subtitle = "A line for each case, from its worst seed to its best"
    ) +
    theme_sprenn() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}

#' Draw the share of keepers and the cost
#'
#' @param verdict The result of [choose_pipeline()].
#' @return A ggplot: for every pipeline, best first, the share of its takes that are
#'   keepers with its 90 % interval, and what a keeper costs in money and in seconds.
#' @family figures, sheets and reports
#' @export
#' @examples
#' folder <- file.path(tempdir(), "keepers-figure")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1:2, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' draw_keepers(choose_pipeline(trial))
#' unlink(folder, recursive = TRUE)
draw_keepers <- function(verdict) {
  check_arguments(verdict = checkmate::check_class(verdict, "sprenn_verdict"))
  stop_if_nothing_made(verdict)
  rows <- verdict$pipelines
  panel <- function(name, value, low, high, label) {
    new_table(
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
    panel("keepers", rows$keepers, rows$keepers_low, rows$keepers_high, percent(rows$keepers)),
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
      title = "Keepers and cost",
      x = NULL,
      y = NULL,
      subtitle = paste0(
        "Cost of a usable take, failed tries included; share of keepers with 90 % ",
        "intervals"
      )
    ) +
    theme_sprenn() +
    ggplot2::theme(axis.text.x = ggplot2::element_blank())
}

#' @rdname draw_keepers
#' @export
draw_yield <- function(verdict) {
  .Deprecated("draw_keepers")
  draw_keepers(verdict)
}
