# Stand-ins as real servers: one engine behind our HTTP contract, with a queue,
# credit, a rate limit and a slow first call; or behind the Open Inference
# Protocol.

#' Stand-in engines as servers
#'
#' Starts stand-in engines on this machine, each in a process of its own, so that
#' everything can be tried over real connections. `sprenn standins` does the same
#' until it is stopped.
#'
#' @param which Which ones: `"bracken"`, `"quince"` and `"yarrow"` keep the HTTP
#'   contract, `"sorrel"` speaks the Open Inference Protocol, and so do the judges
#'   `"heron"` and `"plover"`. A name may come
#'   with a port: `c(bracken = 8461)`; otherwise a free one is taken.
#' @param faults Faults by name of the stand-in, such as
#'   `c(bracken = "truncated@3 busy:0.1")`: at the third call, at a tenth of the
#'   calls. Known are `r paste(c(fault_words, wire_fault_words), collapse = ", ")`.
#' @param seed What the faults are drawn from.
#' @param credit What bracken's account holds.
#' @param seconds,at_once How long bracken's queue takes for a picture, and how many it
#'   works at side by side; its own pace if `NULL`.
#' @param key The key that they want to see, or `NULL`.
#' @param standins What `start_standins()` returned.
#' @return `start_standins()` returns an object of class `sprenn_standins`: a
#'   list with `addresses` and `ledgers` (JSON files of what was paid under which
#'   key), by name.
#' @export
#' @examples
#' \donttest{
#' running <- start_standins("sorrel")
#' running$addresses
#' stop_standins(running)
#' }
start_standins <- function(
  which = c("bracken", "sorrel", "quince"),
  faults = character(),
  seed = 1L,
  credit = 1000,
  key = NULL,
  seconds = NULL,
  at_once = NULL
) {
  ports <- if (is.numeric(which)) {
    which
  } else {
    stats::setNames(rep(NA_real_, length(which)), which)
  }
  unknown <- setdiff(c(names(ports), names(faults)), served_standins)
  if (length(unknown)) {
    stop(
      "No stand-in is served under the name ",
      paste(unknown, collapse = ", "),
      "; there are ",
      paste(served_standins, collapse = ", "),
      ".",
      call. = FALSE
    )
  }

  stop_for_ports(ports[!is.na(ports)])
  for (spec in faults) {
    read_faults(spec)
  }

  started <- list()
  ledgers <- character()
  done <- FALSE
  on.exit(
    if (!done) stop_standins(structure(list(processes = started), class = "sprenn_standins"))
  )
  addresses <- character()
  for (name in names(ports)) {
    spec <- if (name %in% names(faults)) faults[[name]] else ""
    words <- strsplit(trimws(spec), "[ ,]+")[[1]]
    on_wire <- sub("[@:].*", "", words) %in% wire_fault_words
    port <- if (is.na(ports[[name]])) httpuv::randomPort() else ports[[name]]
    inner <- if (any(on_wire)) httpuv::randomPort() else port
    ledgers[[name]] <- ledger <- tempfile("ledger-", fileext = ".json")
    started[[name]] <- start_apart(
      "serve_standin",
      list(
        name = name,
        port = inner,
        faults = paste(words[!on_wire], collapse = " "),
        seed = seed,
        credit = credit,
        key = key,
        ledger = ledger,
        seconds = seconds,
        at_once = at_once
      )
    )
    if (any(on_wire)) {
      wait_for_server(started[[name]], inner)
      wire <- start_apart(
        "serve_wire",
        list(
          port = port,
          target = paste0("http://127.0.0.1:", inner),
          spec = paste(words[on_wire], collapse = " "),
          seed = seed
        )
      )
      started[[paste0(name, "-wire")]] <- wire
    }

    addresses[[name]] <- paste0("http://127.0.0.1:", port)
  }

  for (name in names(started)) {
    wait_for_server(
      started[[name]],
      as.numeric(sub(".*:", "", addresses[[sub("-wire$", "", name)]]))
    )
  }

  done <- TRUE
  structure(
    list(addresses = addresses, ledgers = ledgers, processes = started),
    class = "sprenn_standins"
  )
}

