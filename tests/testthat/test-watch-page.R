# The page on which a run is watched, in a real browser while another process makes the run.

# An engine in the trial's folder, for processes that have none of these tests. Seed 3 of the
# pipeline "loose" is out of memory.
writes_slow_engine <- function(folder, seconds = 0.5) {
  code <- c(
    "sprenn::engine(",
    "  list(name = 'mixer', version = '1', checkpoints = list(plain = list()),",
    "    hold = c(at_0 = 0, at_1 = 10), price = 0.1, seconds = 0.5),",
    "  function(request) {",
    paste0("    Sys.sleep(", seconds, ")"),
    "    if (request$seed == 3 && request$native_hold < 5) {",
    "      sprenn::engine_failure('bad_request', 'It is out of memory.')",
    "    }",
    "    keep <- request$native_hold / 10",
    "    set.seed(request$seed)",
    "    noise <- array(stats::runif(length(request$reference)), dim(request$reference))",
    "    sprenn::engine_result(request$reference * keep + noise * (1 - keep), cost = 0.1)",
    "  }",
    ")"
  )
  writeLines(code, file.path(folder, "mixer.R"))
}

# So many that the run goes on for longer than it is looked at.
many_seeds <- change(small_suite, "[1, 2]", paste0("[", paste(1:30, collapse = ", "), "]"))

# A run in a process of its own.
running <- function(folder, env = parent.frame()) {
  code <- paste0(
    ".libPaths(", as_r_words(.libPaths()), "); sprenn::run_trial(", as_r_words(folder),
    ", workers = 2)"
  )
  process <- processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("--no-save", "--no-restore", "-e", code),
    cleanup_tree = TRUE,
    stderr = tempfile("running-", fileext = ".log")
  )
  withr::defer(process$kill_tree(), envir = env)
  began <- Sys.time()
  while (!"main" %in% known_runs(folder) && Sys.time() - began < 60) {
    Sys.sleep(0.1)
  }

  process
}

words_in <- function(window, id) {
  window$value(sprintf("document.getElementById('%s').textContent", id))
}

count_of <- function(window, selector) {
  window$value(sprintf("document.querySelectorAll(\"%s\").length", selector))
}

pipeline_row <- function(pipeline) {
  sprintf("document.querySelector('#pipelines [data-key=\"%s\"]')", pipeline)
}

centre_of <- function(window, selector) {
  unlist(window$value(sprintf(
    paste0(
      "(() => { const box = document.querySelector(\"%s\").getBoundingClientRect(); ",
      "return [box.x + box.width / 2, box.y + box.height / 2]; })()"
    ),
    selector
  )))
}

