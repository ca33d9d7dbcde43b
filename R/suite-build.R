# From a sound suite.yml to the suite that the run works with.

# The phrase that a neutral prompt says to an engine that must be told something.
neutral_phrase <- "a picture"

build_suite <- function(suite, folder) {
  looks <- lapply(suite$looks, function(look) {
    vapply(look$pictures, function(path) resolve_path(path, folder)$path, "")
  })
  list(
    suite = suite$suite, title = suite$title %||% suite$suite,
    seeds = as.integer(unlist(suite$seeds)),
    size = as.integer(unlist(suite$size %||% 576)),
    looks = looks,
    cases = lapply(suite$cases, build_case, folder = folder)
  )
}

# A case: `references` (a list, empty for `fresh`; `reference` is the first),
# `look` (NA without) and `look_weight`, `prompt` (a list of phrases), `neutral`,
# `negative`, `guides` (by kind), `mask` or NULL, `grow` (left, top, right,
# bottom), `watch` (by name).
build_case <- function(case, folder) {
  path <- function(path) if (!is.null(path)) resolve_path(path, folder)$path
  references <- case[["references"]] %||% if (!is.null(case[["reference"]])) list(case[["reference"]])
  references <- lapply(references, build_reference, path = path)
  look <- if (is.list(case$look)) case$look else list(name = case$look)
  neutral <- identical(case$prompt, "neutral")
  prompt <- if (neutral) list(neutral_phrase) else if (is.list(case$prompt)) case$prompt else list(case$prompt)
  list(
    id = case$id, job = case$job, references = references,
    reference = if (length(references)) references[[1]],
    look = look$name %||% NA_character_, look_weight = as.numeric(look$weight %||% 1),
    prompt = lapply(prompt, build_phrase), neutral = neutral,
    negative = as.character(unlist(case$negative)),
    guides = Map(build_guide, case$guides[intersect(guide_kinds, names(case$guides))], intersect(guide_kinds, names(case$guides)), MoreArgs = list(path = path)),
    mask = build_mask(case$mask, path),
    grow = vapply(c("left", "top", "right", "bottom"), function(side) as.numeric(case$grow[[side]] %||% 0), 0),
    watch = lapply(case$watch, function(region) {
      list(path = path(region$mask), box = as.numeric(unlist(region$box)), keep = as.numeric(region$keep %||% 0.5))
    })
  )
}

build_reference <- function(reference, path) {
  if (!is.list(reference)) reference <- list(picture = reference)
  list(
    path = path(reference$picture), fit = reference$fit %||% "crop",
    focus = as.numeric(unlist(reference$focus %||% list(0.5, 0.5))),
    box = as.numeric(unlist(reference$box %||% list(0, 0, 1, 1))),
    fill = reference$fill %||% "grey", backdrop = reference$backdrop %||% "white",
    weight = as.numeric(reference$weight %||% 1)
  )
}

build_guide <- function(guide, kind, path) {
  if (!is.list(guide)) guide <- list(weight = guide)
  list(
    path = path(guide$picture %||% guide$keypoints), weight = as.numeric(guide$weight %||% 1),
    release = as.numeric(guide$release %||% 1), near = if (kind == "depth") guide$near %||% "bright"
  )
}

build_mask <- function(mask, path) {
  if (is.null(mask)) {
    return(NULL)
  }
  if (!is.list(mask)) mask <- list(picture = mask)
  list(
    path = path(mask$picture), boxes = lapply(mask$boxes, function(box) as.numeric(unlist(box))),
    invert = mask$invert %||% FALSE, feather = as.numeric(mask$feather %||% 0),
    padding = as.numeric(mask$padding %||% NA)
  )
}

build_phrase <- function(phrase) {
  if (is.character(phrase)) phrase <- list(say = phrase)
  list(
    say = phrase$say, weight = as.numeric(phrase$weight %||% 1), ask = phrase$ask %||% phrase$say,
    must = phrase$must %||% FALSE, drafted = is_drafted(phrase),
    probe = build_probe(phrase$probe)
  )
}

# The mark of drafted words: it fits them and no others, so that touching the
# words is enough to make them a person's own.
is_drafted <- function(phrase) !is.null(phrase$drafted) && phrase$drafted == draft_mark(phrase$say)
draft_mark <- function(say) substr(sha256_of(say), 1, 8)

# The probe as its measure takes it: which measure, where, and the bound under
# the name of what is bounded.
build_probe <- function(probe) {
  if (is.null(probe)) {
    return(NULL)
  }
  where <- probe$where %||% "whole"
  where <- if (is.list(where)) as.numeric(unlist(where)) else where
  if (!is.null(probe$colour)) {
    return(list(measure = "colour_share", where = where, colour = probe$colour, share = read_bound(probe$share)))
  }
  measure <- intersect(c("brightness", "monochrome"), names(probe))
  c(list(measure = measure, where = where), stats::setNames(list(read_bound(probe[[measure]])), measure))
}

case_named <- function(suite, id) Find(function(case) case$id == id, suite$cases)
