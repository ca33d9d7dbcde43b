# Stand-in engines and judges behind the Open Inference Protocol.

# The Open Inference Protocol, as far as one model of pictures needs it.
inference_router <- function(engine) {
  outputs <- list(
    list(name = "IMAGE_OUT", datatype = "BYTES", shape = list(1)),
    list(name = "seed", datatype = "INT64", shape = list(1))
  )
  model_router(
    stats::setNames(
      list(list(
        version = engine$about$version,
        inputs = inference_inputs(),
        outputs = outputs,
        infer = function(req, res) infer_answer(engine, inference_inputs(), req, res)
      )),
      engine$about$name
    )
  )
}

# The stand-in judges' models. Their tensors have names of their own, as others' have.
judge_router <- function(judge) {
  images <- list(IMAGES = list(datatype = "UINT8", shape = list(-1, -1, -1, 3)))
  texts <- list(TEXTS = list(datatype = "BYTES", shape = list(-1)))
  say <- function(res, said, model, name, sizes, values) {
    say_json(
      res,
      200,
      list(
        model_name = model,
        model_version = judge$version(),
        id = said$id,
        outputs = list(list(
          name = name,
          datatype = "FP32",
          shape = as.list(sizes),
          data = as.list(as.numeric(t(values)))
        ))
      )
    )
  }

  asked <- function(known, ask) {
    function(req, res) {
      read <- read_tensors(req, known)
      pictures <- read$given$IMAGES
      if (is.array(pictures)) {
        pictures <- list(pictures)
      }

      ask(
        read$said,
        lapply(pictures, function(pixels) list(pixels = pixels)),
        as.character(unlist(read$given$TEXTS)),
        res
      )
    }
  }

  model <- function(inputs, output, ask) {
    list(
      version = judge$version(),
      inputs = inputs,
      outputs = list(list(name = output, datatype = "FP32", shape = list(-1, -1))),
      infer = asked(names(inputs), ask)
    )
  }

  model_router(
    switch(judge$kind,
      answering = stats::setNames(
        list(
          model(c(images, texts), "P", function(said, pictures, texts, res) {
            say(
              res,
              said,
              judge$name,
              "P",
              c(length(pictures), length(texts)),
              judge$ask(pictures, texts)
            )
          })
        ),
        judge$name
      ),
      embedding = stats::setNames(
        list(
          model(images, "EMBEDDING", function(said, pictures, texts, res) {
            vectors <- judge$ask(pictures, character())
            say(res, said, judge$name, "EMBEDDING", dim(vectors), vectors)
          }),
          model(texts, "EMBEDDING", function(said, pictures, texts, res) {
            vectors <- judge$ask(list(), texts)
            say(res, said, paste0(judge$name, "-texts"), "EMBEDDING", dim(vectors), vectors)
          })
        ),
        c(judge$name, paste0(judge$name, "-texts"))
      )
    )
  )
}

# Models by name behind the Open Inference Protocol, each with its `version`, `inputs` and
# `outputs`, and what it infers.
model_router <- function(models) {
  router <- plumber::pr()
  router <- plumber::pr_get(router, "/v2", function(res) {
    say_json(
      res,
      200,
      list(name = "standins", version = "1", extensions = list("binary_tensor_data"))
    )
  })
  router <- plumber::pr_get(router, "/v2/health/ready", function(res) {
    say_json(res, 200, list(ready = TRUE))
  })
  router <- plumber::pr_get(router, "/v2/models/<model>", function(model, res) {
    own <- models[[model]]
    if (is.null(own)) {
      return(say_json(res, 404, list(error = paste("unknown model", model))))
    }

    say_json(
      res,
      200,
      list(
        name = model,
        versions = list(own$version),
        platform = "drawing",
        inputs = unname(
          Map(function(name, one) c(list(name = name), one), names(own$inputs), own$inputs)
        ),
        outputs = own$outputs
      )
    )
  })
  router <- plumber::pr_post(
    router,
    "/v2/models/<model>/infer",
    function(model, req, res) {
      tryCatch(
        {
          if (is.null(models[[model]])) {
            stop("unknown model ", model)
          }

          models[[model]]$infer(req, res)
        },
        sprenn_failure = function(e) {
          if (!is.null(e$retry_after)) {
            res$setHeader("Retry-After", as.character(ceiling(e$retry_after)))
          }

          say_json(
            res,
            c(refused = 400, out_of_credit = 402, busy = 429, bad_request = 400)[[e$kind]],
            list(error = conditionMessage(e))
          )
        },
        error = function(e) say_json(res, 500, list(error = conditionMessage(e)))
      )
    },
    parsers = "octet"
  )
  router
}

inference_inputs <- function() {
  one <- function(datatype, ...) list(datatype = datatype, shape = list(...))
  list(
    PROMPT = one("BYTES", 1),
    IMAGE = one("UINT8", 1, -1, -1, 3),
    KEEP = one("FP32", 1),
    SEED = one("INT64", 1),
    DEPTH = one("UINT8", -1, -1),
    STYLE = one("FP32", 1, 3, -1, -1),
    UNWANTED = one("BYTES", 1),
    WIDTH = one("INT32", 1),
    HEIGHT = one("INT32", 1)
  )
}

