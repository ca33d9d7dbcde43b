# Engines on services that are described: what they are asked, what is read of their answers, and
# what is not done whatever they say.

skip_if_not_installed("webfakes")

local_service <- function(app, env = parent.frame()) {
  sub("/$", "", webfakes::local_app_process(app, .local_envir = env)$url())
}

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
