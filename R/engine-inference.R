# Engines on a model server that speaks the Open Inference Protocol (version 2, REST): pictures
# and numbers are sent as tensors, in JSON or, with the protocol's binary extension, as bytes
# after it.

inference_engine <- function(wanted, name) {
  address <- sub("/$", "", wanted$address)
  known <- list(binary = wanted$binary)
  conversing_engine(
    about_from_list(wanted$about, name, "none"),
    function(request) {
      infer_take(request, wanted, address, known, function(found) known <<- found)
    },
    kind = "inference",
    secrets = as.character(wanted$key)
  )
}

# One picture as a conversation: first the server is asked whether it takes tensors as bytes, and
# the model for its inputs; `remember` is called with what is `known` then.
infer_take <- function(request, wanted, address, known, remember) {
  url <- model_url(address, wanted$model)
  seconds <- wanted$seconds %||% 120
  tensor_of <- function(word) wanted$tensors[[word]] %||% word
  infer <- function(known) {
    message <- infer_message(
      tensors_for(request, known$model, tensor_of),
      tensor_of("picture"),
      request$key,
      known$binary
    )
    list(
      call = new_call(
        "POST",
        paste0(url, "/infer"),
        c(key_headers(wanted), message$headers),
        body = message$body,
        seconds = seconds,
        most = 1e6 + 40 * prod(delivered_size(request))
      ),
      wait = 0,
      then = function(answer) inferred(answer, known$binary)
    )
  }

  inferred <- function(answer, binary) {
    if (answer$status != 200) {
      stop_for_inference(answer, paste0(url, "/infer"), wanted$refusals, binary)
    }

    result <- read_inference(answer, paste0(url, "/infer"), request, tensor_of("picture"))
    # The protocol has no word for money.
    if (is.na(result$cost)) {
      result$cost <- as_number(wanted$about$price)
    }

    result
  }

  ask_for <- function(url, then) {
    call <- new_call("GET", url, key_headers(wanted), seconds = min(30, seconds))
    list(call = call, wait = 0, then = then)
  }

  ask_for_model <- function(known) {
    ask_for(url, function(answer) {
      if (answer$status != 200) {
        stop_for_inference(answer, url, wanted$refusals)
      }

      known$model <- read_json_answer(answer, url)
      remember(known)
      infer(known)
    })
  }

  if (!is.null(known$model)) {
    return(infer(known))
  }

  if (!is.null(known$binary)) {
    return(ask_for_model(known))
  }

  ask_for(paste0(address, "/v2"), function(answer) {
    known$binary <- takes_binary(answer)
    ask_for_model(known)
  })
}

model_url <- function(address, model) {
  paste0(address, "/v2/models/", utils::URLencode(model, reserved = TRUE))
}

# Whether a server says that it has the protocol's extension by which tensors are sent as bytes. One
# that describes itself in another way than the protocol has it is taken to.
takes_binary <- function(answer) {
  said <- if (answer$status == 200) {
    tryCatch(read_json_answer(answer, ""), sprenn_failure = function(e) NULL)
  }
  is.null(said$extensions) || "binary_tensor_data" %in% unlist(said$extensions)
}

# The same, asked now unless the entry says it.
asks_for_bytes <- function(wanted, address) {
  if (!is.null(wanted$binary)) {
    return(wanted$binary)
  }

  takes_binary(fetch("GET", paste0(address, "/v2"), key_headers(wanted), seconds = 30))
}

# `binary` says whether tensors were sent as bytes.
stop_for_inference <- function(answer, url, refusals, binary = FALSE) {
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
  if (binary) {
    stop_with_cure(answer, url)
  }

  stop_for_status(answer, url)
}

# A server that was sent tensors as bytes may not have understood them.
stop_with_cure <- function(answer, url) {
  tryCatch(stop_for_status(answer, url), sprenn_failure = function(e) {
    if (answer$status %in% c(400, 415, 422, 500)) {
      e$message <- paste(
        conditionMessage(e),
        "Tensors were sent as bytes; `binary: false` sends them as JSON."
      )
    }

    stop(e)
  })
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
        # A list of a million numbers takes a minute to write.
        c(one, list(data = I(as.vector(tensor$values))))
      }
    },
    names(tensors),
    tensors
  )
  head <- charToRaw(
    to_json(list(
      id = key,
      inputs = unname(inputs),
      outputs = lapply(unname(wanted), function(name) {
        list(name = name, parameters = list(binary_data = binary))
      })
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
