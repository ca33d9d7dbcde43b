# The explanation of a score: for each picture (reference, take, look) the boxes to draw on it, a
# map to lay over it, or its palette. Drawn by figure-explain.R.

# `panels` is a list by name; `map` (rows x columns, 0 to 1 or -1 to 1) and `boxes` (left,
# top, right, bottom in shares, with a `label`) may be missing, `pixels` replaces the picture.
# `words` says what is seen.
explain_scene <- function(scene, measure) {
  declared <- Find(function(one) one$measure == measure, c(all_measures(), across_measures()))
  # A measure of one's own is shown as measures of layout are.
  switch(declared$shown_as %||% "contours",
    contours = explain_contours(scene),
    mirrored = explain_mirrored(scene),
    details = explain_details(scene),
    palette = explain_palette(scene),
    framing = explain_framing(scene),
    watch = explain_watch(scene),
    damage = explain_damage(scene),
    leak = explain_leak(scene),
    place = explain_place(scene, measure)
  )
}

new_boxes <- function(boxes, label) {
  if (is.null(dim(boxes))) {
    boxes <- matrix(boxes, 1)
  }

  new_table(
    left = boxes[, 1],
    top = boxes[, 2],
    right = boxes[, 3],
    bottom = boxes[, 4],
    label = rep_len(label, nrow(boxes))
  )
}

explain_contours <- function(scene) {
  found <- core_agreement_map(scene$settled, scene$reference$handle)
  boxes <- found$boxes[
    found$boxes[, "weight"] > 0.25 * max(found$boxes[, "weight"], 0), ,
    drop = FALSE
  ]
  list(
    words = paste0(
      "Blue: contours run as in the reference. Orange: they do not. Boxed: the largest parts ",
      "that differ."
    ),
    panels = list(
      reference = list(boxes = new_boxes(boxes, "")),
      take = list(boxes = new_boxes(boxes, ""), settled = TRUE),
      agreement = list(map = found$agreement * found$presence, settled = TRUE)
    )
  )
}

# Beside the reference as it would lie mirrored, so that the eye can judge.
explain_mirrored <- function(scene) {
  pixels <- core_view_srgb(scene$reference$handle)
  pixels <- pixels[, rev(seq_len(ncol(pixels))), , drop = FALSE]
  found <- core_agreement_map(
    scene$take$handle,
    view_picture(pixels, scene$frame, "reference")$handle
  )
  list(
    words = "Blue: contours run as in the mirrored reference. Orange: they do not.",
    panels = list(
      `reference, mirrored` = list(pixels = pixels),
      take = list(),
      agreement = list(map = found$agreement * found$presence)
    )
  )
}

explain_details <- function(scene) {
  gone <- large_boxes(scene$gone)
  come <- large_boxes(scene$come)
  list(
    words = sprintf(
      "Vanished: %s of the reference's outlines. New: %s of the take's.",
      in_percent(scene$gone$share),
      in_percent(scene$come$share)
    ),
    panels = list(
      reference = list(boxes = new_boxes(gone, paste("gone", in_percent(gone[, "weight"])))),
      take = list(
        boxes = new_boxes(come, paste("new", in_percent(come[, "weight"]))),
        settled = TRUE
      )
    )
  )
}

# Barely visible boxes would only clutter the picture.
large_boxes <- function(unmatched) {
  unmatched$boxes[unmatched$boxes[, "weight"] >= least_box, , drop = FALSE]
}

least_box <- 0.005

in_percent <- function(share) paste(formatC(100 * share, format = "f", digits = 1), "%")

explain_palette <- function(scene) {
  list(
    words = "Below each picture its colours, by how much of it they cover, from dark to light.",
    panels = c(
      list(reference = list(palette = TRUE), take = list(palette = TRUE)),
      if (length(scene$look)) list(look = list(palette = TRUE))
    )
  )
}

explain_framing <- function(scene) {
  place <- scene$framing$place
  said <- if (scene$framing$found) {
    paste0("The reference's frame in the take: ", framing_words(place), ".")
  } else if (scene$framing$lost) {
    "The reference's contents are not found in the take."
  } else {
    "Nothing moved."
  }
  size <- scene$take$working
  corners <- rbind(c(-1, -1), c(1, -1), c(1, 1), c(-1, 1)) *
    rep(size / 2 / max(size), each = 4)
  turned <- cbind(
    cos(place[4]) * corners[, 1] - sin(place[4]) * corners[, 2],
    sin(place[4]) * corners[, 1] + cos(place[4]) * corners[, 2]
  )
  outline <- 0.5 +
    (place[3] * turned + rep(place[1:2], each = 4)) *
      max(size) /
      rep(size, each = 4)
  list(words = said, panels = list(reference = list(), take = list(outline = outline)))
}

