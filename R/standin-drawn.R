# Drawn pictures of which everything is known: what the stand-in judges are fitted to, and
# held against.

# A picture, by its seed: `picture`, and the truth: `tile`, `small` (thing, x, y from the
# top), `sky` (a colour, or NA where it was left alone), `light` (plain or a word of light),
# `manner` (NA for none), `marks` (which of scratches, lettering, frame). What is given in
# `wanted` is not left to chance.
drawn_example <- function(seed, wanted = list(), width = 288, height = 192) {
  with_drawing_seed(seed, {
    chosen <- example_choices(wanted)
    picture <- example_ground(chosen, seed, width, height)
    places <- example_places(chosen, wanted$place, height / width)
    picture <- drift(picture, chosen$change)
    sky_map <- sky_of(picture)
    if (length(places)) {
      layer <- draw_layer(height, width, function() {
        for (place in places) {
          draw_small_thing(place, height / width)
        }
      })
      picture <- lay_over(picture, layer)
      sky_map <- sky_map * (1 - layer$cover)
    }

    picture <- clamp(finish_example(picture, chosen, sky_map))
    small <- do.call(
      rbind,
      lapply(places, function(place) {
        data.frame(thing = place$thing, x = place$x, y = 1 - place$y)
      })
    )
    c(
      list(picture = picture, small = small),
      chosen[c("tile", "sky", "light", "manner", "marks")]
    )
  })
}

# What is on a picture, drawn by lot where it is not wanted. The order of the draws is part of
# what a seed means.
example_choices <- function(wanted) {
  chance <- function(name, code) if (name %in% names(wanted)) wanted[[name]] else code
  tile <- chance("tile", sample(tile_names(), 1))
  manner <- chance("manner", sample(c(NA, look_names(), NA), 1))
  sky <- chance(
    "sky",
    if (stats::runif(1) < 0.55) sample(names(paint_box()), 1) else NA_character_
  )
  light <- chance("light", sample(c("plain", "plain", names(light_words())), 1))
  marks <- chance(
    "marks",
    c("scratches", "lettering", "frame")[stats::runif(3) < c(0.15, 0.12, 0.12)]
  )
  things <- chance(
    "things",
    unlist(lapply(small_things, function(thing) {
      rep(thing, if (stats::runif(1) < 0.35) sample(1:5, 1) else 0)
    }))
  )
  change <- chance("change", stats::runif(1, 0, 0.4))
  strength <- chance("strength", stats::runif(1, 0.6, 1))
  list(
    tile = tile,
    manner = manner,
    sky = sky,
    light = light,
    marks = marks,
    things = things,
    change = change,
    # Painted over, scratches are gone.
    strength = if ("scratches" %in% marks) 0.25 * strength else strength,
    tall = chance("tall", FALSE)
  )
}

# The tile with its marks; cut out of a tall picture, as references are that are fitted, where
# that is wanted.
example_ground <- function(chosen, seed, width, height) {
  tall <- chosen$tall
  drawn <- if (tall) round(2.25 * height) else height
  picture <- draw_tile(chosen$tile, width, drawn, seed + 100000)
  if (tall) {
    above <- round(stats::runif(1, 0.15, 0.4) * nrow(picture))
    picture <- picture[above + seq_len(height), , ]
  }

  if ("lettering" %in% chosen$marks) {
    picture <- add_lettering(picture)
  }

  if ("scratches" %in% chosen$marks) wear(picture, seed + 7) else picture
}

example_places <- function(chosen, wanted, aspect) {
  places <- place_small_things(chosen$things, aspect)
  if (!is.null(wanted)) {
    third <- match(wanted, c("left", "middle", "right"))
    for (i in seq_along(places)) {
      places[[i]]$x <- (third - 1 + stats::runif(1, 0.25, 0.75)) / 3
    }
  }

  places
}

# Manner, sky, light and frame, in this order.
finish_example <- function(picture, chosen, sky_map) {
  if (!is.na(chosen$manner)) {
    palette <- home_palette(chosen$manner)
    picture <- paint_manner(picture, chosen$manner, palette, chosen$strength)
  }

  if (!is.na(chosen$sky)) {
    picture <- tint_sky(
      picture,
      sky_map,
      list(sky = data.frame(colour = chosen$sky, weight = 1)),
      stats::runif(1, 0.6, 1)
    )
  }

  if (chosen$light != "plain") {
    picture <- set_light(picture, list(light = chosen$light), stats::runif(1, 0.6, 1))
  }

  if ("frame" %in% chosen$marks) add_frame(picture) else picture
}

add_frame <- function(picture) {
  rows <- dim(picture)[1]
  columns <- dim(picture)[2]
  wide <- round(rows * stats::runif(1, 0.03, 0.06))
  colour <- grDevices::hcl(
    stats::runif(1, 0, 360),
    stats::runif(1, 0, 40),
    sample(c(15, 92), 1)
  )
  inside <- outer(
    seq_len(rows) > wide & seq_len(rows) <= rows - wide,
    seq_len(columns) > wide & seq_len(columns) <= columns - wide
  )
  framed <- array(rep(grDevices::col2rgb(colour) / 255, each = rows * columns), dim(picture))
  draw_mix(framed, picture, inside + 0)
}

# The large kites of the tile of kite hill are kites too; where they fly follows from how
# the tile is drawn, so a judge of it is not asked to count them.
counts_kites <- function(example) example$tile != "kites"
