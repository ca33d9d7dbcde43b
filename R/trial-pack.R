# A trial as one file that unpacks and runs elsewhere: a bag as BagIt has it
# (RFC 8493), in a zip.

#' Pack a trial into one file
#'
#' Writes a zip with the trial's three files, everything that they name, and a hash of each, in
#' BagIt form (RFC 8493): `unzip` opens it anywhere and `sha256sum -c manifest-sha256.txt`
#' verifies it. `new_trial(from = )` does both, and compares the suite's fingerprint with the
#' packed one. Runs are not packed. The same trial always gives the same manifest.
#'
#' @inheritParams run_trial
#' @param file The zip to write; `NULL` takes the suite's name, in the working folder. An existing
#'   file is replaced.
#' @return The file, invisibly.
#' @section Errors: `sprenn_error_trial` when the trial has problems;
#'   `sprenn_error_pack` when the file can't be written.
#' @family trials
#' @export
#' @examples
#' folder <- file.path(tempdir(), "pack-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' file <- pack_trial(folder, tempfile(fileext = ".zip"))
#' again <- file.path(tempdir(), "unpacked-example")
#' new_trial(again, from = file)
#' unlink(c(folder, again), recursive = TRUE)
pack_trial <- function(trial, file = NULL) {
  check_arguments(file = checkmate::check_string(file, min.chars = 1, null.ok = TRUE))
  trial <- as_trial(trial)
  file <- file %||% paste0(trial$suite$suite, ".zip")
  work <- tempfile("pack-")
  on.exit(unlink(work, recursive = TRUE))
  bag <- file.path(work, trial$suite$suite)
  data <- file.path(bag, "data")
  dir.create(data, recursive = TRUE)
  copy_trial(trial$folder, data)
  files <- sort(list.files(data, recursive = TRUE, all.files = TRUE), method = "radix")
  sizes <- file.size(file.path(data, files))
  write <- function(lines, name) write_lines(lines, file.path(bag, name))
  write(c("BagIt-Version: 1.0", "Tag-File-Character-Encoding: UTF-8"), "bagit.txt")
  write(
    c(
      paste("External-Identifier:", trial$suite$suite),
      paste("Suite-Fingerprint:", fingerprint_suite(trial$suite)),
      paste0("Payload-Oxum: ", format(sum(sizes), scientific = FALSE), ".", length(files)),
      paste("Bag-Software-Agent: Sprenn", utils::packageVersion("sprenn"))
    ),
    "bag-info.txt"
  )
  write(
    paste0(
      vapply(file.path(data, files), function(path) sha256_of(read_bytes(path)), ""),
      "  data/", escape_path(files)
    ),
    "manifest-sha256.txt"
  )
  write_zip(file, work, basename(bag), "pack")
  invisible(file)
}

# Zips what is in `root`.
write_zip <- function(file, root, names, kind) {
  write_outputs(
    file,
    function(part) {
      # zip() ends all of R where it can't write.
      if (!wrote_all(raw(1), part)) {
        return(FALSE)
      }

      unlink(part)
      zip::zip(part, names, root = root, mode = "mirror")
      TRUE
    },
    kind
  )
}

# As the manifest writes paths (RFC 8493, 2.1.3), and back.
escape_path <- function(path) {
  gsub(
    "\n",
    "%0A",
    gsub("\r", "%0D", gsub("%", "%25", path, fixed = TRUE), fixed = TRUE),
    fixed = TRUE
  )
}

unescape_path <- function(path) {
  gsub(
    "%25",
    "%",
    gsub("%0D", "\r", gsub("%0A", "\n", path, fixed = TRUE), fixed = TRUE),
    fixed = TRUE
  )
}

# Copies the files of a sound trial's folder, all that it names or just `files`.
copy_trial <- function(trial, folder, files = NULL) {
  for (file in unique(files %||% files_of_trial(trial))) {
    copy_into(folder, file.path(trial, file), file)
  }
}

# The three files of a sound trial and all that they name, as they name it: pictures, and the
# files that engines, judges and measures of its own are made of.
files_of_trial <- function(trial) {
  brief <- read_trial_file(trial, "brief.yml")$value
  judges <- lapply(brief$judges, function(judge) {
    c(judge$file, if (identical(judge$kind, "vectors")) c(judge$pictures, judge$texts))
  })
  unique(c(
    trial_files,
    named_files(read_trial_file(trial, "suite.yml")$value)$path,
    engine_files(trial),
    unlist(judges, use.names = FALSE),
    brief$measures
  ))
}

