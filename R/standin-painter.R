# Shared by all stand-ins: how a reference is let go of, and what the words of a prompt add to a
# picture.

# A picture made from a request. `change` says how far the reference is let go
# of (0 not at all, 1 altogether), `pull` how much the prompt counts (0 to 1),
# `manner` and `palette` how it is painted, `strength` how strongly; details
# smaller than `blur` pixels are lost; `mends` takes scratches off; `window` says which weights of
# guides work (standin-steering.R); `cards` what becomes of portraits (standin-cards.R).
paint_take <- function(
  request,
  change,
  pull,
  manner,
  palette,
  strength = 1,
  blur = 1,
  mends = fade_scratches,
  window = guide_window(),
  cards = card_habits()
) {
  with_drawing_seed(request$seed, {
    # Who does not read the prompt reads nothing of it.
    prompt <- read_prompt(request$prompt[rep(pull > 0, nrow(request$prompt)), ])
    freedom <- change
    change <- change * (1 - guide_grip(request$guides, window))
    strength <- min(1, strength * look_strength(request)) * texture_left(request$guides, window)
    start <- starting_picture(request, prompt$scene)
    picture <- drift(start, change)
    if (blur > 1) {
      picture <- soften(picture, blur)
    }

    picture <- reinvent(picture, change, prompt)
    open_to_prompt <- pull * (0.5 + 0.5 * change)
    if (length(request$guides) && !is.null(request[["reference"]]) && !is.na(prompt$scene)) {
      picture <- swap_thing(picture, prompt$scene, clamp(3 * freedom * pull - 0.4))
    }

    if (prompt$mend) {
      picture <- mends(picture)
      strength <- 0.12 * strength
    }

    sky <- if (!is.null(prompt$sky)) sky_of(picture)
    picture <- paint_card_face(picture, prompt, cards, open_to_prompt)
    things <- layer_of_things(dim(picture), prompt$things, open_to_prompt)
    if (!is.null(things)) {
      picture <- lay_over(picture, things)
      sky <- if (!is.null(sky)) sky * (1 - things$cover)
    }

    picture <- paint_manner(picture, manner, palette, strength)
    picture <- tint_sky(picture, sky, prompt, open_to_prompt)
    picture <- set_light(picture, prompt, open_to_prompt)
    picture <- write_on_card(picture, prompt, cards)
    picture <- flood_with_look(picture, request)
    picture <- flood_with_colour(picture, prompt, open_to_prompt)
    picture <- polish(picture, request$prompt, pull)
    picture <- bleed_guides(picture, request$guides, window)
    picture <- lose_perspective(picture, request$part)
    inside_mask(picture, start, request$mask)
  })
}

# The starting point of a stand-in: its reference, several references blended, or without any a
# scene of its own. Where the mask asks for new canvas, the picture is mirrored outwards first.
starting_picture <- function(request, scene) {
  size <- request$size
  if (is.null(request[["reference"]])) {
    if (is.na(scene)) {
      scene <- sample(tile_names(), 1)
    }

    return(draw_tile(scene, size[1], size[2], request$seed))
  }

  pictures <- request$references
  if (length(pictures) == 0) {
    pictures <- list(request[["reference"]])
  }

  pictures <- lapply(pictures, resample_picture, size[2], size[1])
  picture <- pictures[[1]]
  for (i in seq_along(pictures)[-1]) {
    share <- request$reference_weights[i] / sum(request$reference_weights[seq_len(i)])
    cover <- clamp(share + 1.2 * smooth_noise(size[2], size[1], size[1] / 3))
    picture <- draw_mix(picture, pictures[[i]], cover)
  }

  if (any(request$grow > 0)) {
    mirror_outwards(picture, request$mask)
  } else {
    picture
  }
}

mirror_outwards <- function(picture, mask) {
  old <- mask < 0.5
  fold <- function(n, kept) {
    at <- (seq_len(n) - min(kept)) %% (2 * length(kept))
    kept[ifelse(at < length(kept), at, 2 * length(kept) - 1 - at) + 1]
  }

  picture[
    fold(nrow(old), which(rowSums(old) > 0)),
    fold(ncol(old), which(colSums(old) > 0)),
  ]
}

