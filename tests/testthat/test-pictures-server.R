# A run's pictures on a web server that speaks WebDAV: nginx, and a small server that does what it
# should not.

test_that("pictures go to a server, and come from it where the folder is not shared", {
  dav <- local_dav()
  folder <- small_trial()
  calm <- run_trial(folder, "calm", workers = 0)
  made <- run_trial(folder, pictures = dav$address, workers = 0)
  expect_equal(made$takes$sha256, calm$takes$sha256)
  files <- list.files(dav$kept, recursive = TRUE)
  here <- file.path(folder, "runs", "main", "takes")
  expect_setequal(files, list.files(here, recursive = TRUE))
  expect_equal(
    vapply(file.path(dav$kept, files), sha256_of_file, "", USE.NAMES = FALSE),
    sub("[.]png$", "", basename(files))
  )
  # The same run on a machine that has none of them.
  unlink(here, recursive = TRUE)
  expect_equal(unique(run_trial(folder, workers = 0)$takes$state), "made")
  expect_equal(nrow(check_run(folder)), 0)
  expect_length(list.files(here, recursive = TRUE), 0)
  sheet <- withr::local_tempfile(fileext = ".png")
  draw_sheet(folder, file = sheet)
  expect_true(file.exists(sheet))
  expect_gt(length(list.files(here, recursive = TRUE)), 0)
  unlink(here, recursive = TRUE)
  report <- withr::local_tempfile(fileext = ".html")
  write_report(folder, file = report)
  expect_gt(file.size(report), 1e5)
  score_run(folder, again = TRUE, workers = 0)
  expect_equal(outcome_of(folder), outcome_of(folder, "calm"))
  # Another address, or one for a run that has pictures, is refused.
  expect_error(
    run_trial(folder, pictures = sub("spring", "summer", dav$address))$takes,
    "keeps its pictures elsewhere",
    class = "sprenn_error_run"
  )
  expect_error(
    run_trial(folder, "calm", pictures = dav$address)$takes,
    "They are in its folder",
    fixed = TRUE
  )
  expect_error(
    run_trial(folder, "new", pictures = "http://studio.example/x")$takes,
    "https://HOST/FOLDER",
    class = "sprenn_error_argument"
  )
})

test_that("what the server loses or alters is found, and mended where there is a copy", {
  dav <- local_dav()
  folder <- small_trial()
  run_trial(folder, pictures = dav$address, workers = 0)
  files <- list.files(dav$kept, recursive = TRUE)
  unlink(file.path(dav$kept, files[1:2]))
  writeLines("not a picture", file.path(dav$kept, files[3]))
  here <- file.path(folder, "runs", "main", "takes")
  unlink(file.path(here, files[2:3]))
  found <- check_run(folder)
  expect_equal(sort(found$kind), c("altered", "missing", "missing"))
  store <- open_store(folder, "main")
  withr::defer(close_store(store))
  expect_error(
    bring_pictures(store, files[3]), "gives another picture",
    class = "sprenn_error_store"
  )
  expect_false(bring_pictures(store, files[2]))
  mended <- check_run(folder, repair = TRUE)
  expect_match(mended$mended, "put there again", all = FALSE)
  expect_equal(sum(mended$mended == "planned again"), 2)
  takes <- run_trial(folder, workers = 0)$takes
  expect_equal(unique(takes$state), "made")
  expect_equal(nrow(check_run(folder)), 0)
  expect_setequal(list.files(dav$kept, recursive = TRUE), files)
  # What nothing asks for any more goes from there too.
  trial <- read_trial(folder)
  trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
  prune_run(trial, yes = TRUE)
  expect_length(list.files(dav$kept, recursive = TRUE), 6)
})

test_that("a server that is away is waited for, and then said to be", {
  dav <- local_dav()
  folder <- small_trial()
  dav$stop()
  began <- clock()
  error <- expect_error(
    run_trial(folder, pictures = dav$address, workers = 0, outage = 2)$takes,
    "server of the run's pictures can't be reached",
    class = "sprenn_error_store"
  )
  expect_gte(clock() - began, 2)
  expect_match(error$details, "the same command resumes", all = FALSE)
})

test_that("a server that is full, forbids it or takes nothing is said to be", {
  skip_on_cran()
  # It answers with the status that its address names; a folder is there, unless it is forbidden.
  port <- httpuv::randomPort()
  code <- sprintf(
    paste0(
      "httpuv::startServer('127.0.0.1', %d, list(call = function(request) { ",
      "status <- as.integer(substr(request$PATH_INFO, 2, 4)); ",
      "if (request$REQUEST_METHOD == 'MKCOL' && status != 403) status <- 405L; ",
      "list(status = status, headers = list(), body = '')})); repeat httpuv::service(1000)"
    ),
    port
  )
  process <- processx::process$new(
    file.path(R.home("bin"), "Rscript"), c("-e", code),
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")), cleanup_tree = TRUE
  )
  withr::defer(process$kill_tree())
  at <- function(status) PictureServer$new(paste0("http://127.0.0.1:", port, "/", status, "/"))
  wait_until(is.null(at(404)$get("ab/c.png")))
  said_of <- function(work) {
    error <- expect_error(work, class = "sprenn_error_store")
    paste(c(conditionMessage(error), error$details), collapse = "\n")
  }
  bytes <- list(as.raw(1:9))
  expect_match(said_of(at(507)$put("ab/c.png", bytes)), "takes no picture.*Its disk is full")
  expect_match(said_of(at(401)$put("ab/c.png", bytes)), "~/.netrc")
  expect_match(said_of(at(405)$put("ab/c.png", bytes)), "WebDAV has to be switched on")
  expect_match(said_of(at(413)$put("ab/c.png", bytes)), "larger than it accepts")
  expect_match(said_of(at(403)$put("ab/c.png", bytes)), "makes no folder.*~/.netrc")
  expect_match(said_of(at(503)$put("ab/c.png", bytes)), "can't be reached.*status 503")
  expect_match(said_of(at(500)$get("ab/c.png")), "can't be reached")
  expect_match(said_of(at(302)$get("ab/c.png")), "is not followed")
  expect_match(said_of(at(423)$delete("ab/c.png")), "deletes no picture.*status 423")
  expect_silent(at(404)$delete("ab/c.png"))
})
