# What a picture says of how it was made: XMP in the file, read back, and made again.

embed <- function(bytes, json = "{\"a\": 1}") {
  embed_recipe(bytes, json, "Made <by> \"x\" & y")
}

recipe_in <- function(bytes) embedded_recipe(bytes)
some_png <- function(...) png::writePNG(array(stats::runif(40 * 30 * 3), c(30, 40, 3)), ...)
as_jpeg <- function(bytes) magick::image_write(magick::image_read(bytes), format = "jpeg")
pixels_of <- function(bytes) decode_picture(encoded_picture(bytes))

test_that("a recipe goes into PNG and JPEG without touching a pixel, and comes out again", {
  json <- "{\"say\": \"a <mill> & \\\"sails\\\", caf\u00e9 \u98a8\u8eca ]]> \U0001F3DD\"}"
  for (bytes in list(some_png(), as_jpeg(some_png()))) {
    whole <- embed(bytes, json)
    expect_identical(recipe_in(whole), json)
    expect_equal(pixels_of(whole), pixels_of(bytes))
    # Once more takes the place of the first.
    again <- embed(whole, "{}")
    expect_identical(recipe_in(again), "{}")
    expect_equal(pixels_of(again), pixels_of(bytes))
    expect_null(recipe_in(bytes))
  }

  # Other readers see it, and its check sum is right.
  file <- withr::local_tempfile(fileext = ".png")
  writeBin(embed(some_png(), json), file)
  expect_silent(png::readPNG(file))
  skip_if_not(nzchar(Sys.which("python3")))
  script <- paste0(
    "import sys, zlib; b = open(sys.argv[1], 'rb').read(); i = b.index(b'iTXt'); n = ",
    "int.from_bytes(b[i-4:i], 'big'); print(zlib.crc32(b[i:i+4+n]) == ",
    "int.from_bytes(b[i+4+n:i+8+n], 'big'))"
  )
  expect_equal(trimws(processx::run("python3", c("-c", script, file))$stdout), "True")
})

test_that("what the picture says of itself already stays", {
  before <- paste0(
    "<x:xmpmeta xmlns:x='adobe:ns:meta/'><rdf:RDF ",
    "xmlns:rdf='http://www.w3.org/1999/02/22-rdf-syntax-ns#'><rdf:Description ",
    "xmlns:dc='http://purl.org/dc/elements/1.1/' ",
    "rdf:about=''><dc:creator>Ana</dc:creator></rdf:Description></rdf:RDF></x:xmpmeta>"
  )
  chunk <- png_chunk(
    "iTXt",
    c(xmp_keyword, as.raw(c(0, 0, 0, 0)), charToRaw(before))
  )
  whole <- embed(append(some_png(), chunk, 33))
  expect_match(
    rawToChar(whole[whole != 0]),
    "<dc:creator>Ana</dc:creator>",
    fixed = TRUE,
    useBytes = TRUE
  )
  expect_equal(recipe_in(whole), "{\"a\": 1}")
  # A text chunk, a comment and a profile are not XMP.
  noted <- some_png(text = c(Comment = "by hand"))
  expect_match(rawToChar(embed(noted)[embed(noted) != 0]), "by hand", useBytes = TRUE)
})

test_that("hostile and broken files have no recipe, and do no harm", {
  secret <- withr::local_tempfile(lines = "a secret")
  put <- function(packet) {
    append(
      some_png(),
      png_chunk(
        "iTXt",
        c(xmp_keyword, as.raw(c(0, 0, 0, 0)), charToRaw(packet))
      ),
      33
    )
  }

  evil <- paste0(
    "<!DOCTYPE x [<!ENTITY e SYSTEM 'file://", secret,
    "'>]><x xmlns:s='https://sprenn.invalid/recipe/1/'><s:recipe>&e;</s:recipe></x>"
  )
  expect_null(recipe_in(put(evil)))
  expect_equal(recipe_in(embed(put(evil))), "{\"a\": 1}")
  for (packet in c("", "<", "<x>", strrep("<a>", 5000), "\xff\xfe")) {
    expect_null(recipe_in(put(packet)))
  }

  whole <- embed(some_png())
  for (length in c(0, 7, 33, 40, 60, 120, 400)) {
    expect_null(recipe_in(whole[seq_len(length)]))
  }

  whole <- embed(as_jpeg(some_png()))
  for (length in c(2, 10, 40, 120, 400)) {
    expect_null(recipe_in(whole[seq_len(length)]))
  }

  # What has no room for it says so.
  expect_null(embed(as_jpeg(some_png()), strrep("x", 70000)))
  expect_null(embed(charToRaw("no picture at all")))
  for (bytes in list(
    charToRaw("no picture"),
    some_png(),
    embed(some_png(), "[1, 2"),
    embed(some_png(), "{\"take\": 1}"),
    raw()
  )) {
    file <- withr::local_tempfile(fileext = ".png")
    writeBin(bytes, file)
    expect_error(read_recipe(file), "no recipe in", class = "sprenn_error_recipe")
  }

  expect_error(read_recipe("nowhere.png"), class = "sprenn_error_argument")
})