stop_for_ports <- function(ports) {
  wrong <- ports[!ports %in% 1:65535]
  if (length(wrong)) {
    stop("A port is a whole number from 1 to 65535, not ", format(wrong[1]), ".", call. = FALSE)
  }

  # Whoever has a port already would answer in the stand-in's place.
  taken <- Filter(is_taken, ports)
  if (length(taken)) {
    stop(
      paste0(
        "Port ", taken[1], ", which ", names(taken)[1],
        " should have, is taken by another process. Stop that, or choose another port."
      ),
      call. = FALSE
    )
  }
}

# A port that has just been given back may be held for a moment more.
port_patience <- 1

is_taken <- function(port) {
  began <- proc.time()[["elapsed"]]
  repeat {
    tried <- try(suppressWarnings(close(serverSocket(port))), silent = TRUE)
    if (!inherits(tried, "try-error")) {
      return(FALSE)
    }

    if (proc.time()[["elapsed"]] - began > port_patience) {
      return(TRUE)
    }

    Sys.sleep(0.05)
  }
}

served_standins <- c("bracken", "sorrel", "quince", "yarrow", "heron", "plover")

#' @rdname start_standins
#' @export
stop_standins <- function(standins) {
  for (process in standins$processes) {
    process$kill_tree()
    process$wait(2000)
  }

  invisible()
}

#' @export
print.sprenn_standins <- function(x, ...) {
  writeLines(paste0(formatC(names(x$addresses), width = -10), x$addresses))
  invisible(x)
}

# A function of the package in an R of its own, that ends with this one.
start_apart <- function(what, arguments) {
  file <- tempfile("standin-", fileext = ".rds")
  saveRDS(list(what = what, arguments = arguments, paths = .libPaths()), file)
  code <- paste0(
    "given <- readRDS('",
    file,
    "'); .libPaths(given$paths); do.call(getFromNamespace(given$what, 'sprenn'), given$arguments)"
  )
  processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("--no-save", "--no-restore", "-e", code),
    supervise = TRUE,
    cleanup_tree = TRUE,
    stdout = NULL,
    stderr = sub("rds$", "log", file)
  )
}

wait_for_server <- function(process, port, seconds = 60) {
  began <- proc.time()[["elapsed"]]
  while (proc.time()[["elapsed"]] - began < seconds) {
    if (!process$is_alive()) {
      stop(
        "A stand-in did not start: ",
        paste(
          utils::tail(readLines(process$get_error_file(), warn = FALSE), 3),
          collapse = " "
        ),
        call. = FALSE
      )
    }

    there <- tryCatch(
      {
        suppressWarnings(close(socketConnection("127.0.0.1", port, timeout = 1)))
        TRUE
      },
      error = function(e) FALSE
    )
    if (there) {
      return(invisible())
    }

    Sys.sleep(0.05)
  }

  stop("A stand-in did not answer within ", seconds, " s.", call. = FALSE)
}

serve_standin <- function(
  name,
  port,
  faults = "",
  seed = 1L,
  credit = 1000,
  key = NULL,
  ledger = tempfile(),
  seconds = NULL,
  at_once = NULL
) {
  if (name %in% c("heron", "plover")) {
    return(serve_router(
      judge_router(if (name == "heron") standin_heron() else standin_plover()),
      port,
      key
    ))
  }

  engine <- with_faults(
    switch(name,
      bracken = standin_bracken(),
      sorrel = standin_sorrel(),
      quince = standin_quince(),
      yarrow = standin_yarrow()
    ),
    faults,
    seed,
    beside = name != "sorrel"
  )
  if (name == "bracken") {
    engine$about$at_once <- at_once %||% engine$about$at_once
    engine$about$seconds <- seconds %||% engine$about$seconds
  }

  router <- if (name == "sorrel") {
    inference_router(engine)
  } else {
    contract_router(
      engine,
      new_office(
        credit,
        read_faults(faults, seed),
        ledger,
        hosted = name == "bracken",
        pace = seconds %||% 0.05,
        desks = at_once %||% 1
      )
    )
  }
  serve_router(router, port, key)
}

