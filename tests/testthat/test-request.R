emphatic <- function(emphasis, ...) {
  engine(
    list(
      name = "x",
      checkpoints = list(a = list()),
      emphasis = emphasis,
      hold = c(at_0 = 0, at_1 = 1),
      takes = "text_alone",
      ...
    ),
    function(request) engine_result(scene())
  )
}

weighted <- data.frame(say = c("a hill", "two kites"), weight = c(1, 1.4))

test_that("phrase weights are said in the engine's own emphasis, or left out with a note", {
  asked <- function(emphasis) engine_request(emphatic(emphasis), weighted, size = c(64, 64))
  expect_equal(asked("weights")$text, "a hill, two kites")
  expect_equal(asked("weights")$prompt$weight, c(1, 1.4))
  expect_equal(asked("weights")$notes, character())
  expect_equal(asked("[{say} x{weight}]")$text, "a hill, [two kites x1.4]")
  expect_equal(asked("none")$text, "a hill, two kites")
  expect_match(asked("none")$notes, "no emphasis")
  expect_error(emphatic("loud"), "weights, none, or a pattern", class = "sprenn_error_argument")
})

test_that("hold goes onto the knob along a straight line, or along its curve", {
  knob <- function(hold, ...) {
    engine_request(emphatic("none", ...), "x", hold = hold, size = c(64, 64))$native_hold
  }

  expect_equal(knob(0.3), 0.3)
  curve <- list(hold = c(0.2, 0.5, 0.8), knob = c(0.1, 0.9, 0.95))
  expect_equal(knob(0.2, curve = curve), 0.1)
  expect_equal(knob(0.35, curve = curve), 0.5)
  # Beyond what is known, its ends.
  expect_equal(knob(1, curve = curve), 0.95)
  expect_equal(knob(0, curve = curve), 0.1)
  for (wrong in list(
    list(hold = c(0, 1), knob = c(0.5, 0.4)),
    list(hold = c(0.5, 0.4), knob = c(0, 1)),
    list(hold = c(0, 1), knob = c(0, 2)),
    list(hold = 0:1, knob = 1)
  )) {
    expect_error(emphatic("none", curve = wrong), class = "sprenn_error_argument")
  }
})

test_that("settings are ranges or words, in short or in full", {
  about <- function(settings) {
    engine(
      list(name = "x", checkpoints = list(a = list()), settings = settings),
      identity
    )$about$settings
  }

  expect_equal(about(list(g = c(1, 20)))$g, list(from = 1, to = 20))
  expect_equal(about(list(g = c("soft", "hard")))$g, list(words = c("soft", "hard")))
  expect_equal(about(list(g = list(from = 1, to = 2, default = 2)))$g$default, 2)
  for (wrong in list(
    c(2, 1),
    3,
    TRUE,
    list(from = 1),
    list(from = 1, to = 2, default = 3),
    list(words = list())
  )) {
    expect_error(about(list(g = wrong)), "range or words", class = "sprenn_error_argument")
  }
})

test_that("all that an engine does not take is refused at once", {
  problem <- tryCatch(
    engine_request(
      emphatic("none"),
      "x",
      reference = scene(),
      looks = list(scene()),
      settings = list(nose = 1),
      add_ons = list(grain = 1),
      hold = 2,
      checkpoint = "b",
      seed = -1,
      size = c(64, 64)
    ),
    error = conditionMessage
  )
  for (part in c("inputs", "settings", "add_ons", "hold", "checkpoint", "seed")) {
    expect_match(problem, part)
  }
})

test_that("checkpoints' sizes are checked and brought into one form", {
  about <- function(one) {
    engine(list(name = "x", checkpoints = list(a = one)), identity)$about$checkpoints$a
  }

  expect_equal(about(list(sizes = list(list(64, 48))))$sizes, list(c(64L, 48L)))
  for (wrong in list(
    list(sizes = list(64)),
    list(sizes = list(c(0, 10))),
    list(multiple_of = "8"),
    "x"
  )) {
    expect_error(about(wrong), class = "sprenn_error_argument")
  }
})

