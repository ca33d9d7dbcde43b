# Requests and pictures as tensors, and back.

# Maps a request to the model's inputs: a list by tensor of `type`, `sizes` and `values` (row by
# row), or raw bytes for text.
tensors_for <- function(request, model, tensor_of) {
  given <- Filter(
    Negate(is.null),
    c(
      list(
        prompt = request$text,
        negative = if (length(request$negative)) paste(request$negative, collapse = ", "),
        reference = request[["reference"]],
        hold = null_for_na(request$native_hold),
        seed = request$seed,
        checkpoint = request$checkpoint,
        mask = request$mask,
        look = if (length(request$looks)) request$looks[[1]],
        width = delivered_size(request)[1],
        height = delivered_size(request)[2]
      ),
      lapply(request$guides, `[[`, "picture"),
      request$settings
    )
  )
  names(given) <- vapply(names(given), tensor_of, "")
  inputs <- stats::setNames(
    model$inputs,
    vapply(model$inputs, function(one) as.character(one$name %||% ""), "")
  )
  # A model may ignore what every request carries; anything else that it does not take would be
  # lost.
  homeless <- setdiff(
    names(given),
    c(names(inputs), vapply(c("seed", "checkpoint", "width", "height"), tensor_of, ""))
  )
  known <- paste("It takes", paste(names(inputs), collapse = ", "))
  if (length(homeless)) {
    engine_failure(
      "bad_request",
      paste0(
        "The model ", model$name, " has no input ", paste(homeless, collapse = ", "),
        ". ", known, "; `tensors` in lineup.yml says what goes where."
      )
    )
  }

  Map(
    function(name, input) as_tensor(given[[name]], input),
    intersect(names(inputs), names(given)),
    inputs[intersect(names(inputs), names(given))]
  )
}

as_tensor <- function(value, input) {
  sizes <- as.numeric(unlist(input$shape))
  type <- as.character(input$datatype)
  if (type == "BYTES") {
    return(list(
      type = type,
      sizes = c(rep(1, max(0, length(sizes) - 1)), length(value)),
      values = as.character(value)
    ))
  }

  if (is.matrix(value)) {
    dim(value) <- c(dim(value), 1)
  }

  if (length(dim(value)) == 3) {
    # Three colours, or one, stand last or before the rows and columns.
    inner <- utils::tail(sizes, 3)
    first <- length(inner) == 3 && inner[1] %in% c(1, 3) && !inner[3] %in% c(1, 3)
    batch <- rep(1, max(0, length(sizes) - 3))
    turned <- if (first) aperm(value, c(2, 1, 3)) else aperm(value, c(3, 2, 1))
    sizes <- c(batch, rev(dim(turned)))
    if (length(unlist(input$shape)) == 2) {
      sizes <- dim(value)[1:2]
    }

    value <- as.numeric(turned)
    if (grepl("INT", type)) {
      value <- round(255 * value)
    }
  } else {
    sizes <- rep(1, max(1, length(sizes)))
    value <- as.numeric(value)
    if (grepl("INT", type)) {
      value <- round(value)
    }
  }

  if (!type %in% names(tensor_bytes)) {
    engine_failure(
      "bad_request",
      paste0(
        "The model's input ", input$name, " is of type ", type,
        ", which can't be sent; it may be BYTES, ",
        paste(names(tensor_bytes), collapse = ", "), "."
      )
    )
  }

  list(type = type, sizes = sizes, values = value)
}

tensor_bytes <- c(
  BOOL = 1,
  UINT8 = 1,
  INT8 = 1,
  UINT16 = 2,
  INT16 = 2,
  INT32 = 4,
  INT64 = 8,
  FP32 = 4,
  FP64 = 8
)

