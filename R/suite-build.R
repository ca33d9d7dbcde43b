# Builds a suite from a sound suite.yml.

# The phrase that a neutral prompt says to an engine that must be told something.
neutral_phrase <- "a picture"

# The long edge of takes, in pixels, where a suite gives no size.
default_size <- 576L

build_suite <- function(suite, folder) {
  looks <- lapply(suite$looks, function(look) {
    vapply(look$pictures, function(path) resolve_path(path, folder)$path, "")
  })
  list(
    suite = suite$suite,
    title = suite$title %||% suite$suite,
    seeds = as.integer(unlist(suite$seeds)),
    size = as.integer(unlist(suite$size %||% default_size)),
    looks = looks,
    cases = lapply(suite$cases, build_case, folder = folder)
  )
}

# A case: `references` (a list, empty for `fresh`; `reference` is the first),
# `look` (NA without) and `look_weight`, `prompt` (a list of phrases), `neutral`,
# `negative` (texts) and `unwanted` (the same as phrases), `guides` (by kind),
# `mask` or NULL, `grow` (left, top, right,
# bottom), `watch` (by name), `flaws` (what judges look for).
build_case <- function(case, folder) {
  path <- function(path) if (!is.null(path)) resolve_path(path, folder)$path
  references <- case[["references"]] %||% if (!is.null(case[["reference"]])) {
    list(case[["reference"]])
  }
  references <- lapply(references, build_reference, path = path)
  look <- if (is.list(case$look)) case$look else list(name = case$look)
  neutral <- identical(case$prompt, "neutral")
  prompt <- if (neutral) {
    list(neutral_phrase)
  } else if (is.list(case$prompt)) {
    case$prompt
  } else {
    list(case$prompt)
  }
  list(
    id = case$id,
    job = case$job,
    references = references,
    reference = if (length(references)) references[[1]],
    look = look$name %||% NA_character_,
    look_weight = as.numeric(look$weight %||% 1),
    prompt = lapply(prompt, build_phrase),
    neutral = neutral,
    negative = vapply(
      case$negative,
      function(phrase) if (is.list(phrase)) phrase$say else phrase,
      ""
    ),
    unwanted = lapply(case$negative, build_phrase, unwanted = TRUE),
    guides = Map(
      build_guide,
      case$guides[intersect(guide_kinds, names(case$guides))],
      intersect(guide_kinds, names(case$guides)),
      MoreArgs = list(path = path)
    ),
    mask = build_mask(case$mask, path),
    flaws = sort(unique(as.character(unlist(case$flaws)))),
    grow = vapply(
      c("left", "top", "right", "bottom"),
      function(side) as.numeric(case$grow[[side]] %||% 0),
      0
    ),
    watch = lapply(case$watch, function(region) {
      list(
        path = path(region$mask),
        box = as.numeric(unlist(region$box)),
        keep = as.numeric(region$keep %||% 0.5)
      )
    })
  )
}

build_reference <- function(reference, path) {
  if (!is.list(reference)) {
    reference <- list(picture = reference)
  }

  list(
    path = path(reference$picture),
    fit = reference$fit %||% "crop",
    focus = as.numeric(unlist(reference$focus %||% list(0.5, 0.5))),
    box = as.numeric(unlist(reference$box %||% list(0, 0, 1, 1))),
    fill = reference$fill %||% "grey",
    backdrop = reference$backdrop %||% "white",
    weight = as.numeric(reference$weight %||% 1)
  )
}

build_guide <- function(guide, kind, path) {
  if (!is.list(guide)) {
    guide <- list(weight = guide)
  }

  list(
    path = path(guide$picture %||% guide$keypoints),
    weight = as.numeric(guide$weight %||% 1),
    release = as.numeric(guide$release %||% 1),
    near = if (kind == "depth") guide$near %||% "bright"
  )
}

build_mask <- function(mask, path) {
  if (is.null(mask)) {
    return(NULL)
  }

  if (!is.list(mask)) {
    mask <- list(picture = mask)
  }

  list(
    path = path(mask$picture),
    boxes = lapply(mask$boxes, function(box) as.numeric(unlist(box))),
    invert = mask$invert %||% FALSE,
    feather = as.numeric(mask$feather %||% 0),
    padding = as.numeric(mask$padding %||% NA)
  )
}

case_named <- function(suite, id) Find(function(case) case$id == id, suite$cases)

# A suite's fingerprint: the hash of its meaning and its pictures' pixels. Comments and layout
# don't count, nor how a picture is packed or named, nor the order of cases and seeds, nor the
# title, nor who drafted a phrase.

fingerprint_suite <- function(suite) sha256_of(suite_content(suite))

# Tells that a suite is the same as before without working out what it means. Another value says
# nothing.
source_of_suite <- function(suite) rlang::hash(suite)

# For every case a hash of all in the suite that its takes are measured by, out of `content`.
measured_by <- function(suite, content = suite_content(suite)) {
  content <- jsonlite::fromJSON(content)
  rows <- paste(content$place, content$value, sep = "=")
  of_case <- grepl("^cases[.]", content$place)
  together <- function(rows) paste(rows, collapse = "\n")
  case <- sub("^cases[.]([^.]+)[.].*$", "\\1", content$place[of_case])
  own <- vapply(split(sub("^cases[.][^.]+[.]", "", rows[of_case]), case), together, "")
  looks <- together(rows[grepl("^looks[.]", content$place)])
  size <- together(rows[content$place == "size"])
  pool <- decoy_pool(suite)
  ids <- vapply(suite$cases, `[[`, "", "id")
  texts <- vapply(
    seq_along(ids),
    function(i) {
      case <- suite$cases[[i]]
      paths <- pool$path[decoys_among(pool, case)]
      decoys <- vapply(paths, function(path) suite$files[[path]]$hash, "")
      together(c(own[ids[i]], size, if (!is.na(case$look)) looks, decoys))
    },
    ""
  )
  stats::setNames(sha256_of(texts), ids)
}