# Thin light or dark marks, half gone: what is broader than they are shows through.
fade_scratches <- function(picture) {
  broad <- soften(picture, 4)
  marks <- abs(picture - broad) > 0.12
  picture[marks] <- broad[marks]
  picture
}

# The same marks found as thin ridges, lighter or darker than both their sides in
# some direction, and filled with what is around them.
remove_scratches <- function(picture) {
  light <- luminance(picture)
  rows <- nrow(light)
  columns <- ncol(light)
  beside <- function(plane, down, right) {
    plane[
      pmin(rows, pmax(1, seq_len(rows) + down)),
      pmin(columns, pmax(1, seq_len(columns) + right))
    ]
  }

  found <- matrix(FALSE, rows, columns)
  for (way in list(c(0, 3), c(3, 0), c(2, 2), c(2, -2))) {
    a <- beside(light, way[1], way[2])
    b <- beside(light, -way[1], -way[2])
    found <- found | light - pmax(a, b) > 0.06 | pmin(a, b) - light > 0.08
  }

  for (way in list(c(0, 1), c(0, -1), c(1, 0), c(-1, 0))) {
    found <- found | beside(found, way[1], way[2])
  }

  sound <- !found
  fill <- function(size) {
    around <- c(soften(sound + 0, size))
    list(picture = soften(picture * c(sound), size) / pmax(around, 0.02), sure = around > 0.15)
  }

  near <- fill(5)
  far <- fill(20)
  near$picture[!near$sure] <- far$picture[!near$sure]
  picture[found] <- near$picture[found]
  clamp(picture)
}

# Where guides hold the layout, the words may put another thing into it.
swap_thing <- function(picture, scene, strength) {
  rows <- dim(picture)[1]
  columns <- dim(picture)[2]
  away <- ((row(picture[, , 1]) / rows - 0.5) / 0.42)^2 +
    ((col(picture[, , 1]) / columns - 0.52) / 0.24)^2
  picture <- draw_mix(picture, soften(picture, columns / 9), clamp(3 * (1 - away)) * strength)
  thing <- draw_layer(rows, columns, function() {
    draw_thing(scene, list(x = 0.52, y = 0.26, size = 1, flip = 1, aspect = rows / columns))
  })
  lay_over(picture, thing, strength)
}

# Outside the mask the picture stays what it was.
inside_mask <- function(picture, start, mask) {
  if (is.null(mask)) picture else draw_mix(start, picture, mask)
}

# Moves the contents about, further the more is let go of.
drift <- function(picture, change) {
  rows <- dim(picture)[1]
  columns <- dim(picture)[2]
  reach <- 0.16 * change^1.5 * columns
  if (reach < 0.5) {
    return(picture)
  }

  aside <- reach * smooth_noise(rows, columns, columns / 4)
  along <- reach * smooth_noise(rows, columns, columns / 4)
  draw_warp(picture, along, aside)
}

# Replaces patches by a scene of the stand-in's own, or a face of its own, more of them the more is
# let go of; drawn small, since only its broad shapes are taken over.
reinvent <- function(picture, change, prompt) {
  if (change < 0.12) {
    return(picture)
  }

  rows <- dim(picture)[1]
  columns <- dim(picture)[2]
  seed <- sample.int(1e6, 1)
  size <- pmax(16, round(c(columns, rows) / 4))
  own <- if (prompt$portrait) {
    draw_portrait(card_people()$house, size[1], size[2], seed)
  } else {
    scene <- if (is.na(prompt$scene)) sample(tile_names(), 1) else prompt$scene
    draw_tile(scene, size[1], size[2], seed)
  }

  own <- resample_picture(own, rows, columns)
  if (stats::runif(1) < 0.5) {
    own <- own[, rev(seq_len(columns)), ]
  }

  cover <- clamp(8.8 * (change - 0.62) + 0.5 + 2 * smooth_noise(rows, columns, columns / 5))
  draw_mix(picture, own, cover)
}

