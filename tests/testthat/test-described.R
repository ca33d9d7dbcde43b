# Engines on services that are described: what they are asked, what is read of their answers, and
# what is not done whatever they say.

skip_if_not_installed("webfakes")

asked_of <- function(address) jsonlite::read_json(paste0(address, "/asked"))

described <- function(entry) described_engine(entry, "described")

madder_now <- function(env = parent.frame()) {
  withr::local_envvar(MADDER_KEY = "opensesame", .local_envir = env)
  local_service(madder_app(), env)
}

test_that("a service that answers at once is asked as described", {
  address <- madder_now()
  engine <- described(madder_at(address))
  request <- engine_request(
    engine, "a \"windmill\" {seed}\nin {braces}", scene(1, 64, 64),
    hold = 0.25, size = c(64, 64), seed = 11L, guides = list(edges = list(
      picture = scene(2, 64, 64), weight = 0.8, release = 1
    ))
  )
  made <- make_picture(engine, request)
  expect_equal(c(made$width, made$height), c(64, 64))
  expect_equal(made$seed, 11L)
  expect_equal(made$cost, 0.003)
  asked <- asked_of(address)[[1]]
  # A prompt is data: its braces name nothing.
  expect_equal(asked$body$ask$prompt, "a \"windmill\" {seed}\nin {braces}")
  expect_identical(asked$body$ask$looseness, 0.75)
  expect_equal(asked$body$size, "64x64")
  expect_equal(asked$seed, "11")
  expect_match(asked$body$ask$source, "^data:image/png;base64,iVBOR")
  expect_equal(asked$body$ask$guide$strength, 0.8)
  # What the case lacks is left out, whole branches with it.
  expect_null(asked$body$ask$manner)
  bare <- make_picture(engine, engine_request(engine, "a hill", size = c(64, 64)))
  expect_named(asked_of(address)[[2]]$body$ask, c("prompt", "looseness"))
})

test_that("errors inside an answer are told apart as described", {
  address <- madder_now()
  engine <- described(madder_at(address))
  ends <- function(prompt) {
    ending(engine, engine_request(engine, prompt, size = c(64, 64)))[c("kind", "said")]
  }
  expect_equal(ends("forbidden"), list(kind = "refused", said = "It said forbidden"))
  expect_equal(ends("a rush")$kind, "busy")
  expect_equal(ends("poor")$kind, "out_of_credit")
  withr::local_envvar(MADDER_KEY = "wrong")
  expect_equal(ends("a hill"), list(kind = "bad_request", said = "The key is wrong."))
})

test_that("a path that can't be followed fails like an answer that can't be read", {
  answer <- list(
    type = "application/json",
    body = charToRaw(to_json(Reduce(function(x, k) list(a = x, b = x), 1:10, list(a = 1))))
  )
  find <- finder_of(list(service = new_service(list(make = list()))), answer, "http://there/x")
  expect_equal(find("$.a.a.a.a.a.a.a.a.a.a.a"), list(1L))
  failed <- tryCatch(find("$..*..*..*"), sprenn_failure = identity)
  expect_equal(failed$kind, "bad_answer")
  expect_match(conditionMessage(failed), "looks at more than")
})

test_that("uploads, jobs and pictures on another host are followed as described", {
  withr::local_envvar(BURDOCK_KEY = "opensesame")
  pictures_at <- local_service(pictures_app())
  address <- local_service(burdock_app(pictures_at))
  engine <- described(burdock_at(address, pictures_at))
  request <- engine_request(
    engine, "a hill", scene(1, 64, 64),
    hold = 0.6, size = c(64, 64), seed = 7L, negative = c("rain", "fog")
  )
  made <- make_picture(engine, request)
  expect_equal(made$seed, 7L)
  expect_equal(made$cost, 0.02)
  asked <- asked_of(address)
  expect_gt(asked[[1]]$upload, 100)
  job <- asked[[2]]$job
  expect_equal(job$input, list(file = "f-1", keep = 60L))
  expect_equal(job$text, list(wanted = "a hill", unwanted = "rain, fog"))
  expect_equal(job$variations, list(list(seed = 7L)))
  expect_null(job$style)
  expect_equal(asked[[2]]$key, request$key)
  ends <- function(prompt) ending(engine, engine_request(engine, prompt, size = c(64, 64)))
  expect_equal(ends("broken")[c("kind", "said")], list(kind = "bad_answer", said = "It broke."))
  expect_equal(ends("forbidden")[c("kind", "said")], list(kind = "refused", said = "Not allowed"))
  withr::local_envvar(BURDOCK_KEY = "wrong")
  expect_match(ends("a hill")$said, "answered 401: No such key")
})

