# Judges on a model server that speaks the Open Inference Protocol (version 2, REST).
# Pictures go as one tensor, a batch of one size; statements as texts. A model that
# answers puts out a probability for each picture and statement, one that embeds a
# vector each, one for poses pictures x figures x joints x 3 (x and y as shares, and how
# sure), one for depth pictures x rows x columns, larger where nearer.

inference_judge <- function(wanted, name) {
  address <- sub("/$", "", wanted$address)
  known <- Cache$new()
  tensor_of <- function(word) wanted$tensors[[word]] %||% word
  seconds <- wanted$seconds %||% 60
  facts_of <- function(model) {
    known$get(model, {
      url <- model_url(address, model)
      answer <- fetch("GET", url, key_headers(wanted), seconds = min(30, seconds))
      if (answer$status != 200) {
        stop_for_inference(answer, url, NULL)
      }

      said <- read_json_answer(answer, url)
      list(
        versions = vapply(said$versions, as.character, ""),
        inputs = stats::setNames(
          said$inputs,
          vapply(said$inputs, function(one) as.character(one$name %||% ""), "")
        )
      )
    })
  }

  models <- c(wanted$model, wanted$text_model)
  version <- function() {
    known$clear()
    paste(
      vapply(
        models,
        function(model) paste(model, utils::tail(c("", facts_of(model)$versions), 1)),
        ""
      ),
      collapse = ", "
    )
  }

  ask <- function(subjects, statements) {
    model <- if (length(subjects) == 0) wanted$text_model %||% wanted$model else wanted$model
    facts <- facts_of(model)
    url <- paste0(model_url(address, model), "/infer")
    tensors <- list()
    give <- function(word, make) {
      name <- tensor_of(word)
      input <- facts$inputs[[name]]
      if (is.null(input)) {
        engine_failure(
          "bad_request",
          paste0(
            "The model ", model, " has no input ", name, ". It takes ",
            paste(names(facts$inputs), collapse = ", "),
            "; `tensors` in brief.yml says what goes where."
          )
        )
      }

      tensors[[name]] <<- make(input)
    }

    if (length(subjects)) {
      give("picture", function(input) batch_tensor(lapply(subjects, `[[`, "pixels"), input))
    }

    if (length(statements)) {
      give("statement", function(input) as_tensor(statements, input))
    }

    key <- fresh_key()
    out <- tensor_of(output_words[[wanted$kind]])
    message <- infer_message(tensors, out, key, known$get("/v2", asks_for_bytes(wanted, address)))
    call <- new_call(
      "POST",
      url,
      c(key_headers(wanted), message$headers),
      body = message$body,
      seconds = seconds,
      most = 1e8
    )
    list(call = call, then = function(answer) {
      if (answer$status != 200) {
        stop_for_inference(answer, url, NULL)
      }

      found <- read_outputs(answer, url, key)
      # Answers of another version must not be attributed to this one.
      spoke <- as.character(attr(found, "version") %||% "")
      if (nzchar(spoke) &&
        length(facts$versions) &&
        !spoke %in% utils::tail(facts$versions, 1)) {
        engine_failure(
          "bad_request",
          paste0(
            name,
            " is now of version ",
            spoke,
            ", and was of ",
            utils::tail(facts$versions, 1),
            " when it was first asked. Answers of two versions are never mixed: `sprenn score` ",
            "asks the new one everything."
          )
        )
      }

      said_from_tensor(
        output_named(found, out, url),
        wanted$kind,
        max(1, length(subjects)),
        length(statements),
        url
      )
    })
  }

  new_judge(
    name,
    wanted$kind,
    version,
    ask,
    edge = wanted$edge %||% 384,
    batch = wanted$batch %||% 8,
    at_once = wanted$at_once %||% 2,
    pattern = c(wanted$ask %||% "{say}", wanted$deny %||% "not the case: {say}"),
    secrets = as.character(wanted$key)
  )
}

# Converts a model's output to the form that check_said() expects.
said_from_tensor <- function(found, kind, n, statements, url) {
  sizes <- as.numeric(unlist(found$output$shape))
  values <- if (is.null(found$bytes)) {
    plain_numbers(found$output$data)
  } else {
    tensor_from_raw(found$bytes, as.character(found$output$datatype))
  }
  wrong <- function(wanted) {
    engine_failure(
      "bad_answer",
      paste0(
        url, " sent ", length(values), " values of shape ",
        paste(sizes, collapse = " x "), "; expected ", wanted, "."
      )
    )
  }

  if (length(values) != prod(sizes)) {
    wrong("as many as the shape says")
  }

  switch(kind,
    answering = probabilities_in(values, n, statements, wrong),
    embedding = vectors_in(values, sizes, if (statements > 0) statements else n, wrong),
    depth = depth_in(values, sizes, n, wrong),
    pose = figures_in(values, sizes, n, wrong)
  )
}

# What a model's output is called in `tensors` of brief.yml, by the kind of judge.
output_words <- c(
  answering = "probability",
  embedding = "vector",
  pose = "figures",
  depth = "depth"
)

# Tensors come row by row.
probabilities_in <- function(values, n, statements, wrong) {
  if (length(values) != n * statements) {
    wrong(paste(n, "x", statements, "probabilities"))
  }

  matrix(values, n, byrow = TRUE)
}

vectors_in <- function(values, sizes, many, wrong) {
  uneven <- length(values) == 0 || length(values) %% many != 0
  if (uneven || (length(sizes) > 1 && sizes[1] != many)) {
    wrong(paste(many, "vectors"))
  }

  matrix(values, many, byrow = TRUE)
}

depth_in <- function(values, sizes, n, wrong) {
  sizes <- sizes[sizes != 1 | seq_along(sizes) == 1]
  if (length(sizes) != 3 || sizes[1] != n) {
    wrong("pictures x rows x columns")
  }

  maps <- array(values, rev(sizes))
  lapply(seq_len(n), function(i) t(maps[, , i]))
}

# Joints below this confidence count as hidden.
sure_joint <- 0.3

figures_in <- function(values, sizes, n, wrong) {
  fits <- length(sizes) == 4 &&
    sizes[1] == n &&
    sizes[3] == length(joint_names) &&
    sizes[4] == 3
  if (!fits) {
    wrong(paste0("pictures x figures x ", length(joint_names), " x 3"))
  }

  joints <- array(values, rev(sizes))
  lapply(seq_len(n), function(i) {
    figures <- lapply(seq_len(sizes[2]), function(k) {
      sure <- which(joints[3, , k, i] >= sure_joint)
      stats::setNames(lapply(sure, function(joint) joints[1:2, joint, k, i]), joint_names[sure])
    })
    Filter(length, figures)
  })
}

# Numbers as JSON has them; what is null, or none, is NA.
plain_numbers <- function(data) {
  flat <- function(x) {
    if (is.list(x)) {
      unlist(lapply(x, flat))
    } else if (is.null(x)) {
      NA
    } else {
      x
    }
  }

  suppressWarnings(as.numeric(flat(data)))
}

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
