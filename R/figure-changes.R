#' Draw what has changed between two runs
#'
#' @param changes What [compare_runs()] returned.
#' @return A ggplot: for every pipeline the change of each score, with intervals that
#'   hold for all at once; what changed is in colour.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "changes-figure")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial, "before")
#' run_trial(trial, "after")
#' draw_changes(compare_runs(trial, "before", "after"))
#' unlink(folder, recursive = TRUE)
draw_changes <- function(changes) {
  check_arguments(changes = checkmate::check_class(changes, "sprenn_changes"))
  named <- c(
    structure = "structure",
    adherence = "adherence",
    style = "style",
    utility = "worth",
    keeper = "keepers"
  )
  rows <- changes$scores
  rows$score <- factor(named[rows$score], named)
  rows$pipeline <- factor(rows$pipeline, rev(unique(rows$pipeline)))
  rows$state <- ifelse(
    rows$changed,
    ifelse(rows$change > 0, "rose", "fell"),
    "not seen to have changed"
  )
  # Where too few takes tell, an interval runs out of the panel.
  told <- rows[!is.na(rows$seen), ]
  reach <- 1.1 * max(0.05, abs(c(rows$change, told$low, told$high)))
  ggplot2::ggplot(rows, ggplot2::aes(.data$change, .data$pipeline, colour = .data$state)) +
    ggplot2::geom_vline(xintercept = 0, colour = "#888888") +
    ggplot2::geom_linerange(
      ggplot2::aes(xmin = .data$low, xmax = .data$high),
      linewidth = 0.9
    ) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$state), size = 2.8) +
    ggplot2::facet_wrap("score", nrow = 1) +
    ggplot2::coord_cartesian(xlim = c(-reach, reach)) +
    ggplot2::scale_x_continuous(n.breaks = 4) +
    ggplot2::scale_colour_manual(
      values = c(
        rose = family_palette[1],
        fell = family_palette[2],
        "not seen to have changed" = "#999999"
      ),
      name = NULL
    ) +
    ggplot2::scale_shape_manual(
      values = c(rose = 17, fell = 15, "not seen to have changed" = 1),
      name = NULL
    ) +
    ggplot2::labs(
      title = paste0("From ", changes$runs[1], " to ", changes$runs[2]),
      x = "change",
      y = NULL,
      subtitle = paste0(
        "Of the same pipelines, cases and seeds; intervals that hold for all at once in ",
        percent(changes$confidence)
      )
    ) +
    theme_sprenn() +
    ggplot2::theme(legend.position = "bottom", panel.spacing.x = ggplot2::unit(1.4, "lines"))
}
