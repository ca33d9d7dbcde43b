#' Measure one picture
#'
#' Measures a take against its reference, without any trial around it.
#'
#' @param take,reference Paths of two pictures; see [read_picture()]. The take
#'   is compared in the reference's frame.
#' @param look Paths of pictures that show the look wanted, or `NULL`.
#' @param mask Path of a picture whose white part may change: structure is
#'   judged outside it. Or `NULL`.
#' @param decoys Paths of pictures that the take has nothing to do with, from
#'   which chance is taken. `NULL` uses built-in ones.
#' @param job What kind of work the take is: it says which flaws there can be.
#'   `"repair"` looks for damage that stayed, `"edit"` for leaks outside the mask.
#' @return A tibble with one number a row: `axis`, `measure`, `value` (see
#'   [list_measures()] for what 0 and 1 mean), `raw`, and for flaws `level`
#'   (`none`, `slight`, `serious`) and `place`.
#' @section Errors: `sprenn_error_picture` for a file that is no picture.
#' @export
#' @examples
#' files <- tempfile(c("a", "b"), fileext = ".png")
#' picture <- array(runif(64 * 96 * 3), c(64, 96, 3))
#' png::writePNG(picture, files[1])
#' png::writePNG(1 - picture, files[2])
#' score_picture(files[2], files[1])
score_picture <- function(
  take,
  reference,
  look = NULL,
  mask = NULL,
  decoys = NULL,
  job = "restyle"
) {
  check_arguments(
    job = checkmate::check_choice(job, jobs),
    take = checkmate::check_string(take),
    reference = checkmate::check_string(reference),
    look = checkmate::check_character(look, any.missing = FALSE, null.ok = TRUE),
    mask = checkmate::check_string(mask, null.ok = TRUE),
    decoys = checkmate::check_character(
      decoys,
      any.missing = FALSE,
      min.len = 1,
      null.ok = TRUE
    )
  )
  scores <- score_scene(scene_of_files(take, reference, look, mask, decoys, job))
  scores[c("axis", "measure", "value", "raw", "level", "place")]
}

# A take beside its reference, without any trial around them.
scene_of_files <- function(
  take,
  reference,
  look = NULL,
  mask = NULL,
  decoys = NULL,
  job = "restyle"
) {
  original <- read_picture(reference)
  frame <- dim(original)[2:1]
  decoy_pictures <- if (is.null(decoys)) draw_decoys(frame) else lapply(decoys, read_picture)
  new_scene(
    take = view_picture(read_picture(take), frame),
    reference = view_picture(original, frame, "reference"),
    look = lapply(look, function(path) look_facts(view_picture(read_picture(path)))),
    decoys = lapply(decoy_pictures, view_picture, frame = frame, part = "decoy"),
    mask = if (!is.null(mask)) {
      resize_map(rowMeans(read_picture(mask), dims = 2), view_size(frame))
    },
    job = job,
    frame = frame
  )
}
