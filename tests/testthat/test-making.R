# Calls of engines in pieces of work, and what comes back of them.

test_that("a line serves what was added first, then the others in order, each once", {
  line <- TakeLine$new(1:5)
  expect_equal(c(line$ready, line$first()), c(5, 1))
  line$remove(c(1, 3))
  expect_equal(line$first(), 2)
  line$add(c(7, 3))
  expect_equal(line$ready, 5)
  served <- integer()
  while (!is.null(line$first())) {
    served <- c(served, line$first())
    line$remove(line$first())
  }
  expect_equal(served, c(7, 3, 2, 4, 5))
  expect_equal(line$ready, 0)
  # One that waits already only moves to the front.
  line$add(c(4, 5))
  line$add(5)
  expect_equal(c(line$ready, line$first()), c(2, 5))
  expect_equal(line$ready_among(1:6), 4:5)
})

test_that("what is left out waits for being taken back in, at its place", {
  line <- TakeLine$new(1:6)
  line$remove(1)
  line$leave_out(c(2, 4, 1))
  expect_equal(c(line$ready, line$first()), c(3, 3))
  expect_equal(line$ready_among(1:6), c(3, 5, 6))
  line$add(1)
  expect_equal(c(line$ready, line$first()), c(3, 3))
  expect_equal(c(line$any_in(c(1, 2)), line$any_in(c(2, 3)), line$any_in(integer())), c(
    FALSE, TRUE, FALSE
  ))
  line$remove(3)
  line$leave_out(5)
  expect_equal(line$first(), 1)
  line$remove(1)
  expect_equal(c(line$first(), line$ready), c(2, 3))
  line$leave_out(integer())
  expect_equal(line$ready_among(6:1), c(6, 5, 4, 2))
})

test_that("requests of one case travel with what they have in common only once", {
  engine <- standin_yarrow()
  one <- engine_request(engine, "a windmill", reference = scene(1, 48, 32), seed = 1)
  other <- one
  other$seed <- other$seeds <- 2L
  other["context"] <- list(c(1, 2, 3, 4))
  other$label <- "of its own"
  without <- one
  without$settings <- NULL
  packed <- pack_requests(list(one, other, without))
  expect_identical(unpack_requests(packed), list(one, other, without))
  alone <- length(serialize(list(one), NULL))
  expect_lt(length(serialize(packed, NULL)), 1.2 * alone)
  expect_identical(unpack_requests(pack_requests(list(one))), list(one))
})

# An engine of which an object counts the calls, with its queue.
counted_queue <- function(seconds, waiting = 1:40, ...) {
  engine <- list(about = list(at_once = 2, seconds = 1), seconds = Inf, ...)
  queue <- EngineQueue$new(engine, "mixer", waiting)
  if (length(seconds)) {
    queue$count_made(seconds, first = FALSE)
  }
  queue
}

test_that("only what is soon done goes out in one piece, and nothing while something is wrong", {
  expect_equal(counted_queue(numeric())$takes_a_piece(), 1)
  expect_equal(counted_queue(2)$takes_a_piece(), 1)
  expect_equal(counted_queue(0.1)$takes_a_piece(), 5)
  expect_equal(counted_queue(0)$takes_a_piece(), most_in_piece)
  expect_equal(counted_queue(0, per_minute = 600)$takes_a_piece(), 1)
  expect_equal(counted_queue(0, asks_once = TRUE)$takes_a_piece(), 1)
  queue <- counted_queue(0)
  queue$note_failure(1, rlang::error_cnd("sprenn_failure", message = "no", kind = "bad_answer"))
  expect_equal(queue$takes_a_piece(), 1)
  queue$note_answer()
  expect_equal(queue$takes_a_piece(), most_in_piece)
  queue$note_away(1)
  expect_equal(queue$takes_a_piece(), 1)
  queue$note_back()
  queue$note_busy(1)
  expect_equal(queue$takes_a_piece(), 1)
})

# A run's parts, with workers that only keep what they are sent.
making_of <- function(env = parent.frame()) {
  run <- planned_run(env)
  trial <- run$trial
  takes <- run$takes
  sent <- list()
  workers <- list(
    far = FALSE,
    share_of = function(pieces) pieces,
    send = function(job, work, arguments, seconds) {
      sent <<- c(sent, list(list(job = job, arguments = arguments, seconds = seconds)))
    }
  )
  parts <- list(
    takes = RunTakes$new(takes, rep(TRUE, nrow(takes)), all_steps(trial$lineup)),
    queue = EngineQueue$new(trial$lineup$engines$mixer, "mixer", seq_len(nrow(takes))),
    sent = function() sent,
    cases = takes$case
  )
  parts$making <- Making$new(
    parts$takes, workers, Requests$new(trial, run$store), list(note_sent = identity), quiet_log
  )
  parts
}

