# Files: reading them, naming them, hashing them.

read_bytes <- function(path) readBin(path, "raw", file.size(path))

copy_into <- function(folder, from, to) {
  target <- file.path(folder, to)
  dir.create(dirname(target), showWarnings = FALSE, recursive = TRUE)
  write_copy(from, target)
}

is_link <- function(path) !Sys.readlink(path) %in% c("", NA)

# The files below a folder, relative to it. Links are listed, but not followed.
files_below <- function(folder) {
  names <- list.files(folder, all.files = TRUE, no.. = TRUE)
  paths <- file.path(folder, names)
  deeper <- dir.exists(paths) & !is_link(paths)
  below <- lapply(names[deeper], function(name) {
    file.path(name, files_below(file.path(folder, name)))
  })
  c(names[!deeper], unlist(below))
}

existing_parent <- function(path) {
  parent <- dirname(normalizePath(path, mustWork = FALSE))
  while (!dir.exists(parent)) {
    parent <- dirname(parent)
  }

  normalizePath(parent, winslash = "/")
}

# Reads files of a folder as bytes by name, and writes them back; names that would leave the
# folder are refused.
read_named <- function(folder, names) {
  lapply(stats::setNames(nm = names), function(name) read_bytes(file.path(folder, name)))
}

write_named <- function(folder, files) {
  for (name in names(files)) {
    path <- file.path(folder, name)
    dir.create(dirname(path), showWarnings = FALSE, recursive = TRUE)
    if (!file.exists(path)) {
      write_bytes(files[[name]], path)
    }
  }
}

# Resolves a path in a trial's file to an absolute one, or says what is wrong with it.
resolve_path <- function(path, folder) {
  if (grepl("^([/\\\\~]|[A-Za-z]:)", path)) {
    return(list(wrong = "an absolute path"))
  }

  full <- normalizePath(file.path(folder, path), winslash = "/", mustWork = FALSE)
  # normalizePath() leaves `..` in place if the file does not exist.
  if (!startsWith(full, paste0(folder, "/")) || grepl("(^|/)\\.\\.(/|$)", full)) {
    return(list(wrong = "a path that leaves the trial"))
  }

  list(path = full)
}

# Hashes: SHA-256 throughout, over bytes or over JSON in one canonical form.

# One hash for bytes; for texts, one hash each.
sha256_of <- function(x) {
  if (is.raw(x)) {
    paste(unclass(openssl::sha256(x)), collapse = "")
  } else {
    as.character(openssl::sha256(enc2utf8(x)))
  }
}

# A file is read in parts, whatever its size.
sha256_of_file <- function(path) {
  connection <- file(path, "rb")
  on.exit(close(connection))
  paste(unclass(openssl::sha256(connection)), collapse = "")
}

# A hash of plain nested lists that is the same in every session.
hash_of <- function(x) {
  sha256_of(as.character(jsonlite::toJSON(x, auto_unbox = TRUE, digits = NA, null = "null")))
}

# A hash of pixel values, independent of how they were stored: the same picture in 8 and in 16
# bits has one hash. `packed` is what core_pack() returns.
pixel_hash <- function(pixels) packed_hash(core_pack(pixels), dim(pixels)[2:1])

packed_hash <- function(packed, size) {
  sha256_of(paste(c(size, sha256_of(packed)), collapse = " "))
}

# JSON in canonical form: the same facts give the same text.

to_json <- function(x) {
  as.character(
    jsonlite::toJSON(
      if (length(x) == 0) structure(list(), names = character()) else x,
      auto_unbox = TRUE,
      digits = NA,
      null = "null"
    )
  )
}

# The same, many times faster, of a list by name of single texts, numbers and objects that are
# flat_json() already. What is NA is left out.
flat_json <- function(values) {
  values <- values[!is.na(values)]
  parts <- vapply(
    values,
    function(value) {
      if (inherits(value, "json")) {
        unclass(value)
      } else if (is.character(value)) {
        json_text(value)
      } else {
        sprintf("%.15g", value)
      }
    },
    ""
  )
  structure(
    paste0("{", paste0("\"", names(values), "\":", parts, collapse = ","), "}"),
    class = "json"
  )
}

# Most texts need no escapes.
json_text <- function(text) {
  plain <- grepl("^[ !#-\\[\\]-~]*$", text, perl = TRUE)
  if (plain) paste0("\"", text, "\"") else enc2utf8(to_json(text))
}

sort_by_name <- function(values) {
  if (length(values) == 0) {
    list()
  } else {
    values[order(names(values), method = "radix")]
  }
}

# Seconds on a monotonic clock, for waiting and timing.
clock <- function() steady_seconds()

now_utc <- function() format(Sys.time(), "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")