test_that("pictures come from hosts that are named, and calls go to the service's own", {
  withr::local_envvar(BURDOCK_KEY = "opensesame")
  pictures_at <- local_service(pictures_app())
  address <- local_service(burdock_app(pictures_at))
  entry <- burdock_at(address, pictures_at)
  entry$result$hosts <- NULL
  failed <- ending(described(entry))
  expect_equal(failed$kind, "bad_answer")
  expect_match(failed$said, "only addresses on .* and on the hosts that `result.hosts` names are")
  entry <- burdock_at(address, pictures_at)
  entry$make$keep <- list(job = "$.job.id", id = "$.job.id")
  entry$wait$call <- "GET http://127.0.0.1:9/{job}"
  expect_match(ending(described(entry))$said, "which is not on")
  entry <- burdock_at(address, pictures_at)
  entry$wait$call <- "GET {job}"
  expect_match(ending(described(entry))$said, "whole is written \\{[+]job\\}")
})

test_that("templates keep types, join texts, and leave out what is lacking", {
  request <- structure(
    list(
      text = "a hill", negative = character(), seeds = c(3L, 4L), size = c(96L, 64L),
      native_hold = 0.5, hold = 0.5, checkpoint = "x", settings = list(steps = 20), looks = list(),
      guides = list(), key = "k"
    ),
    class = "sprenn_request"
  )
  fill <- function(template) fill_template(template, request)
  expect_identical(fill("{width}"), 96L)
  expect_identical(fill("{width} by {height}"), "96 by 64")
  expect_identical(fill("{settings.steps}"), 20)
  expect_identical(fill(list(a = 1, b = TRUE, c = "{unknown}")), list(a = 1, b = TRUE))
  expect_identical(fill(list(a = "{negative}", b = list("{look.base64}"))), left_out)
  expect_identical(fill("no { names } here"), "no { names } here")
  expect_identical(
    fill(list(each = "seeds", of = list(s = "{seed}", n = "{count}"))),
    list(list(s = 3L, n = 2L), list(s = 4L, n = 2L))
  )
  expect_identical(fill(list(when = "negative", a = 1)), left_out)
  expect_identical(names_in_template(list("{a.b} {c}", list(x = "{a.b}"))), c("a.b", "c"))
})

test_that("lists are made of what a case has several of", {
  request <- structure(
    list(
      prompt = data.frame(say = c("a hill", "fog"), weight = c(1, 1.5)),
      references = list(scene(1, 16, 16), scene(2, 16, 16)), reference_weights = c(1, 0.5),
      looks = list(scene(3, 16, 16)), add_ons = list(grain = 0.4), size = c(96L, 64L), seeds = 1L,
      guides = list(edges = list(picture = scene(4, 16, 16), weight = 0.8, release = 1))
    ),
    class = "sprenn_request"
  )
  fill <- function(template) fill_template(template, request)
  phrases <- fill(list(each = "phrases", of = list(say = "{phrase}", by = "{phrase.weight}")))
  expect_identical(phrases, list(list(say = "a hill", by = 1), list(say = "fog", by = 1.5)))
  pictures <- fill(list(each = "references", of = "{reference.base64}"))
  expect_length(pictures, 2)
  expect_identical(openssl::base64_decode(pictures[[2]]), png::writePNG(scene(2, 16, 16)))
  expect_match(fill(list(each = "looks", of = "{look.data_url}"))[[1]], "^data:image/png;base64,")
  guides <- fill(list(each = "guides", of = list(kind = "{guide.kind}", by = "{guide.weight}")))
  expect_identical(guides, list(list(kind = "edges", by = 0.8)))
  add_ons <- fill(list(each = "add_ons", of = "{add_on}:{add_on.weight}"))
  expect_identical(add_ons, list("grain:0.4"))
  expect_identical(fill("{aspect}"), "3:2")
  request$looks <- list()
  expect_identical(fill_template(list(each = "looks", of = "{look.base64}"), request), left_out)
})

