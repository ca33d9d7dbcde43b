# What a trial may do and probably should not: told before anything is made, and
# never when there is nothing to say.

# One row a warning: the columns of a problem, and `kind` and `case` (its number
# in the suite), by which the picture that shows it is drawn.
trial_warnings <- function(trial) {
  cases <- trial$suite$cases
  known <- new.env()
  found <- lapply(seq_along(cases), function(i) {
    case <- cases[[i]]
    # Many cases share a job and a frame.
    sizes <- keep(
      known,
      paste(c(case$job, case_frame(case, trial$suite)), collapse = " "),
      case_sizes(case, trial)
    )
    bind_problems(
      Filter(
        Negate(is.null),
        c(
          lapply(seq_along(case$references), function(j) {
            reference_warnings(case, j, i, trial$suite, sizes)
          }),
          list(
            frame_warning(case, i, trial$suite, sizes),
            mask_warning(case, i, trial$suite),
            look_warning(case, i, trial$suite)
          ),
          twin_warnings(case, i, trial$suite)
        )
      )
    )
  })
  found <- bind_problems(found)
  if (nrow(found) == 0) {
    no_warnings()
  } else {
    place_problems(found, trial$texts)
  }
}

no_warnings <- function() {
  tibble::add_column(no_problems(), kind = character(), case = integer())
}

new_warning <- function(kind, case, place, found, wanted) {
  warning <- new_problem("suite.yml", paste0("cases[", case, "].", place), found, wanted)
  warning$kind <- kind
  warning$case <- case
  warning
}

# The sizes at which a case is worked on, without those that are no engine's: a
# data frame of `engine`, `checkpoint`, `width` and `height`, each once.
case_sizes <- function(case, trial) {
  pipelines <- trial$lineup$pipelines
  pipelines <- unique(
    pipelines[vapply(
      pipelines$jobs,
      function(jobs) case$job %in% jobs,
      NA
    ), c("engine", "checkpoint")]
  )
  frame <- case_frame(case, trial$suite)
  sizes <- vapply(
    seq_len(nrow(pipelines)),
    function(i) {
      working_size(
        frame,
        trial$lineup$engines[[pipelines$engine[i]]]$about$checkpoints[[pipelines$checkpoint[i]]]
      )
    },
    integer(2)
  )
  data.frame(
    engine = pipelines$engine,
    checkpoint = pipelines$checkpoint,
    width = sizes[1, ],
    height = sizes[2, ]
  )
}

# Jobs in which the layout is to be kept: there it has to be one that can be seen.
layout_jobs <- c("restyle", "repair", "swap")