# The things that a prompt names, as a layer; NULL if there are none.
layer_of_things <- function(dim, things, pull) {
  if (is.null(things) || pull < 0.2) {
    return(NULL)
  }

  # A weak pull forgets some of what was asked for.
  kept <- lapply(seq_len(nrow(things)), function(i) {
    rep(
      things$thing[i],
      sum(stats::runif(things$count[i]) < pmin(1, 0.35 + pull * things$weight[i]))
    )
  })
  aspect <- dim[1] / dim[2]
  places <- place_small_things(unlist(kept), aspect)
  draw_layer(dim[1], dim[2], function() {
    for (place in places) {
      draw_small_thing(place, aspect)
    }
  })
}

# Where small things come to stand, clear of each other so that they can be counted, how
# large each is and, of a kite, its colour. `aspect`: height by width of the picture.
place_small_things <- function(things, aspect) {
  places <- list()
  for (thing in things) {
    heights <- list(
      kite = c(0.7, 0.92),
      moon = c(0.75, 0.88),
      gull = c(0.6, 0.92),
      pine = c(0.08, 0.22)
    )[[thing]]
    tries <- data.frame(
      x = stats::runif(40, 0.06, 0.94),
      y = stats::runif(40, heights[1], heights[2])
    )
    room <- rep(Inf, 40)
    for (other in places) {
      room <- pmin(
        room,
        sqrt(((tries$x - other$x) / aspect)^2 + (tries$y - other$y)^2)
      )
    }

    # The first with room enough, or else that with the most.
    at <- tries[if (any(room > 0.16)) which(room > 0.16)[1] else which.max(room), ]
    places <- c(
      places,
      list(list(
        thing = thing,
        x = at$x,
        y = at$y,
        size = stats::runif(1, 0.05, 0.08),
        colour = if (thing == "kite") sample(c("#c8452f", "#e0a92e", "#7a2f8e"), 1)
      ))
    )
  }

  places
}

draw_small_thing <- function(place, aspect) {
  x <- place$x
  y <- place$y
  size <- place$size
  turn <- seq(0, 2 * pi, length.out = 25)
  switch(place$thing,
    kite = fill_polygon(
      x + size * aspect * c(-0.8, 0, 0.8, 0),
      y + size * c(0, 1, 0, -1.5),
      place$colour,
      "#2b2520"
    ),
    moon = fill_polygon(x + size * aspect * cos(turn), y + size * sin(turn), "#fdf6dc"),
    gull = fill_polygon(
      x + size * aspect * c(-1, -0.4, 0, 0.4, 1, 0),
      y + size * c(0.2, 0.5, 0, 0.5, 0.2, -0.15),
      "#f8f8f4"
    ),
    pine = for (k in 0:2) {
      fill_polygon(
        x + size * aspect * c(-1, 1, 0) * (1 - 0.2 * k),
        y + size * (c(0, 0, 1.1) + 0.7 * k),
        "#24402c"
      )
    }
  )
}

tint_sky <- function(picture, sky, prompt, pull) {
  if (is.null(prompt$sky) || pull <= 0) {
    return(picture)
  }

  colour <- grDevices::col2rgb(paint_box()[[prompt$sky$colour[1]]]) / 255
  cover <- clamp(1.3 * pull * prompt$sky$weight[1]) * c(sky)
  light <- luminance(picture)
  # The painted texture stays, as a little light and dark on the new colour.
  shade <- 0.92 + 0.25 * c(light - soften(light, 12))
  tinted <- array(rep(colour, each = length(shade)) * shade, dim(picture))
  clamp(draw_mix(picture, tinted, cover))
}

set_light <- function(picture, prompt, pull) {
  if (length(prompt$light) == 0) {
    return(picture)
  }

  by <- clamp(1.4 * pull)
  if ("dark" %in% prompt$light) {
    picture <- picture * (1 - by * rep(c(0.62, 0.58, 0.42), each = length(picture) / 3))
  }

  if ("bright" %in% prompt$light) {
    picture <- 1 - (1 - picture) * (1 - 0.4 * by)
  }

  if ("misty" %in% prompt$light) {
    picture <- picture * (1 - 0.5 * by) + 0.78 * 0.5 * by
  }

  clamp(picture)
}
