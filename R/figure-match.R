#' Draw engines at equal structure
#'
#' @param match What [match_engines()] returned.
#' @return A ggplot: adherence and style of each sweep against the structure that it
#'   keeps, with 90 % bands, and a line where they are compared.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "match-figure")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[c(1, 6), ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' draw_match(match_engines(trial))
#' unlink(folder, recursive = TRUE)
draw_match <- function(match) {
  check_arguments(match = checkmate::check_class(match, "sprenn_match"))
  rows <- match$levels[match$levels$score %in% c("adherence", "style") &
    (is.na(match$levels$reached) | match$levels$reached >= 0.5), ]
  if (nrow(rows) == 0) {
    stop_sprenn(
      "run",
      c(
        "There is nothing to draw: no sweep of two settings or more was measured.",
        i = "Sweeps are made in lineup.yml."
      )
    )
  }

  lines <- unique(rows$line)
  colours <- stats::setNames(rep_len(family_palette, length(lines)), lines)
  known <- family_colours(match$verdict$recipes)
  colours[lines %in% names(known)] <- known[lines[lines %in% names(known)]]
  ends <- do.call(
    rbind,
    lapply(split(rows, list(rows$line, rows$score), drop = TRUE), function(part) {
      part[which.max(part$level), ]
    })
  )
  ggplot2::ggplot(
    rows,
    ggplot2::aes(.data$level, .data$mean, colour = .data$line, fill = .data$line)
  ) +
    ggplot2::geom_vline(xintercept = match$at, linetype = "dashed", colour = "#888888") +
    ggplot2::geom_ribbon(
      ggplot2::aes(ymin = .data$low, ymax = .data$high),
      rows[!is.na(rows$low), ],
      alpha = 0.16,
      colour = NA
    ) +
    ggplot2::geom_line(linewidth = 1) +
    ggplot2::geom_text(
      ggplot2::aes(label = .data$line),
      ends,
      hjust = 0,
      nudge_x = 0.012,
      size = 3.9
    ) +
    ggplot2::facet_wrap("score", nrow = 1) +
    ggplot2::scale_colour_manual(
      values = colours,
      aesthetics = c("colour", "fill"),
      guide = "none"
    ) +
    ggplot2::scale_x_continuous(limits = c(0, 1.12), breaks = seq(0, 1, 0.2)) +
    ggplot2::coord_cartesian(ylim = c(0, 1.02)) +
    ggplot2::labs(
      title = "Like with like: at equal structure",
      x = "structure that is kept",
      y = "score",
      subtitle = paste0(
        "Each sweep by straight lines between its settings, with 90 % bands; dashed: compared at ",
        two(match$at)
      ),
      caption = paste0(
        "Bands are each line's own. Both met the same cases, so that their differences are surer ",
        "than the bands look."
      )
    ) +
    theme_sprenn() +
    ggplot2::theme(panel.spacing = ggplot2::unit(18, "pt"))
}