test_that("a picture is verified before it counts, and what was paid is told even if it does not", {
  giving <- function(picture) {
    engine(list(name = "x", checkpoints = list(a = list())), function(request) {
      engine_result(picture, cost = 0.3)
    })
  }

  said <- function(picture) ending(giving(picture))[c("kind", "cost")]
  expect_equal(said(scene(1, 64, 64))$kind, "made")
  bad <- list(
    array(0.5, c(64, 64, 3)),
    scene(1, 32, 32),
    bomb_png(),
    charToRaw("<html>no</html>"),
    raw(),
    array(NaN, c(64, 64, 3)),
    "text",
    head(png::writePNG(scene(1, 64, 64)), 300)
  )
  for (picture in bad) {
    expect_equal(said(picture), list(kind = "bad_answer", cost = 0.3))
  }

  expect_match(ending(giving(charToRaw("<html>no</html>")))$said, "a page that begins")
  # The head alone is enough to refuse a picture that would be huge.
  expect_match(ending(giving(bomb_png()))$said, "30000 x 30000")
})

test_that("an R function that takes too long is stopped, and its own errors are told", {
  slow <- engine(
    list(name = "x", checkpoints = list(a = list())),
    function(request) {
      repeat {
        Sys.sleep(0.01)
      }
    },
    seconds = 0.3
  )
  took <- system.time(end <- ending(slow))[["elapsed"]]
  expect_equal(end$kind, "timed_out")
  expect_lt(took, 5)
  broken <- engine(list(name = "x", checkpoints = list(a = list())), function(request) {
    stop("no such object")
  })
  expect_equal(ending(broken)$kind, "engine_error")
})

test_that("keys are taken out of whatever is kept, in every form", {
  withr::local_envvar(STUDIO_KEY = "s3cret/key+1")
  leaky <- engine(
    list(name = "x", checkpoints = list(a = list())),
    function(request) {
      if (request$seed == 2) {
        stop("401 for Bearer s3cret/key+1")
      } else {
        engine_result(
          scene(1, 64, 64),
          says = list(sent = "s3cret/key+1", deep = list(url = "?k=s3cret%2Fkey%2B1"))
        )
      }
    },
    secrets = "STUDIO_KEY"
  )
  expect_equal(
    ending(leaky, small_request(leaky, seed = 2L))$said,
    "401 for Bearer (STUDIO_KEY)"
  )
  made <- make_picture(leaky, small_request(leaky))
  expect_equal(made$says, list(sent = "(STUDIO_KEY)", deep = list(url = "?k=(STUDIO_KEY)")))
  base64 <- openssl::base64_encode(charToRaw("s3cret/key+1"))
  expect_equal(
    mask_secrets(paste("Basic", base64), "STUDIO_KEY"),
    "Basic (STUDIO_KEY)"
  )
  # Nothing is masked that is too short to be a key, or not set.
  withr::local_envvar(STUDIO_KEY = "ab")
  expect_equal(mask_secrets("about", "STUDIO_KEY"), "about")
})

test_that("requests are printed for a person", {
  expect_snapshot(
    print(engine_request(standin_yarrow(), weighted, scene(1, 128, 64), hold = 0.7))
  )
})

test_that("older names still work, and name the new ones", {
  yarrow <- standin_yarrow()
  expect_warning(take_request(yarrow, "a windmill", size = c(64, 64)), "engine_request")
  expect_warning(take_result(array(0.5, c(4, 6, 3))), "engine_result")
})

test_that("a cost is a number, 0 or more, or not known", {
  costing <- function(cost) {
    priced <- engine(
      list(name = "x", checkpoints = list(a = list())),
      function(request) engine_result(scene(1, 64, 64), cost = cost)
    )
    tryCatch(make_picture(priced, small_request(priced)), sprenn_failure = identity)
  }
  for (cost in list(-1, NaN, Inf, -Inf, "0.02", "free", c(1, 2), list(1), TRUE)) {
    failure <- costing(cost)
    expect_equal(failure$kind, "bad_answer", info = deparse(cost))
    expect_match(conditionMessage(failure), "a cost is a number, 0 or more", info = deparse(cost))
    # It would be paid for again and again.
    expect_true(failure$lasting)
    expect_true(is.na(failure$cost))
  }
  for (cost in list(NULL, NA, NA_real_)) {
    expect_true(is.na(costing(cost)$cost))
  }
  expect_equal(costing(0)$cost, 0)
  expect_equal(costing(2L)$cost, 2)
})

