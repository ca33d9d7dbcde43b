# Marks on references: watched regions, crop box and focus, masks, added canvas and the joints of
# poses. They are read out of a suite as a page shows them, and what has changed is put back into
# suite.yml, `masks/` and `guides/`: first as a proposal, then written.

# The parts of a case that can be marked, by the key of suite.yml that holds them.
mark_parts <- c(
  watch = "watch",
  crop = "reference",
  mask = "mask",
  grow = "grow",
  pose = "guides"
)

# The parts that cases of a job may have.
parts_of_job <- function(job) {
  rules <- trial_rules("suite.yml")
  banned <- unlist(rules$bans[rules$place == "cases[]" & rules$when == paste0("job=", job)])
  names(mark_parts)[!mark_parts %in% setdiff(banned, "reference")]
}

# A suite that may lack prompts still: `own` as read_draftable() has it, `suite` (size, files) and
# `cases` (reference, mask, watch, guides, grow), as far as marks need them.
read_markable <- function(folder) {
  own <- read_draftable(folder)
  files <- examine_files(list(value = own$value, file = "suite.yml"), folder)
  cases <- lapply(own$cases, function(case) {
    case$prompt <- case$prompt %||% "neutral"
    build_case(case, folder)
  })
  suite <- list(
    size = as.integer(unlist(own$value$size %||% default_size)),
    files = by_path(files$facts, folder),
    cases = cases
  )
  list(folder = folder, own = own, facts = files$facts, suite = suite)
}

# The marks of a case as a page shows them. Places are shares of the reference.
marks_of_case <- function(markable, i) {
  case <- markable$suite$cases[[i]]
  written <- markable$own$cases[[i]]
  reference <- case$reference
  list(
    watch = lapply(names(case$watch), function(name) {
      region <- case$watch[[name]]
      list(
        name = name,
        box = if (is.null(region$path)) I(region$box),
        drawn = !is.null(region$path),
        keep = region$keep
      )
    }),
    crop = list(fit = reference$fit, box = I(reference$box), focus = I(reference$focus)),
    mask = if (!is.null(case$mask)) {
      list(
        boxes = lapply(case$mask$boxes, I),
        drawn = !is.null(case$mask$path),
        invert = case$mask$invert,
        feather = case$mask$feather,
        padding = null_for_na(case$mask$padding)
      )
    },
    grow = as.list(case$grow),
    pose = if (!is.null(written$guides$pose)) pose_of_case(case)
  )
}

# The joints of each figure by name.
pose_of_case <- function(case) {
  figures <- read_keypoints(case$guides$pose$path)$figures
  lapply(figures, function(figure) {
    lapply(stats::setNames(nm = rownames(figure)), function(joint) I(unname(figure[joint, ])))
  })
}

# What is to be written: the `lines` of suite.yml, the new value as `wanted`, the `files` by their
# paths in the trial (as bytes), and the `changes`, one for each part of a case: `case`, `part`,
# `files`, and from which `line` on which lines were there `before` and are `after`. `marked` is a
# list of list(case = id, parts = named list).
propose_marks <- function(markable, marked) {
  ids <- vapply(markable$own$cases, `[[`, "", "id")
  at <- match(vapply(marked, function(one) as.character(one$case %||% ""), ""), ids)
  stop_for_bad_marks(anyNA(at), "a case that the suite does not have")
  stop_for_bad_marks(anyDuplicated(at) > 0, "a case twice")
  draft <- list(
    lines = markable$own$text,
    wanted = markable$own$value,
    files = list(),
    changes = list()
  )
  # From the last case to the first, so that the places of the others stay valid.
  places <- locate_places(draft$lines)
  for (k in order(at, decreasing = TRUE)) {
    parts <- intersect(names(mark_parts), names(marked[[k]]$parts))
    for (part in parts) {
      own <- if (part == parts[1]) places else locate_places(draft$lines)
      draft <- propose_part(draft, markable, at[k], part, marked[[k]]$parts[[part]], own)
    }
  }

  stop_for_other_text(draft$lines, draft$wanted)
  stop_for_unsound_marks(markable, draft)
  draft$changes <- rev(draft$changes)
  draft
}

# Marks come from a page, which may be any program: nothing of them is taken for granted.
stop_for_bad_marks <- function(bad, found) {
  if (isTRUE(bad)) {
    stop_sprenn(
      "marks",
      c("These marks can't be taken.", x = paste("found", found), i = "Nothing was written.")
    )
  }
}