test_that("a piece holds takes of one case; what it has not tried goes back to its queue", {
  parts <- making_of()
  parts$queue$count_made(0.01, first = FALSE)
  parts$making$send(parts$queue)
  piece <- parts$sent()[[1]]$job
  expect_equal(piece$at, which(parts$cases == parts$cases[1]))
  expect_gt(length(piece$at), 2)
  expect_equal(parts$queue$in_flight, length(piece$at))
  requests <- unpack_requests(parts$sent()[[1]]$arguments[[2]])
  expect_equal(
    vapply(requests, `[[`, 0L, "seed"),
    vapply(piece$at, function(at) parts$takes$row(at)$seed, 0L)
  )
  expect_false(any(duplicated(vapply(requests, `[[`, "", "key"))))
  # It has ended at the second of its takes.
  piece$result <- list("made", "failed")
  left <- parts$queue$left
  parts$making$give_back_untried(piece)
  expect_equal(parts$queue$in_flight, 0)
  expect_equal(parts$queue$left, left)
  expect_equal(parts$queue$ready_among(piece$at), piece$at[-(1:2)])
  expect_equal(parts$takes$begin_try(piece$at[1]), 2)
  expect_equal(parts$takes$begin_try(piece$at[3]), 1)
})

test_that("a take that may have ended a worker goes alone, and others don't go with it", {
  parts <- making_of()
  parts$queue$count_made(0.01, first = FALSE)
  own <- which(parts$cases == parts$cases[1])
  parts$takes$count_loss(own[2])
  parts$making$send(parts$queue)
  expect_equal(parts$sent()[[1]]$job$at, own[-2])
  parts$making$give_back(parts$sent()[[1]]$job)
  expect_equal(parts$queue$in_flight, 0)
  parts$takes$count_loss(own[1])
  parts$making$send(parts$queue)
  expect_equal(parts$sent()[[2]]$job$at, own[1])
})

test_that("a piece of work stops at its first failure", {
  folder <- withr::local_tempdir()
  writeLines(
    c(
      "sprenn::engine(",
      "  list(name = \"odd\", version = \"1\", checkpoints = list(plain = list())),",
      "  function(request) {",
      "    if (request$seed == 2) sprenn::engine_failure(\"refused\", \"Not this one.\")",
      "    sprenn::engine_result(array(seq(0, 1, length.out = 3 * prod(request$size)),",
      "      c(rev(request$size), 3)))",
      "  }",
      ")"
    ),
    file.path(folder, "odd.R")
  )
  plan <- list(wanted = list(kind = "function", file = "odd.R"), name = "odd", folder = folder)
  engine <- build_engine(plan$wanted, plan$name, folder)
  requests <- lapply(c(1L, 3L, 2L, 4L), function(seed) {
    engine_request(engine, "a hill", reference = scene(1, 24, 16), seed = seed)
  })
  made <- make_elsewhere(plan, pack_requests(requests))
  expect_length(made, 3)
  expect_equal(c(made[[1]]$width, made[[2]]$height), c(24, 16))
  expect_s3_class(made[[3]], "sprenn_failure_refused")
})

test_that("flat JSON is what the general one is, of texts that need escapes too", {
  values <- list(
    plain = "p2, c1, seed 3", seed = 100000L, part = 0.125, quoted = "a \"b\" \\ c",
    other = "caf\u00e9 \u6f22", lines = "a\nb", none = NA
  )
  said <- jsonlite::parse_json(flat_json(values))
  expect_equal(said, values[-7])
  nested <- flat_json(list(names = flat_json(list(case = "c")), seed = 1))
  expect_equal(jsonlite::parse_json(nested), list(names = list(case = "c"), seed = 1L))
})

