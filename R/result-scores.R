# Scores as a run keeps them, and pictures of a run as views to measure.

# In the order of the plan, and of the measures for each take.
read_scores <- function(store) {
  scores <- read_all_scores(store)
  measures <- vapply(c(all_measures(), across_measures()), `[[`, "", "measure")
  scores <- scores[order(
    scores$position,
    match(scores$measure, measures),
    scores$measure,
    scores$phrase,
    method = "radix"
  ), ]
  scores$position <- NULL
  as_table(scores)
}

# The scores that a choice looks at: what makes up the axes, and the flaws there are.
read_deciding_scores <- function(store, structure_from) {
  parts <- c(names(structure_from), "style_change", "look_match")
  # A brief may make structure up of flaws too: then those that are not there count.
  with_flaws <- !all(names(structure_from) %in% c("structure", names(agreement_weights)))
  as_table(read_scores_that_decide(store, parts, with_flaws))
}

# The state of a run's race, if it was one.
race_of <- function(store, job) {
  race <- read_race(store)
  if (is.null(race)) {
    return(NULL)
  }

  own <- race$jobs[[race_name(job)]]
  # Races of earlier versions had a round a seed, over all cases.
  list(
    looks = own$looks %||% race$looks,
    cases = own$cases %||% 0,
    seeds = own$seeds %||% race$looks,
    over = isTRUE(race$closed) && !is.null(own)
  )
}

# The race so far: `looks`, how many rounds there are in all, `rounds`, how many are done,
# and `jobs`, for each purpose its `state`, `best`, `confidence` and who has `dropped` out.
read_race <- function(store) {
  told <- get_facts(store)$race
  if (is.null(told)) {
    return(NULL)
  }

  race <- read_json_text(told)
  race$jobs <- lapply(race$jobs, function(one) {
    utils::modifyList(one, list(dropped = as.character(unlist(one$dropped))))
  })
  race
}

race_name <- function(job) if (is.na(job)) "all" else job

# Pictures of a run as views of the core, and the scores and prints of one take.

# A reference as takes are compared with it. Where canvas was added, what the picture says
# of itself (its style, its grain, how sharp it is) is that of the part that is there: the
# padding is ours.
reference_view <- function(case, suite, frame) {
  pixels <- fitted_reference(case, suite)
  view <- view_picture(pixels, frame, "reference")
  there <- if (has_added_canvas(case)) 1 - added_canvas(case, suite, frame)
  if (is.null(there) || !any(there > 0.5)) {
    return(view)
  }

  inside <- view_picture(pixels[rowSums(there) > 0.5, colSums(there) > 0.5, , drop = FALSE])
  view[own_facts] <- inside[own_facts]
  drop_view(inside)
  view
}

own_facts <- c("style", "spread", "blur", "noise", "blocks", "tones", "burnt", "crushed")

# A take as its bytes, seen in its frame. The pixels only where somebody asks for them:
# 8 bits a channel need not become numbers first.
view_encoded <- function(bytes, frame, pixels = FALSE) {
  encoded <- encoded_picture(bytes)
  samples <- decode_samples(encoded)
  profile <- embedded_profile(encoded)
  as_it_is <- is_plain(samples, profile) &&
    all(frame_inside(samples$size, frame)[3:4] == samples$size)
  if (as_it_is && !pixels) {
    return(list(view = view_bytes(samples$bytes, samples$size, frame)))
  }

  seen <- bring_back(flatten_samples(samples, profile), frame)
  list(view = view_picture(seen, frame), pixels = if (pixels) seen)
}

# The outlines that engines were given as a guide, where there were any.
case_outlines <- function(case, suite, frame) {
  kind <- intersect(c("edges", "soft_edges"), names(case$guides))
  if (length(kind) == 0) {
    return(NULL)
  }

  reference <- if (!is.null(case$reference)) list(fitted_reference(case, suite))
  prepare_guide(case$guides[[kind[1]]], kind[1], case, suite, frame, reference)$picture[, , 1]
}

# Pictures that a take of this case has nothing to do with: the references of
# other cases, each picture once, then built-in ones. Cases of one frame share them.
suite_decoys <- function(suite, case, frame, kept) {
  in_frame <- paste(frame, collapse = " ")
  others <- kept$get(paste("decoys of", case$id), {
    cases <- decoy_cases(suite, case)
    names(cases) <- vapply(cases, function(other) paste("decoy", hash_of(other$reference)), "")
    cases
  })
  views <- lapply(names(others), function(name) {
    kept$get(paste(name, in_frame), decoy_view(others[[name]], frame, kept))
  })
  drawn <- kept$get(
    paste("drawn", in_frame, length(views)),
    lapply(
      draw_decoys(frame, enough_decoys - length(views)),
      view_picture,
      frame = frame,
      part = "decoy"
    )
  )
  c(views, drawn)
}

# The facts of a picture of a look.
facts_of_look <- function(path) {
  picture <- read_packed(path)
  view <- if (is_packed(picture)) {
    view_bytes(picture$bytes, picture$size, picture$size)
  } else {
    view_picture(picture)
  }
  on.exit(drop_view(view))
  look_facts(view)
}

