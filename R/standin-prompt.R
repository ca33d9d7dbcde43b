# How the stand-ins read the words of a prompt.

# The meaning of the words of a prompt to the stand-ins.
read_prompt <- function(phrases) {
  say <- tolower(phrases$say)
  all <- paste(say, collapse = ", ")
  # The scene that is named first is the subject.
  found <- vapply(scene_words(), function(words) as.numeric(regexpr(words, all)), 0)
  things <- do.call(
    rbind,
    lapply(seq_along(say), function(i) things_in(say[i], phrases$weight[i]))
  )
  colours <- do.call(
    rbind,
    lapply(seq_along(say), function(i) {
      colour <- names(paint_box())[vapply(
        names(paint_box()),
        grepl,
        logical(1),
        x = say[i],
        fixed = TRUE
      )]
      if (length(colour) == 0 || !grepl("sky", say[i])) {
        return(NULL)
      }

      data.frame(colour = colour[1], weight = phrases$weight[i])
    })
  )
  light <- names(light_words())[vapply(light_words(), grepl, logical(1), x = all)]
  list(
    scene = if (any(found > 0)) {
      names(which.min(ifelse(found > 0, found, Inf)))
    } else {
      NA_character_
    },
    things = things,
    sky = colours,
    light = light,
    mend = grepl("mend|clean|without scratches|restored", all),
    portrait = grepl("portrait", all),
    smile = grepl("\\bsmil", all) && !grepl("\\b(no|not|without)( a)? smil", all)
  )
}

scene_words <- function() {
  c(
    windmill = "mill",
    lighthouse = "lighthouse",
    ferry = "ferry|landing|jetty",
    greenhouse = "greenhouse|glasshouse",
    tower = "water tower|tank",
    kites = "kite hill|child",
    salt = "salt",
    mast = "mast|signal"
  )
}

light_words <- function() {
  c(dark = "night|dusk|moonlit", bright = "noon|sunny|bright", misty = "\\bmist(y|s)?\\b|fog")
}

# The manner and the palette that a request asks for: its look's, or the
# checkpoint's own. Looks are read once.
manner_of <- function(request, own, memory) {
  if (length(request$looks) == 0) {
    return(list(manner = own, palette = home_palette(own)))
  }

  key <- paste(
    format(vapply(request$looks, sum, 0), digits = 15),
    lengths(request$looks),
    collapse = " "
  )
  if (is.null(memory$looks[[key]])) {
    memory$looks[[key]] <- list(
      manner = read_manner(request$looks),
      palette = read_palette(request$looks)
    )
  }

  memory$looks[[key]]
}

things_in <- function(say, weight) {
  words <- c(
    kite = "\\bkites?\\b",
    moon = "\\bmoons?\\b",
    gull = "\\bgulls?\\b|\\bbirds?\\b",
    pine = "\\bpines?\\b"
  )
  counts <- c(two = 2, three = 3, four = 4, five = 5, some = 4, many = 6)
  present <- names(words)[vapply(words, grepl, logical(1), x = say)]
  if (length(present) == 0) {
    return(NULL)
  }

  counted <- vapply(
    names(counts),
    function(word) grepl(paste0("\\b", word, "\\b"), say),
    logical(1)
  )
  data.frame(
    thing = present,
    weight = weight,
    count = if (any(counted)) counts[counted][[1]] else 1
  )
}

# The light upper part of a picture, 0 to 1.
sky_of <- function(picture) {
  rows <- dim(picture)[1]
  height <- clamp(1.25 - 2.1 * (row(picture[, , 1]) - 1) / rows)
  blue <- clamp(0.4 + 4 * (picture[, , 3] - picture[, , 1] + 0.1))
  clamp(2 * soften(height * blue, 6) - 0.2)
}

# A stand-in that describes: it says what of Brackwater stands in a picture, and
# what the sky and the light are like, from the pixels alone.

# A drafted prompt: one phrase a part.
describe_picture <- function(picture, memory) {
  memory$scenes <- memory$scenes %||% known_scenes()

  small <- resample_picture(picture, 64, 96)
  facts <- scene_facts(small)
  distance <- colSums((memory$scenes$facts - facts)^2)
  near <- memory$scenes$tile[order(distance)[1:5]]
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

# The content of a picture, drawn at random where it is not given. The order of the draws is part
# of the meaning of a seed.
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
