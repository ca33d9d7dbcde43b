# From measures to the three axes: one row a take.

# How measures make up an axis. Structure is the orientation measure alone
# until others stand beside it.
composite_weights <- list(structure = c(orientation = 1))

# `takes` has a row for each `take` with `pipeline`, `case`, `seed`, `state`,
# `cost`, `seconds`; `scores` is the long table of measures; `phrases` gives
# `case`, `phrase` and `weight` of all phrases asked for. Returns `takes` with
# `structure`, `adherence` and `style` (0 to 1, NA without evidence),
# `coverage`, `flaws` (the serious ones, named) and `slight` (the slight ones).
axis_table <- function(takes, scores, phrases, style_aim) {
  per_take <- split(scores, factor(scores$take, takes$take))
  axes_of <- function(i) {
    own <- per_take[[i]]
    evidence <- adherence_of(own, phrases[phrases$case == takes$case[i], ])
    found <- own[own$axis == "flaws", ]
    tibble::tibble(
      structure = composite_of(own, composite_weights$structure),
      adherence = evidence[["adherence"]], coverage = evidence[["coverage"]],
      style = style_of(own, style_aim),
      flaws = paste(found$measure[found$level == "serious"], collapse = ", "),
      slight = paste(found$measure[found$level == "slight"], collapse = ", ")
    )
  }
  tibble::as_tibble(cbind(takes, do.call(rbind, lapply(seq_len(nrow(takes)), axes_of))))
}

measure_value <- function(own, measure) {
  value <- own$value[own$measure == measure]
  if (length(value) == 0) NA_real_ else value[1]
}

composite_of <- function(own, weights) {
  values <- vapply(names(weights), measure_value, 0, own = own)
  clamp_share(sum(weights * values) / sum(weights))
}

# Mean of the graded phrases by weight, and the share of all weight that they
# have: what has no evidence is never guessed.
adherence_of <- function(own, phrases) {
  graded <- own[own$axis == "adherence", ]
  weight <- phrases$weight[match(graded$phrase, phrases$phrase)]
  if (sum(weight) == 0) {
    return(c(adherence = NA_real_, coverage = if (nrow(phrases)) 0 else NA_real_))
  }
  c(adherence = sum(weight * graded$value) / sum(weight), coverage = sum(weight) / sum(phrases$weight))
}

# Style as the brief wants it: towards the look, unmoved, or changed by an
# amount within a range, falling to 0 over the range's own width outside it.
style_of <- function(own, aim) {
  change <- measure_value(own, "style_change")
  if (identical(aim, "reach the look")) {
    return(clamp_share(measure_value(own, "look_match")))
  }
  if (identical(aim, "stay")) {
    return(clamp_share(1 - change))
  }
  clamp_share(1 - max(aim[1] - change, change - aim[2], 0) / diff(aim))
}

clamp_share <- function(x) pmin(1, pmax(0, x))