# The files in a trial that its engines are made of: R files, and what of a program's
# command is one.
engine_files <- function(trial) {
  engines <- read_trial_file(trial, "lineup.yml")$value$engines
  unlist(
    lapply(engines, function(engine) c(engine$file, files_of_command(engine$command, trial))),
    use.names = FALSE
  )
}

# Larger bags are refused.
max_packed_files <- 50000
max_packed_bytes <- 20e9
max_packed_file <- 1e9
max_bag_part <- 1e7
# Deflated text is a tenth of its size or so; a bomb is a thousandth.
max_packing <- 100

# Unpacks and verifies a bag. Nothing of it is read as a trial, and no code in it is run, before
# every hash was held against its file. What the trial's three files do not name is left behind,
# and returned with the reason.
unpack_trial <- function(file, folder) {
  refuse <- function(found, wanted = "a zip that `sprenn pack` wrote") {
    stop_sprenn(
      "new",
      c(
        paste0("Can't unpack ", file, "."),
        x = paste("found", found),
        i = paste("wanted", wanted)
      )
    )
  }

  bag <- check_zip(file, refuse)
  work <- tempfile("unpack-", folder)
  on.exit(unlink(work, recursive = TRUE))
  tryCatch(
    zip::unzip(file, exdir = work),
    error = function(e) refuse("a damaged zip file"),
    warning = function(w) refuse("a damaged zip file")
  )
  there <- files_below(work)
  links <- is_link(file.path(work, there))
  if (any(links)) {
    refuse(paste("a link,", quoted(there[links][1])), "files only")
  }

  bag <- file.path(work, bag)
  payload <- sub("^data/", "", verified_payload(bag, refuse))
  data <- normalizePath(file.path(bag, "data"), winslash = "/")
  named <- named_in_bag(data, payload, refuse)
  info <- readLines(file.path(bag, "bag-info.txt"), encoding = "UTF-8", warn = FALSE)
  fingerprint <- sub(
    "^Suite-Fingerprint: *",
    "",
    grep("^Suite-Fingerprint:", info, value = TRUE)
  )
  if (!identical(fingerprint, fingerprint_suite(read_suite(data)))) {
    refuse(
      "a suite of another fingerprint than it was packed with",
      "a zip of this or a later version of Sprenn"
    )
  }

  for (path in named) {
    copy_into(folder, file.path(data, path), path)
    mode <- as.integer(file.mode(file.path(data, path)))
    Sys.chmod(file.path(folder, path), as.octmode(bitwAnd(mode, plain_mode)), use_umask = FALSE)
  }

  rest <- setdiff(payload, named)
  stats::setNames(rep("the trial does not name it", length(rest)), rest)
}

# What a file out of a zip may be: executable, but not with another user's rights.
plain_mode <- strtoi("755", 8)

# The files of an unpacked trial that it names. Names that begin with a full stop have a meaning
# for R, shells and others, and a run's records are trusted by those who open it.
named_in_bag <- function(data, payload, refuse) {
  read <- lapply(trial_files, function(file) read_trial_file(data, file))
  problems <- bind_problems(lapply(read, `[[`, "problems"))
  if (nrow(problems)) {
    found <- paste0(problems$file[1], ": ", problems$place[1], ", found ", problems$found[1])
    refuse(found, problems$wanted[1])
  }

  named <- files_of_trial(data)
  outside <- vapply(named, function(path) is.null(resolve_path(path, data)$path), NA)
  if (any(outside)) {
    refuse(paste("a path that leaves the trial,", quoted(named[outside][1])))
  }

  full <- normalizePath(file.path(data, named), winslash = "/", mustWork = FALSE)
  named <- unique(substring(full, nchar(data) + 2))
  special <- grepl("(^|/)[.]", named) | grepl("^runs(/|$)", named, ignore.case = TRUE)
  if (any(special)) {
    refuse(paste("a file with a special name,", quoted(named[special][1])))
  }

  gone <- setdiff(named, payload)
  if (length(gone)) {
    refuse(paste("a trial that names a file which is not in it,", quoted(gone[1])))
  }

  named
}