test_that("a run is watched, looked at, left out of and stopped, in a real browser", {
  skip_on_cran()
  folder <- small_trial(suite = many_seeds)
  writes_slow_engine(folder, 1)
  run <- running(folder)
  watching <- served_page("watch_run", folder)
  window <- window_on(watching$address)
  window$until("document.getElementById('watch').dataset.state === 'running'")
  window$until("document.querySelectorAll('#newest li').length > 2")
  expect_match(words_in(window, "state"), "^Running: .* process [0-9]+, since")
  expect_match(words_in(window, "counts"), "made[0-9]+ of 180")
  expect_match(words_in(window, "counts"), "in all")
  expect_match(words_in(window, "engines"), "mixer [0-9]+ of 180")

  # Takes stand beside their references, and both load.
  window$until("[...document.querySelectorAll('#newest img')].every(one => one.naturalWidth > 0)")
  expect_equal(count_of(window, "#newest li:first-child img"), 2)

  window$until(paste0(
    "/time leftabout [0-9.]+ (s|min|h)/.test(",
    "document.getElementById('counts').textContent)"
  ))

  # Held still, the takes stay while the run goes on.
  window$key("h")
  before <- window$value("[...document.querySelectorAll('#newest li')].map(one => one.dataset.key)")
  made <- window$value("document.getElementById('progress').value")
  window$until(sprintf("document.getElementById('progress').value > %d", made + 3))
  expect_equal(
    window$value("[...document.querySelectorAll('#newest li')].map(one => one.dataset.key)"),
    before
  )
  expect_equal(window$value("document.getElementById('hold').getAttribute('aria-pressed')"), "true")
  # Their flaws are told once they are measured.
  window$until("!/not measured/.test(document.querySelector('#newest').textContent)")
  window$value("document.getElementById('hold').click() || true")
  window$until(sprintf(
    "document.querySelector('#newest li').dataset.key !== '%s'",
    before[[1]]
  ))

  # What failed is told with what to do, and a verdict with the caution that it is early.
  window$until("!document.getElementById('failed').hidden", 60)
  expect_match(words_in(window, "failures"), "loose, bad request.*given up.*out of memory.*To do")
  window$until("document.querySelector('#verdict .early') !== null", 60)
  expect_match(words_in(window, "verdict"), "Not decided.*Early: .* don't choose by this yet")

  # A pipeline is left out by the page, and taken back in.
  button <- paste0(pipeline_row("loose"), ".querySelector('button')")
  expect_equal(window$value(paste0(button, ".textContent")), "Leave out")
  window$value(paste0(button, ".focus()"))
  press_key(window, "Enter")
  window$until(paste0(pipeline_row("loose"), ".classList.contains('out')"))
  expect_equal(read_run(folder)$pipelines$left_out, c(FALSE, TRUE))
  # The focus stays where it was while rows change.
  expect_equal(window$value("document.activeElement.textContent"), "Take back in")
  window$value(paste0(pipeline_row("firm"), ".querySelector('button')?.click() || true"))
  window$until("!document.getElementById('refused').hidden")
  expect_match(words_in(window, "refused"), "Nothing is left")
  press_key(window, "Enter")
  window$until(paste0("!", pipeline_row("loose"), ".classList.contains('out')"))
  expect_equal(read_run(folder)$pipelines$left_out, c(FALSE, FALSE))

  # It is stopped only when asked twice.
  window$value("document.getElementById('stop').click() || true")
  expect_true(window$value("document.getElementById('really').open"))
  window$value("document.getElementById('no').click() || true")
  expect_false(window$value("document.getElementById('really').open"))
  expect_true(run$is_alive())
  window$value("document.getElementById('stop').focus()")
  press_key(window, "Enter")
  window$value("document.getElementById('yes').focus()")
  press_key(window, "Enter")
  window$until("document.getElementById('watch').dataset.state === 'open'", 60)
  run$wait(20000)
  expect_false(run$is_alive())
  state <- read_run(folder)
  expect_gt(state$takes[["planned"]], 0)
  expect_true(window$value("document.getElementById('stop').hidden"))
  expect_match(words_in(window, "state"), "Nobody is making takes now")

  # The page says that it is no longer live.
  tools::pskill(watching$process$get_pid(), tools::SIGINT)
  window$until("!document.getElementById('lost').hidden")
  expect_equal(window$strangers(), character())
  expect_equal(window$said(), character())
})

