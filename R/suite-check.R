# Checks between the entries of suite.yml, and of the files they name.

suite_problems <- function(read, files) {
  suite <- read$value
  cases <- if (is.list(suite)) suite$cases
  sound <- sound_entries(read, "cases")
  problems <- list(repeated_ids(read, "cases", "suite.yml"))
  seeds <- if (is.list(suite) && is.list(suite$seeds)) suite$seeds
  for (i in which(duplicated(seeds))) {
    problems <- c(
      problems,
      list(
        new_problem(
          "suite.yml",
          paste0("seeds[", i, "]"),
          show_value(seeds[[i]]),
          "every seed once"
        )
      )
    )
  }

  for (i in sound) {
    place <- paste0("cases[", i, "]")
    problems <- c(
      problems,
      list(
        look_problems(cases[[i]]$look, names(suite$looks), place),
        shape_problems(cases[[i]], place, files),
        probe_problems(cases[[i]], place, names(suite$looks))
      )
    )
  }

  bind_problems(problems)
}

# Duplicate ids, ignoring case: files are named by them, and some disks don't distinguish A from
# a.
repeated_ids <- function(read, name, file) {
  entries <- read$value[[name]]
  ids <- rep(NA_character_, length(entries))
  sound <- sound_entries(read, name)
  ids[sound] <- vapply(entries[sound], `[[`, "", "id")
  bind_problems(
    lapply(which(duplicated(tolower(ids), incomparables = NA)), function(i) {
      first <- match(tolower(ids[i]), tolower(ids))
      new_problem(
        file,
        paste0(name, "[", i, "].id"),
        quoted(ids[i]),
        paste0("an id that no other of the ", name, " has; ", name, "[", first, "] has it")
      )
    })
  )
}

look_problems <- function(look, looks, place) {
  name <- if (is.list(look)) look$name else look
  if (is.null(name) || name %in% looks) {
    return(no_problems())
  }

  wanted <- if (length(looks)) {
    paste("one of the suite's looks:", paste(looks, collapse = ", "))
  } else {
    "a look that the suite describes under looks"
  }
  new_problem(
    "suite.yml",
    paste0(place, ".look", if (is.list(look)) ".name"),
    quoted(name),
    wanted,
    nearest_word(name, looks)
  )
}

# The reference of a case as written that sets its frame, or NULL. By [[ ]], since
# $ would take `references` for `reference`.
first_reference <- function(case) {
  case[["reference"]] %||% if (length(case[["references"]])) case[["references"]][[1]]
}

# Masks, watched regions and guides are drawn over the reference, so they have
# its shape; and guides that are computed need a reference to compute from.
shape_problems <- function(case, place, files) {
  first <- first_reference(case)
  own <- facts_at(if (is.list(first)) first$picture else first, files)$size
  problem <- function(where, found, wanted) {
    new_problem("suite.yml", paste0(place, where), found, wanted)
  }

  over <- function(path, where, what) {
    size <- facts_at(path, files)$size
    if (!same_shape(size, own)) {
      problem(
        where,
        paste0(quoted(path), ", ", size[1], " x ", size[2]),
        paste0(
          "a ", what, " of the reference's shape, ", own[1], " x ", own[2],
          " or the same at another scale"
        )
      )
    }
  }

  bind_problems(c(
    mask_problems(case$mask, files, over, problem),
    unlist(
      lapply(names(case$watch), function(name) {
        watch_problems(name, case$watch[[name]], files, over, problem)
      }),
      recursive = FALSE
    ),
    unlist(
      lapply(names(case$guides), function(kind) {
        guide_problems(kind, case$guides[[kind]], is.null(first), over, problem)
      }),
      recursive = FALSE
    ),
    flaw_problems(case$flaws, is.null(first), problem),
    box_problems(if (is.list(first)) first$box, problem)
  ))
}

flaw_problems <- function(flaws, no_reference, problem) {
  compared <- if (no_reference) which(unlist(flaws) != "lettering")
  lapply(compared, function(at) {
    problem(
      paste0(".flaws[", at, "]"),
      paste0(quoted(flaws[[at]]), " without a reference"),
      "a reference to compare with, or lettering alone"
    )
  })
}

facts_at <- function(path, files) if (is.character(path)) files[[path]]

same_shape <- function(size, own) {
  is.null(size) ||
    is.null(own) ||
    abs(log(size[1] / size[2]) - log(own[1] / own[2])) <= shape_slack(size, own)
}

mask_problems <- function(mask, files, over, problem) {
  where <- if (is.character(mask)) ".mask" else ".mask.picture"
  if (is.character(mask)) {
    mask <- list(picture = mask)
  }

  white <- facts_at(mask$picture, files)$white
  inverted <- isTRUE(mask$invert)
  empty <- !is.null(white) && white == if (inverted) 1 else 0
  list(
    over(mask$picture, where, "mask"),
    if (empty) {
      problem(
        where,
        paste0(
          quoted(mask$picture),
          if (inverted) ", white all over and inverted" else ", black all over"
        ),
        "a mask with something white in it: white may change"
      )
    }
  )
}

watch_problems <- function(name, region, files, over, problem) {
  where <- paste0(".watch.", name, ".mask")
  list(
    if (name == "mask") {
      problem(
        ".watch.mask",
        "a region called mask",
        "another name: in places, mask is the case's mask"
      )
    },
    over(region$mask, where, "mask"),
    if (identical(facts_at(region$mask, files)$white, 0)) {
      problem(
        where,
        paste0(quoted(region$mask), ", black all over"),
        "a mask that is white where the region is"
      )
    }
  )
}

