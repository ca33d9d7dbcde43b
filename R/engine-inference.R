# Engines on a model server that speaks the Open Inference Protocol (version 2,
# REST): pictures and numbers travel as tensors, in JSON or, by the protocol's
# binary extension, as bytes behind it.

inference_engine <- function(wanted, name) {
  address <- sub("/$", "", wanted$address)
  seen <- new.env()
  conversing_engine(
    about_from_list(wanted$about, name, "none"),
    function(request) infer_take(request, wanted, address, seen),
    kind = "inference",
    secrets = as.character(wanted$key)
  )
}

# One picture as a conversation: at first the model is asked what it takes.
infer_take <- function(request, wanted, address, seen) {
  url <- paste0(address, "/v2/models/", utils::URLencode(wanted$model, reserved = TRUE))
  seconds <- wanted$seconds %||% 120
  binary <- wanted$binary %||% TRUE
  tensor_of <- function(word) wanted$tensors[[word]] %||% word
  infer <- function() {
    message <- infer_message(
      tensors_for(request, seen$model, tensor_of),
      tensor_of("picture"),
      request$key,
      binary
    )
    list(
      call = new_call(
        "POST",
        paste0(url, "/infer"),
        c(key_headers(wanted), message$headers),
        body = message$body,
        seconds = seconds,
        most = 1e6 + 40 * prod(request$size)
      ),
      wait = 0,
      then = inferred
    )
  }

  inferred <- function(answer) {
    if (answer$status != 200) {
      stop_for_inference(answer, paste0(url, "/infer"), wanted$refusals)
    }

    result <- read_inference(answer, paste0(url, "/infer"), request, tensor_of("picture"))
    # The protocol has no word for money.
    if (is.na(result$cost)) {
      result$cost <- as_number(wanted$about$price)
    }

    result
  }

  if (!is.null(seen$model)) {
    return(infer())
  }

  list(
    call = new_call("GET", url, key_headers(wanted), seconds = min(30, seconds)),
    wait = 0,
    then = function(answer) {
      if (answer$status != 200) {
        stop_for_inference(answer, url, wanted$refusals)
      }

      seen$model <- read_json_answer(answer, url)
      infer()
    }
  )
}

stop_for_inference <- function(answer, url, refusals) {
  text <- if (answer$type == "application/json") {
    tryCatch(read_json_answer(answer, url)$error, sprenn_failure = function(e) NULL)
  }
  text <- if (is_text(text)) substr(text, 1, 400)
  if (!is.null(text) &&
    !is.null(refusals) &&
    answer$status < 500 &&
    grepl(refusals, text, ignore.case = TRUE)) {
    engine_failure("refused", text)
  }

  answer$body <- charToRaw(
    text %||% rawToChar(answer$body[answer$body != 0][seq_len(min(400, sum(answer$body != 0)))])
  )
  answer$type <- ""
  stop_for_status(answer, url)
}

# What of the request goes into which of the model's inputs: a list by tensor of
# `type`, `sizes` and `values` (row by row), or raw bytes for text.
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
        width = request$size[1],
        height = request$size[2]
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
  # What every request carries may be of no interest to a model; the rest would be lost.
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
    # R has no such numbers; below 2^53 a low and a high half are exact.
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

infer_message <- function(tensors, wanted, key, binary) {
  parts <- list()
  inputs <- Map(
    function(name, tensor) {
      one <- list(name = name, shape = as.list(tensor$sizes), datatype = tensor$type)
      # Only what is large is worth the bytes.
      if (binary && length(tensor$values) > 64) {
        bytes <- tensor_to_raw(tensor)
        parts[[length(parts) + 1]] <<- bytes
        c(one, list(parameters = list(binary_data_size = length(bytes))))
      } else {
        c(one, list(data = as.list(tensor$values)))
      }
    },
    names(tensors),
    tensors
  )
  head <- charToRaw(
    to_json(list(
      id = key,
      inputs = unname(inputs),
      outputs = list(list(name = wanted, parameters = list(binary_data = binary)))
    ))
  )
  list(
    body = c(head, unlist(parts)),
    headers = if (length(parts)) {
      c(
        "Content-Type" = "application/octet-stream",
        "Inference-Header-Content-Length" = as.character(length(head))
      )
    } else {
      c("Content-Type" = "application/json")
    }
  )
}

read_inference <- function(answer, url, request, wanted) {
  found <- read_outputs(answer, url, request$key)
  picture <- output_named(found, wanted, url)
  others <- lapply(found[setdiff(names(found), wanted)], function(one) {
    if (is.null(one$bytes) && length(one$output$data) <= 8) {
      unlist(one$output$data)
    }
  })
  take_result(
    picture_from_tensor(picture, url),
    seed = as.integer(others$seed %||% NA),
    cost = as_number(others$cost),
    says = Filter(Negate(is.null), others)
  )
}

output_named <- function(found, wanted, url) {
  if (is.null(found[[wanted]])) {
    engine_failure(
      "bad_answer",
      paste0(
        url, " sent no output ", wanted, "; it sent ",
        paste(c(names(found), if (!length(found)) "none"), collapse = ", "),
        "."
      )
    )
  }

  found[[wanted]]
}

# What a server put out, by name: the `output` as it said it and the `bytes` that belong
# to it, if it came as such.
read_outputs <- function(answer, url, key) {
  head <- json_length(answer, url)
  rest <- if (head == 0) answer$body else answer$body[-seq_len(head)]
  said <- read_json_answer(list(body = answer$body[seq_len(head)], type = answer$type), url)
  if (!is.null(said$id) && !identical(as.character(said$id), key)) {
    engine_failure(
      "bad_answer",
      paste0(
        url, " delivered the answer to another request (its id is ", show_value(said$id),
        ")."
      )
    )
  }

  found <- list()
  at <- 0
  for (output in said$outputs) {
    name <- as.character(output$name)
    bytes <- bytes_of_output(output, rest, at, url)
    found[[name]] <- list(output = output, bytes = bytes)
    at <- at + length(bytes)
  }

  attr(found, "version") <- said$model_version
  found
}

# How many of an answer's bytes are its JSON: text until it is known to be a number of bytes
# that there are.
json_length <- function(answer, url) {
  stated <- answer$headers$`inference-header-content-length`
  head <- suppressWarnings(as.numeric(stated %||% length(answer$body)))
  if (is.na(head) || head < 0 || head > length(answer$body)) {
    engine_failure(
      "bad_answer",
      paste0(
        url, " says that its JSON is ", stated, " bytes long, of ", length(answer$body),
        "."
      )
    )
  }

  head
}

# The bytes that an output says belong to it, those from `at` on; NULL if it came as JSON.
bytes_of_output <- function(output, rest, at, url) {
  size <- output$parameters$binary_data_size
  if (is.null(size)) {
    return(NULL)
  }

  if (!is_number(size) || size < 0 || at + size > length(rest)) {
    engine_failure(
      "bad_answer",
      paste0(url, " sent fewer bytes than it says: output ", output$name, " is cut off.")
    )
  }

  rest[at + seq_len(size)]
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

# A whole picture file, behind four bytes that say how long it is.
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
        paste(sizes, collapse = " x "), "; wanted rows x columns x 3 of UINT8 or FP32."
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
