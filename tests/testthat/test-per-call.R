# Engines that return several pictures a call: what is asked for together, what it costs, and
# what a failure or a stop leaves.

# A trial on one engine of this session, `make` a function of a request.
several_trial <- function(make, per_call, seeds = 1:4, ..., env = parent.frame()) {
  calls <- new.env()
  calls$seeds <- list()
  assign(
    "several_engine",
    engine(
      about = list(
        name = "several",
        version = "1",
        checkpoints = list(plain = list()),
        hold = c(at_0 = 0, at_1 = 1),
        per_call = per_call,
        ...
      ),
      make = function(request) {
        calls$seeds <- c(calls$seeds, list(request$seeds))
        make(request)
      }
    ),
    globalenv()
  )
  withr::defer(suppressWarnings(rm("several_engine", envir = globalenv())), envir = env)
  folder <- small_trial(
    lineup = c(
      "engines:",
      "  several: {kind: function, file: several.R}",
      "pipelines:",
      "  - {id: firm, engine: several, hold: 0.9}"
    ),
    env = env
  )
  writeLines("get('several_engine', globalenv())", file.path(folder, "several.R"))
  suite <- readLines(file.path(folder, "suite.yml"))
  suite[grepl("^seeds:", suite)] <- paste0("seeds: [", paste(seeds, collapse = ", "), "]")
  writeLines(suite, file.path(folder, "suite.yml"))
  list(folder = folder, calls = calls)
}

# A served trial without the engine that is no server.
only_served <- function(folder, more = "", pipeline = "") {
  lineup <- file.path(folder, "lineup.yml")
  lines <- readLines(lineup)
  lines <- sub("at_once: 4", paste0("at_once: 4", more), lines[!grepl("yarrow", lines)])
  lines <- sub("engine: served", paste0("engine: served", pipeline), lines)
  writeLines(lines, lineup)
}

# A picture for each of a request's seeds.
one_each <- function(request, cost = 0.01) {
  lapply(request$seeds, function(seed) {
    engine_result(
      with_drawing_seed(seed, request$reference * 0.9 + 0.1 * runif(1)),
      cost = cost,
      seed = seed
    )
  })
}

test_that("seeds of one case are asked for together, and each is a take with its share of cost", {
  skip_on_cran()
  running <- start_standins("yarrow", per_call = 3, call_price = 0.05)
  withr::defer(stop_standins(running))
  together <- served_trial(running$addresses, cases = 2, seeds = 1:4)
  only_served(together, pipeline = ", checkpoint: tide")
  planned <- plan_run(together)
  takes <- run_trial(together, score = FALSE)$takes
  expect_equal(takes$state, rep("made", 8))
  # Two cases, and for each a call of three seeds and one of the fourth.
  expect_equal(length(paid_for(running, "yarrow")), 4)
  expect_equal(sum(takes$cost), 4 * 0.05)
  expect_equal(sum(takes$cost), sum(paid_for(running, "yarrow")))
  expect_equal(sum(planned$takes$price), sum(takes$cost))
  events <- readLines(file.path(together, "runs", "main", "events.jsonl"))
  expect_equal(sum(grepl("\"event\":\"sent\"", events)), 8)

  # Asked for one at a time, the same pictures, and the price of as many calls.
  alone <- served_trial(running$addresses, cases = 2, seeds = 1:4)
  only_served(alone, ", per_call: 1", ", checkpoint: tide")
  single <- run_trial(alone, score = FALSE)$takes
  expect_equal(single$take, takes$take)
  expect_equal(single$sha256, takes$sha256)
  expect_equal(sum(single$cost), 8 * 0.05)
  expect_equal(length(paid_for(running, "yarrow")), 4 + 8)
})

test_that("a killed run asks only for what is missing, and pays for no call twice", {
  skip_on_cran()
  running <- start_standins("bracken", per_call = 3, seconds = 0.6, at_once = 1)
  withr::defer(stop_standins(running))
  folder <- served_trial(running$addresses, cases = 4, seeds = 1:4)
  only_served(folder)
  process <- start_run(folder, "--no-score")
  events <- file.path(folder, "runs", "main", "events.jsonl")
  wait_until(any(grepl("\"made\"", readLines(events))))
  process$kill_tree()
  process$wait(5000)
  takes <- run_trial(folder, score = FALSE)$takes
  expect_equal(takes$state, rep("made", 16))
  paid <- paid_for(running, "bracken")
  expect_equal(length(paid), 8)
  expect_equal(sum(takes$cost), sum(paid))

  # Seeds that are added later are asked for alone.
  suite <- readLines(file.path(folder, "suite.yml"))
  writeLines(sub("^seeds:.*", "seeds: [1, 2, 3, 4, 5, 6]", suite), file.path(folder, "suite.yml"))
  run_trial(folder, score = FALSE)
  expect_equal(length(paid_for(running, "bracken")), 8 + 4)
})