test_that("the key is sent as the service wants it", {
  withr::local_envvar(OUR_KEY = "opensesame")
  headers <- function(...) key_headers(list(key = "OUR_KEY", ...))
  expect_equal(headers(), c(Authorization = "Bearer opensesame"))
  expect_equal(headers(key_scheme = "Token"), c(Authorization = "Token opensesame"))
  expect_equal(headers(key_header = "X-Key"), c("X-Key" = "opensesame"))
  basic <- headers(key_scheme = "Basic")
  expect_equal(basic, c(Authorization = "Basic b3BlbnNlc2FtZQ=="))
  expect_length(headers(key_query = "k"), 0)
  wanted <- list(key = "OUR_KEY", key_query = "k y")
  expect_equal(with_key_query("http://a/b?c=1", wanted), "http://a/b?c=1&k%20y=opensesame")
  expect_equal(mask_secrets("http://a/b?k%20y=opensesame", "OUR_KEY"), "http://a/b?k%20y=(OUR_KEY)")
})

test_that("hosts inside a network are known, and only named hosts fit", {
  inside <- c(
    "10.1.2.3", "172.31.0.1", "192.168.4.4", "127.0.0.1", "169.254.169.254", "100.64.0.9",
    "0.0.0.0",
    "::1", "fe80::1", "fd00::2", "::ffff:10.0.0.1"
  )
  expect_true(all(vapply(inside, is_private_address, NA)))
  outside <- c("93.184.216.34", "172.32.0.1", "100.128.0.1", "2606:2800:220:1::1")
  expect_false(any(vapply(outside, is_private_address, NA)))
  hosts <- c("https://*.pictures.example", "http://127.0.0.1:8466")
  fits <- function(url) is_named_host(url, hosts)
  expect_true(fits("https://a.pictures.example/x.png?sig=1"))
  expect_true(fits("http://127.0.0.1:8466/x"))
  expect_false(fits("https://pictures.example.evil.example/x"))
  expect_false(fits("https://evilpictures.example/x"))
  expect_false(fits("http://a.pictures.example/x"))
  expect_false(fits("https://a.pictures.example:444/x"))
  expect_false(fits("https://user@a.pictures.example/x"))
  expect_false(fits("http://127.0.0.1:8467/x"))
})

test_that("a host whose name leads inside is not fetched from", {
  own <- Sys.info()[["nodename"]]
  skip_if(length(curl::nslookup(own, error = FALSE)) == 0)
  skip_if_not(is_private_address(curl::nslookup(own)))
  failed <- tryCatch(public_address(paste0("https://", own, "/x.png")), sprenn_failure = identity)
  expect_equal(failed$kind, "bad_answer")
  expect_match(conditionMessage(failed), "leads into a network of its own")
  expect_null(public_address("http://127.0.0.1:8466/x"))
})

test_that("a description is held against what its templates can name, and what the engine takes", {
  sound <- madder_at("http://127.0.0.1:9")
  expect_s3_class(entry_problems(sound), "sprenn_trial")
  entry <- sound
  entry$make$json$ask$prompt <- "{promt}"
  entry$make$json$ask$looseness <- 0.5
  entry$make$json$more <- list(each = "seed", of = "{seed}")
  entry$make$headers <- list(`X-Id` = "{settings.steps}")
  entry$idempotent <- "header"
  entry$about$settings <- list(guidance = list(from = 1, to = 20))
  entry$about$takes <- list("look", "mask", "text_alone", "edges")
  found <- entry_problems(entry)
  at <- function(place) found[found$place == paste0("engines.e.", place), ]
  expect_equal(at("make.json.ask.prompt")$near, "prompt")
  expect_equal(at("make.json.more.each")$near, "seeds")
  expect_match(at("make.headers.X-Id")$wanted, "`about` has no settings steps")
  expect_match(at("idempotent")$wanted, "{key} in one of make.headers", fixed = TRUE)
  expect_setequal(
    sub("}.*", "}", at("make")$wanted),
    c("{prompt}", "{knob}", "{settings.guidance}", "{mask.base64}")
  )
  expect_true(all(!is.na(found$line)))

  entry <- burdock_at("http://127.0.0.1:9", "http://127.0.0.1:9")
  entry$upload$pictures <- list("reference", "look", "mask", "picture")
  entry$upload$form$file <- "{picture}"
  entry$wait$call <- "GET {+jobb}"
  entry$wait$same <- list(ident = "$.job.id")
  entry$price_list <- list(by = "chekpoint", prices = list(burr = 1))
  entry$make$json$variations <- list(list(seed = "{seed}"))
  entry$per_call <- 4
  found <- entry_problems(entry, pipeline = "{id: a, engine: e, checkpoint: burr, hold: 0.5}")
  expect_equal(at("upload.pictures")$found, c("\"picture\"", "\"mask\", which is nowhere used"))
  expect_equal(at("upload.form.file")$near, "picture.part")
  expect_equal(at("wait.call")$near, "job")
  expect_equal(at("wait.same.ident")$found, "a name that make.keep has not")
  expect_equal(at("price_list.by")$near, "checkpoint")
  expect_match(at("make")$wanted, "each: seeds")
})

