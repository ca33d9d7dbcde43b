measure_local_damage <- function() {
  new_measure(
    "local_damage",
    "flaws",
    range = "0 alike all over, 0.85 and more one part has lost what the rest has kept",
    better = "lower",
    sees = paste0(
      "a part that departs from the reference more than the rest: melted, swirled, written over, ",
      "doubled, blurred"
    ),
    blind_to = paste(
      "whether a prompt asked for it; what is wrong all over; parts without contours;",
      "the further the manner has moved, the less it sees"
    ),
    source = paste0(
      "contours and sharpness of the worst part against the usual one, parts a ninth of the long ",
      "edge"
    ),
    cost = "low",
    needs = "reference",
    compute = function(scene) {
      # A worn reference has contours that a repair must lose; other jobs change parts on purpose.
      if (scene$job != "restyle") {
        return(NULL)
      }

      found <- core_worst_part(scene$settled, scene$reference$handle)
      # Another manner keeps some parts better than others by itself.
      moved <- style_distance(scene$take$style, scene$reference$style) / style_space$between
      contours <- found$drop - uneven_contours[1] - uneven_contours[2] * moved
      sharpness <- (found$uneven - uneven_sharpness[1] - uneven_sharpness[2] * moved) / 4
      reach <- 1 / 18
      place <- say_box(
        pmin(
          1,
          pmax(0, c(found$x - reach, found$y - reach, found$x + reach, found$y + reach))
        )
      )
      if (sharpness > contours) {
        place <- "sharp in some parts, soft in others"
      }

      # A prompt may have asked for another sky, and in another manner nobody can be sure.
      serious <- if (moved < near_manner) plainly_damaged else Inf
      flaw_score(max(0, contours, sharpness), 0.3, serious, place = place, raw = found$drop)
    }
  )
}

# What clean takes have at most in nine of ten, in the reference's manner and for each
# typical distance between looks that they moved (the `fit` half of bench/natural.R).
uneven_contours <- c(0.06, 0.5)
uneven_sharpness <- c(0.5, 1.2)
near_manner <- 0.35

# No clean take of the `fit` half of bench/natural.R has as much, nor do the demo's scenes
# whose skies are repainted; only a look that swirls parts itself does.
plainly_damaged <- 0.85