# Reads a request: `said`, the JSON, and `given`, the tensors by name.
read_tensors <- function(req, known) {
  body <- req$bodyRaw
  head <- as.integer(req$HTTP_INFERENCE_HEADER_CONTENT_LENGTH %||% length(body))
  said <- jsonlite::parse_json(rawToChar(body[seq_len(head)]))
  rest <- body[-seq_len(head)]
  at <- 0
  given <- list()
  for (one in said$inputs) {
    size <- one$parameters$binary_data_size
    if (!one$name %in% known) {
      engine_failure("bad_request", paste("unexpected input", one$name))
    }

    given[[one$name]] <- if (is.null(size)) {
      read_plain(one)
    } else {
      read_binary(one, rest[at + seq_len(size)])
    }
    at <- at + (size %||% 0)
  }

  list(said = said, given = given)
}

infer_answer <- function(engine, inputs, req, res) {
  read <- read_tensors(req, names(inputs))
  said <- read$said
  made <- engine$make(request_from_tensors(engine, read$given))
  bytes <- if (is.raw(made$picture)) made$picture else png::writePNG(made$picture)
  wanted <- said$outputs[[1]]
  if (!isTRUE(wanted$parameters$binary_data)) {
    picture <- aperm(round(255 * png::readPNG(bytes)[, , 1:3]), 3:1)
    output <- list(
      name = "IMAGE_OUT",
      datatype = "UINT8",
      shape = c(1, rev(dim(picture))),
      data = as.integer(picture)
    )
    return(say_json(
      res,
      200,
      list(model_name = engine$about$name, id = said$id, outputs = list(output))
    ))
  }

  parcel <- c(writeBin(length(bytes), raw(), size = 4, endian = "little"), bytes)
  head <- charToRaw(
    as.character(
      jsonlite::toJSON(
        list(
          model_name = engine$about$name,
          id = said$id,
          outputs = list(list(
            name = "IMAGE_OUT",
            datatype = "BYTES",
            shape = list(1),
            parameters = list(binary_data_size = length(parcel))
          ))
        ),
        auto_unbox = TRUE
      )
    )
  )
  res$setHeader("Content-Type", "application/octet-stream")
  res$setHeader("Inference-Header-Content-Length", as.character(length(head)))
  res$body <- c(head, parcel)
  res
}

read_plain <- function(tensor) {
  values <- unlist(tensor$data)
  if (length(tensor$shape) < 2) {
    values
  } else {
    fold_tensor(as.numeric(values), tensor)
  }
}

read_binary <- function(tensor, bytes) {
  if (tensor$datatype == "BYTES") {
    return(rawToChar(bytes[-(1:4)]))
  }

  values <- if (tensor$datatype == "FP32") {
    readBin(bytes, "double", length(bytes) / 4, 4, endian = "little")
  } else {
    as.integer(bytes)
  }
  fold_tensor(values, tensor)
}

# Rows x columns, or rows x columns x 3, with values from 0 to 1.
fold_tensor <- function(values, tensor) {
  if (tensor$datatype == "UINT8") {
    values <- values / 255
  }

  inner <- as.integer(unlist(tensor$shape))
  # Several pictures come as a list.
  if (length(inner) == 4 && inner[1] > 1) {
    each <- matrix(values, ncol = inner[1])
    return(lapply(seq_len(inner[1]), function(i) {
      fold_tensor(each[, i], list(datatype = "FP32", shape = inner[-1]))
    }))
  }

  if (length(inner) == 4) {
    inner <- inner[-1]
  }

  if (length(inner) == 2) {
    return(t(array(values, rev(inner))))
  }

  if (inner[1] == 3) {
    aperm(array(values, rev(inner)), c(2, 1, 3))
  } else {
    aperm(array(values, rev(inner)), 3:1)
  }
}

request_from_tensors <- function(engine, given) {
  if (is.null(given$PROMPT)) {
    engine_failure("bad_request", "the input PROMPT is missing")
  }

  size <- if (is.null(given$IMAGE)) {
    as.integer(c(given$WIDTH %||% 480, given$HEIGHT %||% 320))
  } else {
    dim(given$IMAGE)[2:1]
  }
  list(
    prompt = data.frame(say = given$PROMPT, weight = 1),
    negative = as.character(given$UNWANTED),
    reference = given$IMAGE,
    references = if (!is.null(given$IMAGE)) list(given$IMAGE) else list(),
    reference_weights = rep(1, !is.null(given$IMAGE)),
    looks = if (!is.null(given$STYLE)) list(given$STYLE) else list(),
    look_weight = 1,
    guides = if (!is.null(given$DEPTH)) {
      list(depth = list(picture = as_colour(given$DEPTH), weight = 1, release = 1))
    } else {
      list()
    },
    mask = NULL,
    grow = rep(0, 4),
    native_hold = given$KEEP %||% NA,
    checkpoint = names(engine$about$checkpoints)[1],
    add_ons = list(),
    settings = list(),
    size = size,
    seed = as.integer(given$SEED %||% 1)
  )
}
