# What ggplot2::autoplot() draws of each class that has a figure of its own.

#' @rdname draw_tradeoff
#' @param object,... The same, for [ggplot2::autoplot()].
#' @exportS3Method ggplot2::autoplot
autoplot.sprenn_verdict <- function(object, ...) draw_tradeoff(object)

#' @rdname draw_curve
#' @param object,... What [response_curves()] returned, for [ggplot2::autoplot()].
#' @exportS3Method ggplot2::autoplot
autoplot.sprenn_curves <- function(object, ...) draw_curve(object$verdict, object$vary)

#' @rdname draw_match
#' @param object,... The same, for [ggplot2::autoplot()].
#' @exportS3Method ggplot2::autoplot
autoplot.sprenn_match <- function(object, ...) draw_match(object)

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
