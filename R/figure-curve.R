#' Draw the scores along a sweep
#'
#' Structure, adherence and style against a swept setting, pooled over cases and
#' seeds with 90 % intervals, every take as a faint point.
#'
#' @param verdict The result of [choose_pipeline()].
#' @param vary The setting that was swept.
#' @return A ggplot, or `NULL` when no sweep varies that setting.
#' @family figures, sheets and reports
#' @export
#' @examples
#' folder <- file.path(tempdir(), "curve-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' two <- trial$lineup$pipelines$pipeline %in% c("yarrow", "yarrow/hold=0.2")
#' trial$lineup$pipelines <- trial$lineup$pipelines[two, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' score_run(trial)
#' draw_curve(choose_pipeline(trial))
#' unlink(folder, recursive = TRUE)
draw_curve <- function(verdict, vary = "hold") {
  check_arguments(
    verdict = checkmate::check_class(verdict, "sprenn_verdict"),
    vary = checkmate::check_string(vary)
  )
  stop_if_nothing_made(verdict)
  lines <- sweep_lines(tried_recipes(verdict), vary)
  if (nrow(lines) == 0) {
    return(NULL)
  }

  at <- match(lines$pipeline, verdict$pipelines$pipeline)
  rows <- new_table(verdict$pipelines[at, ], lines[c("line", "family", "value")])
  long <- do.call(
    rbind,
    lapply(axes, function(name) {
      new_table(
        axis = factor(name, axes),
        line = rows$line,
        family = rows$family,
        value = rows$value,
        mean = rows[[name]],
        low = rows[[paste0(name, "_low")]],
        high = rows[[paste0(name, "_high")]]
      )
    })
  )
  takes <- verdict$table[verdict$table$pipeline %in% rows$pipeline, ]
  points <- do.call(
    rbind,
    lapply(axes, function(name) {
      at <- match(takes$pipeline, rows$pipeline)
      new_table(
        axis = factor(name, axes),
        line = rows$line[at],
        family = rows$family[at],
        value = rows$value[at],
        score = takes[[name]]
      )
    })
  )
  floors <- new_table(axis = factor(axes, axes), floor = verdict$brief$floors[axes])
  ggplot2::ggplot(
    long[!is.na(long$mean), ],
    ggplot2::aes(
      .data$value,
      .data$mean,
      colour = .data$line,
      fill = .data$line,
      linetype = .data$line
    )
  ) +
    ggplot2::geom_hline(
      ggplot2::aes(yintercept = .data$floor),
      floors[!is.na(floors$floor), ],
      linetype = "dashed",
      colour = "#888888"
    ) +
    ggplot2::geom_ribbon(
      ggplot2::aes(ymin = .data$low, ymax = .data$high),
      long[!is.na(long$low), ],
      alpha = 0.16,
      colour = NA,
      show.legend = FALSE
    ) +
    ggplot2::geom_point(
      ggplot2::aes(y = .data$score),
      points[!is.na(points$score), ],
      alpha = 0.25,
      size = 1.2,
      show.legend = FALSE
    ) +
    ggplot2::geom_line(linewidth = 1) +
    ggplot2::geom_point(size = 2.6) +
    ggplot2::facet_wrap("axis", nrow = 1) +
    ggplot2::coord_cartesian(ylim = c(min(0, long$low, na.rm = TRUE), 1.02)) +
    ggplot2::labs(
      title = paste("The scores along", vary),
      x = axis_title(vary),
      y = "score",
      subtitle = paste0(
        "Means with 90 % intervals, every take as a faint point; grey and dashed: the brief's floor"
      )
    ) +
    looks_of_lines(rows$line, rows$family, verdict$recipes)
}

axis_title <- function(vary) {
  if (vary == "hold") "hold: 0 lets the reference go, 1 keeps it" else vary
}

# Named inside aes() only; importing it would load rlang at every start.
utils::globalVariables(".data")

#' Draw engines at equal structure
#'
#' @param match The result of [match_engines()].
#' @return A ggplot: adherence and style of each sweep against the structure that it
#'   keeps, with 90 % bands, and a line where they are compared.
#' @family figures, sheets and reports
#' @export
#' @examples
#' folder <- file.path(tempdir(), "match-figure")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' two <- trial$lineup$pipelines$pipeline %in% c("yarrow", "yarrow/hold=0.2")
#' trial$lineup$pipelines <- trial$lineup$pipelines[two, ]
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

  lines <- sweep_lines(tried_recipes(match$verdict), match$vary)
  lines <- lines[lines$line %in% rows$line, ]
  ggplot2::ggplot(
    rows,
    ggplot2::aes(
      .data$level,
      .data$mean,
      colour = .data$line,
      fill = .data$line,
      linetype = .data$line
    )
  ) +
    ggplot2::geom_vline(xintercept = match$at, linetype = "dashed", colour = "#888888") +
    ggplot2::geom_ribbon(
      ggplot2::aes(ymin = .data$low, ymax = .data$high),
      rows[!is.na(rows$low), ],
      alpha = 0.16,
      colour = NA,
      show.legend = FALSE
    ) +
    ggplot2::geom_line(linewidth = 1) +
    ggplot2::facet_wrap("score", nrow = 1) +
    ggplot2::scale_x_continuous(limits = c(0, 1), breaks = seq(0, 1, 0.2)) +
    ggplot2::coord_cartesian(ylim = c(0, 1.02)) +
    ggplot2::labs(
      title = "At equal structure",
      x = "structure kept",
      y = "score",
      subtitle = paste0(
        "Each sweep, interpolated between its settings, with 90 % bands; dashed: compared at ",
        two(match$at)
      ),
      caption = paste0(
        "Bands are for each line alone. Lines share their cases, so differences are more certain ",
        "than the bands suggest."
      )
    ) +
    looks_of_lines(lines$line, lines$family, match$verdict$recipes)
}

#' @rdname draw_curve
#' @param object,... What [response_curves()] returned, for [ggplot2::autoplot()].
#' @exportS3Method ggplot2::autoplot
autoplot.sprenn_curves <- function(object, ...) draw_curve(object$verdict, object$vary)

#' @rdname draw_match
#' @param object,... The same, for [ggplot2::autoplot()].
#' @exportS3Method ggplot2::autoplot
autoplot.sprenn_match <- function(object, ...) draw_match(object)
