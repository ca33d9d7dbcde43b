# Engines that are people: pictures made by hand in programs that can't be called. A run writes a
# list of what is to be made, and later takes in what it finds in the folder, by name or as listed
# in manifest.csv. Nothing there is ever overwritten, moved or deleted.

folder_engine <- function(wanted, name, folder) {
  at <- resolve_path(wanted$folder, folder)
  if (!is.null(at$wrong)) {
    stop(quoted(wanted$folder), ", ", at$wrong)
  }

  seen <- Cache$new()
  pattern <- wanted$name %||% "{pipeline}--{case}--{seed}"
  if (!all(vapply(c("{pipeline}", "{case}", "{seed}"), grepl, NA, x = pattern, fixed = TRUE)) ||
    grepl("[/\\\\]", pattern)) {
    stop(
      "name is ",
      quoted(pattern),
      ", which lacks {pipeline}, {case} or {seed}, or has a slash"
    )
  }

  built <- engine(
    about_from_list(wanted$about, name, "none"),
    function(request) take_from_folder(request, at$path, pattern, seen),
    kind = "folder"
  )
  built$folder <- at$path
  built$pattern <- pattern
  built
}

picture_endings <- c("png", "jpg", "jpeg", "webp", "tif", "tiff")

# The name, without ending, under which the picture of a take is to be saved.
folder_name <- function(pattern, takes) {
  names <- rep(pattern, nrow(takes))
  for (word in c("pipeline", "case", "seed")) {
    # Names of sweep members contain characters that file names can't have.
    values <- gsub("[^A-Za-z0-9._=,-]", "_", as.character(takes[[word]]))
    names <- mapply(
      function(name, value) gsub(paste0("{", word, "}"), value, name, fixed = TRUE),
      names,
      values,
      USE.NAMES = FALSE
    )
  }

  names
}

take_from_folder <- function(request, folder, pattern, seen) {
  names <- as.data.frame(request$names)
  wanted <- folder_name(pattern, names)
  found <- find_in_folder(folder, seen)
  mine <- found[found$base == wanted |
    (found$listed %in% paste(names$pipeline, names$case, names$seed)), ]
  where <- paste0("save it as ", file.path(basename(folder), paste0(wanted, ".png")))
  wait_for_person <- function(...) engine_failure("awaited", paste0(...))
  if (nrow(mine) == 0) {
    wait_for_person("Not there yet: ", where, ".")
  }

  if (nrow(mine) > 1) {
    wait_for_person(
      "Two pictures for one take, ",
      shorten_list(mine$file),
      ": keep one of them."
    )
  }

  twins <- found$file[found$hash == mine$hash & found$file != mine$file]
  if (length(twins)) {
    wait_for_person(
      mine$file,
      " is the same picture as ",
      shorten_list(twins),
      ": one of them is saved under a wrong name."
    )
  }

  path <- file.path(folder, mine$file)
  bytes <- read_bytes(path)
  result <- tryCatch(
    verify_result(engine_result(bytes, cost = 0, says = list(file = mine$file)), request),
    sprenn_failure = function(e) {
      wait_for_person(
        mine$file,
        " can't be taken in. ",
        sub("The picture that came back", "It", conditionMessage(e))
      )
    }
  )
  engine_result(bytes, cost = 0, says = result$says)
}

# The pictures in the folder: `file`, `base` (the name without ending), `hash` (of the bytes) and
# `listed` (the take that manifest.csv assigns, or NA). Files are read again only if they have
# changed.
find_in_folder <- function(folder, seen) {
  files <- list.files(
    folder,
    paste0("\\.(", paste(picture_endings, collapse = "|"), ")$"),
    ignore.case = TRUE
  )
  facts <- file.info(file.path(folder, files), extra_cols = FALSE)
  keys <- paste(files, facts$size, as.numeric(facts$mtime))
  hashes <- lapply(seq_along(files), function(i) {
    seen$get(keys[i], sha256_of_file(file.path(folder, files[i])))
  })
  listed <- read_manifest(file.path(folder, "manifest.csv"))
  data.frame(
    file = files,
    base = sub("\\.[^.]*$", "", files),
    hash = as.character(unlist(hashes)),
    listed = listed$take[match(files, listed$file)]
  )
}

