# Two services as their documents say (docs/services), and their
# descriptions. What they were asked is kept for tests to read.

local_service <- function(app, env = parent.frame()) {
  sub("/$", "", webfakes::local_app_process(app, .local_envir = env)$url())
}

# Answers at once, errors inside 200.
madder_app <- function() {
  app <- webfakes::new_app()
  app$use(webfakes::mw_json(limit = "50mb"))
  app$locals$asked <- list()
  app$get("/asked", function(request, response) {
    response$send_json(request$app$locals$asked, auto_unbox = TRUE)
  })
  app$post("/paint", function(request, response) {
    ask <- request$json$ask
    seed <- request$get_header("X-Seed")
    asked <- list(body = request$json, seed = seed)
    request$app$locals$asked <- c(request$app$locals$asked, list(asked))
    wrong <- function(code, text) {
      said <- list(ok = FALSE, error = list(code = code, text = text))
      response$send_json(said, auto_unbox = TRUE)
    }

    if (!identical(request$get_header("X-Madder-Key"), "opensesame")) {
      return(wrong("E_INPUT", "The key is wrong."))
    }

    codes <- c(forbidden = "E_CONTENT", rush = "E_LOAD", poor = "E_FUNDS")
    for (word in names(codes)) {
      if (grepl(word, ask$prompt)) {
        return(wrong(codes[[word]], paste("It said", word)))
      }
    }

    size <- as.integer(strsplit(request$json$size, "x")[[1]])
    set.seed(as.integer(seed))
    picture <- array(stats::runif(3 * prod(size)), c(size[2], size[1], 3))
    response$set_header("X-Seed", seed)
    response$send_json(
      list(
        ok = TRUE,
        result = list(frames = list(list(
          encoding = "base64",
          content = openssl::base64_encode(png::writePNG(picture)),
          type = "image/png"
        ))),
        meter = list(units = 3, unit_price = 0.001)
      ),
      auto_unbox = TRUE
    )
  })
  app
}

madder_at <- function(address) {
  list(
    kind = "described",
    address = address,
    key = "MADDER_KEY",
    key_header = "X-Madder-Key",
    make = list(
      call = "POST /paint",
      headers = list(`X-Seed` = "{seed}"),
      json = list(
        ask = list(
          prompt = "{prompt}",
          source = "{reference.data_url}",
          looseness = "{knob}",
          manner = "{look.data_url}",
          guide = list(
            when = "guides.edges.data_url",
            kind = "edges",
            image = "{guides.edges.data_url}",
            strength = "{guides.edges.weight}"
          )
        ),
        size = "{width}x{height}"
      )
    ),
    result = list(
      picture = "$.result.frames[0].content",
      seed = "header X-Seed",
      cost = "$.meter.units",
      unit_price = 0.001,
      version = "$.engine.build"
    ),
    failures = Map(
      function(kind, code) {
        list(kind = kind, at = "$.error.code", is = list(code), message = "$.error.text")
      },
      c("refused", "busy", "out_of_credit", "bad_request", "bad_answer"),
      c("E_CONTENT", "E_LOAD", "E_FUNDS", "E_INPUT", "E_INTERNAL"),
      USE.NAMES = FALSE
    ),
    about = list(
      version = "2026.11",
      checkpoints = list(madder = list(multiple_of = 16)),
      hold = list(at_0 = 1, at_1 = 0),
      takes = list("look", "text_alone", "edges")
    )
  )
}

