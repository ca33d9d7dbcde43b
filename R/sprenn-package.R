#' Sprenn: choose between picture-making pipelines on evidence
#'
#' A trial is a folder with three files: a *suite* (the fixed cases and seeds),
#' a *lineup* (the pipelines to choose between) and a *brief* (what the choice
#' is for). [run_trial()] makes every picture once, [score_run()] measures them,
#' and [choose_pipeline()] says which pipeline to use and how sure that is.
#' [make_demo()] does all of it on made-up data.
#'
#' @keywords internal
#' @useDynLib sprenn, .registration = TRUE
#' @importFrom R6 R6Class
#' @importFrom Rcpp evalCpp
"_PACKAGE"
