measure_banding <- function() {
  new_measure(
    "banding",
    "flaws",
    range = "how many of 256 tones a channel really has: about 100 a photograph, 8 eight levels",
    better = "higher",
    sees = "tones in few steps where the reference has many",
    blind_to = "steps that were smoothed or compressed over; few tones that the look has too",
    source = "exponential of the entropy of each channel's tones",
    cost = "none",
    compute = function(scene) {
      tones <- scene$take$tones
      # Of a reference with few tones as few are no flaw, nor in a look that has few itself.
      few_before <- !is.null(scene$reference) && tones > 0.6 * scene$reference$tones
      few_in_look <- any(vapply(scene$look, `[[`, 0, "tones") < 1.5 * most_of_few)
      excused <- few_before || few_in_look
      level <- if (excused) "none" else flaw_score(tones, most_of_few, 20)$level
      new_scores(tones, tones, level, if (level == "none") NA_character_ else "whole")
    }
  )
}

# Below this many tones are few. A faint fog has as few in all, so that a reference excuses.
most_of_few <- 45
