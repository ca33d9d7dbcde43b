# Descriptions drafted from OpenAPI documents: what is told of three services that have little in
# common, and what is not.

draft_from <- function(name, ...) draft_engine(test_path("services", name), ...)

test_that("a service that makes one wait is told from its document", {
  draft <- draft_from("tidewater.yaml")
  entry <- draft$entry
  expect_equal(draft$name, "tidewater")
  expect_equal(entry$address, "https://api.tidewater.example/v1")
  expect_equal(entry$make$call, "POST /generations")
  expect_equal(
    entry$make$json[c("prompt", "unwanted", "start_picture", "closeness", "width", "height")],
    list(
      prompt = "{prompt}", unwanted = "{negative}", start_picture = "{reference.base64}",
      closeness = "{knob}", width = "{width}", height = "{height}"
    )
  )
  expect_equal(entry$make$json$seed, "{seed}")
  expect_equal(entry$make$keep, list(generation_id = "$.id"))
  expect_equal(entry$wait$call, "GET /generations/{generation_id}")
  expect_equal(entry$wait[c("state", "done", "going")], list(
    state = "$.status", done = list("succeeded"), going = list("queued", "running")
  ))
  expect_equal(entry$result, list(picture = "$.images[*].url", seed = "$.images[*].seed"))
  kinds <- vapply(entry$failures, function(rule) paste(rule$kind, rule$is), "")
  expect_equal(kinds, c("refused rejected", "bad_answer failed"))
  # A closer result keeps more.
  expect_equal(entry$about$hold, list(at_0 = 0, at_1 = 1))
  expect_equal(names(entry$about$checkpoints), c("shore", "deep"))
  expect_equal(entry$about$checkpoints$deep$multiple_of, 64)
  expect_equal(entry$about$settings$guidance, list(from = 1, to = 20))
})

test_that("and one that takes a form and answers at once", {
  draft <- draft_from("lanternworks.json")
  entry <- draft$entry
  expect_equal(entry$address, "https://eu.lanternworks.example")
  expect_equal(entry[c("key", "key_header")], list(
    key = "LANTERNWORKS_KEY", key_header = "X-Lantern-Key"
  ))
  expect_equal(entry$make, list(
    call = "POST /render/from-picture",
    form = list(
      picture = "{reference.part}", text = "{prompt}", avoid = "{negative}", change = "{knob}",
      dimensions = "{width}x{height}", random_seed = "{seed}"
    )
  ))
  expect_null(entry$wait)
  expect_equal(entry$result, list(picture = "$.pictures[*].content", cost = "$.charged"))
  expect_equal(entry$failures[[1]][c("kind", "at", "is")], list(
    kind = "refused", at = "$.pictures[*].finish", is = list("filtered")
  ))
  # "0 keeps the picture, 100 ignores it".
  expect_equal(entry$about$hold, list(at_0 = 100, at_1 = 0))
  # A picture is required.
  expect_equal(entry$about$takes, list("negative"))
})

test_that("what a document does not tell is said, and not guessed", {
  draft <- draft_from("foundry.yaml")
  for (words in c(
    "whether any call makes pictures", "the service's address", "path parameter name",
    "what belongs in inputs", "where the prompt goes", "where the picture to start from goes",
    "where the seed goes", "where the size goes", "which state means that it is done",
    "where the picture stands in the answer"
  )) {
    expect_match(draft$untold, words, all = FALSE, fixed = TRUE)
  }
  expect_equal(draft$told$where, "GET /api/runs/{run}")
  expect_null(draft$entry$make$json)
  other <- draft_from("foundry.yaml", call = "POST /api/blobs")
  expect_equal(other$call, "POST /api/blobs")
  expect_error(draft_from("foundry.yaml", call = "POST /x"), class = "sprenn_error_argument")
})

