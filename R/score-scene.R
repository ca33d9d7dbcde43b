# From pixels to measured numbers. Pictures are arrays rows x columns x 3 with
# sRGB values from 0 to 1.

# The long edge at which pictures are compared, where the frame is that large.
working_edge <- 512

# All that the measures need of one picture, brought to the frame (width,
# height) in which the case is compared. Computed once and used many times:
# `handle` is held by the core, beside it are the facts that are single numbers.
# A decoy has the handle only.
view_picture <- function(pixels, frame = dim(pixels)[2:1], part = "take") {
  new_view(core_view(pixels, as.integer(frame), view_size(frame), part), frame, part)
}

# The same of interleaved bytes, three a pixel or one, as a decoder leaves them.
view_bytes <- function(bytes, size, frame, part = "take") {
  new_view(
    core_view_bytes(bytes, size[1], size[2], as.integer(frame), view_size(frame), part),
    frame,
    part
  )
}

new_view <- function(handle, frame, part) {
  facts <- if (part != "decoy") core_view_facts(handle)
  structure(
    c(list(handle = handle, held = core_view_size(handle), working = view_size(frame)), facts),
    class = "sprenn_view"
  )
}

# After this the view is of no use any more.
drop_view <- function(view) core_let_go(view$handle)

view_size <- function(frame) {
  as.integer(pmax(1, round(frame * min(1, working_edge / max(frame)))))
}

# The facts of a look that are used without its pixels.
look_facts <- function(view) {
  # Contents differ: what a look usually has excuses more than its plainest part.
  usual <- core_usual(view$handle)
  view$noise <- usual[["noise"]]
  view$outlined <- core_marked_share(view$handle, NULL)
  view$lines <- usual[["lines"]]
  view$light_sway <- usual[["light_sway"]]
  view$colour_sway <- usual[["colour_sway"]]
  view[c(
    "style", "blur", "noise", "blocks", "tones", "burnt", "crushed", "outlined", "lines",
    "light_sway", "colour_sway"
  )]
}

# Everything that one take is measured against: views of the take and its reference (NULL for a
# picture made from text alone), the facts of the pictures of its look (a list, possibly empty)
# and of the suite's other looks (a list of such lists), decoys (unrelated pictures that give the
# level of chance), a mask (rows x columns, 1 may change) or NULL, the job, the frame, a guide of
# thin outlines (rows x columns) or NULL, the regions to watch (by name: `kept`, rows x columns,
# and `least`), the facts of all looks by name, for probes, and the canvas that was added (rows x
# columns, 1 where it is bare of the reference) or NULL.
new_scene <- function(
  take,
  reference,
  look = list(),
  decoys,
  mask = NULL,
  job = "restyle",
  frame = take$own,
  other_looks = list(),
  guide = NULL,
  watch = list(),
  pixels = NULL,
  looks = list(),
  added = NULL,
  enlarged = NULL
) {
  # Without one, what an extension is to fill is its mask.
  if (is.null(added) && job == "extend") {
    added <- mask
  }

  scene <- list(
    take = take,
    reference = reference,
    look = look,
    other_looks = other_looks,
    decoys = decoys,
    mask = mask,
    job = job,
    frame = frame,
    guide = guide,
    watch = watch,
    pixels = pixels,
    looks = looks,
    added = added,
    enlarged = enlarged,
    settled = take$handle,
    grain = core_graininess(take$handle, plainest_in(take, reference, added)$handle)
  )
  if (is.null(reference)) {
    return(scene)
  }

  scene$reference$outlined <- if (!is.null(guide)) core_marked_share(reference$handle, NULL)
  settle_scene(scene)
}

# Compares the layouts, after the take's framing has been taken out where it has one.
settle_scene <- function(scene) {
  take <- scene$take$handle
  reference <- scene$reference$handle
  kept <- if (!is.null(scene$mask)) 1 - scene$mask
  others <- c(list(reference), lapply(scene$decoys, `[[`, "handle"))
  # The likeness of the reference, and the mean of what it is to others by chance.
  compare <- function(scene, handle, kept) {
    found <- core_likenesses(handle, others, kept)
    scene$raw <- found[, 1]
    scene$chance <- rowMeans(found[, -1, drop = FALSE])
    scene
  }

  scene <- compare(scene, take, kept)
  scene$other_way <- rescale_from_chance(
    core_mirrored(take, reference, kept),
    scene$chance[["orientation"]]
  )
  straight <- rescale_from_chance(scene$raw[["orientation"]], scene$chance[["orientation"]])
  scene$framing <- core_framing(take, reference)
  scene$framing$lost <- !scene$framing$found && straight < 0.15
  if (scene$framing$found && scene$other_way < straight + 0.03) {
    scene$settled <- core_brought_back(take, scene$framing$place)
    size <- scene$take$working
    covered <- core_covered(scene$framing$place, size[1], size[2])
    kept <- covered * if (is.null(kept)) 1 else resize_map(kept, size)
    scene <- compare(scene, scene$settled, kept)
  }

  scene$registered <- core_registered(scene$settled, reference, kept)
  scene$kept <- kept
  scene$gone <- core_unmatched(reference, scene$settled, kept)
  scene$come <- core_unmatched(scene$settled, reference, kept)
  scene$similarity <- core_similarity(take, reference)
  if (length(scene$watch)) {
    scene$watched <- find_watched(scene)
  }

  scene
}

