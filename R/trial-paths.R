# Every file that a suite names: read once, checked against the requirements of its place, and
# identified by its content.

# Problems of the files, and for each sound path (as the suite writes it) its facts. Pictures have
# `size` (width, height, after turning), `hash` (of the pixels), `white` (the share that is
# white), `large` (the size before it was shrunk), `profile`, and for the warnings `bars` (shares
# of the picture by side), `patchy` (the share in very small regions), `spread` (how far its colours
# are from their mean) and `clear` (whether some of it is transparent); keypoints have `figures`
# and `hash`. The suite may be unsound elsewhere, so nothing of it is taken for granted.
examine_files <- function(read, folder, examiner = examine_pictures(read$value, folder)) {
  named <- named_files(read$value)
  named <- named[!duplicated(named[c("path", "role")]), ]
  found <- stats::setNames(examiner$find(named), named$path)
  problems <- Map(
    function(one, place, path) {
      if (!is.null(one$wrong)) {
        new_problem(
          read$file,
          place,
          paste0(quoted(path), ", ", one$wrong),
          one$wanted,
          one$near
        )
      }
    },
    found,
    named$place,
    named$path
  )
  facts <- Filter(Negate(is.null), lapply(found, `[[`, "facts"))
  list(problems = bind_problems(Filter(Negate(is.null), problems)), facts = facts)
}

# Starts to examine the files that a suite names. Returns two functions: `find` waits for the
# facts of a table of files, `stop` cancels. Many files are examined by worker processes in the
# background; the facts do not depend on their number.
examine_pictures <- function(
  suite,
  folder,
  progress = NULL,
  workers = min(4, parallel::detectCores(logical = FALSE), na.rm = TRUE)
) {
  all_named <- named_files(suite)
  all_named <- all_named[!duplicated(all_named[c("path", "role")]), ]
  # States from before the examination: files that change meanwhile are examined again next time.
  states <- file_states(all_named, folder)
  known <- known_facts(states, folder)
  unknown <- vapply(known, is.null, NA)
  named <- all_named[unknown, ]
  count <- nrow(named)
  chunks <- split(seq_len(count), ceiling(seq_len(count) / 25))
  chunks <- lapply(chunks, function(chunk) {
    list(paths = named$path[chunk], roles = named$role[chunk], folder = folder)
  })
  pool <- if (count >= many_files && workers > 1) WorkerPool$new(workers)
  sent <- lapply(chunks, function(chunk) {
    if (!is.null(pool)) {
      pool$send(examine_chunk, chunk)
    }
  })
  began <- Sys.time()
  stop <- function() {
    if (!is.null(pool)) {
      pool$close()
    }

    pool <<- NULL
  }

  find <- function(wanted) {
    on.exit(stop())
    found <- list()
    for (i in seq_along(chunks)) {
      # Pictures that a dead worker left undone are examined here.
      some <- if (!is.null(pool)) wait_for(sent[[i]])
      found <- c(found, some %||% do.call(examine_chunk, chunks[[i]]))
      if (!is.null(progress) && count >= many_files) {
        progress(
          done = length(found),
          total = count,
          failed = 0,
          seconds = as.numeric(Sys.time() - began, units = "secs")
        )
      }
    }

    keep_facts(states[unknown], found, folder)
    known[unknown] <- found
    known[match(paste(wanted$role, wanted$path), paste(all_named$role, all_named$path))]
  }

  list(find = find, stop = stop)
}

many_files <- 100

examine_chunk <- function(paths, roles, folder) unname(Map(examine_file, paths, roles, folder))

# The facts under absolute paths, as the built suite names its files.
by_path <- function(facts, folder) {
  stats::setNames(
    facts,
    vapply(names(facts), function(path) resolve_path(path, folder)$path, "")
  )
}

examine_file <- function(path, role, folder) {
  at <- resolve_path(path, folder)
  if (!is.null(at$wrong)) {
    return(list(
      wrong = at$wrong,
      wanted = "a path inside the trial, relative to this file",
      near = NA_character_
    ))
  }

  tryCatch(
    list(
      facts = if (role == "keypoints") read_keypoints(at$path) else picture_summary(at$path)
    ),
    sprenn_error_picture = function(e) {
      wrong <- sub("^found ", "", e$details[["x"]])
      near <- if (wrong == "no such file") {
        nearest_word(basename(path), list.files(dirname(at$path)))
      } else {
        NA_character_
      }
      list(
        wrong = wrong,
        wanted = sub("^expected ", "", e$details[["i"]]),
        near = if (is.na(near)) near else file.path(dirname(path), near)
      )
    }
  )
}

