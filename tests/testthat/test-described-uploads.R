# Pictures that go to a described service by another way than within the question: in several
# steps, as bytes, as masks of another kind; and judges that are asked so.

skip_if_not_installed("webfakes")

# Tells where a picture goes, and paints what it is told of.
places_app <- function(store) {
  app <- webfakes::new_app()
  app$use(webfakes::mw_json(limit = "20mb"))
  app$locals$store <- store
  app$locals$asked <- list()
  app$get("/asked", function(request, response) {
    response$send_json(request$app$locals$asked, auto_unbox = TRUE)
  })
  app$post("/places", function(request, response) {
    place <- paste0(request$app$locals$store, "/in/p-1?ticket=t%2F1")
    response$send_json(list(place = place, file = list(id = "f-1", keeps = 600)), auto_unbox = TRUE)
  })
  app$post("/paint", function(request, response) {
    request$app$locals$asked <- c(request$app$locals$asked, list(request$json))
    picture <- array(stats::runif(3 * 64 * 64), c(64, 64, 3))
    said <- list(picture = openssl::base64_encode(png::writePNG(picture)))
    response$send_json(said, auto_unbox = TRUE)
  })
  app$post("/jobs", function(request, response) {
    response$send_json(list(id = paste0("j-", request$json$file)), auto_unbox = TRUE)
  })
  app$get("/jobs/:id", function(request, response) {
    response$send_json(
      list(id = request$params$id, state = "done", sure = 25),
      auto_unbox = TRUE
    )
  })
  app
}

# Takes in bytes, from whoever has a ticket, and no key.
bytes_app <- function() {
  app <- webfakes::new_app()
  app$use(webfakes::mw_raw(type = c("image/png", "application/octet-stream")))
  app$locals$taken <- list()
  app$get("/asked", function(request, response) {
    response$send_json(request$app$locals$taken, auto_unbox = TRUE)
  })
  app$put("/in/:id", function(request, response) {
    if (!is.null(request$get_header("Authorization")) || request$query$ticket != "t/1") {
      response$set_status(403)
      return(response$send("Not so."))
    }

    taken <- list(
      type = request$get_header("Content-Type"),
      begins = as.integer(utils::head(request$raw, 4)),
      bytes = length(request$raw)
    )
    request$app$locals$taken <- c(request$app$locals$taken, list(taken))
    response$set_status(204)
    response$send("")
  })
  app
}

placed_upload <- function(store) {
  list(
    call = "POST /places",
    json = list(type = "image/png"),
    keep = list(place = "$.place"),
    id = "$.file.id",
    seconds = "$.file.keeps",
    hosts = list(store),
    then = list(list(call = "PUT {+place}", bytes = "picture"))
  )
}

placed_at <- function(address, store) {
  list(
    kind = "described",
    address = address,
    key = "PLACES_KEY",
    upload = c(list(pictures = list("reference")), placed_upload(store)),
    make = list(
      call = "POST /paint",
      json = list(p = "{prompt}", s = "{seed}", file = "{reference.uploaded}")
    ),
    result = list(picture = "$.picture"),
    about = list(version = "1")
  )
}

placed_services <- function(env = parent.frame()) {
  withr::local_envvar(PLACES_KEY = "opensesame", .local_envir = env)
  store <- local_service(bytes_app(), env)
  list(store = store, address = local_service(places_app(store), env))
}

asked_there <- function(address) jsonlite::read_json(paste0(address, "/asked"))

test_that("a picture goes where the service says, without the key", {
  at <- placed_services()
  engine <- described_engine(placed_at(at$address, at$store), "e")
  for (i in 1:2) {
    request <- engine_request(engine, "a hill", scene(1, 64, 64), size = c(64, 64))
    expect_equal(make_picture(engine, request)$width, 64)
  }

  taken <- asked_there(at$store)
  # Two takes of one reference: it was taken in once.
  expect_length(taken, 1)
  expect_equal(taken[[1]]$type, "image/png")
  expect_equal(unlist(taken[[1]]$begins), c(0x89, 0x50, 0x4e, 0x47))
  expect_equal(asked_there(at$address)[[2]]$file, "f-1")
})

