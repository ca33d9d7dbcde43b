# A stand-in service that keeps no contract of ours: it has an interface of its own, as hosted
# services do, and is reached by a description in lineup.yml.

#' @rdname standin_yarrow
#' @export
standin_burdock <- function() {
  memory <- StandinMemory$new()
  engine(
    about = list(
      name = "burdock",
      version = "3",
      checkpoints = list(burr = list(multiple_of = 32), leaf = list(multiple_of = 32)),
      hold = c(at_0 = 0, at_1 = 100),
      takes = c("look", "text_alone", "negative"),
      emphasis = "none",
      price = 0.02,
      seconds = 0.4
    ),
    make = function(request) engine_result(burdock_picture(request, memory), cost = 0.02)
  )
}

# Paints thickly; `leaf` more lightly than `burr`.
burdock_picture <- function(request, memory) {
  style <- manner_of(request, own = "linocut", memory)
  paint_take(
    request,
    change = 0.8 * (1 - request$native_hold / 100)^0.8,
    pull = 0.95,
    style$manner,
    style$palette,
    strength = if (request$checkpoint == "leaf") 0.7 else 1
  )
}

# burdock: pictures are uploaded, jobs followed, and what they made is fetched from another host.
burdock_router <- function(engine, office, store) {
  router <- plumber::pr()
  router <- plumber::pr_post(
    router,
    "/v3/files",
    function(req, res) answering(res, take_file(store, req, res), burdock_problems),
    parsers = "octet"
  )
  router <- plumber::pr_post(
    router,
    "/v3/jobs",
    function(req, res) {
      answering(res, take_burdock_job(engine, office, store, req, res), burdock_problems)
    },
    parsers = "octet"
  )
  router <- plumber::pr_get(router, "/v3/jobs/<id>", function(id, res) {
    answering(res, tell_burdock_job(engine, office, store, id, res), burdock_problems)
  })
  plumber::pr_set_404(router, function(req, res) {
    say_problem(res, 404, "There is no such place.")
  })
}

burdock_problems <- c(refused = "urn:burdock:not-allowed")

# The pictures that burdock was sent and has made: files in a folder that the host of its pictures
# reads. Their addresses are signed.
BurdockStore <- R6::R6Class(
  "sprenn_burdock_store",
  cloneable = FALSE,
  public = list(
    sent = list(),

    initialize = function(folder, host, secret) {
      dir.create(folder, showWarnings = FALSE, recursive = TRUE)
      private$folder <- folder
      private$host <- host
      private$secret <- secret
    },

    # Keeps a picture, and returns its signed address. `spoilt` bytes are sent first, once.
    put = function(bytes, spoilt = NULL) {
      name <- substr(random_name(), 1, 12)
      writeBin(bytes, file.path(private$folder, paste0(name, ".png")))
      if (!is.null(spoilt)) {
        writeBin(spoilt, file.path(private$folder, paste0(name, ".spoilt")))
      }

      until <- as.integer(as.numeric(Sys.time()) + 300)
      paste0(
        private$host, "/get/", name, "?until=", until, "&sig=",
        signature_of(name, until, private$secret)
      )
    }
  ),
  private = list(folder = "", host = "", secret = "")
)

signature_of <- function(name, until, secret) {
  hash <- openssl::sha256(charToRaw(paste(name, until)), charToRaw(secret))
  substr(paste(as.character(hash)), 1, 16)
}

# For so many seconds a file can be used.
files_last <- 900

take_file <- function(store, req, res) {
  bytes <- read_form(req)$file
  if (is.null(bytes)) {
    engine_failure("bad_request", "The part file is missing.")
  }

  picture <- tryCatch(as_colour(png::readPNG(bytes)), error = function(e) {
    engine_failure("bad_request", "The part file is no PNG.")
  })
  id <- paste0("f-", length(store$sent) + 1, substr(random_name(), 1, 4))
  store$sent[[id]] <- picture
  say_json(
    res,
    201,
    list(data = list(id = id, kind = "image/png", expires_in = files_last))
  )
}

take_burdock_job <- function(engine, office, store, req, res) {
  key <- req$HTTP_IDEMPOTENCY_KEY %||% random_name()
  known <- Filter(function(job) job$key == key, office$orders)
  if (length(known)) {
    return(say_burdock_job(res, 202, known[[1]]))
  }

  office$posts <- office$posts + 1
  fault <- office$fault_at(office$posts)
  if (!fault %in% "error") {
    fail_as(fault)
  }

  request <- burdock_request(engine, json_sent(req), store)
  cost <- 0.02 * length(request$seeds)
  if (!key %in% names(office$paid)) {
    office$charge(cost)
  }

  now <- as.numeric(Sys.time())
  id <- paste0("j-", length(office$orders) + 1, substr(random_name(), 1, 4))
  office$orders[[id]] <- list(
    id = id,
    key = key,
    request = request,
    cost = cost,
    fault = fault,
    lost = fault == "forget",
    asked = now,
    ready = office$next_free(now, office$pace),
    made = office$begin_drawing(engine, request)
  )
  say_burdock_job(res, 202, office$orders[[id]])
}