chained_lineup <- c(
  "engines:",
  "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
  "pipelines:",
  "  - {id: firm, engine: yarrow, checkpoint: tide, hold: 0.7, settings: {guidance: 5}}",
  "  - id: twice",
  "    steps:",
  "      - {engine: yarrow, checkpoint: tide, hold: 0.3}",
  "      - {engine: yarrow, checkpoint: ember, hold: 0.8}",
  "controls: [blank_prompt, no_reference]"
)

test_that("every kind of take can be made again from its recipe, to the last byte", {
  folder <- small_trial(
    sub(
      "prompt: .*",
      "prompt: [{say: four kites under a pink sky, weight: 1.3}]}",
      small_suite
    ),
    chained_lineup
  )
  takes <- run_trial(folder, score = FALSE)$takes
  expect_equal(unique(takes$state), "made")
  out <- export_run(folder, as = "pictures", file = withr::local_tempfile())
  expect_equal(out$pictures, nrow(takes))
  files <- list.files(out$path, recursive = TRUE, full.names = TRUE)
  expect_length(files, nrow(takes))
  # The trial has moved on: other pipelines, other names.
  lineup <- file.path(folder, "lineup.yml")
  writeLines(
    c(
      "engines:",
      "  yarrow: {kind: function, call: \"sprenn::standin_yarrow\"}",
      "pipelines:",
      "  - {id: other, engine: yarrow, checkpoint: ember, hold: 0.1}"
    ),
    lineup
  )
  suite <- file.path(folder, "suite.yml")
  writeLines(sub("id: one", "id: renamed", readLines(suite)), suite)
  chosen <- c(
    grep("/firm/", files, value = TRUE)[1],
    grep("/twice/one-1[.]png", files, value = TRUE),
    grep("twice-1/", files, value = TRUE)[1],
    grep("blank_prompt", files, value = TRUE)[1:2],
    grep("no_reference", files, value = TRUE)[1]
  )
  for (file in chosen) {
    new <- withr::local_tempfile(fileext = ".png")
    made <- remake_take(file, folder, new)
    expect_equal(made$same, "bytes")
    expect_equal(made$notes, character())
    recipe <- read_recipe(file)
    expect_equal(made$sha256, recipe$picture$sha256)
    expect_true(recipe$picture$sha256 %in% takes$sha256)
    expect_equal(read_picture(new), read_picture(file))
  }

  twice <- read_recipe(chosen[2])
  expect_equal(vapply(twice$steps, `[[`, "", "checkpoint"), c("tide", "ember"))
  words <- paste(format(twice), collapse = "\n")
  expect_match(words, "four kites under a pink sky (weight 1.3)", fixed = TRUE)
  expect_match(words, "2. yarrow", fixed = TRUE)
  # A picture in the run's own folder is known too.
  own <- read_recipe(takes$path[takes$pipeline == "firm"][1])
  expect_equal(own$pipeline, "firm")
})

test_that("what is not as it was is said", {
  folder <- small_trial()
  takes <- run_trial(folder, score = FALSE)$takes
  file <- takes$path[1]
  trial <- read_trial(folder)
  newer <- trial
  newer$lineup$engines$mixer$about$version <- "9"
  make <- newer$lineup$engines$mixer$make
  newer$lineup$engines$mixer$make <- function(request) {
    made <- make(request)
    made$picture <- 1 - made$picture
    made
  }

  made <- remake_take(file, newer)
  expect_equal(made$same, "no")
  expect_match(made$notes, "is version 9 now", all = FALSE)
  lacking <- trial
  names(lacking$lineup$engines) <- "blender"
  expect_error(remake_take(file, lacking), "no engine \"mixer\"", class = "sprenn_error_recipe")
  writeLines(
    sub("a thing", "another thing", readLines(file.path(folder, "suite.yml"))),
    file.path(folder, "suite.yml")
  )
  expect_error(remake_take(file, folder), "has another prompt", class = "sprenn_error_recipe")
})

test_that("the command says it in words, as JSON, and by its status whether it came out the same", {
  folder <- small_trial()
  takes <- run_trial(folder, score = FALSE)$takes
  said <- capture.output(status <- sprenn_command(c("recipe", takes$path[1])))
  expect_equal(status, 0L)
  expect_match(said[1], paste0("<recipe> ", takes$take[1]))
  json <- jsonlite::fromJSON(
    capture.output(sprenn_command(c("recipe", takes$path[1], "--json")))
  )
  expect_equal(json$take, takes$take[1])
  expect_equal(json$request$size, c(96, 64))
  said <- capture.output(
    status <- sprenn_command(c("recipe", takes$path[1], "--again", folder))
  )
  expect_equal(status, 0L)
  expect_match(said, "every byte is identical", all = FALSE)
  expect_equal(
    suppressMessages(sprenn_command(c("recipe", takes$path[1], "--out", "x.png"))),
    2L
  )
})