test_that("a draft is a description that can be read, and shown as it would be sent", {
  for (name in c("tidewater.yaml", "lanternworks.json")) {
    draft <- draft_from(name)
    lines <- format(draft)
    expect_true(all(nchar(lines) <= 100))
    checkpoint <- names(draft$entry$about$checkpoints)[1]
    folder <- small_trial(lineup = c(
      lines,
      "pipelines:",
      paste0("  - {id: a, engine: ", draft$name, ", hold: 0.5, checkpoint: ", checkpoint, "}")
    ))
    trial <- read_trial(folder)
    expect_equal(trial$lineup$engines[[1]]$kind, "described")
    shown <- format(preview_calls(trial))
    expect_match(shown, "a thing", all = FALSE)
  }
})

test_that("documents that can't be used are told from each other", {
  write <- function(...) {
    file <- withr::local_tempfile(fileext = ".yaml", .local_envir = parent.frame())
    writeLines(c(...), file)
    file
  }
  expect_error(draft_engine(write("swagger: '2.0'", "paths: {}")), "of version 2")
  expect_error(draft_engine(write("- a")), class = "sprenn_error_openapi")
  expect_error(draft_engine(write("{\"openapi\": ")), class = "sprenn_error_openapi")
  only_get <- write("openapi: 3.0.0", "paths: {/a: {get: {responses: {'200': {}}}}}")
  expect_error(draft_engine(only_get), "No call in .* could make a picture")
  # References in a circle, out of the document and to nowhere.
  odd <- write(
    "openapi: 3.1.0",
    "info: {title: '', version: 3}",
    "paths:",
    "  /draw:",
    "    post:",
    "      requestBody: {content: {application/json: {schema: {$ref: '#/components/schemas/A'}}}}",
    "      responses: {default: {$ref: 'elsewhere.yaml#/x'}}",
    "components:",
    "  schemas:",
    "    A:",
    "      type: object",
    "      properties:",
    "        within: {$ref: '#/components/schemas/A'}",
    "        lost: {$ref: '#/components/schemas/B'}",
    "        prompt: {anyOf: [{type: 'null'}, {type: string}]}"
  )
  draft <- draft_engine(odd)
  expect_equal(draft$entry$make$json, list(prompt = "{prompt}"))
  expect_equal(draft$name, "service")
})

test_that("knobs, sizes, pictures and states are read in several manners", {
  leaf <- function(name, ..., required = FALSE) {
    list(path = name, schema = list(...), required = required, open = FALSE)
  }
  expect_equal(role_of(leaf("initImageUrl", type = "string", format = "uri"))$role, "reference")
  expect_equal(role_of(leaf("mask_image", type = "string"))$role, "mask")
  expect_equal(role_of(leaf("negative_prompt", type = "string"))$role, "negative")
  expect_equal(role_of(leaf("numImages", type = "integer"))$role, "count")
  expect_null(role_of(leaf("output_format", type = "string", enum = list("png", "jpeg"))))
  as_url <- leaf("image", type = "string", description = "A data URL")
  expect_equal(form_for(as_url, FALSE), "data_url")
  expect_equal(form_for(leaf("image_id", type = "string"), FALSE), "uploaded")
  ends <- function(...) ends_of_knob(leaf(...))
  expect_equal(
    ends("power", type = "number", minimum = 0, maximum = 1, description = "1 ignores the image"),
    list(at_0 = 1, at_1 = 0, sure = TRUE)
  )
  expect_false(ends("strength", type = "number", minimum = 0, maximum = 1)$sure)
  expect_equal(ends("fidelity", type = "integer", minimum = 0, maximum = 10)$at_1, 10)
  expect_null(ends("strength", type = "number"))
  starred <- leaf("size", type = "string", enum = list("512*512"))
  expect_equal(size_value(starred), "{width}*{height}")
  words <- list("IN_PROGRESS", "Completed", "not_ready", "FAILED", "odd")
  states <- states_of(leaf("s", enum = words))
  expect_equal(states, list(
    done = "Completed", failed = "FAILED", going = c("IN_PROGRESS", "not_ready"), other = "odd"
  ))
  expect_equal(path_of_leaf(leaf(c("data", "[]", "b64 json"))), "$.data[*]['b64 json']")
})