test_that("a take is opened, wiped and zoomed by mouse, by keys and by touch", {
  skip_on_cran()
  folder <- small_trial()
  writes_slow_engine(folder, 0)
  run_trial(folder, workers = 0)
  watching <- served_page("watch_run", folder)
  window <- window_on(watching$address)
  window$until("document.querySelectorAll('#newest li').length === 6")
  expect_equal(words_in(window, "state"), "Everything is made")
  window$until("document.querySelector('#verdict .headline') !== null", 60)
  expect_match(words_in(window, "verdict"), "firm")

  # By the keyboard alone: a card, the next one, the wipe, the reference over it, and out again.
  window$value("document.querySelector('#newest li:nth-child(2) button').focus()")
  press_key(window, "Enter")
  window$until("document.getElementById('compare').open")
  window$until("document.getElementById('picture-one').naturalWidth === 96")
  title <- words_in(window, "compare-title")
  press_key(window, "ArrowRight")
  window$until(sprintf("document.getElementById('compare-title').textContent !== '%s'", title))
  press_key(window, "ArrowLeft")
  expect_equal(words_in(window, "compare-title"), title)
  press_key(window, "w")
  expect_false(window$value("document.getElementById('wipe').hidden"))
  expect_match(window$value("document.getElementById('over').src"), "/whole/take/")
  expect_match(window$value("document.getElementById('under').src"), "/whole/reference/[1-3]$")
  window$value("document.getElementById('edge').focus()")
  press_key(window, "ArrowRight")
  expect_equal(window$value("document.getElementById('edge').value"), "51")
  expect_match(window$value("document.getElementById('over').style.clipPath"), "49%")
  press_key(window, "w")
  press_key(window, "+")
  expect_match(
    window$value("document.getElementById('picture-one').style.transform"),
    "scale(1.5)",
    fixed = TRUE
  )
  press_key(window, "0")
  window$page$Input$dispatchKeyEvent(type = "keyDown", key = "r", text = "r")
  expect_match(window$value("document.getElementById('picture-one').src"), "/whole/reference/")
  window$page$Input$dispatchKeyEvent(type = "keyUp", key = "r")
  expect_match(window$value("document.getElementById('picture-one').src"), "/whole/take/")
  press_key(window, "Escape")
  window$until("!document.getElementById('compare').open")
  # The focus goes back to the card.
  expect_true(
    window$value("document.activeElement.matches('#newest li:nth-child(2) button')")
  )

  # By touch: a card, nearer, moved with a finger, closed.
  window$page$Emulation$setTouchEmulationEnabled(enabled = TRUE, maxTouchPoints = 2)
  tap <- function(selector) drag_finger(window, centre_of(window, selector))
  tap("#newest li:nth-child(1) button")
  window$until("document.getElementById('compare').open")
  tap("#nearer")
  at <- centre_of(window, "#frame-one .pane")
  drag_finger(window, at, at + c(20, 10), at + c(40, 20))
  expect_match(
    window$value("document.getElementById('picture-one').style.transform"),
    "translate\\((?!0%)",
    perl = TRUE
  )
  tap("#whole")
  tap("#further")
  tap("#wiping")
  expect_false(window$value("document.getElementById('wipe').hidden"))
  tap("#later")
  tap("#earlier")
  tap("#close")
  window$until("!document.getElementById('compare').open")
  window$page$Emulation$setTouchEmulationEnabled(enabled = FALSE)

  # What whoever can't see it is told, also with a take open.
  expect_accessible(window, 8)
  expect_no_barriers(window)
  window$value("document.querySelector('#newest button').click() || true")
  expect_equal(barriers_of(window), character())
  expect_equal(window$strangers(), character())
  expect_equal(window$said(), character())
})

test_that("pictures are served by number and id, never by path", {
  folder <- small_trial()
  run_trial(folder, workers = 0)
  desk <- WatchDesk$new(read_trial(folder), "main")
  withr::defer(desk$close())
  take <- read_takes(desk$store)[1, ]
  small <- watched_picture(desk, "small/reference/1")
  expect_equal(small$type, "image/jpeg")
  whole <- png::readPNG(watched_picture(desk, "whole/reference/1")$bytes)
  expect_equal(whole, scene(1), tolerance = 1 / 255)
  # As it was made in the strip, in its case's frame in the dialog.
  made <- watched_picture(desk, paste0("small/take/", take$take))
  expect_equal(made, list(type = "image/png", bytes = take_bytes(desk$store, take)))
  whole <- watched_picture(desk, paste0("whole/take/", take$take))
  expect_equal(dim(png::readPNG(whole$bytes))[1:2], c(64, 96))
  flaws <- told_flaws(desk$store, list(take$take, "no such take"))
  expect_equal(vapply(flaws, `[[`, NA, "measured"), c(TRUE, FALSE))
  expect_length(told_flaws(desk$store, as.list(1:100)), most_held)
  for (name in c(
    "small/reference/0", "small/reference/4", "small/reference/1.5e9", "small/reference/x",
    "small/take/../../suite.yml", "small/take/x", "whole/suite.yml", "large/take/x", "",
    paste0("small/take/", take$take, "/x"), "small/other/1"
  )) {
    expect_null(watched_picture(desk, name), info = name)
  }
})

