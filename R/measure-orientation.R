measure_orientation <- function() {
  new_measure(
    "orientation", "structure",
    range = "0 chance, 1 the same layout", better = "higher",
    sees = "where contours run and which way they point",
    blind_to = "contrast and its sign, colours, texture finer than about 2 px in 384",
    source = "structure tensor of OKLab (Bigun and Granlund 1987), locally normalised",
    needs_reference = TRUE,
    compute = function(scene) {
      raw <- orientation_agreement(scene$take, scene$reference, scene$mask)
      new_scores(rescale_from_chance(raw, scene$chance), raw)
    }
  )
}

# Weighted cosine of two orientation fields, mean over the scales. The mask's
# white part (1) may change, so it doesn't count.
orientation_agreement <- function(a, b, mask = NULL) {
  mean(mapply(field_cosine, a$orientation, b$orientation, MoreArgs = list(mask = mask)))
}

field_cosine <- function(a, b, mask = NULL) {
  weight <- if (!is.null(mask)) 1 - resample_mask(mask, dim(a$cosine))
  core_field_cosine(a$cosine, a$sine, b$cosine, b$sine, weight)
}

# In a mirrored picture contours change sides, and sin 2t its sign.
mirror_orientation <- function(view) {
  flip <- function(m) m[, rev(seq_len(ncol(m))), drop = FALSE]
  view$orientation <- lapply(view$orientation, function(field) {
    list(cosine = flip(field$cosine), sine = -flip(field$sine))
  })
  view
}

rescale_from_chance <- function(raw, chance) {
  (raw - chance) / (1 - pmin(chance, 0.99))
}

resample_mask <- function(mask, dim) {
  core_resize_mask(array(mask, c(dim(mask)[1:2], 3)), dim[2], dim[1])[, , 1]
}