tensor_to_raw <- function(tensor) {
  if (tensor$type == "BYTES") {
    texts <- lapply(enc2utf8(tensor$values), charToRaw)
    return(unlist(lapply(texts, function(text) {
      c(writeBin(length(text), raw(), size = 4, endian = "little"), text)
    })))
  }

  size <- tensor_bytes[[tensor$type]]
  if (tensor$type == "INT64") {
    # R has no 64-bit integers; below 2^53, a low and a high half are exact.
    halves <- rbind(tensor$values %% 2^32, floor(tensor$values / 2^32))
    return(writeBin(
      as.integer(ifelse(halves >= 2^31, halves - 2^32, halves)),
      raw(),
      size = 4,
      endian = "little"
    ))
  }

  values <- if (startsWith(tensor$type, "FP")) {
    as.double(tensor$values)
  } else {
    as.integer(tensor$values)
  }
  writeBin(values, raw(), size = size, endian = "little")
}

picture_from_tensor <- function(found, url) {
  if (as.character(found$output$datatype) == "BYTES") {
    return(file_from_tensor(found, url))
  }

  sizes <- as.numeric(unlist(found$output$shape))
  values <- picture_values(found, sizes, url)
  inner <- utils::tail(sizes, 3)
  if (length(values) != prod(inner)) {
    engine_failure("bad_answer", paste0(url, " sent several pictures where one was asked for."))
  }

  # Channels may come first or last.
  channels_first <- inner[1] %in% c(1, 3) && !inner[3] %in% c(1, 3)
  picture <- aperm(array(values, rev(inner)), if (channels_first) c(2, 1, 3) else 3:1)
  if (startsWith(as.character(found$output$datatype), "FP")) {
    picture
  } else {
    picture / 255
  }
}

# A picture file, preceded by its length in four bytes.
file_from_tensor <- function(found, url) {
  if (length(found$bytes) < 4) {
    engine_failure(
      "bad_answer",
      paste0(url, " sent its picture file as JSON text; a file goes as bytes (`binary: true`).")
    )
  }

  said <- little_endian(found$bytes, 1, 4)
  found$bytes[-(1:4)][seq_len(min(said, length(found$bytes) - 4))]
}

picture_values <- function(found, sizes, url) {
  type <- as.character(found$output$datatype)
  if (!type %in% names(tensor_bytes) || length(sizes) < 3 || !all(sizes >= 1 & !is.na(sizes))) {
    engine_failure(
      "bad_answer",
      paste0(
        url, " sent a picture of type ", type, " and shape ",
        paste(sizes, collapse = " x "), "; expected rows x columns x 3 of UINT8 or FP32."
      )
    )
  }

  values <- if (is.null(found$bytes)) {
    as.numeric(unlist(found$output$data))
  } else {
    tensor_from_raw(found$bytes, type)
  }
  if (length(values) != prod(sizes)) {
    engine_failure(
      "bad_answer",
      paste0(
        url, " sent ", length(values), " values for a picture of ",
        paste(sizes, collapse = " x "), "."
      )
    )
  }

  values
}

tensor_from_raw <- function(bytes, type) {
  size <- tensor_bytes[[type]]
  count <- length(bytes) %/% size
  if (startsWith(type, "FP")) {
    readBin(bytes, "double", count, size, endian = "little")
  } else {
    readBin(
      bytes,
      "integer",
      count,
      size,
      signed = !startsWith(type, "U") || size > 2,
      endian = "little"
    )
  }
}

# Texts as JSON has them; what is none is empty.
texts_in <- function(data) {
  flat <- unlist(lapply(data, function(one) if (is.null(one)) "" else one))
  as.character(flat)
}

# Texts as bytes, each preceded by its length in four bytes.
texts_from_raw <- function(bytes) {
  texts <- character()
  at <- 0
  while (at + 4 <= length(bytes)) {
    size <- little_endian(bytes, at + 1, 4)
    text <- bytes[at + 4 + seq_len(min(size, length(bytes) - at - 4))]
    texts <- c(texts, rawToChar(text[text != 0]))
    at <- at + 4 + size
  }

  Encoding(texts) <- "UTF-8"
  texts
}

# Pictures of one size as one tensor, in the model's order of dimensions.
batch_tensor <- function(pictures, input) {
  each <- lapply(
    pictures,
    as_tensor,
    input = utils::modifyList(input, list(shape = utils::tail(input$shape, 3)))
  )
  list(
    type = each[[1]]$type,
    sizes = c(length(each), utils::tail(each[[1]]$sizes, 3)),
    values = unlist(lapply(each, `[[`, "values"))
  )
}