guide_problems <- function(kind, guide, no_reference, over, problem) {
  guide <- if (is.list(guide)) guide
  list(
    over(guide$picture, paste0(".guides.", kind, ".picture"), "map"),
    if (no_reference && is.null(guide$picture) && is.null(guide$keypoints)) {
      problem(
        paste0(".guides.", kind),
        "no reference to compute it from",
        "a picture of its own, as this case has no reference"
      )
    }
  )
}

box_problems <- function(box, problem) {
  if (is.null(box) ||
    !(box[[1]] >= 1 || box[[2]] >= 1 || box[[3]] <= 0 || box[[4]] <= 0)) {
    return(NULL)
  }

  list(
    problem(
      ".reference.box",
      show_box(box),
      "a box that covers some of the picture, which runs from 0 to 1"
    )
  )
}

show_box <- function(box) paste0("[", paste(unlist(box), collapse = ", "), "]")

# Two pixels' worth of rounding at either size, and 1 % on top.
shape_slack <- function(a, b) 0.01 + 2 / min(a, b)

# Problems of probes with their case: places and looks that it lacks, and bounds that no picture
# can meet together.
probe_problems <- function(case, place, looks) {
  probes <- written_checks(case, place, "probe", build_probe)
  each <- lapply(probes, function(one) {
    list(
      region_problems(one$written$where, case, one$at),
      if (is_text(one$written$look)) look_problems(one$written$look, looks, one$at),
      stale_problems(one)
    )
  })
  finds <- lapply(written_checks(case, place, "find", build_find), stale_problems)
  asked <- Filter(function(one) one$part == "prompt" && length(one$probe$bound) == 2, probes)
  bind_problems(unlist(each, recursive = FALSE), finds, contradictions(asked))
}

# The checks of a case's phrases under one `key`: `written` as in the file, `probe` as it is built
# from that (NULL where it can't be), with the `part` of the case and the place `at` which it
# stands.
written_checks <- function(case, place, key, build) {
  of_part <- function(part) {
    phrases <- if (is.list(case[[part]])) case[[part]]
    unlist(
      lapply(seq_along(phrases), function(i) {
        at <- paste0(place, ".", part, "[", i, "].", key)
        written <- checks_of(phrases[[i]], key)
        several <- is.list(phrases[[i]]) && !is_keyed(phrases[[i]][[key]])
        lapply(which(as.logical(lapply(written, is_keyed))), function(k) {
          list(
            part = part,
            at = paste0(at, if (several) paste0("[", k, "]")),
            say = phrases[[i]]$say,
            written = written[[k]],
            probe = tryCatch(build(written[[k]]), error = function(e) NULL)
          )
        })
      }),
      recursive = FALSE
    )
  }

  c(of_part("prompt"), of_part("negative"))
}

# A drafted check of words that were changed since would quietly look for what they said before.
stale_problems <- function(one) {
  if (is_text(one$say) && is_text(one$written$drafted) &&
    draft_state(one$say, one$written) == "stale") {
    new_problem(
      "suite.yml",
      paste0(one$at, ".drafted"),
      paste0("a check that was drafted from other words than ", show_value(one$say)),
      paste0(
        "a check of these words (`sprenn evidence TRIAL --draft` drafts it anew), or no ",
        "`drafted`, if it fits them as well"
      )
    )
  }
}

# Two probes that ask the same of one place with bounds that have nothing in common.
contradictions <- function(asked) {
  subject <- vapply(
    asked,
    function(one) {
      paste(unlist(one$probe[c("measure", "where", "colour", "look")]), collapse = " ")
    },
    ""
  )
  pairs <- which(outer(subject, subject, `==`), arr.ind = TRUE)
  pairs <- pairs[pairs[, "col"] < pairs[, "row"], , drop = FALSE]
  lapply(seq_len(nrow(pairs)), function(k) {
    later <- asked[[pairs[k, "row"]]]
    first <- asked[[pairs[k, "col"]]]
    lower <- max(first$probe$bound[1], later$probe$bound[1])
    upper <- min(first$probe$bound[2], later$probe$bound[2])
    if (lower > upper) {
      new_problem(
        "suite.yml",
        later$at,
        probe_words(later$probe),
        paste0(
          "a bound that can be kept together with ", first$at, ", which wants ",
          probe_words(first$probe)
        )
      )
    }
  })
}

region_problems <- function(where, case, place) {
  if (!is_text(where) ||
    where %in% place_names() ||
    !grepl(region_pattern, where, perl = TRUE)) {
    return(no_problems())
  }

  regions <- c(if (!is.null(case$mask) || !is.null(case$grow)) "mask", names(case$watch))
  name <- sub(region_pattern, "\\2", where, perl = TRUE)
  if (name %in% regions) {
    return(no_problems())
  }

  wanted <- if (length(regions)) {
    paste("inside or outside of what the case has:", paste(regions, collapse = ", "))
  } else {
    "a place by its name or as a box: the case has neither a mask nor regions to watch"
  }
  new_problem(
    "suite.yml",
    paste0(place, ".where"),
    quoted(where),
    wanted,
    nearest_word(name, regions)
  )
}