propose_part <- function(draft, markable, i, part, marks, places) {
  key <- mark_parts[[part]]
  case <- markable$own$cases[[i]]
  if (key == "reference" && is.null(case[["reference"]])) {
    key <- "references"
  }

  put <- switch(part,
    watch = watch_value(draft, markable, i, marks),
    crop = crop_value(draft, markable, i, marks),
    mask = mask_value(draft, markable, i, marks),
    grow = grow_value(draft, marks),
    pose = pose_value(draft, markable, i, marks)
  )
  draft <- put$draft
  if (identical(put$value, case[[key]]) && !any(put$files %in% names(draft$files))) {
    return(draft)
  }

  written <- draft$wanted$cases[[i]]
  stop_for_taken_over(is.null(put$value) && is.null(written[[key]]), case, written$like, key)
  before <- draft$lines
  draft$lines <- put_value(before, written, i, put$value, key, places)
  draft$wanted$cases[[i]][[key]] <- put$value
  draft$changes <- c(draft$changes, list(c(
    list(case = case$id, part = part, files = I(put$files)),
    changed_lines(before, draft$lines)
  )))
  draft
}

# What a case takes over from another can be replaced but not left out.
stop_for_taken_over <- function(gone, case, like, key) {
  if (gone && !is.null(case[[key]])) {
    stop_sprenn(
      "marks",
      c(
        paste0("The ", key, " of ", case$id, " can't be taken away."),
        x = paste0("It is taken over from ", like, "."),
        i = "Take it away there, or replace it here. Nothing was written."
      )
    )
  }
}

# The lines in which two texts differ, between what they begin and end with.
changed_lines <- function(before, after) {
  n <- min(length(before), length(after))
  same <- before[seq_len(n)] == after[seq_len(n)]
  head <- match(FALSE, same, n + 1) - 1
  rest <- n - head
  same <- rev(before)[seq_len(rest)] == rev(after)[seq_len(rest)]
  tail <- match(FALSE, same, rest + 1) - 1
  middle <- function(lines) lines[head + seq_len(length(lines) - head - tail)]
  list(line = head + 1, before = I(middle(before)), after = I(middle(after)))
}

# Where a file goes: in the place of the old one if nothing else uses that, or else a new name. No
# file that the trial has is lost but the one that is edited.
mark_path <- function(draft, markable, i, old, fresh) {
  named <- named_files(markable$own$value)
  users <- if (!is.null(old)) {
    unique(sub("^(cases\\[[0-9]+\\]).*", "\\1", named$place[named$path == old]))
  }
  editable <- length(users) == 1 && users == paste0("cases[", i, "]") &&
    sum(named$path == old) == 1 && grepl("[.](png|json)$", old)
  if (editable) {
    return(old)
  }

  path <- fresh
  n <- 1
  while (path %in% names(draft$files) || file.exists(file.path(markable$folder, path))) {
    n <- n + 1
    path <- sub("([.][a-z]+)$", paste0("-", n, "\\1"), fresh)
  }

  path
}

# The suite as it would be, held against its fields and its files.
stop_for_unsound_marks <- function(markable, draft) {
  facts <- markable$facts
  file <- tempfile("marks-")
  on.exit(unlink(file))
  for (path in names(draft$files)) {
    write_bytes(draft$files[[path]], file)
    facts[[path]] <- if (endsWith(path, ".json")) read_keypoints(file) else picture_summary(file)
  }

  read <- list(file = "suite.yml", value = draft$wanted, text = draft$lines)
  read <- walk_trial_file(read)
  problems <- bind_problems(read$problems, suite_problems(read, facts))
  lacking <- grepl("^cases\\[[0-9]+\\]\\.prompt$", problems$place) & problems$found == "nothing"
  stop_for_problems(
    place_problems(problems[!lacking, ], list(suite.yml = draft$lines)),
    kind = "marks",
    what = "The suite with these marks"
  )
}

# Writes a proposal, unless suite.yml has changed since it was read.
write_marks <- function(markable, draft) {
  now <- parse_trial_file(markable$folder, "suite.yml")$text
  if (!identical(now, markable$own$text)) {
    stop_sprenn(
      "marks",
      c(
        "suite.yml has changed since it was read for this page.",
        i = "Nothing was written. Reload the page and mark again."
      )
    )
  }

  files <- file.path(markable$folder, names(draft$files))
  for (folder in unique(dirname(files))) {
    dir.create(folder, showWarnings = FALSE, recursive = TRUE)
  }

  if (length(files)) {
    kept <- "Nothing was written."
    write_outputs(
      files,
      function(parts) all(unlist(Map(wrote_all, draft$files, parts))),
      kind = "marks",
      kept = kept
    )
  }

  write_suite(markable$folder, draft$lines, draft$wanted)
}