say_burdock_job <- function(res, status, job) {
  say_json(
    res,
    status,
    list(job = list(id = job$id, state = "waiting", href = paste0("/v3/jobs/", job$id)))
  )
}

burdock_request <- function(engine, said, store) {
  file_of <- function(id) {
    if (is.null(id)) {
      return(NULL)
    }

    store$sent[[id]] %||% engine_failure("bad_request", paste0("There is no file ", id, "."))
  }
  size <- as.integer(c(said$canvas$w %||% 0, said$canvas$h %||% 0))
  seeds <- as.integer(unlist(lapply(said$variations, `[[`, "seed")))
  if (any(size < 32) || any(size %% 32 != 0) || any(size > 1024)) {
    engine_failure("bad_request", "canvas: multiples of 32 up to 1024.")
  }

  if (!length(seeds) %in% 1:4) {
    engine_failure("bad_request", "variations: one to four.")
  }

  if (!said$model %in% names(engine$about$checkpoints)) {
    engine_failure("bad_request", paste0("There is no model ", said$model, "."))
  }

  request <- engine_request(
    engine,
    split_prompt(said$text$wanted),
    reference = file_of(said$input$file),
    hold = (said$input$keep %||% 50) / 100,
    checkpoint = said$model,
    size = size,
    negative = as.character(said$text$unwanted),
    looks = as.list(Filter(Negate(is.null), list(file_of(said$style$file))))
  )
  request$look_weight <- said$style$weight %||% 1
  request$seeds <- seeds
  request
}

tell_burdock_job <- function(engine, office, store, id, res) {
  job <- office$orders[[id]]
  if (is.null(job)) {
    return(say_problem(res, 404, "There is no such job."))
  }

  now <- as.numeric(Sys.time())
  if (job$lost) {
    # As after a restart: the jobs are gone, the ledger is not.
    office$orders[[id]] <- NULL
    return(say_problem(res, 404, "There is no such job."))
  }

  if (now < job$ready) {
    res$setHeader("Retry-After", formatC(job$ready - now, format = "f", digits = 2))
    return(say_json(res, 200, list(job = list(id = id, state = "painting"))))
  }

  if (job$fault == "error") {
    said <- list(id = id, state = "broken", reason = "The painter broke.")
    return(say_json(res, 200, list(job = said)))
  }

  if (is.null(job$outputs)) {
    made <- office$drawn(engine, job)
    spoilt <- Map(function(one, before) spoil(one, job$fault, before), made, list(office$last))
    office$last <- made[[1]]
    job$outputs <- Map(
      function(one, other, seed) {
        bytes <- as_png_bytes(one$picture)
        sent <- as_png_bytes(other$picture)
        url <- store$put(bytes, if (!identical(bytes, sent)) sent)
        list(seed = seed, url = url)
      },
      made,
      spoilt,
      job$request$seeds
    )
    job$made <- NULL
    office$orders[[id]] <- job
    office$pay(job$key, job$cost)
  }

  say_json(
    res,
    200,
    list(job = list(
      id = id,
      state = "ready",
      credits_used = length(job$outputs),
      seconds = round(now - job$asked, 2),
      model_version = paste0(job$request$checkpoint, "-3.1"),
      outputs = unname(job$outputs)
    ))
  )
}

# The host of burdock's pictures. It has no keys, and wants none.
serve_burdock_pictures <- function(port, folder, secret) {
  router <- plumber::pr()
  router <- plumber::pr_get(router, "/get/<name>", function(name, until, sig, req, res) {
    fits <- identical(sig, signature_of(name, until, secret)) &&
      as.numeric(until) > as.numeric(Sys.time())
    if (!fits || !is.null(req$HTTP_AUTHORIZATION)) {
      return(say_problem(res, 403, "This address is not signed, or has run out."))
    }

    file <- file.path(folder, paste0(name, ".png"))
    spoilt <- file.path(folder, paste0(name, ".spoilt"))
    res$setHeader("Content-Type", "image/png")
    res$body <- bytes_of(if (file.exists(spoilt)) spoilt else file)
    unlink(spoilt)
    res
  })
  serve_router(router, port, NULL)
}