test_that("paths and addresses that can't be read are told when the trial is", {
  entry <- madder_at("http://127.0.0.1:9")
  entry$result$picture <- "$.result..[frames"
  entry$make$call <- "POST paint"
  entry$result$seed <- "/a~2"
  found <- entry_problems(entry)
  expect_setequal(
    found$place,
    paste0("engines.e.", c("make.call", "result.picture", "result.seed"))
  )
  expect_match(found$wanted[found$place == "engines.e.result.picture"], "RFC 9535")
})

test_that("a plan knows listed prices, and says what may be paid for twice", {
  entry <- madder_at("http://127.0.0.1:9")
  entry$about$checkpoints <- list(fine = list(multiple_of = 16), quick = list(multiple_of = 16))
  entry$make$json$quality <- "{checkpoint}"
  entry$price_list <- list(by = "checkpoint", prices = list(fine = 0.04, quick = 0.01))
  folder <- described_trial(entry, "{id: a, engine: e, checkpoint: fine, hold: 0.5}")
  plan <- plan_run(folder)
  expect_equal(unique(plan$takes$price), 0.04)
  expect_match(plan$notes, "e does not know a call that comes twice.*counts as failed", all = FALSE)
  expect_equal(price_of_request(entry, list(checkpoint = "quick")), 0.01)
  # A list that lacks the value leaves the price that is stated.
  entry$about$price <- 0.02
  expect_equal(price_of_request(entry, list(checkpoint = "odd")), 0.02)
})

test_that("the service in examples/ is used by a description of nine lines", {
  skip_on_cran()
  weld <- python_example("described-service", "weld.py")
  address <- serve_python(weld$python, weld$script)
  withr::local_envvar(WELD_KEY = "opensesame")
  entry <- yaml::read_yaml(text = c(
    "kind: described",
    paste0("address: \"", address, "\""),
    "key: WELD_KEY",
    "key_header: X-Weld-Key",
    "make:",
    "  call: POST /pictures",
    "  headers: {X-Order: \"{key}\"}",
    paste0(
      "  json: {words: \"{prompt}\", from: \"{reference.base64}\", bands: \"{knob}\", ",
      "wide: \"{width}\", high: \"{height}\", seed: \"{seed}\"}"
    ),
    "result: {cost: header X-Cost, seed: header X-Seed}",
    "failures: [{kind: refused, status: [451], message: $.why}]",
    "about: {version: \"1\", hold: {at_0: 2, at_1: 64}}"
  ))
  engine <- described(entry)
  made <- make_picture(engine, engine_request(engine, "a hill", scene(1, 64, 64), seed = 9L))
  expect_equal(c(made$width, made$height), c(64, 64))
  expect_equal(made[c("cost", "seed")], list(cost = 0.002, seed = 9L))
  refused <- ending(engine, engine_request(engine, "smoke", scene(1, 64, 64)))
  expect_equal(refused[c("kind", "said")], list(kind = "refused", said = "Smoke is not made here"))
  withr::local_envvar(WELD_KEY = "wrong-key")
  expect_equal(ending(engine)$kind, "bad_request")
})

