# Warnings: what a trial may do but probably should not. Given before anything is made, and only
# where there is something to say.

# One row a warning: the columns of a problem, and `kind` and `case` (its number
# in the suite), by which the picture that shows it is drawn.
trial_warnings <- function(trial) {
  cases <- trial$suite$cases
  known <- Cache$new()
  found <- lapply(seq_along(cases), function(i) {
    case <- cases[[i]]
    # Many cases share a job and a frame.
    sizes <- known$get(
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
  new_table(no_problems(), kind = character(), case = integer())
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
  place <- if (length(case$references) > 1) paste0("references[", j, "]") else "reference"
  frame <- inner_frame(case, suite)
  seen <- list(
    reference = reference,
    name = basename(reference$path),
    facts = suite$files[[reference$path]],
    frame = frame,
    job = case$job,
    working = largest_size(sizes),
    warn = function(kind, ...) new_warning(kind, i, place, ...)
  )
  bind_problems(
    Filter(
      Negate(is.null),
      list(
        warn_of_box(seen),
        warn_of_crop(seen),
        warn_of_extend(seen),
        warn_of_stretch(seen),
        warn_of_size(seen),
        warn_of_shrinking(seen),
        warn_of_profile(seen),
        warn_of_bars(seen),
        warn_of_blank(seen),
        warn_of_patches(seen)
      )
    )
  )
}

# From here on something is said; shares of the picture, or of its own aspect.
too_much_cropped <- 0.5
too_much_stretched <- 0.15
too_wide_bars <- 0.02
too_patchy <- 0.4
# Root mean square OKLab distance from the mean colour; the bound of a serious `blank` in a take.
too_blank <- 0.012

size_words <- function(size) paste(round(size[1]), "x", round(size[2]))

largest_size <- function(sizes) {
  largest <- which.max(sizes$width * sizes$height)
  c(sizes$width[largest], sizes$height[largest])
}

warn_of_box <- function(seen) {
  box <- seen$reference$box
  beyond <- c(
    left = -box[1],
    top = -box[2],
    right = box[3] - 1,
    bottom = box[4] - 1
  )
  beyond <- names(beyond)[beyond > 1e-6]
  if (length(beyond) && seen$reference$fit != "extend") {
    seen$warn(
      "box beyond",
      paste0("a box beyond the ", paste(beyond, collapse = " and "), " edge of ", seen$name),
      paste0("a box from 0 to 1; what lies beyond is filled with ", seen$reference$fill)
    )
  }
}

warn_of_crop <- function(seen) {
  box <- seen$reference$box
  window <- fit_window(seen$facts$size, seen$frame, seen$reference)$source
  kept <- prod(window[3:4] - window[1:2]) / prod(box[3:4] - box[1:2])
  if (seen$reference$fit == "crop" && kept < too_much_cropped) {
    seen$warn(
      "cropped hard",
      paste0("a crop that keeps ", percent_words(kept), " of ", seen$name),
      "fit: pad or extend, or a size nearer to the picture's own aspect"
    )
  }
}

warn_of_extend <- function(seen) {
  if (seen$reference$fit == "extend" && seen$job %in% c("restyle", "vary", "swap", "blend")) {
    seen$warn(
      "extend only",
      paste0("fit: extend under ", seen$job),
      paste0(
        "fit: pad, or job: extend; with fit: extend only the padding may change, not the ",
        "picture"
      )
    )
  }
}

warn_of_stretch <- function(seen) {
  if (seen$reference$fit != "stretch") {
    return(NULL)
  }

  stretch <- stretch_of(seen$facts$size, seen$reference$box, seen$frame)
  if (abs(stretch) > too_much_stretched) {
    seen$warn(
      "stretched",
      paste0(seen$name, " stretched to ", round(100 * exp(stretch)), " % of its own aspect"),
      "fit: crop, pad or extend, unless that is meant"
    )
  }
}

warn_of_size <- function(seen) {
  box <- seen$reference$box
  taken <- seen$facts$size * (pmin(box[3:4], 1) - pmax(box[1:2], 0))
  if (length(seen$working) && prod(taken) < prod(seen$working) / 4) {
    seen$warn(
      "small",
      paste0(size_words(taken), " of ", seen$name),
      paste0(
        "a picture of at least a quarter of the pixels that the engines work on (up to ",
        size_words(seen$working), ")"
      )
    )
  }
}

warn_of_shrinking <- function(seen) {
  if (!is.null(seen$facts$large)) {
    seen$warn(
      "shrunk",
      paste0(seen$name, ", ", size_words(seen$facts$large)),
      paste0(
        "at most 16 million pixels: a larger picture is brought to a long edge of 4096 as it ",
        "is read"
      )
    )
  }
}

warn_of_profile <- function(seen) {
  if (identical(seen$facts$profile, "unknown")) {
    seen$warn(
      "unknown profile",
      paste0(seen$name, ", with a colour profile that can't be applied"),
      "a picture in sRGB, as which its colours are read"
    )
  }
}

# The part of a bar that the crop leaves.
warn_of_bars <- function(seen) {
  box <- seen$reference$box
  cut <- pmax(
    c(top = box[2], bottom = 1 - box[4], left = box[1], right = 1 - box[3]),
    0
  )
  bars <- seen$facts$bars - cut[names(seen$facts$bars)]
  bars <- names(bars)[bars > too_wide_bars]
  if (length(bars)) {
    seen$warn(
      "bars",
      paste0(seen$name, ", with plain bars at the ", paste(bars, collapse = " and ")),
      "a box that cuts them off: engines would repaint them"
    )
  }
}

# Its spread is known on white only.
warn_of_blank <- function(seen) {
  clear <- seen$facts$clear
  on_white <- all(paint_values(seen$reference$backdrop) == 1)
  if (seen$facts$spread >= too_blank || (clear && !on_white)) {
    return(NULL)
  }

  seen$warn(
    "blank",
    paste0(
      seen$name, ", in which nothing can be seen",
      if (clear) " where its transparency is laid on white"
    ),
    if (clear) {
      "a `backdrop` on which it can be seen, for example black"
    } else {
      "a picture of more than one colour: here is no structure to keep"
    }
  )
}

warn_of_patches <- function(seen) {
  patchy <- seen$facts$patchy
  if (seen$job %in% layout_jobs && patchy > too_patchy) {
    seen$warn(
      "patchy",
      paste0(seen$name, ", of which ", percent_words(patchy), " is in very small patches"),
      paste0(
        "a picture with larger forms, as ", seen$job,
        " keeps the layout, and here hardly any can be seen"
      )
    )
  }
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
      " of what it works on are mirrored edges, which are cut off afterwards"
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
      "at least 2 %: smaller changes look pasted in, if they are visible at all"
    } else {
      "at most 85 %: almost nothing is left to keep"
    }
  )
}