reference_warnings <- function(case, j, i, suite, sizes) {
  reference <- case$references[[j]]
  facts <- suite$files[[reference$path]]
  place <- if (length(case$references) > 1) paste0("references[", j, "]") else "reference"
  name <- basename(reference$path)
  size_words <- function(size) paste(round(size[1]), "x", round(size[2]))
  box <- reference$box
  taken <- facts$size * (pmin(box[3:4], 1) - pmax(box[1:2], 0))
  beyond <- c(
    left = -box[1],
    top = -box[2],
    right = box[3] - 1,
    bottom = box[4] - 1
  )
  # What the cut leaves of a bar.
  bars <- facts$bars -
    pmax(
      c(top = box[2], bottom = 1 - box[4], left = box[1], right = 1 - box[3]),
      0
    )[names(facts$bars)]
  kept <- fit_window(facts$size, inner_frame(case, suite), reference)$source
  kept <- prod(kept[3:4] - kept[1:2]) / prod(box[3:4] - box[1:2])
  largest <- which.max(sizes$width * sizes$height)
  working <- c(sizes$width[largest], sizes$height[largest])
  warn <- function(kind, ...) new_warning(kind, i, place, ...)
  bind_problems(
    Filter(
      Negate(is.null),
      list(
        if (any(beyond > 1e-6) && reference$fit != "extend") {
          warn(
            "box beyond",
            paste0(
              "a cut that leaves ", name, " at the ",
              paste(names(beyond)[beyond > 1e-6], collapse = " and ")
            ),
            paste0("a box from 0 to 1; what lies beyond is filled with ", reference$fill)
          )
        },
        if (reference$fit == "crop" && kept < 0.5) {
          warn(
            "cropped hard",
            paste0("a crop that keeps ", percent_words(kept), " of ", name),
            "fit: pad or extend, or a size nearer to the picture's own aspect"
          )
        },
        if (reference$fit == "extend" && case$job %in% c("restyle", "vary", "swap", "blend")) {
          warn(
            "extend only",
            paste0("fit: extend under ", case$job),
            paste0(
              "fit: pad, or job: extend: as it is only the padding may change, and the picture ",
              "stays what it was"
            )
          )
        },
        if (reference$fit == "stretch" &&
          abs(stretch_of(facts$size, box, inner_frame(case, suite))) > 0.15) {
          warn(
            "stretched",
            paste0(
              name, " stretched to ",
              round(100 * exp(stretch_of(facts$size, box, inner_frame(case, suite)))),
              " % of its own aspect"
            ),
            "fit: crop, pad or extend, unless that is meant"
          )
        },
        if (length(working) && prod(taken) < prod(working) / 4) {
          warn(
            "small",
            paste0(size_words(taken), " of ", name),
            paste0(
              "a picture of at least a quarter of the pixels that the engines work on (up to ",
              size_words(working), ")"
            )
          )
        },
        if (!is.null(facts$large)) {
          warn(
            "shrunk",
            paste0(name, ", ", size_words(facts$large)),
            paste0(
              "at most 16 million pixels: a larger picture is brought to a long edge of 4096 as ",
              "it is read"
            )
          )
        },
        if (identical(facts$profile, "unknown")) {
          warn(
            "unknown profile",
            paste0(name, ", with a colour profile that can't be followed"),
            "a picture in sRGB: its colours are read as if they were"
          )
        },
        if (max(bars) > 0.02) {
          warn(
            "bars",
            paste0(
              name, ", with plain bars at the ",
              paste(names(bars)[bars > 0.02], collapse = " and ")
            ),
            "a box that cuts them off: engines paint them on"
          )
        },
        if (case$job %in% layout_jobs && facts$patchy > 0.4) {
          warn(
            "patchy",
            paste0(
              name, ", of which ", percent_words(facts$patchy),
              " is in very small patches"
            ),
            paste0(
              "a picture with larger forms, as ", case$job,
              " keeps the layout and there is hardly one to see"
            )
          )
        }
      )
    )
  )
}

percent_words <- function(share) paste(round(100 * share), "%")

# How much wider a stretch makes a picture, as a logarithm.
stretch_of <- function(own, box, frame) {
  cut <- own * (box[3:4] - box[1:2])
  log(frame[1] / frame[2]) - log(cut[1] / cut[2])
}

# An engine whose sizes are all of another aspect gets the frame with its edges
# mirrored outwards; the more of those, the less it works on what was asked.
frame_warning <- function(case, i, suite, sizes) {
  frame <- case_frame(case, suite)
  off <- abs(log(sizes$width / sizes$height) - log(frame[1] / frame[2]))
  far <- which(off > 0.2)
  if (length(far) == 0) {
    return(NULL)
  }

  worst <- sizes[far[which.max(off[far])], ]
  new_warning(
    "far aspect",
    i,
    "reference",
    paste0(
      "a frame of ", frame[1], " x ", frame[2], ", for which ",
      worst$engine, " ", worst$checkpoint, " has nothing nearer than ", worst$width,
      " x ", worst$height
    ),
    paste0(
      "a frame of about that aspect: ",
      percent_words(1 - exp(-off[far[which.max(off[far])]])),
      " of what it works on are mirrored edges, cut off again afterwards"
    )
  )
}

