# What is written for later goes through here: it is written beside its place, brought to the disk
# and renamed. Whenever the process is killed, a file is whole or as it was before. What killed
# processes left beside it is removed by the next one that writes the same file.

# `write` is called with the paths of new files beside `files`, which take their places together
# once all are whole. It may stop, or return FALSE. `kept` says what is still there if it fails. The
# new ones are put `beside` other paths of the same disk where the files' own folders are large,
# since these are looked through for what killed processes have left.
write_outputs <- function(files, write, kind = "file", kept = NULL, beside = files) {
  unfit <- !dir.exists(dirname(files)) | dir.exists(files) | vapply(files, is_special, NA)
  if (any(unfit)) {
    stop_for_output(files[unfit][1], kind, kept)
  }

  parts <- parts_beside(files, dirname(beside))
  on.exit(unlink(parts))
  written <- or_full(dirname(files[1]), {
    !isFALSE(write(parts)) &&
      all(vapply(parts, sync_file, NA)) &&
      all(suppressWarnings(file.rename(parts, files))) &&
      all(vapply(unique(dirname(files)), sync_file, NA))
  })
  if (!written) {
    stop_for_output(files[1], kind, kept)
  }

  invisible(files)
}

write_bytes <- function(bytes, file, ...) {
  # What fails in making them is no failure to write.
  force(bytes)
  write_outputs(file, function(part) wrote_all(bytes, part), ...)
}

# Lines in UTF-8.
write_lines <- function(lines, file, ...) {
  write_bytes(charToRaw(enc2utf8(paste0(lines, "\n", collapse = ""))), file, ...)
}

# A copy with the permissions of the original.
write_copy <- function(from, file, ...) {
  write_outputs(
    file,
    function(part) {
      suppressWarnings(file.copy(from, part)) && file.size(part) == file.size(from)
    },
    ...
  )
}

# Drawings: `draw` is called with paths of the same endings in a temporary folder, since a graphics
# device takes a % in a path for a page number, and says nothing of a full disk.
write_drawings <- function(files, draw, ...) {
  folder <- tempfile("drawn-")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  drawn <- file.path(folder, paste0("page-", seq_along(files), ".", tools::file_ext(files)))
  draw(drawn)
  write_outputs(
    files,
    function(parts) {
      all(vapply(drawn, ends_whole, NA)) &&
        all(suppressWarnings(file.copy(drawn, parts))) &&
        all(file.size(parts) == file.size(drawn))
    },
    ...
  )
}

# A folder: `build` is called with the path of a new one beside it. The new one takes the place of
# the old one in one step if everything in the old one `may_go`, which by default is what the new
# one has under the same name. Otherwise the new files are put among the others, one by one.
write_folder <- function(folder, build, may_go = NULL, kind = "file", kept = NULL) {
  folder <- normalizePath(folder, winslash = "/", mustWork = FALSE)
  building <- parts_beside(file.path(existing_parent(folder), basename(folder)))
  on.exit(unlink(building, recursive = TRUE))
  value <- NULL
  written <- tryCatch(
    or_full(dirname(building), {
      dir.create(building, showWarnings = FALSE)
      value <- build(building)
      put_folder(building, folder, may_go)
    }),
    # Of a file in it, the path is told that it would have had.
    sprenn_error = function(e) {
      if (is.null(e$output) || !startsWith(e$output, building)) {
        stop(e)
      }

      file <- paste0(folder, substring(e$output, nchar(building) + 1))
      stop_for_output(file, kind, kept, e$why)
    }
  )
  if (!written) {
    stop_for_output(folder, kind, kept)
  }

  invisible(value)
}

put_folder <- function(building, folder, may_go) {
  sync_file(building)
  if (!dir.exists(folder)) {
    dir.create(dirname(folder), showWarnings = FALSE, recursive = TRUE)
    return(suppressWarnings(file.rename(building, folder)) && sync_file(dirname(folder)))
  }

  new <- files_below(building)
  old <- files_below(folder)
  may_go <- if (is.null(may_go)) all(old %in% new) else may_go(old)
  Sys.chmod(building, file.mode(folder))
  # After this the old one is where the new one was, and is removed as that.
  if (may_go && !is_worked_in(folder) && exchange_paths(building, folder)) {
    return(sync_file(dirname(folder)))
  }

  put_files(building, folder, new) &&
    (!may_go || unlink(file.path(folder, setdiff(old, new))) == 0)
}

# A folder that somebody works in stays what it is.
is_worked_in <- function(folder) {
  startsWith(paste0(normalizePath(getwd(), "/"), "/"), paste0(folder, "/"))
}

put_files <- function(building, folder, files) {
  for (inside in unique(dirname(files))) {
    dir.create(file.path(folder, inside), showWarnings = FALSE, recursive = TRUE)
  }

  all(suppressWarnings(file.rename(file.path(building, files), file.path(folder, files))))
}

