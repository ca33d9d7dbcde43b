#' Draw what each input really does
#'
#' @param influence What [measure_influence()] returned.
#' @return A ggplot: for every pipeline how far each input moved the picture,
#'   from the least to the most of its controls, where 1 is what another seed
#'   moves.
#' @export
#' @examples
#' draw_influence(list(inputs = tibble::tibble(
#'   pipeline = c("a", "b"), input = "prompt", pairs = 3, moved = c(0.02, 0.8),
#'   low = c(0, 0.5), high = c(0.05, 1.2), influence = c("ignored", "clear")
#' )))
draw_influence <- function(influence) {
  influence <- influence$inputs
  influence$pipeline <- factor(influence$pipeline, rev(unique(influence$pipeline)))
  influence$input <- factor(influence$input, unique(control_inputs))
  most <- 1.05 * max(2, influence$high, na.rm = TRUE)
  steps <- c(0, influence_steps, most)
  words <- vapply(c(0, influence_steps), influence_words, "")
  bands <- data.frame(
    from = utils::head(steps, -1),
    to = steps[-1],
    fill = c("grey84", "grey91", "grey97", "grey91")
  )
  ggplot2::ggplot(influence, ggplot2::aes(.data$moved, .data$pipeline)) +
    ggplot2::geom_rect(
      ggplot2::aes(xmin = .data$from, xmax = .data$to, ymin = -Inf, ymax = Inf),
      bands,
      fill = rep(bands$fill, length(unique(influence$input))),
      inherit.aes = FALSE
    ) +
    ggplot2::geom_vline(xintercept = 1, linetype = 2, colour = "grey40") +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$low, xend = .data$high, yend = .data$pipeline),
      na.rm = TRUE,
      colour = family_palette[1],
      linewidth = 1
    ) +
    ggplot2::geom_point(na.rm = TRUE, colour = family_palette[1], size = 2.6) +
    ggplot2::geom_text(
      ggplot2::aes(x = 1.04 * most, label = .data$influence),
      hjust = 0,
      size = 3.4,
      colour = "grey25"
    ) +
    ggplot2::facet_wrap(~input, nrow = 1) +
    ggplot2::scale_x_continuous(
      limits = c(0, 1.7 * most),
      expand = c(0, 0),
      trans = "sqrt",
      breaks = c(0, 0.5, 1, 2, 5, 10, 20),
      labels = function(x) format(x, trim = TRUE, drop0trailing = TRUE)
    ) +
    ggplot2::labs(
      title = "What each input really does",
      subtitle = paste0(
        "How far a take moves without it or with another, from the least to the most of the ",
        "controls; 1 (dashed) is what another seed moves"
      ),
      x = paste0("moved; bands from left to right: ", paste(words, collapse = ", ")),
      y = NULL
    ) +
    theme_sprenn() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}