picture_summary <- function(path) {
  encoded <- open_picture(path)
  tryCatch(summarise_picture(encoded), error = function(e) stop_damaged(path, e))
}

# Most pictures are plain: of those the bytes say all, and no pixel needs to be
# made a number of.
summarise_picture <- function(encoded) {
  samples <- decode_samples(encoded)
  if (samples$channels == 3 && is_plain(samples, embedded_profile(encoded))) {
    own <- samples$size
    small <- small_size(own)
    seen <- core_glance_bytes(samples$bytes, own[1], own[2], small[1], small[2])
    return(c(
      list(
        size = own,
        hash = packed_hash(samples$bytes, own),
        large = samples$shrunk_from,
        clear = FALSE
      ),
      inspect_small(seen)
    ))
  }

  pixels <- decode_picture(encoded)
  own <- dim(pixels)[2:1]
  small <- small_size(own)
  c(
    list(
      size = own,
      hash = pixel_hash(pixels),
      large = attr(pixels, "shrunk_from"),
      clear = samples$channels %in% c(2, 4),
      profile = attr(pixels, "profile")
    ),
    inspect_small(core_glance(pixels, small[1], small[2]))
  )
}

# The facts about a picture that the warnings need.
inspect_small <- function(seen) {
  found <- core_inspect(seen$small, 8)
  list(
    white = seen$white,
    bars = found$bars,
    patchy = sum(found$regions[found$regions < 0.003]),
    spread = found$spread
  )
}

# A copy for a quick look is at most this long.
small_edge <- 64
small_size <- function(own) pmax(1, round(own * min(1, small_edge / max(own))))

# Every file named in the suite: a data frame of `place`, `path` and `role`
# (picture or keypoints).
named_files <- function(suite) {
  suite <- keyed_or_null(suite)
  looks <- keyed_or_null(suite$looks)
  cases <- if (is.list(suite$cases)) suite$cases
  rows <- c(
    unlist(
      lapply(names(looks), function(name) {
        files_of_each(
          keyed_or_null(looks[[name]])$pictures,
          paste0("looks.", name, ".pictures"),
          named_file
        )
      }),
      recursive = FALSE
    ),
    unlist(
      lapply(seq_along(cases), function(i) {
        files_of_case(keyed_or_null(cases[[i]]), paste0("cases[", i, "]"))
      }),
      recursive = FALSE
    )
  )
  rows <- do.call(rbind, c(list(matrix("", 0, 3)), rows))
  data.frame(place = rows[, 1], path = rows[, 2], role = rows[, 3])
}

keyed_or_null <- function(x) if (is_keyed(x)) x

# A file as it is named: place, path and role; nothing where no text stands.
named_file <- function(path, place, role = "picture") {
  if (is_text(path)) {
    list(c(place, path, role))
  }
}

# A picture alone, or one among other keys.
named_picture <- function(value, place) {
  if (is.list(value)) {
    named_file(value$picture, paste0(place, ".picture"))
  } else {
    named_file(value, place)
  }
}

files_of_each <- function(values, place, named = named_picture) {
  rows <- lapply(seq_along(values), function(i) named(values[[i]], paste0(place, "[", i, "]")))
  unlist(rows, recursive = FALSE)
}

# By [[ ]], since $ would take `references` for `reference`.
files_of_case <- function(case, place) {
  watch <- keyed_or_null(case$watch)
  guides <- keyed_or_null(case$guides)
  c(
    named_picture(case[["reference"]], paste0(place, ".reference")),
    files_of_each(
      if (is.list(case$references)) case$references,
      paste0(place, ".references")
    ),
    named_picture(case$mask, paste0(place, ".mask")),
    unlist(
      lapply(names(watch), function(name) {
        named_file(keyed_or_null(watch[[name]])$mask, paste0(place, ".watch.", name, ".mask"))
      }),
      recursive = FALSE
    ),
    unlist(
      lapply(names(guides), function(kind) {
        guide <- keyed_or_null(guides[[kind]])
        at <- paste0(place, ".guides.", kind)
        c(
          named_file(guide$picture, paste0(at, ".picture")),
          named_file(guide$keypoints, paste0(at, ".keypoints"), "keypoints")
        )
      }),
      recursive = FALSE
    )
  )
}
