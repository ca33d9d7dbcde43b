# A stand-in engine behind our HTTP contract: a queue, credit, a rate limit.

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
  router <- plumber::pr_get(router, "/takes/<id>/pictures/<number>", function(id, number, res) {
    job <- office$orders[[id]]
    if (!number %in% seq_along(job$pictures)) {
      return(say_problem(res, 404, "There is no such picture."))
    }

    number <- as.integer(number)
    res$setHeader("Content-Type", "image/png")
    res$body <- job$pictures[[number]]$spoilt %||% job$pictures[[number]]$picture
    office$orders[[id]]$pictures[[number]]$spoilt <- NULL
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

# Failures become problem details. `types` are those of some kinds of failure.
answering <- function(res, code, types = c(refused = "urn:sprenn:refused")) {
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
        type = if (e$kind %in% names(types)) types[[e$kind]]
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
  about$hold <- if (!is.null(about$hold_words)) {
    list(words = as.list(about$hold_words))
  } else if (!is.null(about$hold)) {
    as.list(about$hold)
  }
  about$hold_words <- NULL
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
  cost <- call_cost(engine$about, length(request$seeds))
  if (!key %in% names(office$paid)) {
    office$charge(cost)
  }

  id <- paste0(
    "t", length(office$orders) + 1, "-",
    substr(as.character(openssl::sha1(charToRaw(key))), 1, 8)
  )
  # The first call wakes everything up.
  wake <- if (office$posts == 1) 1 else 0
  office$orders[[id]] <- list(
    id = id,
    key = key,
    request = request,
    ready = office$next_free(now, if (office$hosted) office$pace + wake else 0),
    asked = now,
    made = office$begin_drawing(engine, request)
  )

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

  if (is.null(job$pictures)) {
    began <- proc.time()[["elapsed"]]
    made <- office$drawn(engine, job)

    # A finished job no longer needs what it was given.
    job$made <- NULL
    job$request <- job$request["seeds"]
    job$pictures <- lapply(made, function(one) lapply(one[c("picture", "spoilt")], as_png_bytes))
    job$seconds <- proc.time()[["elapsed"]] - began
    office$orders[[id]] <- job
    office$pay(job$key, call_cost(engine$about, length(job$request$seeds)))
  }

  say_json(
    res,
    200,
    list(
      key = job$key,
      state = "made",
      cost = office$paid[[job$key]],
      waited = job$ready - job$asked,
      seconds = job$seconds,
      pictures = lapply(seq_along(job$pictures), function(i) {
        list(href = paste0("/takes/", id, "/pictures/", i), seed = job$request$seeds[i])
      })
    )
  )
}

# What a call costs that returns so many pictures.
call_cost <- function(about, pictures) about$call_price + about$price * pictures

as_png_bytes <- function(picture) {
  if (is.raw(picture) || is.null(picture)) picture else png::writePNG(picture)
}

# A picture for each of a request's seeds.
make_each <- function(engine, request) {
  lapply(request$seeds, function(seed) {
    request$seed <- seed
    engine$make(request)
  })
}

draw_ahead <- function(engine, request) {
  lapply(make_each(engine, request), function(made) {
    list(picture = png::writePNG(made$picture))
  })
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
    engine_failure("bad_request", "The part `request` is not JSON.")
  })
  about <- engine$about
  if (!isTRUE(said$checkpoint %in% names(about$checkpoints))) {
    engine_failure("bad_request", paste0("There is no checkpoint ", said$checkpoint, "."))
  }

  unknown <- setdiff(names(said$settings), names(about$settings))
  if (length(unknown)) {
    engine_failure("bad_request", paste0("There is no setting ", unknown[1], "."))
  }

  if (!length(said$seeds) %in% seq_len(about$per_call)) {
    engine_failure(
      "bad_request",
      if (about$per_call == 1) {
        "One seed at a time."
      } else {
        paste("One to", about$per_call, "seeds at a time.")
      }
    )
  }

  size <- as.integer(unlist(said$size))
  picture <- function(part) {
    if (is.null(parts[[part]])) {
      engine_failure("bad_request", paste0("The part ", part, " is missing."))
    }

    tryCatch(as_colour(png::readPNG(parts[[part]])), error = function(e) {
      engine_failure("bad_request", paste0("The part ", part, " is not a PNG."))
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
    enlarge = said$enlarge,
    part = if (!is.null(said$part)) as.numeric(unlist(said$part)),
    grow = as.numeric(unlist(said$grow %||% rep(0, 4))),
    native_hold = said$knob %||% NA,
    hold = said$hold %||% NA,
    checkpoint = said$checkpoint,
    add_ons = said$add_ons,
    settings = said$settings,
    size = size,
    seed = as.integer(said$seeds[[1]]),
    seeds = as.integer(unlist(said$seeds))
  )
}