# Pictures of nothing in particular, for suites with too few others.
enough_decoys <- 6

draw_decoys <- function(frame, n = enough_decoys) {
  size <- pmax(1, round(frame * 384 / max(frame)))
  lapply(seq_len(n), function(i) core_dead_leaves(size[1], size[2], 7000 + i))
}

# Every measure of a scene, and every probe among the phrases asked for: a list with
# `key`, `unwanted` and perhaps `probe` each.
score_scene <- function(scene, phrases = list(), measures = all_measures()) {
  phrases <- Filter(function(phrase) length(phrase$probe) > 0, phrases)
  # Each probe looks at these.
  if (length(phrases)) {
    scene$oklab <- view_oklab(scene$take)
  }

  rows <- lapply(measures, function(measure) {
    if ("reference" %in% measure$needs && is.null(scene$reference)) {
      return(NULL)
    }

    found <- if (measure$axis == "adherence") {
      probe_scores(measure, scene, phrases)
    } else {
      measure$compute(scene)
    }
    label_scores(measure, found)
  })
  rows <- unlist(rows, recursive = FALSE)
  rows <- lapply(rows, soften_level, doubtful = may_be_the_look(scene))
  # Column by column, since a run makes forty of these a take.
  words <- function(column) vapply(rows, `[[`, "", column)
  numbers <- function(column) vapply(rows, `[[`, 0, column)
  new_table(
    axis = words("axis"),
    measure = words("measure"),
    value = numbers("value"),
    raw = numbers("raw"),
    level = words("level"),
    place = words("place"),
    phrase = words("phrase")
  )
}

soften_level <- function(row, doubtful) {
  if (row$measure %in% doubtful && identical(row$level, "serious")) {
    row$level <- "slight"
  }

  row
}

probe_scores <- function(measure, scene, phrases) {
  each <- lapply(phrases, function(phrase) {
    own <- Filter(function(probe) probe$measure == measure$measure, phrase$probe)
    lapply(own, function(probe) {
      scores <- measure$compute(scene, probe)
      if (!is.null(scores)) {
        as_evidence(scores, phrase)
      }
    })
  })
  unlist(each, recursive = FALSE)
}

# Something unwanted scores fully where it is absent.
as_evidence <- function(scores, phrase) {
  if (phrase$unwanted) {
    scores$value <- 1 - scores$value
  }

  scores$phrase <- phrase$key
  scores
}

# One score or several, each with the name of its measure.
label_scores <- function(measure, scores) {
  several <- if (is.null(scores$value)) scores else list(scores)
  lapply(Filter(length, several), function(one) {
    c(list(axis = measure$axis, measure = measure$measure), one)
  })
}

# The overlay of a take in a report: where its contours follow the reference's, and the largest
# parts of either that the other lacks. Small enough to be kept for every take.

overlay_edge <- 48
most_boxes <- 8

# An overlay as text (base64): columns and rows of the map, how many boxes of what vanished
# and of what is new, the boxes (left, top, right, bottom, a byte each, 255 is the far
# edge), and the map by rows, 0 against, 128 nothing there, 255 agreeing. NA without a
# reference.
take_overlay <- function(scene) {
  if (is.null(scene$reference)) {
    return(NA_character_)
  }

  size <- pmax(
    1L,
    as.integer(round(scene$take$working * min(1, overlay_edge / max(scene$take$working))))
  )
  map <- (1 + core_small_agreement(scene$settled, scene$reference$handle, size[1], size[2])) / 2
  largest <- function(unmatched) {
    boxes <- large_boxes(unmatched)
    utils::head(boxes[order(-boxes[, "weight"]), 1:4, drop = FALSE], most_boxes)
  }

  gone <- largest(scene$gone)
  come <- largest(scene$come)
  byte <- function(x) as.raw(pmin(pmax(round(x), 0), 255))
  bytes <- c(
    byte(c(size, nrow(gone), nrow(come))),
    byte(255 * c(t(gone), t(come))),
    byte(255 * c(t(map)))
  )
  gsub("\n", "", jsonlite::base64_enc(bytes), fixed = TRUE)
}