# Uploads, jobs that are followed, pictures on another host.
burdock_app <- function(pictures_at) {
  app <- webfakes::new_app()
  app$use(webfakes::mw_json())
  app$use(webfakes::mw_multipart())
  app$locals$asked <- list()
  app$locals$looks <- 0
  app$locals$pictures_at <- pictures_at
  app$get("/asked", function(request, response) {
    response$send_json(request$app$locals$asked, auto_unbox = TRUE)
  })
  problem <- function(response, status, title, type = "about:blank") {
    response$set_status(status)
    response$set_header("Content-Type", "application/problem+json")
    response$send(sprintf("{\"type\": \"%s\", \"title\": \"%s\"}", type, title))
  }
  known <- function(request) identical(request$get_header("Authorization"), "Bearer opensesame")
  app$post("/v3/files", function(request, response) {
    if (!known(request)) {
      return(problem(response, 401, "No such key"))
    }

    asked <- list(upload = length(request$files$file$value))
    request$app$locals$asked <- c(request$app$locals$asked, list(asked))
    response$set_status(201)
    response$send_json(list(data = list(id = "f-1", expires_in = 900)), auto_unbox = TRUE)
  })
  app$post("/v3/jobs", function(request, response) {
    if (!known(request)) {
      return(problem(response, 401, "No such key"))
    }

    request$app$locals$asked <- c(
      request$app$locals$asked,
      list(list(job = request$json, key = request$get_header("Idempotency-Key")))
    )
    request$app$locals$job <- request$json
    request$app$locals$looks <- 0
    if (grepl("forbidden", request$json$text$wanted)) {
      return(problem(response, 422, "Not allowed", "urn:burdock:not-allowed"))
    }

    response$set_status(202)
    response$send_json(
      list(job = list(id = "j-1", state = "waiting", href = "/v3/jobs/j-1")),
      auto_unbox = TRUE
    )
  })
  app$get("/v3/jobs/:id", function(request, response) {
    request$app$locals$looks <- request$app$locals$looks + 1
    response$set_header("Retry-After", "0")
    job <- request$app$locals$job
    state <- if (grepl("broken", job$text$wanted)) {
      "broken"
    } else if (request$app$locals$looks < 3) {
      "painting"
    } else {
      "ready"
    }
    outputs <- lapply(job$variations, function(one) {
      list(seed = one$seed, url = sprintf(
        "%s/get?w=%d&h=%d&seed=%d",
        request$app$locals$pictures_at, job$canvas$w, job$canvas$h, one$seed
      ))
    })
    response$send_json(
      list(job = list(
        id = "j-1", state = state, reason = "It broke.", credits_used = 1,
        outputs = if (state == "ready") outputs else list()
      )),
      auto_unbox = TRUE
    )
  })
  app
}

# The other host. It must not be told the key.
pictures_app <- function() {
  app <- webfakes::new_app()
  app$get("/get", function(request, response) {
    if (!is.null(request$get_header("Authorization"))) {
      response$set_status(400)
      return(response$send("A key was sent."))
    }

    size <- as.integer(c(request$query$w, request$query$h))
    set.seed(as.integer(request$query$seed))
    picture <- array(stats::runif(3 * prod(size)), c(size[2], size[1], 3))
    response$set_type("png")
    response$send(png::writePNG(picture))
  })
  app
}

burdock_at <- function(address, pictures_at) {
  list(
    kind = "described",
    address = address,
    key = "BURDOCK_KEY",
    upload = list(
      pictures = list("reference", "look"),
      call = "POST /v3/files",
      form = list(file = "{picture.part}"),
      id = "$.data.id",
      seconds = "$.data.expires_in"
    ),
    make = list(
      call = "POST /v3/jobs",
      headers = list(`Idempotency-Key` = "{key}"),
      json = list(
        task = "repaint",
        model = "{checkpoint}",
        text = list(wanted = "{prompt}", unwanted = "{negative}"),
        input = list(when = "reference.uploaded", file = "{reference.uploaded}", keep = "{knob}"),
        style = list(when = "look.uploaded", file = "{look.uploaded}", weight = "{look_weight}"),
        canvas = list(w = "{width}", h = "{height}"),
        variations = list(each = "seeds", of = list(seed = "{seed}"))
      ),
      keep = list(job = "$.job.href", id = "$.job.id")
    ),
    wait = list(
      call = "GET {+job}",
      state = "$.job.state",
      done = list("ready"),
      going = list("waiting", "painting"),
      same = list(id = "$.job.id"),
      every = 0.05
    ),
    result = list(
      picture = "$.job.outputs[*].url",
      hosts = list(pictures_at),
      seed = "$.job.outputs[*].seed",
      cost = "$.job.credits_used",
      unit_price = 0.02
    ),
    failures = list(
      list(
        kind = "refused", at = "$.type", is = list("urn:burdock:not-allowed"), message = "$.title"
      ),
      list(
        kind = "refused", at = "$.job.state", is = list("stopped_by_policy"),
        message = "$.job.reason"
      ),
      list(kind = "bad_answer", at = "$.job.state", is = list("broken"), message = "$.job.reason")
    ),
    about = list(
      version = "3",
      checkpoints = list(burr = list(multiple_of = 32), leaf = list(multiple_of = 32)),
      hold = list(at_0 = 0, at_1 = 100),
      takes = list("look", "text_alone", "negative")
    )
  )
}

# The lineup of a small trial with one described engine, its entry changed by `change`.
described_trial <- function(
  entry,
  pipeline = "{id: a, engine: e, hold: 0.5}",
  env = parent.frame()
) {
  handlers <- list(logical = as_written, numeric = as_written)
  lines <- strsplit(yaml::as.yaml(list(engines = list(e = entry)), handlers = handlers), "\n")[[1]]
  small_trial(lineup = c(lines, "pipelines:", paste(" -", pipeline)), env = env)
}

entry_problems <- function(entry, ...) {
  folder <- described_trial(entry, ..., env = parent.frame())
  tryCatch(read_trial(folder), sprenn_error_trial = function(e) e$problems)
}
