# A stand-in service that keeps no contract of ours: it has an interface of its own, as hosted
# services do, and is reached by a description in lineup.yml.

#' @rdname standin_yarrow
#' @export
standin_madder <- function() {
  memory <- StandinMemory$new()
  engine(
    about = list(
      name = "madder",
      version = "2026.11",
      checkpoints = list(madder = list(multiple_of = 16)),
      hold = c(at_0 = 1, at_1 = 0),
      takes = c("look", "text_alone", "edges"),
      emphasis = "none",
      price = 0.003,
      seconds = 0.3
    ),
    make = function(request) engine_result(madder_picture(request, memory), cost = 0.003)
  )
}

# Keeps what is there, and paints thinly.
madder_picture <- function(request, memory) {
  style <- manner_of(request, own = "gouache", memory)
  paint_take(
    request,
    change = 0.85 * request$native_hold,
    pull = 0.85,
    style$manner,
    style$palette,
    strength = 0.5
  )
}

# madder: answers at once, with status 200 whatever happens, and takes a call that comes twice for
# two calls.
madder_router <- function(engine, office, key) {
  router <- plumber::pr()
  plumber::pr_post(
    router,
    "/paint",
    function(req, res) {
      said <- tryCatch(
        {
          if (!is.null(key) && !identical(req$HTTP_X_MADDER_KEY, key)) {
            engine_failure("bad_request", "The key is missing or wrong.")
          }

          madder_answer(engine, office, req, res)
        },
        sprenn_failure = function(e) madder_error(e$kind, conditionMessage(e)),
        error = function(e) madder_error("bad_answer", conditionMessage(e))
      )
      say_json(res, 200, said)
    },
    parsers = "octet"
  )
}

madder_codes <- c(
  refused = "E_CONTENT",
  busy = "E_LOAD",
  out_of_credit = "E_FUNDS",
  bad_request = "E_INPUT",
  bad_answer = "E_INTERNAL"
)

madder_error <- function(kind, text) {
  code <- unname(madder_codes[kind])
  list(ok = FALSE, error = list(code = if (is.na(code)) "E_INTERNAL" else code, text = text))
}

madder_answer <- function(engine, office, req, res) {
  office$posts <- office$posts + 1
  fault <- office$fault_at(office$posts)
  fail_as(fault)
  said <- json_sent(req)
  size <- suppressWarnings(as.integer(strsplit(said$size %||% "", "x")[[1]]))
  if (length(size) != 2 || anyNA(size) || any(size %% 16 != 0)) {
    engine_failure("bad_request", "size: width x height, multiples of 16.")
  }

  ask <- said$ask
  if (!is.character(ask$prompt)) {
    engine_failure("bad_request", "ask.prompt is missing.")
  }

  guide <- ask$guide
  seed <- suppressWarnings(as.integer(req$HTTP_X_SEED %||% sample.int(1e6, 1)))
  request <- engine_request(
    engine,
    split_prompt(ask$prompt),
    reference = picture_sent(ask$source, "ask.source"),
    hold = 1 - (ask$looseness %||% 0.4),
    size = size,
    seed = seed,
    looks = as.list(Filter(Negate(is.null), list(picture_sent(ask$manner, "ask.manner")))),
    guides = if (!is.null(guide)) {
      picture <- picture_sent(guide$image, "ask.guide.image")
      list(edges = list(picture = picture, weight = guide$strength %||% 1, release = 1))
    } else {
      list()
    }
  )
  office$charge(0.003)
  made <- spoil(engine$make(request), fault, office$last)
  office$last <- made
  office$pay(paste0("call-", office$posts), 0.003)
  Sys.sleep(office$pace)
  res$setHeader("X-Seed", as.character(seed))
  list(
    ok = TRUE,
    result = list(frames = list(list(
      encoding = "base64",
      content = openssl::base64_encode(as_png_bytes(made$picture)),
      type = "image/png"
    ))),
    meter = list(units = 3, unit_price = 0.001),
    engine = list(name = "madder", build = engine$about$version)
  )
}

json_sent <- function(req) {
  tryCatch(jsonlite::parse_json(rawToChar(req$bodyRaw)), error = function(e) {
    engine_failure("bad_request", "The body is not JSON.")
  })
}

# Phrases, as the painters read them.
split_prompt <- function(text) trimws(strsplit(text, ",", fixed = TRUE)[[1]])

picture_sent <- function(text, member) {
  if (is.null(text)) {
    return(NULL)
  }

  tryCatch(
    as_colour(png::readPNG(openssl::base64_decode(sub("^data:image/png;base64,", "", text)))),
    error = function(e) engine_failure("bad_request", paste0(member, " is no PNG."))
  )
}