test_that("who is told again, and what a folder that can only be read shows", {
  folder <- small_trial()
  run_trial(folder, workers = 0)
  desk <- WatchDesk$new(read_trial(folder), "main")
  withr::defer(desk$close())
  told <- list()
  window <- list(id = "a", send = function(kind, said) told[[length(told) + 1]] <<- kind)
  desk$tell_all()
  expect_length(told, 0)
  desk$add(window)
  expect_equal(told, list("state"))
  # Nothing has changed, so nothing is told again but the verdict.
  began <- Sys.time()
  while (length(told) < 2 && Sys.time() - began < 60) {
    desk$tell_all()
    Sys.sleep(0.2)
  }
  expect_equal(told, list("state", "verdict"))
  leave_out(folder, "loose")
  desk$tell_all(now = TRUE)
  expect_equal(told[[3]], "state")
  # A second window is told what there is.
  others <- character()
  desk$add(list(id = "b", send = function(kind, said) others <<- c(others, kind)))
  expect_equal(others, c("state", "verdict"))
  desk$remove(window)
  leave_out(folder, "loose", back = TRUE)
  desk$tell_all(now = TRUE)
  expect_length(told, 3)
  expect_equal(others, c("state", "verdict", "state"))
  expect_match(as.character(watch_body(desk)), "data-orders=\"yes\"")
})

test_that("records that are away for a moment are said so, and watching goes on", {
  folder <- small_trial()
  run_trial(folder, workers = 0)
  desk <- WatchDesk$new(read_trial(folder), "main")
  withr::defer(desk$close())
  told <- list()
  hear <- function(kind, said) told[[length(told) + 1]] <<- list(kind, said)
  desk$add(list(id = "a", send = hear))
  DBI::dbDisconnect(desk$store$db)
  desk$tell_all(now = TRUE)
  desk$tell_all(now = TRUE)
  refused <- Filter(function(one) one[[1]] == "refused", told)
  expect_match(refused[[1]][[2]], "can't be reached", all = FALSE)
  # It was opened again, so that there is nothing to complain of.
  expect_length(refused, 2)
  expect_length(refused[[2]][[2]], 0)
  leave_out(folder, "loose")
  desk$tell_all(now = TRUE)
  expect_equal(told[[length(told)]][[1]], "state")
})

test_that("the command shows a run on a page while it makes it", {
  skip_on_cran()
  folder <- small_trial()
  writes_slow_engine(folder, 0.3)
  process <- start_run(folder, "--watch")
  withr::defer(process$kill_tree())
  said <- function() readLines(file.path(folder, "out.log"), warn = FALSE)
  began <- Sys.time()
  while (!any(grepl("http://.*/$", said())) && Sys.time() - began < 60) {
    Sys.sleep(0.1)
  }
  address <- trimws(grep("http://", said(), value = TRUE))
  window <- window_on(address)
  window$until("document.getElementById('watch').dataset.state === 'running'")
  process$wait(60000)
  expect_match(said(), "12 takes made", all = FALSE)
  # The page has heard how it ended before it was left.
  window$until("!document.getElementById('lost').hidden")
  expect_equal(words_in(window, "state"), "Everything is made")
  expect_error(curl_text(address))
})