# A service that does what none should.
odd_app <- function() {
  app <- webfakes::new_app()
  app$use(webfakes::mw_json())
  app$post("/jobs", function(request, response) {
    response$send_json(list(id = "j-1"), auto_unbox = TRUE)
  })
  app$get("/never/:id", function(request, response) {
    response$send_json(list(id = "j-1", state = "painting"), auto_unbox = TRUE)
  })
  app$get("/other/:id", function(request, response) {
    response$send_json(list(id = "j-2", state = "ready", picture = "aGk="), auto_unbox = TRUE)
  })
  app$get("/vague/:id", function(request, response) {
    response$send_json(list(id = "j-1", state = "resting"), auto_unbox = TRUE)
  })
  app$post("/huge", function(request, response) {
    response$send_json(list(picture = strrep("A", 5e7)), auto_unbox = TRUE)
  })
  app$post("/echo", function(request, response) {
    response$set_status(400)
    said <- list(told = request$get_header("Authorization"))
    response$send_json(said, auto_unbox = TRUE)
  })
  app$post("/inside", function(request, response) {
    response$send_json(list(picture = "http://169.254.169.254/latest/key.png"), auto_unbox = TRUE)
  })
  app
}

odd_at <- function(address, make = "POST /jobs", wait = NULL, ...) {
  drop_empty(list(
    kind = "described", address = address, key = "ODD_KEY",
    make = drop_empty(list(
      call = make,
      json = list(p = "{prompt}", s = "{seed}", r = "{reference.base64}"),
      keep = if (!is.null(wait)) list(id = "$.id")
    )),
    wait = if (!is.null(wait)) {
      list(
        call = wait, state = "$.state", done = list("ready"), going = list("painting"),
        same = list(id = "$.id"), every = 0.1
      )
    },
    result = list(picture = "$.picture"),
    about = list(version = "1"),
    ...
  ))
}

test_that("a service that does what none should is told off, and never believed", {
  withr::local_envvar(ODD_KEY = "opensesame-42")
  address <- local_service(odd_app())
  end <- function(...) ending(described(odd_at(address, ...)))[c("kind", "said")]
  never <- end(wait = "GET /never/{id}", patience = 1)
  expect_equal(never$kind, "timed_out")
  expect_match(never$said, "was not done in time")
  other <- end(wait = "GET /other/{id}")
  expect_match(other$said, "answered about another job (its id is \"j-2\")", fixed = TRUE)
  expect_match(end(wait = "GET /vague/{id}")$said, "\"resting\".*neither done nor going")
  huge <- end(make = "POST /huge")
  expect_equal(huge$kind, "bad_answer")
  expect_match(huge$said, "was cut off")
  echo <- end(make = "POST /echo")
  expect_equal(echo$kind, "bad_request")
  expect_false(grepl("opensesame", echo$said))
  expect_match(echo$said, "ODD_KEY", fixed = TRUE)
  expect_match(end(make = "POST /inside")$said, "only addresses on .* are fetched")
})

test_that("an answer that is not what it says can be tried and replayed all the same", {
  withr::local_envvar(ODD_KEY = "opensesame-42")
  app <- webfakes::new_app()
  app$post("/jobs", function(request, response) {
    response$set_header("Content-Type", "application/json")
    response$send("<html>Back soon.</html>")
  })
  folder <- described_trial(odd_at(local_service(app)), "{id: a, engine: e}")
  run <- run_cli("engines", folder, "--try")
  expect_equal(run$status, 1)
  expect_match(run$out, "should have answered in JSON", all = FALSE)
  kept <- file.path(folder, "tried-e-make.http")
  expect_match(readLines(kept), "Back soon", all = FALSE)
  again <- run_cli("engines", folder, "--engine", "e", "--replay", kept)
  expect_equal(again$status, 1)
  expect_match(again$err, "should have answered in JSON", all = FALSE)
})

test_that("in flight, an answer that is too long is cut off as well", {
  withr::local_envvar(ODD_KEY = "opensesame-42")
  address <- local_service(odd_app())
  engine <- described(odd_at(address, make = "POST /huge"))
  talks <- Conversations$new()
  outcome <- NULL
  talks$begin(engine$converse(small_request(engine)), function(said) outcome <<- said)
  while (is.null(outcome)) {
    talks$step(0.1)
  }
  expect_match(conditionMessage(outcome), "was cut off")
})
