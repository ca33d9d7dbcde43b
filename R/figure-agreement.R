#' Draw what people say, beside the measures
#'
#' @param viewing What [read_viewing()] or [view_takes()] returned.
#' @return A ggplot: how strongly people prefer each pipeline (log odds with 90 % intervals),
#'   and, of measures that side with people or against them beyond luck, how often the better
#'   take by each is the one that they preferred, with 90 % intervals (Wilson 1927); half of
#'   them (dashed) is chance.
#' @section Errors: `sprenn_error_viewing` where nobody has judged a pair.
#' @export
#' @examples
#' pairs <- tibble::tibble(
#'   measure = c("layout", "blur"), axis = c("structure", "flaws"), pairs = 40,
#'   agreement = c(0.8, 0.5), beyond_luck = c(TRUE, FALSE)
#' )
#' strengths <- tibble::tibble(
#'   pipeline = c("firm", "loose"), strength = c(0.6, -0.6),
#'   low = c(0.1, -1.1), high = c(1.1, -0.1)
#' )
#' viewing <- list(strengths = strengths, measures = pairs)
#' draw_agreement(structure(viewing, class = "sprenn_viewing"))
draw_agreement <- function(viewing) {
  check_arguments(viewing = checkmate::check_class(viewing, "sprenn_viewing"))
  if (NROW(viewing$strengths) == 0) {
    stop_sprenn(
      "viewing",
      c(
        "No pairs were judged yet, so there is nothing to draw.",
        i = "`sprenn viewing TRIAL` opens the page on which they are."
      )
    )
  }

  none <- tibble::tibble(
    measure = character(),
    pairs = integer(),
    agreement = numeric(),
    beyond_luck = logical()
  )
  sides <- viewing$measures %||% none
  sides <- sides[sides$beyond_luck, ]
  ends <- wilson(sides$agreement, sides$pairs)
  panels <- c("preferred, in log odds", "sides with people")
  rows <- rbind(
    tibble::tibble(
      panel = panels[1],
      name = viewing$strengths$pipeline,
      value = viewing$strengths$strength,
      low = viewing$strengths$low,
      high = viewing$strengths$high,
      label = two(viewing$strengths$strength)
    ),
    tibble::tibble(
      panel = panels[2],
      name = gsub("_", " ", sides$measure),
      value = sides$agreement,
      low = ends[, "from"],
      high = ends[, "to"],
      label = paste0(percent(sides$agreement), " of ", sides$pairs, recycle0 = TRUE)
    )
  )
  rows$panel <- factor(rows$panel, panels)
  rows$name <- factor(rows$name, rev(unique(rows$name)))
  chance <- tibble::tibble(panel = factor(panels, panels), at = c(0, 0.5))
  chance <- chance[chance$panel %in% rows$panel, ]
  ggplot2::ggplot(rows, ggplot2::aes(.data$value, .data$name)) +
    ggplot2::geom_vline(
      ggplot2::aes(xintercept = .data$at),
      chance,
      linetype = 2,
      colour = "#777777"
    ) +
    ggplot2::geom_linerange(
      ggplot2::aes(xmin = .data$low, xmax = .data$high),
      linewidth = 3,
      alpha = 0.3,
      colour = family_palette[1]
    ) +
    ggplot2::geom_point(size = 2.8, colour = family_palette[1]) +
    ggplot2::geom_text(
      ggplot2::aes(x = .data$high, label = .data$label),
      hjust = -0.2,
      size = 3.6,
      colour = "#333333"
    ) +
    ggplot2::facet_wrap("panel", nrow = 1, scales = "free") +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(c(0.05, 0.3))) +
    ggplot2::labs(
      title = "What people say, and what sides with them",
      x = NULL,
      y = NULL,
      subtitle = paste0(
        "Left: pipelines by what people preferred. Right: how often the better one by a number ",
        "was preferred. Dashed: no preference, chance"
      )
    ) +
    theme_sprenn()
}