# Unrelated pictures give the level of chance: the suite's other references, each once, or some of
# them. Which, is told by the pictures themselves: all stand on a ring by their hashes, and a case's
# decoys are those that follow its own (as in consistent hashing; Karger and others 1997). So a
# suite that grows by a case gives few others another decoy.
decoy_pool <- function(suite) {
  path <- vapply(suite$cases, function(case) case$reference$path %||% "", "")
  first <- which(nzchar(path) & !duplicated(path))
  hash <- vapply(path[first], function(path) suite$files[[path]]$hash %||% "0", "")
  list(case = first, path = path[first], place = place_on_ring(hash))
}

# Seven hex digits fit into an integer.
ring_digits <- 7
place_on_ring <- function(hash) strtoi(substr(hash, 1, ring_digits), 16)

# Which of the pool's are a case's decoys.
decoys_among <- function(pool, case) {
  own <- match(case$reference$path %||% "", pool$path)
  others <- setdiff(seq_along(pool$path), own)
  if (length(others) <= enough_decoys) {
    return(others)
  }

  start <- if (is.na(own)) 0 else pool$place[own]
  ahead <- (pool$place[others] - start) %% 16^ring_digits
  sort(utils::head(others[order(ahead, pool$path[others])], enough_decoys))
}

decoy_cases <- function(suite, case) {
  pool <- decoy_pool(suite)
  suite$cases[pool$case[decoys_among(pool, case)]]
}

# The suite's meaning as JSON, always written the same way: a row for every
# value, with its `place` (`cases.mill.prompt`) and its `value` (`say=a mill`).
# Two long columns are written many times faster than nested values.
suite_content <- function(suite) {
  looks <- lapply(suite$looks, function(paths) {
    vapply(unname(paths), function(path) suite$files[[path]]$hash, "", USE.NAMES = FALSE)
  })
  cases <- lapply(suite$cases, case_facts, suite)
  cases <- sort_by_name(stats::setNames(cases, vapply(suite$cases, `[[`, "", "id")))
  parts <- lapply(
    c(
      list(suite = suite$suite, seeds = sort(suite$seeds), size = suite$size),
      parts_below("looks.", sort_by_name(looks)),
      unlist(
        unname(Map(parts_below, paste0("cases.", names(cases), "."), cases)),
        recursive = FALSE
      )
    ),
    spell_out
  )
  to_json(list(
    place = rep(names(parts), lengths(parts)),
    value = unlist(parts, use.names = FALSE)
  ))
}

parts_below <- function(place, parts) {
  stats::setNames(parts, if (length(parts)) paste0(place, names(parts)))
}

# Nested values as texts that say where in the part they are.
spell_out <- function(part) {
  values <- unlist(part)
  if (is.null(names(values))) {
    as.character(values)
  } else {
    paste(names(values), values, sep = "=")
  }
}

# A case by what it means, files by what is in them; what the case does without
# is left out.
case_facts <- function(case, suite) {
  hash <- function(path) if (!is.null(path)) suite$files[[path]]$hash
  by_content <- function(thing) {
    thing["path"] <- list(hash(thing$path))
    thing
  }

  case$references <- lapply(case$references, by_content)
  case$mask <- if (!is.null(case$mask)) by_content(case$mask)
  sorted <- function(things) lapply(sort_by_name(things), by_content)
  case$guides <- sorted(case$guides)
  case$watch <- sorted(case$watch)
  meant <- function(phrases) {
    lapply(phrases, function(phrase) {
      phrase[setdiff(names(phrase), c("drafted", "key", "unwanted", "read_as"))]
    })
  }

  case$prompt <- meant(case$prompt)
  case$unwanted <- meant(case$unwanted)
  case[c("id", "reference")] <- NULL
  case$look <- list(case$look, if (!is.na(case$look)) case$look_weight)
  case$look_weight <- NULL
  Filter(function(part) length(part) > 0 && !all(is.na(part[[1]])), case)
}

# The differences between two contents, as places: `cases.mill.prompt`, or `cases.mill (new)`
# where a whole case was added or removed.
parts_changed <- function(before, after) {
  read <- function(json) {
    content <- jsonlite::fromJSON(json)
    split(content$value, factor(content$place, unique(content$place)))
  }

  before <- read(before)
  after <- read(after)
  places <- union(names(before), names(after))
  changed <- Filter(function(place) !identical(before[[place]], after[[place]]), places)
  whole <- function(places) sub("^(cases[.][^.]+)[.].*$", "\\1", places)
  unique(
    vapply(
      changed,
      function(place) {
        top <- whole(place)
        if (!top %in% whole(names(before))) {
          paste(top, "(new)")
        } else if (!top %in% whole(names(after))) {
          paste(top, "(gone)")
        } else if (!place %in% names(before)) {
          paste(place, "(new)")
        } else if (!place %in% names(after)) {
          paste(place, "(gone)")
        } else {
          place
        }
      },
      "",
      USE.NAMES = FALSE
    )
  )
}

# A run grows and changes with its suite. But if nothing that was made is asked for any more, this
# is another suite, and most likely a mistake.
stop_for_other_suite <- function(run, changed, made) {
  stop_sprenn(
    "run",
    c(
      paste0("Run ", quoted(run), " was made of another suite: nothing asks for its pictures."),
      x = paste("changed:", shorten_list(changed, 8)),
      x = paste0("Its ", count_words(made, "picture"), " would all be made anew."),
      i = "Start another run with --run NAME, or put suite.yml and its pictures back as they were."
    ),
    changed = changed
  )
}