test_that("an R function returns a picture for each seed; one that is missing is asked for again", {
  whole <- several_trial(one_each, per_call = 4)
  takes <- run_trial(whole$folder, workers = 1, score = FALSE)$takes
  expect_equal(takes$state, rep("made", nrow(takes)))
  expect_true(all(lengths(whole$calls$seeds) == 4))
  expect_equal(unique(takes$cost), 0.01)

  # The second of the first call is missing; what is there is known by its seed.
  first <- TRUE
  gap <- several_trial(per_call = 4, make = function(request) {
    made <- one_each(request)
    if (first) {
      first <<- FALSE
      made <- made[-2]
    }

    made
  })
  filled <- run_trial(gap$folder, workers = 1, score = FALSE)$takes
  expect_equal(filled$state, rep("made", nrow(filled)))
  expect_equal(filled$sha256, takes$sha256)
  expect_equal(sort(lengths(gap$calls$seeds))[1], 1)
  expect_equal(gap$calls$seeds[[which(lengths(gap$calls$seeds) == 1)]], 2)

  # One that never returns more than one picture makes them all the same, call by call.
  slow <- several_trial(function(request) one_each(request)[[1]], per_call = 2, seeds = 1:2)
  one_by_one <- run_trial(slow$folder, workers = 1, score = FALSE)$takes
  expect_equal(one_by_one$state, rep("made", nrow(one_by_one)))
})

test_that("worker processes make the pictures of a call together, too", {
  skip_on_cran()
  trial <- several_trial(one_each, per_call = 4)
  writeLines(
    c(
      "sprenn::engine(",
      "  about = list(",
      "    name = 'several', version = '1', checkpoints = list(plain = list()),",
      "    hold = c(at_0 = 0, at_1 = 1), per_call = 3",
      "  ),",
      "  make = function(request) {",
      "    lapply(request$seeds, function(seed) {",
      "      sprenn::engine_result(",
      "        request$reference * (0.5 + seed / 10), seed = seed,",
      "        says = list(together = length(request$seeds), process = Sys.getpid())",
      "      )",
      "    })",
      "  }",
      ")"
    ),
    file.path(trial$folder, "several.R")
  )
  takes <- run_trial(trial$folder, workers = 2, score = FALSE)$takes
  expect_equal(takes$state, rep("made", nrow(takes)))
  store <- open_store(trial$folder, "main")
  withr::defer(close_store(store))
  said <- lapply(read_exchanges(store)$answer, jsonlite::fromJSON)
  together <- vapply(said, function(one) as.numeric(one$together), 0)
  expect_equal(as.vector(table(together)), c(3, 9))
  expect_false(any(vapply(said, function(one) one$process, 0L) == Sys.getpid()))
})

test_that("a failure of a call is one failure, and counts for all of its takes", {
  refused <- several_trial(per_call = 2, seeds = 1:4, make = function(request) {
    if (2 %in% request$seeds) {
      engine_failure("refused", "Not this one.")
    }

    one_each(request)
  })
  takes <- run_trial(refused$folder, workers = 1, score = FALSE)$takes
  expect_equal(takes$state, ifelse(takes$seed <= 2, "refused", "made"))

  # After as many failed calls as of an engine that makes one picture a call, it is left alone.
  broken <- several_trial(per_call = 4, seeds = 1:16, make = function(request) {
    engine_failure("bad_request", "It does not know what to do.")
  })
  run <- run_trial(broken$folder, workers = 1, score = FALSE)
  expect_equal(length(broken$calls$seeds), most_alike)
  expect_match(run$parked$several, "The last 8 tries failed in the same way")
})

test_that("pictures of engines that do not repeat seeds go to the seeds in their order", {
  count <- 0
  trial <- several_trial(per_call = 4, repeatable = FALSE, make = function(request) {
    lapply(one_each(request), function(made) {
      count <<- count + 1
      made$seed <- NA_integer_
      made$says <- list(number = count)
      made
    })
  })
  expect_match(plan_run(trial$folder)$notes, "seeds are only numbers of takes", all = FALSE)
  takes <- run_trial(trial$folder, workers = 1, score = FALSE)$takes
  expect_equal(takes$state, rep("made", nrow(takes)))
  first <- takes[takes$case == takes$case[1], ]
  store <- open_store(trial$folder, "main")
  withr::defer(close_store(store))
  answers <- read_exchanges(store)
  said <- vapply(
    answers$answer[match(first$take[order(first$seed)], answers$take)],
    function(answer) jsonlite::fromJSON(answer)$number,
    0
  )
  expect_equal(unname(said), 1:4)
})

test_that("a lineup may ask for fewer seeds a call than the engine takes, never for more", {
  trial <- several_trial(one_each, per_call = 4)
  lineup <- file.path(trial$folder, "lineup.yml")
  lines <- readLines(lineup)
  writeLines(sub("several.R", "several.R, per_call: 2", lines), lineup)
  run_trial(trial$folder, workers = 1, score = FALSE)
  expect_true(all(lengths(trial$calls$seeds) == 2))
  writeLines(sub("several.R", "several.R, per_call: 5", lines), lineup)
  problem <- expect_error(read_trial(trial$folder), class = "sprenn_error_trial")
  expect_match(conditionMessage(problem), "engines.several.per_call")
  expect_match(conditionMessage(problem), "no more than the 4 that the engine takes")
})

test_that("a server that was written from the contract alone is asked for several, too", {
  skip_on_cran()
  example <- python_example("http-engine", "engine.py")
  address <- serve_python(example$python, example$script)
  run <- function(more) {
    folder <- served_trial(address, cases = 2, seeds = 1:6)
    only_served(folder, more)
    takes <- run_trial(folder, score = FALSE)$takes
    expect_equal(takes$state, rep("made", 12))
    takes
  }
  together <- run("")
  single <- run(", per_call: 1")
  expect_equal(together$sha256, single$sha256)
  expect_equal(together$cost, single$cost)
})
