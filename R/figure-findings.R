# What judges found in a picture, drawn over it.

#' @describeIn list_judges Draws what judges found in the picture over it: boxes of things, faces
#'   and words, and joints.
#' @param object What `try_judges()` returns.
#' @param ... Not used.
#' @exportS3Method ggplot2::autoplot
autoplot.sprenn_answers <- function(object, ...) draw_findings(object)

# One panel for each judge that finds things.
draw_findings <- function(tried) {
  findings <- tried$findings
  if (length(findings) == 0) {
    stop_sprenn(
      "argument",
      c(
        "Nothing was found that could be drawn.",
        i = "Judges of the kinds local, finding and pose say where something is."
      )
    )
  }

  panels <- lapply(findings, function(finding) {
    list(boxes = boxes_found(finding), figures = finding$figures)
  })
  shown <- lapply(findings, function(finding) shrunk_copy(tried$pixels))
  answers <- tried$answers
  asked <- answers[!is.na(answers$phrase) & answers$judge %in% names(findings), ]
  row_of_panels(
    panels,
    shown,
    paste0("Found in ", cut_text(basename(tried$picture), 40), ", shown as case ", tried$case),
    c(
      paste0(names(findings), ": ", vapply(findings, finding_in_words, ""), "."),
      paste0(asked$judge, ", ", quoted(asked$phrase), ": ", two(asked$value), recycle0 = TRUE)
    )
  )
}

# The boxes of a finding with their labels, as box_layers() draws them; without what counts as none.
boxes_found <- function(finding) {
  things <- finding$things[finding$things$sure >= even_confidence, ]
  words <- words_found(finding$words)
  faces <- faces_labelled(finding$faces)
  do.call(rbind, c(
    list(no_boxes()),
    if (NROW(things)) list(labelled(things, paste0(things$said, " ", two(things$sure)), "thing")),
    if (NROW(faces)) list(faces),
    if (NROW(words)) list(labelled(words, words$said, "word"))
  ))
}

no_boxes <- function() {
  none <- lapply(stats::setNames(nm = box_names), function(name) numeric())
  labelled(none, character(), character())
}

labelled <- function(rows, label, part) {
  boxes <- as_table(unclass(rows)[box_names])
  cbind(boxes, new_table(label = label, part = rep(part, length.out = nrow(boxes))))
}

faces_labelled <- function(faces) {
  there <- sure_faces(faces)
  if (length(there) == 0) {
    return(NULL)
  }

  looks <- vapply(there, function(i) {
    yaw <- faces$turn[i, 1]
    side <- if (is.null(yaw) || abs(yaw) < turned_from[1]) "" else if (yaw > 0) "right" else "left"
    most <- if (!is.null(faces$expression)) expression_names[which.max(faces$expression[i, ])]
    listed(c("face", most, if (nzchar(side)) paste("to the", side)))
  }, "")
  labelled(lapply(faces[box_names], `[`, there), looks, "face")
}

# Joints as points, with limbs (prep-pose.R) between those that were found, in a panel from `left`
# on that is `high`.
figure_layers <- function(figures, left, high) {
  colour <- family_palette[5]
  unlist(
    lapply(figures, function(figure) {
      at <- do.call(rbind, figure)
      there <- Filter(function(limb) all(limb %in% names(figure)), limbs)
      from <- at[vapply(there, `[`, "", 1), , drop = FALSE]
      to <- at[vapply(there, `[`, "", 2), , drop = FALSE]
      line <- function(colour, width) {
        ggplot2::annotate(
          "segment",
          left + from[, 1], -high * from[, 2],
          xend = left + to[, 1], yend = -high * to[, 2],
          colour = colour, linewidth = width
        )
      }
      list(
        if (length(there)) line("white", 2),
        if (length(there)) line(colour, 1.1),
        ggplot2::annotate(
          "point",
          left + at[, 1], -high * at[, 2],
          shape = 21, size = 2.2, fill = colour, colour = "white"
        )
      )
    }),
    recursive = FALSE
  )
}