test_that("a description says of a take what the request does, and of others nothing", {
  parts <- making_of()
  job <- parts$making$next_job(parts$queue)
  said <- jsonlite::parse_json(job$described)
  expect_equal(said$seed, job$take$seed)
  expect_equal(said$key, job$request$key)
  expect_equal(said$names$take, job$take$take)
  expect_match(said$label, paste0("seed ", job$take$seed))
  expect_equal(said$text, job$request$text)
  expect_equal(said$references[[1]], pixel_hash(job$request$references[[1]]))
  # The next seed of the same step and case shares all the rest.
  same <- which(parts$cases == job$take$case)
  same <- same[vapply(same, function(at) parts$takes$row(at)$pipeline, "") == job$take$pipeline]
  other <- parts$making$next_job(parts$queue, same[2])
  own <- c("label", "seed", "key", "names")
  again <- jsonlite::parse_json(other$described)
  expect_equal(again[setdiff(names(again), own)], said[setdiff(names(said), own)])
  expect_false(again$key == said$key)
  expect_equal(again$seed, other$request$seed)
})

test_that("pictures of several takes are kept together, each once, and no part is left", {
  folder <- withr::local_tempdir()
  store <- open_store(folder, "main", create = TRUE)
  withr::defer(close_store(store))
  bytes <- lapply(c(1, 2, 1, 3), function(seed) png::writePNG(scene(seed, 24, 16)))
  kept <- keep_pictures(store, bytes)
  expect_equal(kept$sha256, vapply(bytes, sha256_of, ""))
  expect_equal(kept$file[1], kept$file[3])
  for (i in seq_along(bytes)) {
    expect_identical(read_bytes(take_path(store, kept$file[i])), bytes[[i]])
  }
  takes <- file.path(store$folder, "takes")
  expect_setequal(list.files(takes, recursive = TRUE, all.files = TRUE), unique(kept$file))
  # One that was altered is written again.
  writeLines("no picture", take_path(store, kept$file[2]))
  keep_pictures(store, bytes[2])
  expect_identical(read_bytes(take_path(store, kept$file[2])), bytes[[2]])
})

test_that("what a killed run has left half written goes when the next one begins", {
  folder <- small_trial()
  made <- run_trial(folder, workers = 0)$takes
  takes <- file.path(folder, "runs", "main", "takes")
  left <- file.path(takes, paste0(part_start, "0123abcd-4567cdef-99999-1.png"))
  writeLines("half", left)
  expect_equal(check_run(folder)$kind, "leftover")
  again <- run_trial(folder, workers = 0)$takes
  expect_false(file.exists(left))
  expect_equal(again$sha256, made$sha256)
  expect_equal(nrow(check_run(folder)), 0)
  # A picture that was cut short is made again.
  writeLines("half", made$path[1])
  expect_equal(run_trial(folder, workers = 0)$takes$sha256, made$sha256)
  expect_equal(nrow(check_run(folder)), 0)
})

test_that("a picture of one colour is told from its bytes as from its pixels", {
  of_bytes <- function(pixels) decode_packed(encoded_picture(png::writePNG(pixels)))
  flat <- array(0.5, c(16, 24, 3))
  spot <- flat
  spot[9, 11, 2] <- 0.7
  expect_true(is_packed(of_bytes(flat)))
  expect_true(is_one_colour(of_bytes(flat)))
  expect_false(is_one_colour(of_bytes(spot)))
  expect_true(is_one_colour(flat))
  expect_false(is_one_colour(spot))
  # What has to be converted comes as pixels here too.
  clear <- array(c(flat, rep(0, 16 * 24)), c(16, 24, 4))
  expect_false(is_packed(of_bytes(clear)))
  expect_true(is_one_colour(of_bytes(clear)))
})

test_that("plain PNG files are read as ImageMagick reads them, and no others", {
  picture <- scene(4, 37, 23)
  grey <- picture[, , 1]
  as_magick <- function(bytes, layout) {
    magick::image_write(magick::image_read(bytes), format = layout, depth = 8L)
  }
  colour <- png::writePNG(picture)
  expect_identical(core_read_png(colour, 37, 23, 3), as_magick(colour, "rgb"))
  black_and_white <- png::writePNG(grey)
  expect_identical(core_read_png(black_and_white, 37, 23, 1), as_magick(black_and_white, "gray"))
  # Another kind, another size, cut off, or with a bit turned over in the middle.
  expect_null(core_read_png(colour, 37, 23, 1))
  expect_null(core_read_png(colour, 23, 37, 3))
  expect_null(core_read_png(utils::head(colour, -30), 37, 23, 3))
  expect_null(core_read_png(raw(0), 37, 23, 3))
  middle <- length(colour) %/% 2
  colour[middle] <- xor(colour[middle], as.raw(1))
  expect_null(core_read_png(colour, 37, 23, 3))
  with_alpha <- png::writePNG(array(c(picture, rep(0.5, 37 * 23)), c(23, 37, 4)))
  expect_null(core_read_png(with_alpha, 37, 23, 3))
})