test_that("a request speaks of grown canvas only where there is some", {
  request <- small_request(standin_yarrow())
  said <- function(request) {
    jsonlite::parse_json(rawToChar(request_parts(request)$request$bytes))
  }
  expect_false("grow" %in% names(said(request)))
  request$grow <- c(0, 0, 0.25, 0)
  expect_equal(said(request)$grow, list(0L, 0L, 0.25, 0L))
})

# An engine whose knob has named positions; the second half of them keep nearly all.
worded_engine <- function(...) {
  engine(
    list(
      name = "worded",
      version = "1",
      checkpoints = list(a = list()),
      hold = list(words = c("free", "loose", "close", "exact")),
      ...
    ),
    function(request) {
      kept <- c(free = 0, loose = 0.2, close = 0.8, exact = 1)[[request$native_hold]]
      noise <- core_dead_leaves(request$size[1], request$size[2], 1000 + request$seed)
      engine_result(request$reference * kept + noise * (1 - kept), cost = 0)
    }
  )
}
assign("worded_engine", worded_engine, globalenv())

test_that("hold goes onto named positions in their order, straight or along a curve", {
  at <- function(hold, ...) {
    engine_request(worded_engine(...), "x", scene(), hold = hold)$native_hold
  }
  expect_equal(vapply(c(0, 0.3, 0.6, 1), at, ""), c("free", "loose", "close", "exact"))
  curve <- list(hold = c(0, 0.2, 0.9, 1), knob = c(1, 2, 3, 4))
  expect_equal(at(0.2, curve = curve), "loose")
  expect_equal(at(0.6, curve = curve), "close")
  expect_match(format(worded_engine()), "hold 0 is free, hold 1 is exact", all = FALSE)
  request <- engine_request(worded_engine(), "x", scene(), hold = 1)
  expect_match(format(request), "exact on its own knob", all = FALSE)
  said <- jsonlite::fromJSON(rawToChar(request_parts(request)$request$bytes))
  expect_equal(said$knob, "exact")
  for (wrong in list(list(words = "one"), list(words = c("a", "a")), list(words = 1:3))) {
    expect_error(
      engine(list(name = "x", checkpoints = list(a = list()), hold = wrong), identity),
      "two different words",
      class = "sprenn_error_argument"
    )
  }
})

test_that("named positions are run, calibrated and made again like numbers", {
  folder <- small_trial(lineup = c(
    "engines:",
    "  worded: {kind: function, file: worded.R}",
    "pipelines:",
    "  - {id: firm, engine: worded, hold: 1}",
    "sweeps:",
    "  - {of: firm, vary: hold, over: [0.3]}"
  ))
  writeLines("get('worded_engine', globalenv())()", file.path(folder, "worded.R"))
  takes <- run_trial(folder, workers = 0)$takes
  recipe <- read_recipe(takes$path[takes$pipeline == "firm"][1])
  expect_equal(recipe$steps[[1]]$native_hold, "exact")
  expect_equal(remake_take(recipe, folder)$same, "bytes")
  found <- calibrate_engine(folder, "worded", seeds = 1, save = FALSE)
  expect_equal(found$rungs$knob, 1:4)
  expect_false(is.unsorted(found$curve$knob))
  expect_gte(max(found$curve$knob), 3)
  # Two values that come to one position are one pipeline.
  lineup <- readLines(file.path(folder, "lineup.yml"))
  writeLines(change(lineup, "over: [0.3]", "over: [0.3, 0.35]"), file.path(folder, "lineup.yml"))
  expect_match(check_trial(folder)$found, "firm/hold=0.3 and firm/hold=0.35", all = FALSE)
})

test_that("a description in lineup.yml, or a server's, may name positions", {
  about <- about_from_list(list(hold = list(words = list("low", "high"))), "x")
  expect_equal(new_about(about)$hold_words, c("low", "high"))
  problems <- problems_of(lineup = c(
    "engines:",
    "  hand: {kind: folder, folder: hand, about: {hold: {at_0: 1, words: [a, b]}}}",
    "pipelines:",
    "  - {id: one, engine: hand, hold: 0.5}"
  ))
  expect_true(any(grepl("no words, as there is at_0", problems$wanted)))
})