test_that("only to hosts that are named, and as the description says", {
  at <- placed_services()
  ends <- function(change) {
    ending(described_engine(change(placed_at(at$address, at$store)), "e"))[c("kind", "said")]
  }
  elsewhere <- ends(function(entry) {
    entry$upload$hosts <- list("https://elsewhere.example")
    entry
  })
  expect_equal(elsewhere$kind, "bad_answer")
  expect_match(elsewhere$said, "not on http://127.0.0.1:[0-9]+ or https://elsewhere.example")
  keyless <- ends(function(entry) {
    entry$upload$keep$place <- "$.nowhere"
    entry
  })
  expect_match(keyless$said, "without anything at $.nowhere", fixed = TRUE)
  refused <- ends(function(entry) {
    entry$upload$then[[1]]$call <- paste0("PUT ", at$store, "/in/p-1?ticket=wrong")
    entry
  })
  expect_match(refused$said, "403")
})

test_that("a preview shows all its calls, and not a key where none is sent", {
  at <- placed_services()
  folder <- described_trial(placed_at(at$address, at$store), "{id: a, engine: e}")
  calls <- preview_calls(folder)$calls$e
  expect_equal(vapply(calls, `[[`, "", "role"), c(rep("upload of reference", 2), "make"))
  expect_equal(calls[[2]]$call, "PUT {+place}")
  expect_equal(calls[[2]]$headers, "Content-Type: image/png")
  expect_match(calls[[2]]$body, "^a PNG of .*, 96 x 64$")
  expect_equal(calls[[1]]$does, "$.place is then {place}")
  expect_equal(calls[[2]]$does, "$.file.id is then {reference.uploaded}")
  # Another host may be named in the description itself.
  fixed <- placed_at(at$address, at$store)
  fixed$upload$then[[1]]$call <- paste0("PUT ", at$store, "/in/p-1")
  call <- preview_calls(described_trial(fixed, "{id: a, engine: e}"))$calls$e[[2]]
  expect_equal(call$call, paste0("PUT ", at$store, "/in/p-1"))
  expect_equal(call$headers, "Content-Type: image/png")
  tried <- run_cli("engines", folder, "--try")
  expect_match(tried$out, "upload.id.*f-1", all = FALSE)
  expect_false(any(grepl("upload.*nothing", tried$out)))
})

test_that("what such an upload can't be is said with its place", {
  problems_of <- function(change) {
    entry <- change(placed_at("http://127.0.0.1:9", "http://127.0.0.1:8"))
    entry_problems(entry, "{id: a, engine: e}")
  }
  found <- problems_of(function(entry) {
    entry$upload$then[[1]] <- list(call = "PUT {+plaze}", bytes = "pictures")
    entry
  })
  expect_setequal(
    found$place,
    paste0("engines.e.upload.then[1].", c("call", "bytes"))
  )
  expect_setequal(found$near, c("place", "picture"))
  found <- problems_of(function(entry) {
    entry$upload$then[[1]]$form <- list(file = "{picture.part}")
    entry
  })
  expect_match(found$place, "upload.then[1]", fixed = TRUE)
  found <- problems_of(function(entry) {
    entry$upload[c("then", "json")] <- NULL
    entry
  })
  expect_true(all(startsWith(found$place, "engines.e.upload")))
})