explain_watch <- function(scene) {
  boxes <- t(vapply(scene$watch, function(region) box_of_map(region$kept), numeric(4)))
  size <- scene$take$working
  aside <- t(
    vapply(
      scene$watched,
      function(found) rep(c(found$x, found$y) * max(size) / size, 2),
      numeric(4)
    )
  )
  list(
    words = "The watched regions, and where they were found.",
    panels = list(
      reference = list(boxes = new_boxes(boxes, names(scene$watch))),
      take = list(boxes = new_boxes(boxes + aside, names(scene$watch)), settled = TRUE)
    )
  )
}

# The box around what is marked in a map, in shares: left, top, right, bottom.
box_of_map <- function(kept) {
  rows <- which(rowSums(kept > 0.5) > 0)
  columns <- which(colSums(kept > 0.5) > 0)
  c(
    (min(columns) - 1) / ncol(kept),
    (min(rows) - 1) / nrow(kept),
    max(columns) / ncol(kept),
    max(rows) / nrow(kept)
  )
}

explain_damage <- function(scene) {
  found <- core_residue(scene$take$handle, scene$reference$handle)
  list(
    words = "Orange: thin marks of the reference that are still there.",
    panels = list(reference = list(), take = list(), remaining = list(map = -found$map))
  )
}

explain_leak <- function(scene) {
  if (is.null(scene$mask)) {
    return(explain_place(scene, "leak"))
  }

  found <- core_leak(scene$take$handle, scene$reference$handle, scene$mask)
  list(
    words = "Orange: what changed outside the mask.",
    panels = list(
      reference = list(),
      take = list(),
      leak = list(map = -pmin(found$map / 0.1, 1))
    )
  )
}

# A flaw where its score says that it is.
explain_place <- function(scene, measure) {
  score <- score_scene(
    scene,
    measures = Filter(function(one) one$measure == measure, all_measures())
  )
  place <- if (nrow(score)) score$place[1] else NA_character_
  box <- if (!is.na(place)) box_of_place(place)
  words <- if (nrow(score) == 0) {
    "There is nothing here for it to measure."
  } else if (is.na(place)) {
    "Nothing found."
  } else {
    paste0("Found: ", score$level[1], ", ", place, ".")
  }
  list(
    words = words,
    panels = list(
      reference = list(),
      take = list(boxes = if (!is.null(box)) new_boxes(box, gsub("_", " ", measure)))
    )
  )
}

# The box of a place in words, or none where the words name no part of the picture.
box_of_place <- function(place) {
  if (startsWith(place, "box ")) {
    return(as.numeric(strsplit(place, " ")[[1]][-1]))
  }

  if (place == "whole") {
    return(c(0.01, 0.01, 0.99, 0.99))
  }

  third <- function(words, names) {
    at <- which(names %in% words)
    if (length(at)) {
      c(at - 1, at) / 3
    } else {
      c(0, 1)
    }
  }

  words <- strsplit(place, " ")[[1]]
  if (!all(words %in% c("top", "middle", "bottom", "left", "right"))) {
    return(NULL)
  }

  across <- third(
    setdiff(words, if (length(words) == 2) words[1]),
    c("left", "middle", "right")
  )
  down <- third(words[1], c("top", "middle", "bottom"))
  c(across[1], down[1], across[2], down[2])
}

# The commonest colours of a picture: cells of OKLab with their share and mean colour.
palette_of_picture <- function(pixels, most = 9) {
  small <- core_resize(pixels, min(96, dim(pixels)[2]), min(96, dim(pixels)[1]))
  colours <- matrix(small, ncol = 3)
  lab <- matrix(core_oklab(small, dim(small)[2], dim(small)[1]), ncol = 3)
  cell <- paste(
    floor(lab[, 1] * 6),
    floor((lab[, 2] + 0.4) * 9),
    floor((lab[, 3] + 0.4) * 9)
  )
  share <- sort(table(cell) / length(cell), decreasing = TRUE)
  share <- utils::head(share, most)
  means <- t(
    vapply(
      names(share),
      function(name) colMeans(cbind(colours, lab[, 1])[cell == name, , drop = FALSE]),
      numeric(4)
    )
  )
  found <- new_table(
    share = as.numeric(share) / sum(share),
    colour = grDevices::rgb(
      clamp_share(means[, 1]),
      clamp_share(means[, 2]),
      clamp_share(means[, 3])
    ),
    lightness = means[, 4]
  )
  found[order(found$lightness), ]
}
