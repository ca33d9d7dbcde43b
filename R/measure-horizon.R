measure_horizon <- function() {
  new_measure(
    "horizon", "structure",
    range = "1 where it was, 0 a tenth of the height away, tilted by 10 degrees, or gone", better = "higher",
    sees = "the height and tilt of the longest nearly level line",
    blind_to = "pictures without one, other lines",
    source = "the strongest such line of the reference, sought in the take",
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      before <- scene$reference$level
      if (nrow(before) == 0 || before[1, "length"] < 0.35) {
        return(NULL)
      }
      before <- before[1, ]
      now <- scene$take$level
      far <- abs(now[, "height"] - before[["height"]]) / 0.1 + abs(now[, "tilt"] - before[["tilt"]]) / 10
      far[now[, "length"] < 0.3 * before[["length"]]] <- Inf
      off <- min(far, Inf)
      place <- if (is.finite(off)) {
        at <- now[which.min(far), ]
        sprintf("%.0f %% of the height, tilted %.0f degrees", 100 * at[["height"]], at[["tilt"]])
      }
      new_scores(max(0, 1 - off), if (is.finite(off)) off else NA_real_, place = place)
    }
  )
}
