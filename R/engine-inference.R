# Engines on a model server that speaks the Open Inference Protocol (version 2, REST): pictures
# and numbers are sent as tensors, in JSON or, with the protocol's binary extension, as bytes
# after it.

inference_engine <- function(wanted, name) {
  address <- sub("/$", "", wanted$address)
  model <- NULL
  conversing_engine(
    about_from_list(wanted$about, name, "none"),
    function(request) {
      infer_take(request, wanted, address, model, function(found) model <<- found)
    },
    kind = "inference",
    secrets = as.character(wanted$key)
  )
}

# One picture as a conversation: first the model is asked for its inputs, and `remember` is called
# with them.
infer_take <- function(request, wanted, address, model, remember) {
  url <- paste0(address, "/v2/models/", utils::URLencode(wanted$model, reserved = TRUE))
  seconds <- wanted$seconds %||% 120
  binary <- wanted$binary %||% TRUE
  tensor_of <- function(word) wanted$tensors[[word]] %||% word
  infer <- function(model) {
    message <- infer_message(
      tensors_for(request, model, tensor_of),
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

  if (!is.null(model)) {
    return(infer(model))
  }

  list(
    call = new_call("GET", url, key_headers(wanted), seconds = min(30, seconds)),
    wait = 0,
    then = function(answer) {
      if (answer$status != 200) {
        stop_for_inference(answer, url, wanted$refusals)
      }

      model <- read_json_answer(answer, url)
      remember(model)
      infer(model)
    }
  )
}

stop_for_inference <- function(answer, url, refusals) {
  text <- if (answer$type == "application/json") {
    tryCatch(read_json_answer(answer, url)$error, sprenn_failure = function(e) NULL)
  }
  text <- if (is_text(text)) text
  if (!is.null(text) &&
    !is.null(refusals) &&
    answer$status < 500 &&
    grepl(refusals, text, ignore.case = TRUE)) {
    engine_failure("refused", text)
  }

  answer$body <- if (is.null(text)) answer$body[answer$body != 0] else charToRaw(text)
  answer$type <- ""
  stop_for_status(answer, url)
}

infer_message <- function(tensors, wanted, key, binary) {
  parts <- list()
  inputs <- Map(
    function(name, tensor) {
      one <- list(name = name, shape = as.list(tensor$sizes), datatype = tensor$type)
      # The binary form pays off for large tensors only.
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
  engine_result(
    picture_from_tensor(picture, url),
    seed = as.integer(others$seed %||% NA),
    cost = others$cost %||% NA,
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

# The outputs of a server by name: the `output` as the JSON describes it and the `bytes` that
# belong to it, if it was sent in binary.
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

# The length of an answer's JSON in bytes, checked against the length of the answer.
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
