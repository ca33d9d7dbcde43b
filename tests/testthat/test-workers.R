pool_of <- function(workers, env = parent.frame()) {
  pool <- WorkerPool$new(workers)
  withr::defer(pool$close(), envir = env)
  pool
}

in_pool <- function(pool, ...) wait_for(pool$send(...))

test_that("what is sent to a pool comes back, in the order in which it was sent", {
  skip_on_cran()
  pool <- pool_of(2)
  sent <- lapply(1:6, function(i) pool$send(base::sqrt, list(i^2)))
  expect_equal(lapply(sent, wait_for), as.list(1:6))
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
  one$close()
  expect_equal(in_pool(two, base::sqrt, list(4)), 2)
})

test_that("files are found all the same when the processes that look at them are given up", {
  skip_on_cran()
  folder <- withr::local_tempdir()
  paths <- sprintf("p%03d.png", 1:104)
  for (path in paths) {
    png::writePNG(scene(nchar(path), 24, 16), file.path(folder, path))
  }

  suite <- list(cases = lapply(paths, function(path) list(reference = path)))
  examiner <- examine_pictures(suite, normalizePath(folder), workers = 2)
  examiner$stop()
  found <- examiner$find(named_files(suite))
  expect_length(found, 104)
  expect_false(any(vapply(found, function(one) is.null(one$facts$hash), NA)))
})

test_that("a measurer that is silent for too long is given up", {
  skip_on_cran()
  skip_if_not_installed("ps")
  others <- ps::ps_children()
  workers <- WorkerJobs$new(1, 1, tempdir(), quiet_log)
  withr::defer(workers$close())
  new <- setdiff(lapply(ps::ps_children(), ps::ps_pid), lapply(others, ps::ps_pid))
  tools::pskill(unlist(new), tools::SIGSTOP)
  workers$send(list(at = 1), "score_elsewhere", list(NULL, list()), seconds = 300)
  workers$give_up_measuring(patience = 60)
  expect_length(workers$collect(), 0)
  workers$give_up_measuring(patience = 0)
  lost <- workers$collect()[[1]]$result
  expect_s3_class(lost, "sprenn_lost")
  expect_true(lost$late)
})

test_that("how long a measurer may be silent follows from how long measuring takes", {
  measuring <- Measuring$new(
    store = NULL,
    suite = NULL,
    takes = list(are_still = function(...) FALSE),
    workers = NULL,
    status = list(time_measuring = function(...) NULL),
    shares = NULL
  )
  # Nothing has been measured yet: it may take long.
  expect_equal(measuring$patience(), 300)
  done_after <- function(seconds) {
    began <- clock() - seconds
    measuring$complete(list(result = list(), ats = 1, sha256 = "", began = began))
    5 * round(measuring$patience() / 5)
  }
  expect_equal(done_after(1), 20)
  expect_equal(done_after(10), 80)
  expect_equal(done_after(2), 80)
})

test_that("one place in the pool is kept for measuring as long as nothing is being measured", {
  skip_on_cran()
  workers <- WorkerJobs$new(2, 1, tempdir(), quiet_log)
  withr::defer(workers$close())
  room <- function() c(workers$have_room(kept = 1), workers$have_room(), workers$are_measuring())
  send <- function(work) workers$send(list(at = 1), work, list(NULL, NULL), seconds = 300)
  for (i in 1:3) {
    send("make_elsewhere")
  }
  expect_equal(room(), c(FALSE, TRUE, FALSE))
  send("score_elsewhere")
  expect_equal(room(), c(FALSE, FALSE, TRUE))
  expect_equal(workers$share_of(9), 2)
})

test_that("pieces of work come back in order, with errors as they are", {
  clamped <- function(pool) {
    unlist(collect_work(begin_work(pool, "clamp_share", list(list(-1), list(0.5), list(2)))))
  }
  refused <- function(pool) {
    begun <- begin_work(pool, "stop_sprenn", list(list("file", "no")))
    expect_error(collect_work(begun), "no", class = "sprenn_error_file")
  }
  expect_equal(clamped(NULL), c(0, 0.5, 1))
  refused(NULL)
  skip_on_cran()
  pool <- pool_of(2)
  expect_equal(clamped(pool), c(0, 0.5, 1))
  refused(pool)
})

test_that("what a process leaves undone is done here", {
  skip_on_cran()
  pool <- pool_of(1)
  begun <- begin_work(pool, "list_measures", list(list()))
  begun[[1]]$sent <- pool$send(function() tools::pskill(Sys.getpid(), 9), list())
  expect_equal(collect_work(begun), list(list_measures()))
})
