# Precomputed vectors from files: of pictures, by the SHA-256 of their bytes (as a run names them)
# or by file name, and of texts.

vectors_judge <- function(wanted, name, folder) {
  read <- function(path) read_vectors(resolve_path(path, folder)$path)
  pictures <- read(wanted$pictures)
  texts <- read(wanted$texts)
  if (ncol(pictures) != ncol(texts)) {
    stop(
      "the pictures' vectors have ",
      ncol(pictures),
      " numbers and the texts' ",
      ncol(texts),
      call. = FALSE
    )
  }

  rownames(pictures) <- sub("\\.[A-Za-z]+$", "", basename(rownames(pictures)))
  rows_of <- function(vectors, names) vectors[match(names, rownames(vectors)), , drop = FALSE]
  version <- hash_of(list(pictures, texts))
  new_judge(
    name,
    "embedding",
    function() version,
    function(subjects, statements) {
      if (length(subjects)) {
        rows_of(pictures, vapply(subjects, `[[`, "", "sha256"))
      } else {
        rows_of(texts, statements)
      }
    },
    pattern = c(wanted$ask %||% "{say}", "")
  )
}

# Vectors of a quarter of a million pictures.
most_vector_bytes <- 1e9

# A matrix with a named row a vector. CSV and Parquet have the names in their first
# column; beside a .npy file lies a text file of the same name with one a line.
read_vectors <- function(path) {
  ending <- tolower(sub(".*\\.", "", path))
  if (!file.exists(path)) {
    stop("no such file: ", basename(path), call. = FALSE)
  }

  if (file.size(path) > most_vector_bytes) {
    stop(basename(path), " is larger than ", show_size(most_vector_bytes), call. = FALSE)
  }

  if (ending == "npy") {
    vectors <- read_npy(path)
    names <- sub("npy$", "txt", path, ignore.case = TRUE)
    if (!file.exists(names)) {
      stop(basename(path), " needs its names in ", basename(names), ", one a line", call. = FALSE)
    }

    rownames <- readLines(names, encoding = "UTF-8", warn = FALSE)
  } else if (ending %in% c("csv", "parquet")) {
    table <- read_vector_table(path, ending)
    numbers <- vapply(table[-1], is.numeric, NA)
    if (ncol(table) < 3 || !all(numbers)) {
      stop(
        basename(path),
        " needs a first column of names, and numbers in at least two others",
        call. = FALSE
      )
    }

    vectors <- as.matrix(table[-1])
    rownames <- as.character(table[[1]])
  } else {
    stop(basename(path), " is not a .npy, .csv or .parquet file", call. = FALSE)
  }

  stop_for_vectors(vectors, rownames, path)
  dimnames(vectors) <- list(rownames, NULL)
  vectors
}

stop_for_vectors <- function(vectors, rownames, path) {
  if (length(rownames) != nrow(vectors)) {
    counts <- paste0(" has ", nrow(vectors), " vectors and ", length(rownames), " names")
    stop(basename(path), counts, call. = FALSE)
  }

  if (!all(is.finite(vectors))) {
    stop(basename(path), " contains something other than numbers", call. = FALSE)
  }

  if (anyDuplicated(rownames)) {
    twice <- quoted(rownames[duplicated(rownames)][1])
    stop(basename(path), " has two vectors for ", twice, call. = FALSE)
  }
}

read_vector_table <- function(path, ending) {
  tryCatch(
    if (ending == "csv") {
      utils::read.csv(path, check.names = FALSE, encoding = "UTF-8", colClasses = NA)
    } else {
      as.data.frame(nanoparquet::read_parquet(path))
    },
    error = function(e) {
      stop(basename(path), " can't be read as a table in UTF-8", call. = FALSE)
    }
  )
}

# The text of a .npy file's header, and where it ends.
npy_header <- function(bytes, refuse) {
  wide <- bytes[7] > as.raw(1)
  head <- if (wide) little_endian(bytes, 9, 4) else little_endian(bytes, 9, 2)
  begin <- if (wide) 12 else 10
  if (begin + head > length(bytes)) {
    refuse("is cut off")
  }

  text <- bytes[begin + seq_len(head)]
  if (any(text == 0) || !validUTF8(rawToChar(text))) {
    refuse("has a header that is no text")
  }

  list(text = rawToChar(text), end = begin + head)
}

# NumPy's own format, versions 1 to 3: two dimensions of 32 or 64 bit floats, row by row.
read_npy <- function(path) {
  refuse <- function(what) stop(basename(path), " ", what, call. = FALSE)
  bytes <- read_bytes(path)
  if (length(bytes) < 12 || !identical(bytes[1:6], as.raw(c(0x93, utf8ToInt("NUMPY"))))) {
    refuse("is not a .npy file")
  }

  header <- npy_header(bytes, refuse)
  start <- header$end
  said <- header$text
  part <- function(pattern) sub(paste0(".*", pattern, ".*"), "\\1", said)
  type <- part("'descr': *'([^']*)'")
  shape <- as.numeric(strsplit(part("'shape': *\\(([^)]*)\\)"), ",")[[1]])
  if (!type %in% c("<f4", "<f8")) {
    refuse(paste0("holds values of type ", type, "; expected <f4 or <f8"))
  }

  if (length(shape) != 2 || anyNA(shape)) {
    refuse("has not two dimensions")
  }

  if (grepl("'fortran_order': *True", said)) {
    refuse("is in Fortran order; expected C order")
  }

  size <- if (type == "<f4") 4 else 8
  if (length(bytes) - start != size * prod(shape)) {
    refuse("is cut off, or longer than its shape says")
  }

  matrix(
    readBin(bytes[-seq_len(start)], "double", prod(shape), size, endian = "little"),
    shape[1],
    shape[2],
    byrow = TRUE
  )
}
