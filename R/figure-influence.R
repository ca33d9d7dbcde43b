#' Draw what each input really does
#'
#' @param influence What [measure_influence()] returned.
#' @return A ggplot: for every pipeline how far each input moved the picture,
#'   from the least to the most of its controls, where 1 is what another seed
#'   moves.
#' @export
#' @examples
#' draw_influence(tibble::tibble(
#'   pipeline = c("a", "b"), input = "prompt", pairs = 3, moved = c(0.02, 0.8),
#'   low = c(0, 0.5), high = c(0.05, 1.2), influence = c("ignored", "clear")
#' ))
draw_influence <- function(influence) {
  influence$pipeline <- factor(influence$pipeline, rev(unique(influence$pipeline)))
  influence$input <- factor(influence$input, unique(control_inputs))
  most <- max(2, influence$high)
  ggplot2::ggplot(influence, ggplot2::aes(.data$moved, .data$pipeline)) +
    ggplot2::annotate("rect", xmin = c(0, influence_steps), xmax = c(influence_steps, most), ymin = -Inf, ymax = Inf, fill = c("grey88", "grey93", "grey97", "grey93")) +
    ggplot2::geom_vline(xintercept = 1, linetype = 2, colour = "grey50") +
    ggplot2::geom_segment(ggplot2::aes(x = .data$low, xend = .data$high, yend = .data$pipeline), colour = family_palette[1], linewidth = 1) +
    ggplot2::geom_point(colour = family_palette[1], size = 2.6) +
    ggplot2::geom_text(ggplot2::aes(x = pmin(.data$high + 0.03 * most, most), label = .data$influence), hjust = 0, size = 3.3) +
    ggplot2::facet_wrap(~input, nrow = 1) +
    ggplot2::scale_x_continuous(limits = c(0, 1.25 * most), breaks = c(0, influence_steps, 1), labels = c("0", "0.15", "0.5", "1.5", "1")) +
    ggplot2::labs(
      title = "What each input really does", subtitle = "How far a take moves without it, from the least to the most of the controls; 1 is what another seed moves", x = NULL, y = NULL
    ) +
    theme_sprenn()
}
