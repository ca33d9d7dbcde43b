#' Stand-in engines
#'
#' Simulated engines for trying Sprenn without any real one. They take what a
#' real engine takes, read the reference's pixels, and draw. Each has a
#' character, so that there is something to find out.
#'
#' `yarrow` is local, free and repeatable. Its own knob runs from 0 to 1 and a
#' higher value *changes* more. It needs sizes in multiples of 64 and wrecks
#' others. Checkpoint `tide` paints evenly; `ember` turns too hard in colour
#' when guidance goes above 10. The add-on `grain` gives the tooth of a rough
#' paper.
#'
#' `bracken` stands in for a hosted service with a price, a queue and a slow first
#' call. Its own knob runs from 1 to 100 and a higher value *keeps* more: hardly
#' anything happens up to 55, then the reference takes over within a few steps.
#' Above 80 it ignores the prompt. It also describes pictures, for
#' [draft_prompts()]: of drawings of Brackwater that it has not seen, 19 in 20 are
#' called by their right name.
#'
#' `quince` is fast and cheap. It loses small details, sometimes mirrors, does not
#' quite repeat a seed, paints beyond a mask's edge, and takes a look strongly.
#'
#' `teasel` is a refiner for second steps: it sharpens what is there at a hold
#' above 0.75, and makes things up below.
#'
#' `sorrel` holds early and takes depth guides. Its content filter refuses smoke,
#' and one file in fifty breaks off.
#'
#' @return An [engine()] in this process; [start_standins()] runs them as servers.
#' @export
#' @examples
#' standin_yarrow()
standin_yarrow <- function() {
  seen <- new.env()
  engine(
    about = list(
      name = "yarrow",
      version = "1",
      checkpoints = list(tide = list(multiple_of = 64), ember = list(multiple_of = 64)),
      settings = list(guidance = c(1, 20), steps = c(1, 60)),
      hold = c(at_0 = 1, at_1 = 0),
      add_ons = "grain",
      takes = c(
        "look", "mask", "references", "text_alone", "negative", "edges", "soft_edges", "areas"
      ),
      repeatable = TRUE,
      price = 0,
      seconds = 0.3
    ),
    make = function(request) take_result(yarrow_picture(request, seen), cost = 0)
  )
}

yarrow_picture <- function(request, seen) {
  guidance <- request$settings$guidance %||% 7
  change <- request$native_hold^1.2
  style <- manner_of(request, own = "gouache", seen)
  picture <- paint_take(
    request,
    change,
    pull = min(1, guidance / 9),
    style$manner,
    style$palette,
    strength = 0.55 + 0.35 * change,
    mends = remove_scratches
  )
  if (request$checkpoint == "ember") {
    picture <- clamp(0.5 + (picture - 0.5) * (1.12 + 0.12 * max(0, guidance - 10)))
  }

  grain <- request$add_ons$grain %||% 0
  if (grain != 0) {
    picture <- inside_mask(add_grain(picture, grain, request$seed), picture, request$mask)
  }

  if (any(request$size %% 64 != 0)) {
    picture <- wreck(picture)
  }

  picture
}

# The add-on: the tooth of a rough paper.
add_grain <- function(picture, weight, seed) {
  tooth <- with_drawing_seed(seed, smooth_noise(dim(picture)[1], dim(picture)[2], 2))
  clamp(picture + 0.12 * weight * c(tooth))
}

# A size that the checkpoint was not made for: everything comes twice.
wreck <- function(picture) {
  half <- picture[, seq(1, dim(picture)[2], by = 2), ]
  array(
    c(
      cbind(half[, , 1], half[, , 1]),
      cbind(half[, , 2], half[, , 2]),
      cbind(half[, , 3], half[, , 3])
    )[seq_along(picture)],
    dim(picture)
  )
}
