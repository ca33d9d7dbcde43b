# How stand-ins react to what pipelines turn: guides, the weight of a look, emphasis, words of
# praise. Each has a window that works, and something that goes wrong beyond it.

# Weights of a guide: below `nothing` it does nothing, from `all` on it holds all it can, and above
# `bleeds` its lines come through. For a stand-in without windows of its own, the usual ones.
guide_window <- function(nothing = 0.3, all = 0.9, bleeds = 1.2) {
  list(nothing = nothing, all = all, bleeds = bleeds)
}

# The share of the layout that a kind of guide can hold.
guide_reach <- c(edges = 0.6, depth = 0.55, pose = 0.5, soft_edges = 0.5, areas = 0.4)

# A layout is settled in the first part of the process; a guide that lets go then has held it.
settled_at <- 0.4

# How firmly guides hold the layout, 0 to 1.
guide_grip <- function(guides, window) {
  grip <- vapply(
    names(guides),
    function(kind) {
      guide <- guides[[kind]]
      pull <- clamp((guide$weight - window$nothing) / (window$all - window$nothing))
      guide_reach[[kind]] * pull * min(1, guide$release / settled_at)
    },
    0
  )
  # What one does not hold, another may.
  1 - prod(1 - grip)
}

# A guide that holds on to the end leaves less room for the manner's texture.
texture_left <- function(guides, window) {
  late <- vapply(
    guides,
    function(guide) {
      pull <- clamp((guide$weight - window$nothing) / (window$all - window$nothing))
      pull * clamp((guide$release - settled_at) / (1 - settled_at))
    },
    0
  )
  1 - 0.45 * max(0, late)
}

# The lines of a guide that is too heavy, dark in the picture.
bleed_guides <- function(picture, guides, window) {
  for (guide in guides) {
    share <- clamp((guide$weight - window$bleeds) / 0.6)
    if (share > 0 && !is.null(guide$picture)) {
      lines <- resample_picture(guide$picture, dim(picture)[1], dim(picture)[2])
      picture <- picture * (1 - 0.75 * share * clamp(lines))
    }
  }

  picture
}

# The weight of a look: its manner comes with it, and above `look_floods` its pictures' contents
# come along.
look_floods <- 1.3

look_strength <- function(request) {
  if (length(request$looks) == 0) 1 else min(1.15, (request$look_weight %||% 1)^0.8)
}

flood_with_look <- function(picture, request) {
  weight <- if (length(request$looks)) request$look_weight %||% 1 else 0
  share <- 0.6 * clamp((weight - look_floods) / 0.7)
  if (share == 0) {
    return(picture)
  }

  look <- resample_picture(request$looks[[1]], dim(picture)[1], dim(picture)[2])
  cover <- matrix(share, dim(picture)[1], dim(picture)[2])
  draw_mix(picture, soften(look, 3), c(cover))
}

# A colour that is stressed too much spreads from the sky over all of the picture.
colour_floods <- 1.7

flood_with_colour <- function(picture, prompt, pull) {
  weight <- if (is.null(prompt$sky)) 0 else prompt$sky$weight[1]
  share <- 0.7 * clamp(pull) * clamp((weight - colour_floods) / 1.3)
  if (share == 0) {
    return(picture)
  }

  colour <- grDevices::col2rgb(paint_box()[[prompt$sky$colour[1]]]) / 255
  flat <- array(rep(colour, each = length(picture) / 3), dim(picture))
  draw_mix(picture, flat * (0.6 + 0.4 * c(luminance(picture))), rep(share, length(picture) / 3))
}

# Who sees only a part does not know which way the lines of the whole run: what it paints leans.
lean_of_parts <- 0.18

lose_perspective <- function(picture, part) {
  if (is.null(part)) {
    return(picture)
  }

  rows <- dim(picture)[1]
  columns <- dim(picture)[2]
  lean <- lean_of_parts * sample(c(-1, 1), 1)
  down <- round(lean * (seq_len(columns) - columns / 2))
  for (column in seq_len(columns)) {
    at <- pmin(rows, pmax(1, seq_len(rows) - down[column]))
    picture[, column, ] <- picture[at, column, ]
  }

  picture
}

# An enlarged picture: contours become crisper and surfaces get a texture of their own, and where
# much may change, strokes appear that nobody has seen before.
enlarge_painted <- function(picture, times, change, seed) {
  if (times == 1) {
    return(picture)
  }

  rows <- dim(picture)[1] * times
  columns <- dim(picture)[2] * times
  big <- resample_picture(picture, rows, columns)
  crisp <- big - soften(big, times)
  rich <- soften(abs(crisp), 4 * times)
  with_drawing_seed(seed, {
    grain <- stats::rnorm(rows * columns)
    big <- clamp(big + 0.8 * crisp + 3 * rich * grain)
    draw_strokes(big, round(120 * clamp((change - invents_from) / 0.5)), times)
  })
}

# The change from which an enlarged picture has things that were not there.
invents_from <- 0.3

draw_strokes <- function(picture, many, times) {
  rows <- dim(picture)[1]
  columns <- dim(picture)[2]
  mark <- matrix(FALSE, rows, columns)
  for (stroke in seq_len(many)) {
    along <- seq(0, columns / 10, by = 0.5)
    turn <- stats::runif(1, 0, 2 * pi) + along * stats::runif(1, -1, 1) * 20 / columns
    x <- stats::runif(1, 0, columns) + cumsum(cos(turn)) / 2
    y <- stats::runif(1, 0, rows) + cumsum(sin(turn)) / 2
    for (aside in seq(-times, times)) {
      at <- cbind(round(y + aside), round(x))
      at <- at[at[, 1] %in% seq_len(rows) & at[, 2] %in% seq_len(columns), , drop = FALSE]
      mark[at] <- TRUE
    }
  }

  dark <- luminance(picture) > 0.5
  ink <- ifelse(dark, 0.05, 0.95)
  for (channel in 1:3) {
    plane <- picture[, , channel]
    plane[mark] <- ink[mark]
    picture[, , channel] <- plane
  }

  picture
}

# Words of praise give polish, and nothing else: crisper tones, the same layout.
praise <- "\\b(detail(ed)?|finest|quality|award|masterpiece|polished|crisp)\\b"

polish <- function(picture, phrases, pull) {
  said <- grepl(praise, tolower(phrases$say))
  share <- if (any(said)) 0.6 * clamp(pull) * clamp(max(phrases$weight[said])) else 0
  if (share == 0) {
    return(picture)
  }

  clamp(picture + share * (picture - soften(picture, 3)))
}
