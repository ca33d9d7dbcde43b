measure_patch <- function() {
  new_measure(
    "patch",
    "flaws",
    range = paste0(
      "1 as detailed as its surroundings, 0.5 plainly flat, smeared, soft or noisy, 0 nothing ",
      "there"
    ),
    better = "higher",
    sees = paste0(
      "that what was filled in does not belong: flat, smeared, blurred, noise, or in a far ",
      "busier manner"
    ),
    blind_to = "what it shows, its colours",
    source = paste0(
      "detail just inside the mask's edge against that just outside, and against the next ",
      "octave's"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      take <- scene$take$handle
      mask <- if (scene$job == "edit") mask_inside(scene)
      list(
        if (!is.null(scene$added)) patch_of_canvas(core_fill(take, scene$added)),
        if (!is.null(mask)) {
          change <- core_change_inside(take, scene$reference$handle, mask)
          patch_of_edit(core_fill(take, mask), change)
        }
      )
    }
  )
}

# A canvas that was grown goes on as it was.
patch_of_canvas <- function(fill) {
  patch_score(
    fill,
    c(
      flat = fill[["detail"]] / least_detail,
      soft = fill[["noise"]] / softest,
      busier = far_more_detail / fill[["detail"]]
    )
  )
}

# What was put in by an edit may be smoother than what lies around it.
patch_of_edit <- function(fill, change) {
  both <- max(fill[["detail"]] / least_detail_of_edits, fill[["noise"]] / softest_of_edits)
  patch_score(fill, c(flat = change[["spread"]] / flattest, soft = both))
}

patch_score <- function(fill, found) {
  noisy <- max(most_detail / fill[["detail"]], noisiest / fill[["noise"]])
  found <- c(found, noisy = noisy)
  worst <- found[which.min(found)]
  flaw_score(min(1, worst / 2), 0.6, 0.5, place = names(worst), raw = fill[["detail"]])
}

# Beyond these a fill is told from what a photograph itself has on both sides of a line: of
# the `fit` half of bench/natural.R, two in a hundred lie half way towards them.
least_detail <- 0.55
least_detail_of_edits <- 0.625
most_detail <- 2
far_more_detail <- 3
softest <- 0.64
softest_of_edits <- 0.74
noisiest <- 1.65
flattest <- 0.035