serve_router <- function(router, port, key) {
  router <- plumber::pr_set_debug(plumber::pr_set_docs(router, FALSE), FALSE)
  router <- plumber::pr_filter(router, "key", function(req, res) {
    if (is.null(key) || identical(req$HTTP_AUTHORIZATION, paste("Bearer", key))) {
      plumber::forward()
    } else {
      say_problem(
        res,
        401,
        "The key is missing or wrong.",
        paste("It came as:", req$HTTP_AUTHORIZATION)
      )
    }
  })
  plumber::pr_run(router, host = "127.0.0.1", port = port, quiet = TRUE)
}

# What a hosted service keeps: jobs, an account, and the keys that were paid, the
# last in a file that outlives a restart.
new_office <- function(credit, fault_at, ledger, hosted, pace = 0, desks = 1) {
  office <- new.env()
  office$orders <- list()
  office$fault_at <- fault_at
  office$posts <- 0
  office$recent <- numeric()
  # When each of those who work at the queue is free again.
  office$free_at <- rep(0, desks)
  office$pace <- pace
  office$ahead <- pace > 0.5
  if (office$ahead) {
    mirai::daemons(1, .compute = "drawing")
  }

  office$hosted <- hosted
  office$credit <- credit
  office$ledger <- ledger
  office$paid <- if (file.exists(ledger)) unlist(jsonlite::read_json(ledger)) else numeric()
  office
}

contract_router <- function(engine, office) {
  router <- plumber::pr()
  router <- plumber::pr_get(router, "/about", function(res) {
    say_json(res, 200, about_for_wire(engine))
  })
  router <- plumber::pr_post(
    router,
    "/takes",
    function(req, res) answering(res, take_order(engine, office, req, res)),
    parsers = "octet"
  )
  router <- plumber::pr_get(router, "/takes/<id>", function(id, res) {
    answering(res, tell_job(engine, office, id, res))
  })
  router <- plumber::pr_get(router, "/takes/<id>/picture", function(id, res) {
    job <- office$orders[[id]]
    if (is.null(job$picture)) {
      return(say_problem(res, 404, "There is no such picture."))
    }

    res$setHeader("Content-Type", "image/png")
    res$body <- job$spoilt %||% job$picture
    office$orders[[id]]$spoilt <- NULL
    res
  })
  router <- plumber::pr_post(
    router,
    "/captions",
    function(req, res) {
      answering(res, {
        if (is.null(engine$caption)) {
          engine_failure("bad_request", "This engine does not caption.")
        }

        parts <- read_form(req)
        say_json(
          res,
          200,
          list(phrases = as.list(engine$caption(as_colour(png::readPNG(parts$picture)))))
        )
      })
    },
    parsers = "octet"
  )
  plumber::pr_set_404(router, function(req, res) {
    say_problem(res, 404, "There is no such place.")
  })
}

# Failures become problem details.
answering <- function(res, code) {
  statuses <- c(
    refused = 422,
    out_of_credit = 402,
    busy = 429,
    unreachable = 502,
    timed_out = 504,
    bad_request = 422,
    bad_answer = 502
  )
  tryCatch(
    code,
    sprenn_failure = function(e) {
      if (!is.null(e$retry_after)) {
        res$setHeader("Retry-After", as.character(ceiling(e$retry_after)))
      }

      say_problem(
        res,
        statuses[[e$kind]],
        conditionMessage(e),
        type = if (e$kind == "refused") "urn:sprenn:refused"
      )
    },
    error = function(e) say_problem(res, 500, "Something broke.", conditionMessage(e))
  )
}

say_json <- function(res, status, value, type = "application/json") {
  res$status <- status
  res$setHeader("Content-Type", type)
  res$body <- as.character(
    jsonlite::toJSON(value, auto_unbox = TRUE, digits = NA, null = "null")
  )
  res
}

say_problem <- function(res, status, title, detail = NULL, type = NULL) {
  say_json(
    res,
    status,
    c(
      list(title = title, status = status),
      if (!is.null(type)) list(type = type),
      if (!is.null(detail)) list(detail = detail)
    ),
    "application/problem+json"
  )
}

