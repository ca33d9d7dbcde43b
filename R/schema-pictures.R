# The fields of what a suite says of its pictures: references, guides and masks.

reference_fields <- function(place) {
  rows <- table_by_row(
    ~place,
    ~type,
    ~needed,
    ~doc,
    "picture",
    "path",
    "yes",
    "Its file.",
    "fit",
    "choice crop|pad|stretch|extend",
    "no",
    paste0(
      "How it is fitted to the delivered aspect ratio: crop around the focus, pad with the fill, ",
      "stretch, or extend, which pads and has the engine fill the padding. crop if left out."
    ),
    "focus",
    "point",
    "no",
    paste0(
      "The point that a crop keeps nearest to its centre, as shares of width and height; [0.5, ",
      "0.5] if left out."
    ),
    "box",
    "cut",
    "no",
    paste0(
      "The box cut out of the picture before it is fitted; the whole picture if left out. What ",
      "lies beyond the picture is filled."
    ),
    "fill",
    "paint",
    "no",
    "The colour of padding; grey if left out.",
    "backdrop",
    "paint",
    "no",
    "The colour that shows through transparency; white if left out."
  )
  rows$place <- paste0(place, ".", rows$place)
  rows
}

guide_fields <- function() {
  one <- function(kind) {
    place <- paste0("cases[].guides.", kind)
    computed <- kind %in% computed_guides
    rows <- table_by_row(
      ~place,
      ~type,
      ~needed,
      ~doc,
      "",
      if (computed) "number 0..2 or record" else "record",
      "no",
      c(
        edges = "Thin outlines, computed from the reference. A number is the weight.",
        soft_edges = "Broad outlines, computed from the reference. A number is the weight.",
        areas = "Flat areas of colour, computed from the reference. A number is the weight.",
        depth = "How near everything is.",
        pose = "Where the joints of figures are."
      )[[kind]],
      ".weight",
      "number 0..2",
      "no",
      "Its weight; 1 if left out.",
      ".release",
      "number 0..1",
      "no",
      "The share of the process after which it lets go; 1 if left out.",
      if (kind == "pose") ".keypoints" else ".picture",
      "path",
      if (computed) "no" else "yes",
      switch(kind,
        pose = "A JSON file of keypoints, see docs/preparing.md.",
        depth = "A grey picture, 8 or 16 bit, of the reference's shape.",
        "A map drawn by hand, of the reference's shape, in place of the computed one."
      ),
      ".near",
      "choice bright|dark",
      "no",
      "Which end of the greys is near; bright if left out."
    )
    if (kind != "depth") {
      rows <- rows[rows$place != ".near", ]
    }

    rows$place <- paste0(place, rows$place)
    rows
  }

  do.call(rbind, lapply(guide_kinds, one))
}

mask_fields <- function(place, boxes = TRUE) {
  rows <- table_by_row(
    ~place,
    ~type,
    ~needed,
    ~doc,
    "picture",
    "path",
    "no",
    "A black and white picture of the reference's shape.",
    "box",
    "box",
    "no",
    "A box of the reference, before it is fitted."
  )
  if (boxes) {
    rows$place[2] <- "boxes"
    rows$type[2] <- "list"
    rows$doc[2] <- "Boxes of the reference, before it is fitted."
    rows[3, ] <- list("boxes[]", "box", "no", "One box.")
  } else {
    rows$place[1] <- "mask"
    rows$doc[1] <- "A picture of the reference's shape that is white where the region is."
  }

  rows$place <- paste0(place, ".", rows$place)
  rows
}
