#' Draw the sensitivity to the weights
#'
#' All weightings of the brief's axes, coloured by the pipeline that would lead: a triangle for
#' three axes, a bar for two. The brief's weights are marked, and so are the nearest weights that
#' change the choice.
#'
#' @param verdict The result of [choose_pipeline()].
#' @return A ggplot.
#' @section Errors: `sprenn_error_run` if the brief weights only one axis, or nothing was made.
#' @family figures, sheets and reports
#' @export
#' @examples
#' folder <- file.path(tempdir(), "weights-figure")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1:2, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' draw_weights(choose_pipeline(trial))
#' unlink(folder, recursive = TRUE)
draw_weights <- function(verdict) {
  check_arguments(verdict = checkmate::check_class(verdict, "sprenn_verdict"))
  stop_if_nothing_made(verdict)
  weighed <- names(verdict$brief$weights)[verdict$brief$weights > 0]
  if (length(weighed) == 1) {
    stop_sprenn(
      "run",
      c(
        "There are no other weights to draw: the brief weighs one axis only.",
        i = "Give several axes weight in brief.yml."
      )
    )
  }

  map <- verdict$weightings
  corners <- weight_corners(length(weighed))
  place <- function(weights) {
    stats::setNames(as.data.frame(as.matrix(weights) %*% corners), c("x", "y"))
  }

  at <- place(map[weighed])
  cells <- weight_cells(at, map$winner, length(weighed))
  shades <- winner_shades(verdict, unique(map$winner))
  middles <- do.call(
    rbind,
    lapply(split(cbind(at, winner = map$winner), map$winner), middle_cell)
  )
  own <- place(t(verdict$brief$weights[weighed] / sum(verdict$brief$weights[weighed])))
  flip <- place(utils::head(verdict$flips[weighed], 1))
  beside <- data.frame(corners, label = paste0("all ", weighed), below = corners[, 2] <= 0)
  names(beside)[1:2] <- c("x", "y")
  ggplot2::ggplot(cells, ggplot2::aes(.data$x, .data$y)) +
    ggplot2::geom_polygon(ggplot2::aes(group = .data$cell, fill = .data$winner)) +
    ggplot2::geom_label(
      ggplot2::aes(label = .data$winner),
      middles,
      size = 3.7,
      colour = "#222222",
      fill = "white",
      alpha = 0.85,
      label.size = 0
    ) +
    (if (nrow(flip)) {
      ggplot2::geom_segment(
        ggplot2::aes(xend = flip$x, yend = flip$y),
        own,
        colour = "black",
        arrow = ggplot2::arrow(length = ggplot2::unit(8, "pt"))
      )
    }) +
    ggplot2::geom_point(
      data = own,
      shape = 21,
      size = 4,
      fill = "white",
      colour = "black",
      stroke = 1.2
    ) +
    ggplot2::geom_text(
      ggplot2::aes(y = .data$y + ifelse(.data$below, -1, 1) * 0.075, label = .data$label),
      beside,
      size = 4,
      colour = "#444444"
    ) +
    ggplot2::scale_fill_manual(values = shades, guide = "none") +
    ggplot2::coord_equal(clip = "off") +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(0.2)) +
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(c(0.08, 0.06))) +
    ggplot2::labs(
      title = "Sensitivity to the weights",
      x = NULL,
      y = NULL,
      subtitle = paste0(
        "Circle: the brief's weights",
        if (nrow(flip)) "; arrow: the nearest weights that change the choice", "\n",
        shorten_list(winner_shares(map$winner))
      )
    ) +
    theme_sprenn() +
    ggplot2::theme(
      panel.grid.major = ggplot2::element_blank(),
      axis.text = ggplot2::element_blank()
    )
}

# Where all weight is on one axis: the corners of a triangle, or the ends of a bar.
weight_corners <- function(n) {
  if (n == 3) {
    cbind(c(0, 1, 0.5), c(0, 0, sqrt(3) / 2))
  } else {
    cbind(c(0, 1), c(0, 0))
  }
}

# The outline of each cell of the map.
weight_cells <- function(at, winner, n) {
  step <- min(stats::dist(at))
  shape <- if (n == 3) {
    turn <- seq(pi / 6, by = pi / 3, length.out = 6)
    data.frame(x = cos(turn), y = sin(turn)) * step / sqrt(3) * 1.02
  } else {
    data.frame(x = c(-0.51, 0.51, 0.51, -0.51) * step, y = c(-0.06, -0.06, 0.06, 0.06))
  }
  which <- rep(seq_len(nrow(at)), each = nrow(shape))
  data.frame(
    x = at$x[which] + shape$x,
    y = at$y[which] + shape$y,
    cell = which,
    winner = winner[which]
  )
}

# The cell of a region that is nearest to its middle: a region need not be convex.
middle_cell <- function(own) {
  own[which.min((own$x - mean(own$x))^2 + (own$y - mean(own$y))^2), ]
}

# A family's colour for each winner; of one family several differ in lightness.
winner_shades <- function(verdict, winners) {
  family <- family_of(verdict$recipes)[match(winners, verdict$recipes$pipeline)]
  rank <- stats::ave(seq_along(winners), family, FUN = seq_along)
  several <- stats::ave(rank, family, FUN = max)
  stats::setNames(
    mix_with_white(
      family_colours(verdict$recipes)[family],
      0.8 - 0.5 * (rank - 1) / pmax(1, several - 1) * (several > 1)
    ),
    winners
  )
}

winner_shares <- function(winner) {
  shares <- sort(table(winner) / length(winner), decreasing = TRUE)
  paste(names(shares), percent(as.numeric(shares)))
}