# A decoy is seen in many frames, so a small copy of it is kept to fit anew.
decoy_view <- function(case, frame, kept) {
  small <- kept$get(paste("small", case$reference$path), {
    picture <- read_packed(case$reference$path)
    own <- size_of_picture(picture)
    resize_window(picture, c(0, 0, 1, 1), pmax(1, round(own * min(1, 768 / max(own)))))
  })
  view_picture(
    lay_window(
      small,
      fit_window(dim(small)[2:1], frame, case$reference),
      frame,
      paint_values(case$reference$fill)
    ),
    frame,
    "decoy"
  )
}

# Measures one picture as a take of a case: its `scores`, and the `print` by which it
# is compared with other takes. What the case needs is kept in `kept`. The
# attributes of its bytes say what its step gave in place of that: `guides`, and of an enlarged take
# `enlarged`.
score_bytes <- function(bytes, case, suite, kept) {
  enlarged <- attr(bytes, "enlarged")
  guided <- case
  guided$guides <- attr(bytes, "guides") %||% case$guides
  frame <- case_frame(case, suite)
  hold <- function(what, code) kept$get(paste(what, case$id), list(code))[[1]]
  reference <- if (!is.null(case$reference)) hold("view", reference_view(case, suite, frame))
  looks <- lapply(stats::setNames(nm = names(suite$looks)), function(name) {
    kept$get(
      paste("look", name),
      lapply(suite$looks[[name]], facts_of_look)
    )
  })
  own <- suite_measures(suite, kept)
  with_pixels <- length(own) > 0 || !is.null(enlarged)
  view <- view_encoded(bytes, frame, pixels = with_pixels)
  on.exit(drop_view(view$view))
  scene <- new_scene(
    view$view,
    reference,
    if (is.na(case$look)) list() else looks[[case$look]],
    suite_decoys(suite, case, frame, kept),
    mask = hold("mask", case_mask(case, suite, frame)),
    job = case$job,
    frame = frame,
    added = hold("added", if (has_added_canvas(case)) added_canvas(case, suite, frame)),
    other_looks = if (is.na(case$look)) list() else looks[setdiff(names(looks), case$look)],
    looks = looks,
    guide = hold(
      paste(c("guide", names(guided$guides)), collapse = " "),
      case_outlines(guided, suite, frame)
    ),
    watch = if (is.null(reference)) list() else hold("watch", case_watch(case, suite, frame)),
    pixels = if (length(own)) {
      list(
        take = view$pixels,
        reference = if (!is.null(reference)) hold("pixels", fitted_reference(case, suite))
      )
    },
    enlarged = if (!is.null(enlarged)) enlarged_by(enlarged, view, frame)
  )
  scores <- score_scene(scene, asked_phrases(case), c(all_measures(), own))
  list(
    scores = scores,
    print = take_print(view$view, if (case$job == "repair") reference),
    overlay = take_overlay(scene)
  )
}

# What enlarging did to a take: `enlarged` has how many `times`, and the bytes of the picture
# `before`, if a step before made it.
enlarged_by <- function(enlarged, view, frame) {
  before <- if (!is.null(enlarged$before)) view_encoded(enlarged$before, frame, pixels = TRUE)
  if (!is.null(before)) {
    on.exit(drop_view(before$view))
  }

  enlargement_of(
    view$pixels,
    before$pixels,
    frame,
    enlarged$times,
    view$view,
    before$view
  )
}

# A print as text: the place in the style space in steps of 1/300, the patches' lightness
# and colours in steps of 1/255, and for a repair of a reference which of its marks stayed,
# a bit each.
take_print <- function(view, mended = NULL) {
  position <- as.integer(
    round(300 * pmin(pmax(sqrt(style_space$weight) * style_position(view$style), -100), 100))
  )
  patches <- as.raw(
    round(
      255 *
        pmin(pmax(core_patches(view$handle) + rep(c(0, 0.5, 0.5), each = print_patches), 0), 1)
    )
  )
  marks <- if (!is.null(mended)) as_bits(core_marks_that_stayed(view$handle, mended$handle))
  gsub(
    "\n",
    "",
    jsonlite::base64_enc(c(
      writeBin(position, raw(), size = 2, endian = "little"),
      patches,
      marks
    )),
    fixed = TRUE
  )
}

as_bits <- function(flags) packBits(c(flags, logical(-length(flags) %% 8)))

print_patches <- 96

# Prints as matrices with a row a take.
read_prints <- function(prints) {
  bytes <- lapply(prints, jsonlite::base64_dec)
  styles <- length(style_space$centre)
  position <- t(
    vapply(
      bytes,
      function(b) readBin(b, "integer", styles, size = 2, endian = "little") / 300,
      numeric(styles)
    )
  )
  patches <- t(
    vapply(
      bytes,
      function(b) as.integer(b[2 * styles + seq_len(3 * print_patches)]) / 255,
      numeric(3 * print_patches)
    )
  )
  list(position = position, patches = patches)
}
