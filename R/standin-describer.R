# A stand-in that describes: it says what of Brackwater stands in a picture, and
# what the sky and the light are like, from the pixels alone.

# A drafted prompt: one phrase a part.
describe_picture <- function(picture, seen) {
  if (is.null(seen$known)) {
    assign("known", known_scenes(), seen)
  }

  small <- resample_picture(picture, 64, 96)
  facts <- scene_facts(small)
  distance <- colSums((seen$known$facts - facts)^2)
  near <- seen$known$tile[order(distance)[1:5]]
  tile <- names(which.max(tabulate_words(near)))
  c(scene_phrases()[[tile]], sky_phrase(small), light_phrase(small))
}

tabulate_words <- function(words) {
  # The nearest wins a tie.
  unlist(lapply(
    split(length(words) - seq_along(words) + 10, factor(words, unique(words))),
    sum
  ))
}

scene_phrases <- function() {
  list(
    windmill = "a windmill on a hill",
    lighthouse = "a lighthouse on a headland",
    ferry = "a ferry at its landing",
    greenhouse = "a greenhouse",
    tower = "a water tower",
    kites = "a child on kite hill",
    salt = "salt works by the sea",
    mast = "a signal mast"
  )
}

known_scenes <- function() {
  grid <- expand.grid(seed = 1:14, tile = tile_names(), stringsAsFactors = FALSE)
  facts <- mapply(
    function(tile, seed) {
      scene_facts(resample_picture(draw_tile(tile, 144, 96, 5000 + seed), 64, 96))
    },
    grid$tile,
    grid$seed
  )
  list(facts = facts, tile = grid$tile)
}

# Directions of contours and colours over a coarse grid, blind to left and right,
# as a thing may face either way.
scene_facts <- function(small) {
  light <- luminance(small)
  rows <- nrow(light)
  columns <- ncol(light)
  across <- light[, c(2:columns, columns)] - light
  down <- light[c(2:rows, rows), ] - light
  strength <- sqrt(across^2 + down^2) + 1e-6
  maps <- list(
    abs(across),
    abs(down),
    abs(across * down) / strength,
    small[, , 1] - small[, , 3],
    small[, , 2] - small[, , 1]
  )
  unlist(lapply(maps, function(map) {
    coarse <- resize_plane(map, 8, 12)
    coarse <- (coarse + coarse[, 12:1])[, 1:6]
    (coarse - mean(coarse)) / (stats::sd(coarse) + 1e-6)
  }))
}

# The colour of the paint box that the sky is nearest to.
sky_phrase <- function(small) {
  sky <- apply(small[1:14, , ], 3, mean)
  box <- c(
    blue = "#7fa9cf",
    cream = "#f3e6c0",
    teal = "#2f8f92",
    grey = "#9a9a98",
    orange = "#dd8a3c",
    pink = "#e7a5b4",
    yellow = "#ecc846"
  )
  paste("a", names(which.min(colSums((grDevices::col2rgb(box) / 255 - sky)^2))), "sky")
}

light_phrase <- function(small) {
  level <- mean(luminance(small))
  if (level < 0.3) {
    "at dusk"
  } else if (level > 0.72) {
    "a bright noon"
  }
}
