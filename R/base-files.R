# Files that are read whole, or written beside their place and renamed.

read_bytes <- function(path) readBin(path, "raw", file.size(path))

write_bytes <- function(bytes, file) {
  if (!wrote_all(bytes, file)) {
    stop_sprenn(
      "file",
      c(paste0("Can't write ", file, "."), x = "The disk may be full or the folder read-only.")
    )
  }
}

# Writes lines to a file, in UTF-8, and makes sure that all of it is there: R says
# nothing of a text that a full disk cut short.
write_whole <- function(lines, file) {
  if (!wrote_all(charToRaw(enc2utf8(paste0(lines, "\n", collapse = ""))), file)) {
    stop("can't write ", basename(file))
  }
}

copy_into <- function(folder, from, to) {
  target <- file.path(folder, to)
  dir.create(dirname(target), showWarnings = FALSE, recursive = TRUE)
  if (!file.copy(from, target) || file.size(target) != file.size(from)) {
    stop_sprenn(
      "new",
      c(
        paste0("Can't write to ", dirname(folder), "."),
        x = "The disk may be full or the folder read-only.",
        i = "Nothing was kept of the new trial."
      )
    )
  }
}

existing_parent <- function(path) {
  parent <- dirname(normalizePath(path, mustWork = FALSE))
  while (!dir.exists(parent)) {
    parent <- dirname(parent)
  }

  normalizePath(parent, winslash = "/")
}

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

# Files by their names in a folder, as bytes and back; names that would leave the
# folder are none.
read_named <- function(folder, names) {
  lapply(stats::setNames(nm = names), function(name) read_bytes(file.path(folder, name)))
}

write_named <- function(folder, files) {
  for (name in names(files)) {
    path <- file.path(folder, name)
    dir.create(dirname(path), showWarnings = FALSE, recursive = TRUE)
    if (!file.exists(path)) {
      writeBin(files[[name]], path)
    }
  }
}