# manifest.csv: `file`, `pipeline`, `case` and `seed`, one row a picture.
read_manifest <- function(path) {
  if (!file.exists(path)) {
    return(data.frame(file = character(), take = character()))
  }

  table <- tryCatch(
    utils::read.csv(path, colClasses = "character", fileEncoding = "UTF-8-BOM"),
    error = function(e) NULL
  )
  if (is.null(table) || !all(c("file", "pipeline", "case", "seed") %in% names(table))) {
    engine_failure(
      "awaited",
      "manifest.csv must be a table with the columns file, pipeline, case and seed."
    )
  }

  data.frame(
    file = trimws(table$file),
    take = paste(trimws(table$pipeline), trimws(table$case), trimws(table$seed))
  )
}

# Writes the checklist, one row a take, and the pictures that each needs under given/. `requests`
# is a function of a row of `takes`.
write_checklist <- function(engine, takes, request_of) {
  dir.create(file.path(engine$folder, "given"), recursive = TRUE, showWarnings = FALSE)
  rows <- lapply(seq_len(nrow(takes)), function(i) {
    request <- request_of(takes[i, ])
    parts <- request_parts(request)
    parts$request <- NULL
    given <- vapply(
      names(parts),
      function(name) {
        file <- file.path(
          "given",
          paste0(
            if (is.na(takes$parent[i])) {
              takes$case[i]
            } else {
              paste0(takes$case[i], "-", takes$parent[i])
            },
            "-",
            paste(delivered_size(request), collapse = "x"),
            "-",
            name,
            ".png"
          )
        )
        path <- file.path(engine$folder, file)
        if (!file.exists(path)) {
          write_bytes(parts[[name]]$bytes, path)
        }

        file
      },
      ""
    )
    data.frame(
      save_as = paste0(folder_name(engine$pattern, takes[i, ]), ".png"),
      pipeline = takes$pipeline[i],
      case = takes$case[i],
      seed = takes$seed[i],
      width = delivered_size(request)[1],
      height = delivered_size(request)[2],
      prompt = request$text,
      not_wanted = paste(request$negative, collapse = ", "),
      pictures = paste(given, collapse = " "),
      hold = request$hold,
      knob = request$native_hold,
      checkpoint = request$checkpoint,
      settings = if (length(request$settings)) to_json(request$settings) else "",
      add_ons = if (length(request$add_ons)) to_json(request$add_ons) else "",
      notes = paste(request$notes, collapse = "; ")
    )
  })
  text <- csv_lines(as_cells(do.call(rbind, rows)))
  file <- file.path(engine$folder, "checklist.csv")
  # A checklist that somebody has edited is kept; the new one gets a number.
  number <- 1
  while (file.exists(file) && !identical(readLines(file, warn = FALSE), text)) {
    number <- number + 1
    file <- file.path(engine$folder, paste0("checklist-", number, ".csv"))
  }

  if (!file.exists(file)) {
    write_lines(text, file)
  }

  file
}

# Compares the folder with what was to be made: `file`, `state` and `why`. `takes` has the state
# and message of every take of this engine.
report_folder <- function(engine, takes) {
  wanted <- folder_name(engine$pattern, takes)
  found <- find_in_folder(engine$folder, Cache$new())
  owner <- match(found$base, wanted)
  by_list <- match(found$listed, paste(takes$pipeline, takes$case, takes$seed))
  owner <- ifelse(is.na(by_list), owner, by_list)
  changed <- !is.na(owner) & takes$state[owner] %in% "made" & takes$sha256[owner] != found$hash
  state <- ifelse(
    is.na(owner),
    "extra",
    ifelse(changed, "changed", ifelse(takes$state[owner] == "made", "taken in", "not taken in"))
  )
  why <- ifelse(
    is.na(owner),
    "no take has this name",
    ifelse(
      changed,
      "it was taken in before, as another picture, and that one is kept",
      takes$message[owner]
    )
  )
  why[state == "taken in"] <- ""
  missing <- setdiff(which(takes$state != "made"), owner)
  rbind(
    data.frame(file = found$file, state = state, why = why),
    data.frame(
      file = paste0(wanted[missing], rep(".png", length(missing))),
      state = rep("missing", length(missing)),
      why = rep("", length(missing))
    )
  )
}
