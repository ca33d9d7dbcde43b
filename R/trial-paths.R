# Every file that a suite names: read once, held to what its place wants, and
# known from then on by what is in it.

# What is wrong with the files, and for each path (as the suite writes it) that
# is sound its facts. Pictures have `size` (width, height, after turning),
# `hash` (of the pixels), `white` (the share that is white), `small` (a small
# copy for the warnings), `large`; keypoints have `figures` and `hash`. The suite may be
# unsound elsewhere, so nothing of it is taken for granted.
examine_files <- function(read, folder) {
  named <- named_files(read$value)
  named <- named[!duplicated(named[c("path", "role")]), ]
  found <- Map(examine_file, named$path, named$role, MoreArgs = list(folder = folder))
  problems <- Map(function(one, place, path) {
    if (!is.null(one$wrong)) new_problem(read$file, place, paste0(quoted(path), ", ", one$wrong), one$wanted, one$near)
  }, found, named$place, named$path)
  facts <- Filter(Negate(is.null), lapply(found, `[[`, "facts"))
  list(problems = place_problems(bind_problems(Filter(Negate(is.null), problems)), read$line), facts = facts)
}

# The facts under absolute paths, as the built suite names its files.
by_path <- function(facts, folder) {
  stats::setNames(facts, vapply(names(facts), function(path) resolve_path(path, folder)$path, ""))
}

examine_file <- function(path, role, folder) {
  at <- resolve_path(path, folder)
  if (!is.null(at$wrong)) {
    return(list(wrong = at$wrong, wanted = "a path inside the trial, relative to this file", near = NA_character_))
  }
  tryCatch(
    list(facts = if (role == "keypoints") read_keypoints(at$path) else picture_summary(at$path)),
    sprenn_error_picture = function(e) {
      wrong <- sub("^found ", "", e$details[["x"]])
      near <- if (wrong == "no such file") nearest_word(basename(path), list.files(dirname(at$path))) else NA_character_
      list(
        wrong = wrong, wanted = sub("^wanted ", "", e$details[["i"]]),
        near = if (is.na(near)) near else file.path(dirname(path), near)
      )
    }
  )
}

picture_summary <- function(path) {
  pixels <- read_picture(path)
  size <- dim(pixels)[2:1]
  list(
    size = size, hash = pixel_hash(pixels), white = core_share_above(pixels, 0.5),
    small = resize_picture(pixels, pmax(1, round(size * min(1, small_edge / max(size))))),
    large = attr(pixels, "shrunk_from")
  )
}

small_edge <- 160

# Every file named in the suite: a data frame of `place`, `path` and `role`
# (picture or keypoints).
named_files <- function(suite) {
  found <- new.env()
  found$rows <- list()
  add <- function(path, place, role = "picture") {
    if (is_text(path)) found$rows[[length(found$rows) + 1]] <- c(place, path, role)
  }
  add_picture <- function(value, place, key = "picture") {
    if (is.list(value)) add(value[[key]], paste0(place, ".", key)) else add(value, place)
  }
  keyed <- function(x) if (is_keyed(x)) x
  looks <- keyed(keyed(suite)$looks)
  for (name in names(looks)) {
    pictures <- keyed(looks[[name]])$pictures
    for (i in seq_along(pictures)) add(pictures[[i]], paste0("looks.", name, ".pictures[", i, "]"))
  }
  cases <- keyed(suite)$cases
  for (i in seq_along(if (is.list(cases)) cases)) {
    case <- keyed(cases[[i]])
    place <- paste0("cases[", i, "]")
    add_picture(case$reference, paste0(place, ".reference"))
    several <- if (is.list(case$references)) case$references
    for (j in seq_along(several)) add_picture(several[[j]], paste0(place, ".references[", j, "]"))
    add_picture(case$mask, paste0(place, ".mask"))
    for (name in names(keyed(case$watch))) add(keyed(case$watch[[name]])$mask, paste0(place, ".watch.", name, ".mask"))
    for (kind in names(keyed(case$guides))) {
      guide <- keyed(case$guides[[kind]])
      add(guide$picture, paste0(place, ".guides.", kind, ".picture"))
      add(guide$keypoints, paste0(place, ".guides.", kind, ".keypoints"), "keypoints")
    }
  }
  rows <- do.call(rbind, c(list(matrix("", 0, 3)), found$rows))
  data.frame(place = rows[, 1], path = rows[, 2], role = rows[, 3])
}