test_that("a picture can be the whole body of a call", {
  service <- new_service(list(
    address = "http://127.0.0.1:9",
    make = list(call = "POST /up?s={seed}", bytes = "reference"),
    about = list(version = "1")
  ))
  talk <- list(
    service = service, named = list(),
    request = list(reference = scene(1, 16, 16), seeds = 5L, size = c(16, 16))
  )
  call <- described_call(talk, service$wanted$make, "make", identity)$call
  expect_equal(call$url, "http://127.0.0.1:9/up?s=5")
  sent <- described_body(service$wanted$make, talk$request, list())$body
  expect_equal(dim(png::readPNG(sent)), c(16, 16, 3))
  expect_equal(call$headers[["Content-Type"]], "image/png")
  # The description's own word for it counts, but not in place of a form's boundary.
  spec <- c(service$wanted$make, list(headers = list(`content-type` = "image/x-own")))
  named <- headers_with(talk, spec, described_body(spec, talk$request, list()))
  expect_equal(named, c(`content-type` = "image/x-own"))
  spec <- list(call = "POST /up", form = list(a = "b"), headers = list(`Content-Type` = "x"))
  named <- headers_with(talk, spec, described_body(spec, talk$request, list()))
  expect_match(named, "^multipart/form-data; boundary=")
})

test_that("how long an upload is kept may be said as a text", {
  expect_equal(seconds_kept("600"), 0.9 * 600)
  expect_equal(seconds_kept(600L), 0.9 * 600)
  expect_equal(seconds_kept("soon"), Inf)
  expect_equal(seconds_kept(NULL), Inf)
})

test_that("masks are told in three ways", {
  mask <- structure(matrix(c(0, 1, 0.25, 0), 2), png = "not asked")
  request <- list(mask = mask)
  shown <- function(name) {
    png::readPNG(input_named(paste0(name, ".part"), request)$bytes)
  }
  attr(request$mask, "png") <- png::writePNG(matrix(c(0, 1, 0.25, 0), 2))
  expect_equal(shown("mask"), matrix(c(0, 1, 0.25, 0), 2), tolerance = 1 / 255)
  expect_equal(shown("mask_kept"), matrix(c(1, 0, 0.75, 1), 2), tolerance = 1 / 255)
  clear <- shown("mask_clear")
  expect_equal(dim(clear), c(2, 2, 4))
  expect_equal(clear[, , 4], matrix(c(1, 0, 0.75, 1), 2), tolerance = 1 / 255)
  expect_null(input_named("mask_kept.part", list()))
  # Each of them passes a mask on.
  need <- need_of_input("mask")
  expect_true(all(grepl(need$pattern, c("mask.part", "mask_kept.base64", "mask_clear.uploaded"))))
  expect_false(grepl(need$pattern, "masked.part"))
})

test_that("a judge takes in its picture first, and its question may be a job", {
  at <- placed_services()
  wanted <- list(
    kind = "answering",
    address = at$address,
    version = "1",
    key = "PLACES_KEY",
    upload = placed_upload(at$store),
    question = list(
      call = "POST /jobs",
      json = list(file = "{picture.uploaded}", question = "{statement}"),
      keep = list(id = "$.id")
    ),
    wait = list(
      call = "GET /jobs/{id}", state = "$.state", done = list("done"), same = list(id = "$.id")
    ),
    answer = list(at = "$.sure", to = 100)
  )
  judge <- described_judge(wanted, "j")
  pictures <- list(list(pixels = scene(1, 32, 32), sha256 = "x"))
  expect_equal(drive(judge$ask(pictures, c("a hill", "fog"))), rbind(c(0.25, 0.25)))
  # Two questions about one picture: it was taken in once.
  expect_length(asked_there(at$store), 1)
  brief <- c(small_brief, "judges:", paste0("  j: ", to_json(wanted)))
  expect_equal(list_judges(small_trial(brief = brief))$version, "1")
  wanted$wait$call <- "GET /jobs/{idd}"
  wanted$wait$same <- list(nr = "$.id")
  wanted$upload$then[[1]]$bytes <- "reference"
  brief <- c(small_brief, "judges:", paste0("  j: ", to_json(wanted)))
  found <- tryCatch(read_trial(small_trial(brief = brief)), sprenn_error_trial = function(e) {
    e$problems
  })
  expect_setequal(
    found$place,
    paste0("judges.j.", c("wait.call", "wait.same.nr", "upload.then[1].bytes"))
  )
})
