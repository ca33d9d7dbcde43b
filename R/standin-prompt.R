# What the words of a prompt ask the stand-ins for.

# What the words of a prompt mean to the stand-ins.
read_prompt <- function(phrases) {
  say <- tolower(phrases$say)
  all <- paste(say, collapse = ", ")
  # What is named first is what the picture is of.
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
    mend = grepl("mend|clean|without scratches|restored", all)
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
  c(dark = "night|dusk|moonlit", bright = "noon|sunny|bright", misty = "mist|fog")
}

# The manner and the palette that a request asks for: its look's, or the
# checkpoint's own. Looks are read once and remembered in `seen`.
manner_of <- function(request, own, seen) {
  if (length(request$looks) == 0) {
    return(list(manner = own, palette = home_palette(own)))
  }

  key <- paste(
    format(vapply(request$looks, sum, 0), digits = 15),
    lengths(request$looks),
    collapse = " "
  )
  if (is.null(seen[[key]])) {
    assign(
      key,
      list(manner = read_manner(request$looks), palette = read_palette(request$looks)),
      seen
    )
  }

  seen[[key]]
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
