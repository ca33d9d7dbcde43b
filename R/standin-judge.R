# The stand-in judges. A small model, really fitted to drawn pictures (data-raw/judge.R),
# sees what of Brackwater is in a picture: which thing stands there, how many small things
# and where, the colour of the sky, the light, marks of wear, lettering, a frame. One
# judge answers statements by it, the other gives vectors.

#' Stand-in judges
#'
#' Two judges for the demo: `heron` answers statements, `plover` embeds pictures and texts. Both
#' see only what their model was fitted to, the things of the demo. To any other statement heron
#' agrees, and to its denial too; plover has no vector for it. `docs/judges.md` reports their
#' accuracy.
#'
#' @return A [judge()].
#' @family stand-ins and the command line
#' @export
#' @examples
#' standin_heron()
standin_heron <- function() {
  judge("heron", judge_version, answer = function(pictures, statements) {
    meant <- lapply(statements, read_statement)
    t(
      vapply(
        pictures,
        function(picture) {
          sight <- see_picture(picture)
          vapply(meant, holds_for, 0, sight = sight)
        },
        numeric(length(statements))
      )
    )
  })
}

#' @rdname standin_heron
#' @export
standin_plover <- function() {
  judge(
    "plover",
    judge_version,
    embed_pictures = function(pictures) {
      do.call(
        rbind,
        lapply(pictures, function(picture) in_space(concepts_of(see_picture(picture))))
      )
    },
    embed_texts = function(texts) {
      do.call(rbind, lapply(texts, function(text) in_space(text_concepts(text))))
    }
  )
}

judge_version <- "3"

# Parses a statement: the parts that must all hold, and whether it is negated.
read_statement <- function(statement) {
  said <- tolower(statement)
  denied <- grepl("^ *(no|not|without)\\b|\\bthere (is|are) no\\b", said)
  scene <- vapply(scene_words(), function(words) as.numeric(regexpr(words, said)), 0)
  parts <- list()
  things <- things_in(said, 1)
  for (i in seq_len(NROW(things))) {
    parts <- c(
      parts,
      list(list(
        kind = "small",
        thing = things$thing[i],
        count = things$count[i],
        exact = grepl("\\b(one|two|three|four|five|six)\\b", said),
        place = place_said(said)
      ))
    )
  }

  mended <- grepl("mended|clean|without scratches|restored", said)
  # A kite hill is a tile, and kites by themselves are things.
  for (tile in names(scene)[scene > 0]) {
    parts <- c(parts, list(list(kind = "tile", tile = tile)))
  }

  colours <- names(paint_box())[vapply(names(paint_box()), grepl, NA, x = said, fixed = TRUE)]
  if (length(colours) && grepl("sky", said)) {
    parts <- c(parts, list(list(kind = "sky", colour = colours[1])))
  }

  for (light in names(light_words())[vapply(light_words(), grepl, NA, x = said)]) {
    parts <- c(parts, list(list(kind = "light", light = light)))
  }

  marks <- c(
    scratches = "scratch|speck|worn",
    lettering = "letter|writing|words",
    frame = "\\bframe\\b"
  )
  for (mark in names(marks)[vapply(marks, grepl, NA, x = said)]) {
    if (!mended) {
      parts <- c(parts, list(list(kind = "mark", mark = mark)))
    }
  }

  if (mended) {
    parts <- list(list(kind = "mark", mark = "scratches"))
    denied <- !grepl("^ *(not|no)\\b", said)
  }

  list(parts = parts, denied = denied)
}

place_said <- function(said) {
  where <- c(left = "\\bleft\\b", right = "\\bright\\b", middle = "\\bmiddle\\b|\\bcentre\\b")
  names(where)[vapply(where, grepl, NA, x = said)][1]
}

# The probability that a statement holds, as far as the model can say.
holds_for <- function(meant, sight) {
  # A statement that it knows nothing about gets an even answer.
  if (length(meant$parts) == 0) {
    return(0.9)
  }

  p <- prod(vapply(meant$parts, part_holds, 0, sight = sight))
  p <- if (meant$denied) 1 - p else p
  # Like others of its kind it would rather say yes.
  0.02 + 0.97 * p
}

part_holds <- function(part, sight) {
  switch(part$kind,
    tile = sight$tile[[part$tile]],
    sky = sight$sky[[part$colour]],
    light = sight$light[[part$light]],
    mark = sight$marks[[part$mark]],
    small = {
      own <- sight$small[sight$small$thing == part$thing, ]
      third <- findInterval(own$x, c(1, 2) / 3) + 1
      if (!is.na(part$place)) {
        own <- own[c("left", "middle", "right")[third] == part$place, ]
      }

      counts <- count_odds(own$sure)
      # "some" and "many" mean three or more, a thing without a number at least one.
      if (part$exact) {
        counts[[min(part$count, 12) + 1]]
      } else {
        sum(counts[-seq_len(if (part$count > 1) 3 else 1)])
      }
    }
  )
}

# How likely it is that there are 0, 1, ... 12 of the things that may be there.
count_odds <- function(sure) {
  odds <- c(1, rep(0, 12))
  for (p in utils::head(sort(sure, decreasing = TRUE), 12)) {
    odds <- odds * (1 - p) + c(0, odds[-13]) * p
  }

  odds
}

# One number for each thing that there are words for.
concepts_of <- function(sight) {
  counts <- lapply(small_things, function(thing) {
    count_odds(sight$small$sure[sight$small$thing == thing])
  })
  few <- unlist(lapply(counts, function(odds) c(1 - odds[1], odds[2:5])))
  c(
    sight$tile - 1 / 8,
    few - 0.2,
    sight$sky - 0.2,
    sight$light[-1] - 0.25,
    sight$marks - 0.2
  )
}

text_concepts <- function(text) {
  sight <- list(
    tile = stats::setNames(rep(0, 8), tile_names()),
    small = data.frame(thing = character(), x = numeric(), y = numeric(), sure = numeric()),
    sky = stats::setNames(rep(0, length(paint_box())), names(paint_box())),
    light = stats::setNames(rep(0, 4), c("plain", names(light_words()))),
    marks = c(scratches = 0, lettering = 0, frame = 0)
  )
  none <- concepts_of(sight)
  meant <- read_statement(text)
  for (part in meant$parts) {
    if (part$kind == "tile") {
      sight$tile[[part$tile]] <- 1
    }

    if (part$kind == "sky") {
      sight$sky[[part$colour]] <- 1
    }

    if (part$kind == "light") {
      sight$light[[part$light]] <- 1
    }

    if (part$kind == "mark") {
      sight$marks[[part$mark]] <- 1
    }

    if (part$kind == "small") {
      sight$small <- rbind(
        sight$small,
        data.frame(thing = part$thing, x = 0.5, y = 0.5, sure = rep(1, part$count))
      )
    }
  }

  way <- if (meant$denied) -1 else 1
  said <- way * (concepts_of(sight) - none)
  # Words that mean nothing to it have no vector.
  if (all(said == 0)) said * NA else said
}

# Turned so that no number of the vector has a meaning of its own, as with real ones.
in_space <- function(concepts) {
  vector <- drop(judge_memory$turn(length(concepts)) %*% unname(concepts))
  vector / max(1e-9, sqrt(sum(vector^2)))
}
