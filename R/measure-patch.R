measure_patch <- function() {
  new_measure(
    "patch", "flaws",
    range = "1 as detailed as its surroundings, 0.5 plainly flat, smeared, soft or noisy, 0 nothing there", better = "higher",
    sees = "that what was filled in does not belong: flat, smeared, blurred, noise, or in a far busier manner",
    blind_to = "what it shows, its colours",
    source = "detail just inside the mask's edge against that just outside, and against the next octave's",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      grown <- !is.null(scene$added)
      if (!grown && (is.null(scene$mask) || scene$job != "edit")) {
        return(NULL)
      }
      found <- core_fill(scene$take$handle, if (grown) scene$added else scene$mask)
      # What was put in by an edit may be smoother than what lies around it; a canvas that
      # was grown goes on as it was.
      quiet <- if (grown) {
        c(
          flat = found[["detail"]] / least_detail, soft = found[["noise"]] / softest,
          busier = far_more_detail / found[["detail"]]
        )
      } else {
        change <- core_change_inside(scene$take$handle, scene$reference$handle, scene$mask)
        both <- max(found[["detail"]] / least_detail_of_edits, found[["noise"]] / softest_of_edits)
        c(flat = change[["spread"]] / flattest, soft = both)
      }
      loud <- c(noisy = max(most_detail / found[["detail"]], noisiest / found[["noise"]]))
      worst <- c(quiet, loud)[which.min(c(quiet, loud))]
      flaw_score(min(1, worst / 2), 0.6, 0.5, place = names(worst), raw = found[["detail"]])
    }
  )
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