about_for_wire <- function(engine) {
  about <- engine$about
  about$hold <- if (!is.null(about$hold)) as.list(about$hold)
  about$captions <- !is.null(engine$caption)
  about$takes <- as.list(about$takes)
  about$add_ons <- as.list(about$add_ons)
  if (length(about$settings) == 0) {
    about$settings <- NULL
  }

  about$checkpoints <- lapply(about$checkpoints, function(one) {
    if (length(one)) {
      one
    } else {
      structure(list(), names = character())
    }
  })
  Filter(Negate(is.null), about)
}

# An order: known keys lead to the job that they led to before.
take_order <- function(engine, office, req, res) {
  key <- req$HTTP_IDEMPOTENCY_KEY
  if (!is.character(key) || nchar(key) < 8) {
    engine_failure("bad_request", "An Idempotency-Key is missing.")
  }

  known <- Filter(function(job) job$key == key, office$orders)
  id <- if (length(known)) known[[1]]$id else new_order(engine, office, key, req)
  if (office$fault_at(office$posts) == "forget" && length(known) == 0) {
    office$orders[[id]]$lost <- TRUE
    office$orders[[id]]$ready <- as.numeric(Sys.time()) + 0.2
  }

  tell_job(engine, office, id, res)
}

# So many orders a second are answered by a host.
most_orders <- 30

new_order <- function(engine, office, key, req) {
  office$posts <- office$posts + 1
  now <- as.numeric(Sys.time())
  office$recent <- c(office$recent[office$recent > now - 1], now)
  if (office$hosted && length(office$recent) > most_orders) {
    engine_failure("busy", "More than 30 orders a second.", retry_after = 1)
  }

  request <- request_from_wire(engine, read_form(req))
  if (office$credit - sum(office$paid) < engine$about$price && !key %in% names(office$paid)) {
    engine_failure("out_of_credit", "There is no credit left.")
  }

  id <- paste0(
    "t", length(office$orders) + 1, "-",
    substr(as.character(openssl::sha1(charToRaw(key))), 1, 8)
  )
  # Whoever is free first takes it; the first call wakes everything up.
  desk <- which.min(office$free_at)
  wake <- if (office$posts == 1) 1 else 0
  takes <- if (office$hosted) office$pace + wake else 0
  office$free_at[desk] <- max(now, office$free_at[desk]) + takes
  office$orders[[id]] <- list(
    id = id,
    key = key,
    request = request,
    ready = office$free_at[desk],
    asked = now
  )
  # While a picture's time runs, it is drawn by another process.
  draw <- draw_ahead
  if (office$ahead) {
    office$orders[[id]]$made <- mirai::mirai(
      draw(request),
      draw = draw,
      request = request,
      .compute = "drawing"
    )
  }

  id
}

tell_job <- function(engine, office, id, res) {
  job <- office$orders[[id]]
  if (is.null(job)) {
    return(say_problem(res, 404, "There is no such job."))
  }

  now <- as.numeric(Sys.time())
  if (isTRUE(job$lost) && now > job$ready) {
    # As after a restart: the jobs are gone, the ledger is not.
    office$orders[[id]] <- NULL
    return(say_problem(res, 404, "There is no such job."))
  }

  if (now < job$ready) {
    res$setHeader("Location", paste0("/takes/", id))
    res$setHeader("Retry-After", formatC(job$ready - now, format = "f", digits = 2))
    return(say_json(res, 202, list(state = "waiting", key = job$key)))
  }

  if (is.null(job$picture)) {
    began <- proc.time()[["elapsed"]]
    made <- if (!is.null(job$made)) mirai::call_mirai(job$made)$data
    if (!is.list(made)) {
      made <- engine$make(job$request)
    }

    # What is done needs its pictures no more.
    job$made <- NULL
    job$request <- job$request["seed"]
    as_bytes <- function(picture) {
      if (is.raw(picture) || is.null(picture)) {
        picture
      } else {
        png::writePNG(picture)
      }
    }

    job$picture <- as_bytes(made$picture)
    job$spoilt <- as_bytes(made$spoilt)
    job$seconds <- proc.time()[["elapsed"]] - began
    office$orders[[id]] <- job
    office$paid[[job$key]] <- engine$about$price
    # Written beside and renamed: a server that is killed meanwhile must not lose it.
    part <- paste0(office$ledger, ".part")
    writeLines(jsonlite::toJSON(as.list(office$paid), auto_unbox = TRUE), part)
    file.rename(part, office$ledger)
  }

  say_json(
    res,
    200,
    list(
      key = job$key,
      state = "made",
      cost = engine$about$price,
      waited = job$ready - job$asked,
      seconds = job$seconds,
      pictures = list(list(href = paste0("/takes/", id, "/picture"), seed = job$request$seed))
    )
  )
}