bag_parts <- c("bagit.txt", "bag-info.txt", "manifest-sha256.txt", "data/suite.yml")

# Checks the contents of a zip before anything is unpacked, and returns the name of its bag (RFC
# 8493).
check_zip <- function(file, refuse) {
  if (count_in_zip(file) > max_packed_files) {
    refuse("more than 50,000 files")
  }

  listed <- tryCatch(zip::zip_list(file), error = function(e) refuse("a damaged zip file"))
  bytes <- sum(listed$uncompressed_size)
  if (nrow(listed) > max_packed_files || bytes > max_packed_bytes) {
    refuse(
      paste(nrow(listed), "files of", show_size(bytes)),
      "at most 50,000 files and 20 GB"
    )
  }

  names <- enc2utf8(listed$filename)
  if (!all(validUTF8(names))) {
    refuse("names that are not UTF-8")
  }

  climbs <- grepl("^([/\\\\~]|[A-Za-z]:)|(^|[/\\\\])\\.\\.([/\\\\]|$)|\\\\", names)
  if (any(climbs)) {
    found <- paste0("a path that leaves its folder, ", quoted(names[climbs][1]))
    refuse(found, "paths that stay inside")
  }

  # Two forms of one name are one file on some disks.
  if (anyDuplicated(utf8::utf8_normalize(sub("/$", "", names), map_case = TRUE))) {
    refuse("one name twice")
  }

  largest <- which.max(listed$uncompressed_size)
  if (listed$uncompressed_size[largest] > max_packed_file) {
    refuse(
      paste0(quoted(names[largest]), ", a file of ", show_size(listed$uncompressed_size[largest])),
      paste("files of at most", show_size(max_packed_file))
    )
  }

  # Of each file, and of all.
  size <- c(listed$uncompressed_size, bytes)
  packed <- c(listed$compressed_size, file.size(file))
  bombs <- which(size > 1e7 & size > max_packing * packed)
  if (length(bombs)) {
    refuse(
      paste(show_size(size[bombs[1]]), "packed into", show_size(packed[bombs[1]])),
      paste("files that are packed by a factor of at most", max_packing)
    )
  }

  bag <- unique(sub("/.*", "", names))
  if (length(bag) != 1 || !all(file.path(bag, bag_parts) %in% names)) {
    refuse("no bag with a manifest and a suite")
  }

  parts <- names %in% file.path(bag, bag_parts[1:3])
  if (any(listed$uncompressed_size[parts] > max_bag_part)) {
    refuse("a manifest that is too large", "at most 10 MB")
  }

  bag
}

# How many files a zip says that it has, from the record at its end; 65,535 stands for more.
count_in_zip <- function(file) {
  connection <- file(file, "rb")
  on.exit(close(connection))
  # The record may be followed by a comment of 65,535 bytes.
  seek(connection, max(0, file.size(file) - 65557))
  end <- readBin(connection, "raw", 65557)
  at <- grepRaw(as.raw(c(0x50, 0x4b, 0x05, 0x06)), end, fixed = TRUE, all = TRUE)
  count <- if (length(at)) little_endian(end, at[length(at)] + 10, 2) else NA
  if (is.na(count)) 0 else count
}

# The files of a bag, each held against its manifest.
verified_payload <- function(bag, refuse) {
  manifest <- readLines(
    file.path(bag, "manifest-sha256.txt"),
    encoding = "UTF-8",
    warn = FALSE
  )
  if (!all(grepl("^[0-9a-f]{64} [ *]data/.", manifest))) {
    refuse("a manifest that is none")
  }

  stated <- stats::setNames(
    substr(manifest, 1, 64),
    unescape_path(sub("^[0-9a-f]{64} [ *]", "", manifest))
  )
  there <- list.files(file.path(bag, "data"), recursive = TRUE, all.files = TRUE)
  payload <- file.path("data", there)
  odd <- c(setdiff(payload, names(stated)), setdiff(names(stated), payload))
  if (length(odd)) {
    refuse(paste0("files and manifest at odds, ", shorten_list(quoted(odd))))
  }

  hashes <- vapply(file.path(bag, payload), sha256_of_file, "")
  altered <- payload[hashes != stated[payload]]
  if (length(altered)) {
    refuse(paste0("files that were altered since, ", shorten_list(quoted(altered))))
  }

  payload
}