mask_warning <- function(case, i, suite) {
  if (is.null(case$mask)) {
    return(NULL)
  }

  share <- mean(case_mask(case, suite, case_frame(case, suite)))
  if (share >= 0.02 && share <= 0.85) {
    return(NULL)
  }

  new_warning(
    if (share < 0.02) "small mask" else "large mask",
    i,
    "mask",
    paste0(
      "a mask that lets ",
      if (share < 0.1) paste(format(100 * share, digits = 2), "%") else percent_words(share),
      " of the frame change"
    ),
    if (share < 0.02) {
      "at least 2 %: so little looks pasted in, if anything of it is seen"
    } else {
      "at most 85 %: next to nothing is left to keep"
    }
  )
}

# Words of a prompt that a look can't go with, by what is measured of its
# pictures.
style_claims <- list(
  list(
    words = "black and white|monochrome|gr[ea]yscale|sepia|one colour",
    off = function(tone) tone["one_hue"] < 0.7,
    says = "a look in several colours"
  ),
  list(
    words = "colou?rful|vivid|many colours|rainbow",
    off = function(tone) tone["chroma"] < 0.035,
    says = "a look with hardly any colour"
  ),
  list(
    words = "pastel|pale colours",
    off = function(tone) tone["lightness"] < 0.55,
    says = "a dark look"
  )
)

look_warning <- function(case, i, suite) {
  if (is.na(case$look) || case$neutral) {
    return(NULL)
  }

  say <- tolower(paste(vapply(case$prompt, `[[`, "", "say"), collapse = ", "))
  off <- Filter(function(style) grepl(paste0("\\b(", style$words, ")\\b"), say), style_claims)
  if (length(off)) {
    tone <- rowMeans(vapply(suite$looks[[case$look]], picture_tone, numeric(3)))
    off <- Filter(function(style) style$off(tone), off)
  }

  other <- Filter(
    function(name) grepl(paste0("\\b", name, "\\b"), say),
    setdiff(tolower(names(suite$looks)), tolower(case$look))
  )
  if (length(off) + length(other) == 0) {
    return(NULL)
  }

  word <- if (length(off)) regmatches(say, regexpr(off[[1]]$words, say)) else other[1]
  new_warning(
    "look against prompt",
    i,
    "prompt",
    paste0(
      "the word ", quoted(word), " beside the look ", quoted(case$look),
      if (length(off)) paste0(", ", off[[1]]$says)
    ),
    "a prompt and a look that ask for the same: engines given both muddle them"
  )
}

picture_tone <- function(path) {
  lab <- matrix(small_oklab(path, 96), ncol = 3, dimnames = list(NULL, c("L", "a", "b")))
  c(
    one_hue = mean(in_one_hue(lab)),
    lightness = mean(lab[, "L"]),
    chroma = mean(sqrt(lab[, "a"]^2 + lab[, "b"]^2))
  )
}

small_oklab <- function(path, edge) core_oklab(read_picture(path), edge, edge)

# Several references that are next to one and the same picture count double.
twin_warnings <- function(case, i, suite) {
  if (length(case$references) < 2) {
    return(list())
  }

  coarse <- lapply(case$references, function(reference) small_oklab(reference$path, 24))
  pairs <- utils::combn(length(coarse), 2, simplify = FALSE)
  lapply(pairs, function(pair) {
    apart <- mean(sqrt(rowSums((coarse[[pair[1]]] - coarse[[pair[2]]])^2, dims = 2)))
    if (apart < 0.03) {
      names <- basename(vapply(case$references[pair], `[[`, "", "path"))
      new_warning(
        "twins",
        i,
        paste0("references[", pair[2], "]"),
        paste0(names[2], ", next to the same as ", names[1]),
        "pictures that differ, or one of them with a higher weight"
      )
    }
  })
}