draw_ahead <- function(request) {
  list(picture = png::writePNG(standin_bracken()$make(request)$picture))
}

read_form <- function(req) {
  if (!grepl("^multipart/form-data", req$CONTENT_TYPE %||% "", ignore.case = TRUE)) {
    engine_failure("bad_request", "The request must be multipart/form-data.")
  }

  parts <- tryCatch(webutils::parse_http(req$bodyRaw, req$CONTENT_TYPE), error = function(e) {
    engine_failure("bad_request", "The form can't be read.")
  })
  lapply(parts, `[[`, "value")
}

as_colour <- function(picture) {
  if (length(dim(picture)) == 2) {
    array(picture, c(dim(picture), 3))
  } else {
    picture[, , 1:3]
  }
}

# A request as it came over the wire, as the stand-ins take it.
request_from_wire <- function(engine, parts) {
  said <- tryCatch(jsonlite::parse_json(rawToChar(parts$request)), error = function(e) {
    engine_failure("bad_request", "The part `request` is no JSON.")
  })
  about <- engine$about
  if (!isTRUE(said$checkpoint %in% names(about$checkpoints))) {
    engine_failure("bad_request", paste0("There is no checkpoint ", said$checkpoint, "."))
  }

  unknown <- setdiff(names(said$settings), names(about$settings))
  if (length(unknown)) {
    engine_failure("bad_request", paste0("There is no setting ", unknown[1], "."))
  }

  if (length(said$seeds) != 1) {
    engine_failure("bad_request", "One seed at a time.")
  }

  size <- as.integer(unlist(said$size))
  picture <- function(part) {
    if (is.null(parts[[part]])) {
      engine_failure("bad_request", paste0("The part ", part, " is missing."))
    }

    tryCatch(as_colour(png::readPNG(parts[[part]])), error = function(e) {
      engine_failure("bad_request", paste0("The part ", part, " is no PNG."))
    })
  }

  references <- lapply(said$references, function(one) picture(one$part))
  if (length(references) && !all(dim(references[[1]])[2:1] == size)) {
    engine_failure("bad_request", "The reference is not of the size asked for.")
  }

  guides <- lapply(said$guides, function(guide) {
    c(
      if (!is.null(guide$part)) list(picture = picture(guide$part)),
      guide[c("weight", "release")]
    )
  })
  list(
    prompt = data.frame(
      say = vapply(said$prompt, function(one) one$say, ""),
      weight = vapply(said$prompt, function(one) as.numeric(one$weight), 0)
    ),
    negative = as.character(unlist(said$negative)),
    reference = if (length(references)) references[[1]],
    references = references,
    reference_weights = vapply(said$references, function(one) as.numeric(one$weight %||% 1), 0),
    looks = lapply(said$looks, function(one) picture(one$part)),
    look_weight = said$look_weight %||% 1,
    guides = guides,
    mask = if (!is.null(said$mask)) picture(said$mask$part)[, , 1],
    grow = as.numeric(unlist(said$grow %||% rep(0, 4))),
    native_hold = said$knob %||% NA,
    hold = said$hold %||% NA,
    checkpoint = said$checkpoint,
    add_ons = said$add_ons,
    settings = said$settings,
    size = size,
    seed = as.integer(said$seeds[[1]])
  )
}

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

# What came in: `said`, the JSON, and `given`, the tensors by name.
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
