# The space in which styles are compared. `style_space` (R/sysdata.rda, made by
# data-raw/style-space.R) turns a style vector into a position whose axes all vary by 1 with
# what pictures of one look show. The first axes are those along which looks differ most;
# `weight` (0 to 1) says how much an axis tells looks apart rather than contents.

style_position <- function(style) {
  space <- style_space
  scaled <- (style - space$centre) / space$spread
  scaled <- pmin(pmax(scaled, -space$clip), space$clip)
  drop(scaled %*% space$whitening)
}

# How far two manners lie apart, along the axes that tell looks apart.
style_distance <- function(a, b) weighted_length(style_position(a) - style_position(b))

weighted_length <- function(way) sqrt(sum(style_space$weight * way^2))

mean_style <- function(views) Reduce(`+`, lapply(views, `[[`, "style")) / length(views)

mean_position <- function(views) {
  rowMeans(
    matrix(
      vapply(views, function(view) style_position(view$style), style_space$photographs),
      ncol = length(views)
    )
  )
}

# Some looks keep much of how the reference itself looks (its palette under a warm light),
# others nothing of it (a stencil). So of the way from photographs in general to the
# reference as large a share (0 to 1) is taken out of the take as brings it nearest to the
# look. Returns what lies between the two then.
way_to_look <- function(take, look, reference, weight) {
  way <- take - look
  if (is.null(reference)) {
    return(way)
  }

  own <- reference - style_space$photographs
  kept <- sum(weight * way * own) / max(sum(weight * own^2), 1e-9)
  way - min(1, max(0, kept)) * own
}

# The distance of a take from a look, all axes alike: this names looks best.
distance_from_look <- function(view, look, reference) {
  position <- if (!is.null(reference)) style_position(reference$style)
  sqrt(
    sum(
      way_to_look(
        style_position(view$style),
        mean_position(look),
        position,
        rep(1, length(style_space$weight))
      )^2
    )
  )
}

# How much of the way from photographs in general to a look a picture has gone: 0 nothing,
# 1 as far as pictures in that look have. What leads elsewhere takes away from it.
progress_to_look <- function(view, look, reference) {
  weight <- style_space$weight
  goal <- mean_position(look)
  way <- goal - style_space$photographs
  start <- sum(weight * way^2)
  left <- way_to_look(
    style_position(view$style),
    goal,
    if (!is.null(reference)) style_position(reference$style),
    weight
  )
  gone <- 1 + sum(weight * left * way) / max(start, 1e-9)
  aside <- sqrt(max(0, sum(weight * left^2) - (1 - gone)^2 * start))
  # A style vector answers little to the first half of a change and much to the second.
  even <- pmax(0, gone / style_space$arrived)^style_space$bend
  min(1, even) * min(1, max(0, 1 - (aside - style_space$aside) / style_space$aside))
}
