#' Draw the changes between two runs
#'
#' @param changes The result of [compare_runs()].
#' @return A ggplot: for every pipeline the change of each score with simultaneous intervals;
#'   changes are in colour.
#' @family figures, sheets and reports
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
    worth = "worth",
    keeper = "keepers"
  )
  rows <- changes$scores
  rows$score <- factor(named[rows$score], named)
  rows$pipeline <- factor(rows$pipeline, rev(unique(rows$pipeline)))
  rows$state <- ifelse(
    rows$changed,
    ifelse(rows$change > 0, "rose", "fell"),
    "no change detected"
  )
  # With too few takes, an interval would leave the panel.
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
        "no change detected" = "#999999"
      ),
      name = NULL
    ) +
    ggplot2::scale_shape_manual(
      values = c(rose = 17, fell = 15, "no change detected" = 1),
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

#' Draw the effect of each input
#'
#' @param influence The result of [measure_influence()].
#' @return A ggplot: for every pipeline how far each input moved the picture, from the smallest to
#'   the largest of its controls, where 1 is the effect of another seed.
#' @family figures, sheets and reports
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
      title = "Effect of each input",
      subtitle = paste0(
        "How far a take moves without it or with another, from the smallest to the largest of\n",
        "the controls; 1 (dashed) is the effect of another seed"
      ),
      x = paste0("moved; bands from left to right: ", paste(words, collapse = ", ")),
      y = NULL
    ) +
    theme_sprenn() +
    ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}

#' Draw people's preferences beside the measures
#'
#' @param viewing What [read_viewing()] or [view_takes()] returned.
#' @return A ggplot: how strongly people prefer each pipeline (log odds with 90 % intervals), and,
#'   for measures that agree or disagree with people more than by luck, how often the better take
#'   by each is the preferred one, with 90 % intervals (Wilson 1927); half of them (dashed) is
#'   chance.
#' @section Errors: `sprenn_error_viewing` where nobody has judged a pair.
#' @family figures, sheets and reports
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
        i = "`sprenn viewing TRIAL` opens a page for that."
      )
    )
  }

  none <- new_table(
    measure = character(),
    pairs = integer(),
    agreement = numeric(),
    beyond_luck = logical()
  )
  sides <- viewing$measures %||% none
  sides <- sides[sides$beyond_luck, ]
  ends <- wilson(sides$agreement, sides$pairs)
  panels <- c("preferred, in log odds", "agrees with people")
  rows <- rbind(
    new_table(
      panel = panels[1],
      name = viewing$strengths$pipeline,
      value = viewing$strengths$strength,
      low = viewing$strengths$low,
      high = viewing$strengths$high,
      label = two(viewing$strengths$strength)
    ),
    new_table(
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
  chance <- new_table(panel = factor(panels, panels), at = c(0, 0.5))
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
      title = "People's preferences, and measures that agree",
      x = NULL,
      y = NULL,
      subtitle = paste0(
        "Left: pipelines by what people preferred. Right: how often the better take by a measure\n",
        "was preferred. Dashed: no preference, chance"
      )
    ) +
    theme_sprenn()
}

#' @rdname draw_changes
#' @param object,... The same, for [ggplot2::autoplot()].
#' @exportS3Method ggplot2::autoplot
autoplot.sprenn_changes <- function(object, ...) draw_changes(object)

#' @rdname draw_influence
#' @param object,... The same, for [ggplot2::autoplot()].
#' @exportS3Method ggplot2::autoplot
autoplot.sprenn_influence <- function(object, ...) draw_influence(object)

#' @rdname draw_agreement
#' @param object,... The same, for [ggplot2::autoplot()].
#' @exportS3Method ggplot2::autoplot
autoplot.sprenn_viewing <- function(object, ...) draw_agreement(object)