# Whether it is TRUE what some code returns. Its errors are passed on, unless they are explained by
# a folder in which nothing can be written.
or_full <- function(folder, code) {
  tryCatch(isTRUE(code), error = function(e) {
    if (inherits(e, "sprenn_error") || can_write(folder)) {
      stop(e)
    }

    FALSE
  })
}

# Tries it with as much as a disk hands out at once, since permissions say nothing about a full
# disk or a read-only file system.
can_write <- function(folder) {
  probe <- parts_beside(file.path(folder, "probe"))
  on.exit(unlink(probe))
  wrote_all(raw(65536), probe)
}

stop_for_output <- function(file, kind, kept, why = why_not_written(file)) {
  words <- c(paste0("Can't write ", file, "."), x = why, i = kept)
  stop_sprenn(kind, words, output = file, why = why)
}

why_not_written <- function(file) {
  folder <- dirname(file)
  if (!dir.exists(folder)) {
    paste0("There is no folder ", folder, ".")
  } else if (dir.exists(file)) {
    "A folder of that name is in the way."
  } else if (is_special(file)) {
    "It is a device, which a file would replace."
  } else {
    "The disk may be full or the folder read-only."
  }
}

# Whether all bytes arrived: R does not report a file that was cut short by a full disk.
wrote_all <- function(bytes, file) {
  tryCatch(
    {
      writeBin(bytes, file)
      isTRUE(file.size(file) == length(bytes))
    },
    error = function(e) FALSE,
    warning = function(w) FALSE
  )
}

# Whether a file ends as one of its kind does, and so is not cut short.
ends_whole <- function(file) {
  end <- switch(tools::file_ext(file),
    png = "IEND",
    svg = "</svg>",
    pdf = "%%EOF",
    parquet = "PAR1",
    ""
  )
  bytes <- if (file.exists(file)) utils::tail(read_bytes(file), 16)
  length(bytes) > 0 && grepl(end, rawToChar(bytes[bytes != 0]), fixed = TRUE, useBytes = TRUE)
}

# Paths beside files for the parts that are being written. Their names say for which file, on which
# machine and by which process.
parts_beside <- function(files, folders = dirname(files)) {
  starts <- paste0(part_start, short_hash(basename(files)), "-", short_hash(machine_id()), "-")
  # What writes the part may work elsewhere meanwhile.
  folders <- normalizePath(folders, winslash = "/", mustWork = FALSE)
  # A folder that is being built is new.
  for (folder in grep(part_start, unique(folders), fixed = TRUE, invert = TRUE, value = TRUE)) {
    remove_left_over(folder, starts)
  }

  endings <- tools::file_ext(files)
  process <- paste(Sys.getpid(), process_start(Sys.getpid()), sep = "-")
  file.path(folders, paste0(starts, process, ifelse(nzchar(endings), ".", ""), endings))
}

part_start <- ".sprenn-part-"

# Whether files are such parts; those in a run were named so by earlier versions.
is_part <- function(files) grepl("^([.]sprenn-)?part-", basename(files))

short_hash <- function(text) substr(sha256_of(text), 1, 8)

# Parts of the same files by processes of this machine that are no more: their names begin with one
# of these `starts`, which are equally long.
remove_left_over <- function(folder, starts) {
  parts <- list.files(
    folder,
    paste0("^", gsub(".", "[.]", part_start, fixed = TRUE)),
    all.files = TRUE
  )
  parts <- parts[substr(parts, 1, nchar(starts[1])) %in% starts]
  process <- strsplit(sub("[.].*", "", substring(parts, nchar(starts[1]) + 1)), "-", fixed = TRUE)
  gone <- vapply(
    process,
    function(one) !process_runs(as.integer(one[1]), if (is.na(one[2])) "" else one[2]),
    NA
  )
  unlink(file.path(folder, parts[gone]), recursive = TRUE)
}

# Identifies a machine since its last boot, the scope of process numbers.
machine_id <- function() {
  boot <- "/proc/sys/kernel/random/boot_id"
  paste(Sys.info()[["nodename"]], if (file.exists(boot)) readLines(boot, warn = FALSE))
}

# The start time of a process, on Linux in a form that is independent of the clock; "" if there is
# no such process.
process_start <- function(pid, proc = "/proc") {
  if (!dir.exists(file.path(proc, "self"))) {
    return(tryCatch(
      sprintf("%.0f", 1000 * as.numeric(ps::ps_create_time(ps::ps_handle(as.integer(pid))))),
      error = function(e) ""
    ))
  }

  stat <- tryCatch(
    readLines(file.path(proc, pid, "stat"), warn = FALSE),
    error = function(e) "",
    warning = function(w) ""
  )
  # The name in brackets may hold spaces.
  strsplit(sub("^.*\\) ", "", stat[1]), " ", fixed = TRUE)[[1]][20] %||% ""
}

# Asked without a signal: on Windows, any signal ends a process.
process_runs <- function(pid, started, proc = "/proc") {
  now <- process_start(pid, proc)
  nzchar(now) && identical(now, started)
}

print_lines <- function(x) {
  writeLines(format(x))
  invisible(x)
}
