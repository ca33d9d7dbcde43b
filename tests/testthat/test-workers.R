pool_of <- function(workers, env = parent.frame()) {
  pool <- internal("open_pool")(workers)
  withr::defer(internal("close_pool")(pool), envir = env)
  pool
}

in_pool <- function(...) internal("wait_for")(internal("send_to_pool")(...))

test_that("what is sent to a pool comes back, in the order in which it was sent", {
  skip_on_cran()
  pool <- pool_of(2)
  sent <- lapply(1:6, function(i) internal("send_to_pool")(pool, base::sqrt, list(i^2)))
  expect_equal(lapply(sent, internal("wait_for")), as.list(1:6))
})

test_that("work that fails, hangs or takes its process with it gives NULL, and the next goes on", {
  skip_on_cran()
  pool <- pool_of(2)
  expect_null(in_pool(pool, base::stop, list("no")))
  expect_null(in_pool(pool, base::Sys.sleep, list(20), seconds = 0.5))
  expect_null(in_pool(pool, function() tools::pskill(Sys.getpid(), 9), list()))
  expect_equal(in_pool(pool_of(1), base::sqrt, list(9)), 3)
})

test_that("two pools do not know of each other, nor of the caller's own", {
  skip_on_cran()
  one <- pool_of(1)
  two <- pool_of(1)
  expect_false(one$name == two$name)
  expect_false(
    identical(in_pool(one, base::Sys.getpid, list()), in_pool(two, base::Sys.getpid, list()))
  )
  internal("close_pool")(one)
  expect_equal(in_pool(two, base::sqrt, list(4)), 2)
  expect_null(internal("close_pool")(NULL))
})

test_that("files are found all the same when the processes that look at them are given up", {
  skip_on_cran()
  folder <- withr::local_tempdir()
  paths <- sprintf("p%03d.png", 1:104)
  for (path in paths) {
    png::writePNG(scene(nchar(path), 24, 16), file.path(folder, path))
  }

  suite <- list(cases = lapply(paths, function(path) list(reference = path)))
  looking <- internal("look_at_files")(suite, normalizePath(folder), workers = 2)
  looking$stop()
  found <- looking$find(internal("named_files")(suite))
  expect_length(found, 104)
  expect_false(any(vapply(found, function(one) is.null(one$facts$hash), NA)))
})

test_that("a silent measurer is given up once others show how long measuring takes", {
  skip_on_cran()
  pool <- pool_of(1)
  silent <- internal("send_to_pool")(pool, function() Sys.sleep(120), list(), seconds = 300)
  works <- new.env()
  works$sent <- list(list(
    work = "score_elsewhere",
    began = internal("clock")() - 25,
    mirai = silent
  ))
  internal("give_up_silent")(works)
  # Nothing has been measured yet: it may take long.
  expect_false(internal("has_landed")(silent))
  works$longest <- 1
  internal("give_up_silent")(works)
  expect_true(internal("has_landed")(silent))
  lost <- internal("landed")(silent)
  expect_s3_class(lost, "sprenn_lost")
  expect_true(lost$late)
})
