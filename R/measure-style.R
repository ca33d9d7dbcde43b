# Style: how far the manner moved, and whether towards the look.

measure_style_change <- function() {
  new_measure(
    "style_change",
    "style",
    range = "0 no change, 1 as far as two looks are apart",
    better = "as asked",
    sees = "palette, tones, texture and line",
    blind_to = "what is shown and where",
    formula = paste0(
      "|W (t - r)| / d, W the whitening, t and r style vectors, d the median between two ",
      "looks"
    ),
    source = "style vector whitened by content, see docs/measures.md",
    cost = "high",
    needs = "reference",
    compute = function(scene) {
      distance <- style_distance(scene$take$style, scene$reference$style)
      new_scores(distance / style_space$between, distance)
    }
  )
}

measure_look_match <- function() {
  new_measure(
    "look_match",
    "style",
    range = "0 no nearer to the look than the reference, 1 in the look",
    better = "higher",
    sees = "how much of the way from the reference to the look was covered",
    blind_to = "what is shown and where",
    formula = "(p(take) - p(reference)) / (1 - p(reference)), p the progress towards the look",
    source = "style vector whitened by content, see docs/measures.md",
    cost = "none",
    compute = function(scene) {
      if (length(scene$look) == 0) {
        return(NULL)
      }

      covered <- progress_to_look(scene$take, scene$look, scene$reference)
      before <- if (is.null(scene$reference)) {
        0
      } else {
        progress_to_look(scene$reference, scene$look, scene$reference)
      }
      # A reference that is in the look already has no way to go.
      value <- if (before < 0.9) (covered - before) / (1 - before) else NA_real_
      new_scores(value, distance_from_look(scene$take, scene$look, scene$reference))
    }
  )
}

measure_look_rank <- function() {
  new_measure(
    "look_rank",
    "style",
    range = paste0(
      "1 nearer to its look than to any other, 0 the farthest of ",
      "all (raw: its place among them)"
    ),
    better = "higher",
    sees = "whether the look can be told among the looks of the suite",
    blind_to = "what is shown and where",
    formula = "1 - nearer / others, how many of the other looks are nearer than its own",
    source = "distances in the style space",
    cost = "none",
    compute = function(scene) {
      if (length(scene$look) == 0 || length(scene$other_looks) == 0) {
        return(NULL)
      }

      own <- distance_from_look(scene$take, scene$look, scene$reference)
      others <- vapply(
        scene$other_looks,
        function(look) distance_from_look(scene$take, look, scene$reference),
        0
      )
      nearer <- sum(others < own)
      new_scores(1 - nearer / length(others), 1 + nearer)
    }
  )
}

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

# Flaws that a look may be made of (grain, halftone, few tones, white paper, black ink,
# tiles), each with how far such a look moves a manner, in typical distances between looks.
# The flaw alone seldom moves it so far (the `fit` half of bench/natural.R).
moved_by_such_looks <- c(
  noise = 0.85,
  unfinished = 0.4,
  banding = 0.55,
  burnt = 0.45,
  crushed = 0.45,
  blocks = 0.68
)

# Where nothing shows what the look is, and a take's manner has moved so far, or from
# nothing that we know, such a flaw is at most slight: nobody can say whether it was meant.
may_be_the_look <- function(scene) {
  if (length(scene$look) > 0) {
    return(character())
  }

  if (is.null(scene$reference)) {
    # A sky may end at a straight horizon, too.
    return(c(names(moved_by_such_looks), "bars"))
  }

  moved <- style_distance(scene$take$style, scene$reference$style) / style_space$between
  names(moved_by_such_looks)[moved > moved_by_such_looks]
}
