# From pixels to measured numbers. Pictures are arrays rows x columns x 3 with
# sRGB values from 0 to 1.

# The long edge at which pictures are compared, where the frame is that large.
working_edge <- 512

# All that the measures need of one picture, brought to the frame (width,
# height) in which the case is compared. Computed once and used many times.
view_picture <- function(pixels, frame = dim(pixels)[2:1]) {
  scale <- min(1, working_edge / max(frame))
  size <- pmax(1, round(frame * scale))
  core_view(pixels, size[1], size[2])
}

# What one take is measured against: views of the take, its reference (NULL for a
# picture made from text alone) and the pictures of its look (a list, possibly
# empty), a mask (rows x columns, 1 may change) or NULL, whether a picture next to
# the same would be a failure, and chance: what the take's structure agrees with
# decoys, pictures that it has nothing to do with.
new_scene <- function(take, reference, look = list(), decoys, mask = NULL, change_wanted = TRUE) {
  scene <- list(take = take, reference = reference, look = look, mask = mask, change_wanted = change_wanted)
  scene$chance <- mean(vapply(decoys, orientation_agreement, 0, b = take, mask = mask))
  scene
}

# Pictures of nothing in particular, for suites with too few others.
enough_decoys <- 6
draw_decoys <- function(frame, n = enough_decoys) {
  size <- pmax(1, round(frame * 384 / max(frame)))
  lapply(seq_len(n), function(i) core_dead_leaves(size[1], size[2], 7000 + i))
}

# Every measure of a scene, and every probe among its phrases: a list with
# `say`, `weight` and perhaps `probe` each.
score_scene <- function(scene, phrases = list()) {
  rows <- lapply(all_measures(), function(measure) {
    if (measure$needs_reference && is.null(scene$reference)) {
      NULL
    } else if (measure$axis == "adherence") {
      score_phrases(measure, scene, phrases)
    } else {
      label_scores(measure, measure$compute(scene))
    }
  })
  do.call(rbind, rows)
}

score_phrases <- function(measure, scene, phrases) {
  asked <- Filter(function(phrase) identical(phrase$probe$measure, measure$measure), phrases)
  rows <- lapply(asked, function(phrase) {
    scores <- measure$compute(scene, phrase$probe)
    scores$phrase <- phrase$say
    label_scores(measure, scores)
  })
  do.call(rbind, rows)
}

label_scores <- function(measure, scores) {
  if (is.null(scores)) {
    return(NULL)
  }
  facts <- list(axis = measure$axis, measure = measure$measure)
  tibble::new_tibble(c(facts, as.list(scores)), nrow = 1L)
}
