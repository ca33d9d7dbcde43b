# What the entries of suite.yml say of each other and of the files they name.

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

# Ids that two entries share, whichever way they are written: files are named
# by them, and some disks don't tell A from a.
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
  facts <- function(path) if (is.character(path)) files[[path]]
  first <- first_reference(case)
  own <- facts(if (is.list(first)) first$picture else first)$size
  problems <- list()
  note <- function(where, ...) {
    problems[[length(problems) + 1]] <<- new_problem("suite.yml", paste0(place, where), ...)
  }

  over <- function(path, where, what) {
    size <- facts(path)$size
    if (!is.null(size) &&
      !is.null(own) &&
      abs(log(size[1] / size[2]) - log(own[1] / own[2])) > shape_slack(size, own)) {
      note(
        where,
        paste0(quoted(path), ", ", size[1], " x ", size[2]),
        paste0(
          "a ", what, " of the reference's shape, ", own[1], " x ", own[2],
          " or the same at another scale"
        )
      )
    }
  }

  mask <- if (is.character(case$mask)) list(picture = case$mask) else case$mask
  where <- if (is.character(case$mask)) ".mask" else ".mask.picture"
  over(mask$picture, where, "mask")
  white <- facts(mask$picture)$white
  if (!is.null(white) && (if (isTRUE(mask$invert)) 1 - white else white) == 0) {
    note(
      where,
      paste0(
        quoted(mask$picture),
        if (isTRUE(mask$invert)) ", white all over and inverted" else ", black all over"
      ),
      "a mask with something white in it: white may change"
    )
  }

  for (name in names(case$watch)) {
    if (name == "mask") {
      note(
        ".watch.mask",
        "a region called mask",
        "another name: in places, mask is the case's mask"
      )
    }

    over(case$watch[[name]]$mask, paste0(".watch.", name, ".mask"), "mask")
    if (identical(facts(case$watch[[name]]$mask)$white, 0)) {
      note(
        paste0(".watch.", name, ".mask"),
        paste0(quoted(case$watch[[name]]$mask), ", black all over"),
        "a mask that is white where the region is"
      )
    }
  }

  for (kind in names(case$guides)) {
    guide <- if (is.list(case$guides[[kind]])) case$guides[[kind]]
    over(guide$picture, paste0(".guides.", kind, ".picture"), "map")
    if (is.null(first) && is.null(guide$picture) && is.null(guide$keypoints)) {
      note(
        paste0(".guides.", kind),
        "no reference to compute it from",
        "a picture of its own, as this case has no reference"
      )
    }
  }

  box <- if (is.list(first)) first$box
  if (!is.null(box) &&
    (box[[1]] >= 1 || box[[2]] >= 1 || box[[3]] <= 0 || box[[4]] <= 0)) {
    note(
      ".reference.box",
      show_box(box),
      "a box that covers some of the picture, which runs from 0 to 1"
    )
  }

  bind_problems(problems)
}

show_box <- function(box) paste0("[", paste(unlist(box), collapse = ", "), "]")

# Two pixels' worth of rounding at either size, and 1 % on top.
shape_slack <- function(a, b) 0.01 + 2 / min(a, b)

# What probes say of the case that they stand in: places and looks that it has not, and
# bounds that no picture can keep together.
probe_problems <- function(case, place, looks) {
  problems <- list()
  asked <- list()
  for (part in c("prompt", "negative")) {
    for (i in seq_along(if (is.list(case[[part]])) case[[part]])) {
      phrase <- case[[part]][[i]]
      probe <- if (is.list(phrase)) phrase$probe
      if (!is_keyed(probe)) {
        next
      }

      at <- paste0(place, ".", part, "[", i, "].probe")
      problems <- c(
        problems,
        list(
          region_problems(probe$where, case, at),
          if (is_text(probe$look)) look_problems(probe$look, looks, at)
        )
      )
      built <- tryCatch(build_probe(probe), error = function(e) NULL)
      if (part == "prompt" && length(built$bound) == 2) {
        asked <- c(asked, list(list(at = at, probe = built)))
      }
    }
  }

  alike <- vapply(
    asked,
    function(one) {
      paste(
        c(one$probe$measure, one$probe$where, one$probe$colour, one$probe$look),
        collapse = " "
      )
    },
    ""
  )
  for (i in seq_along(asked)) {
    for (j in which(alike[seq_len(i - 1)] == alike[i])) {
      bounds <- list(asked[[j]]$probe$bound, asked[[i]]$probe$bound)
      if (max(bounds[[1]][1], bounds[[2]][1]) > min(bounds[[1]][2], bounds[[2]][2])) {
        problems <- c(
          problems,
          list(
            new_problem(
              "suite.yml",
              asked[[i]]$at,
              probe_words(asked[[i]]$probe),
              paste0(
                "a bound that can be kept together with ", asked[[j]]$at,
                ", which wants ", probe_words(asked[[j]]$probe)
              )
            )
          )
        )
      }
    }
  }

  bind_problems(problems)
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
