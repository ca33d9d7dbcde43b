# What has changed most between two runs, as data and on its page.

# A small trial with two runs: in the second, "loose" lets go of everything, and seed 2 of "firm"
# has failed.
two_made_runs <- function(env = parent.frame()) {
  folder <- small_trial(env = env)
  run_trial(folder, "october", workers = 0)
  fails <- mixing_engine(version = "2", broken = function(request) {
    if (request$native_hold > 5 && request$seed == 2) {
      engine_failure("bad_request", "It is out of memory.")
    }
  })
  trial <- read_trial(folder, engines = list(mixer = fails))
  at <- trial$lineup$pipelines$pipeline == "loose"
  trial$lineup$pipelines$hold[at] <- 0
  trial$lineup$pipelines$native_hold[at] <- 0
  run_trial(trial, "november", workers = 0)
  read_trial(folder)
}

test_that("the takes that changed are told, the most changed first, with what changed", {
  trial <- two_made_runs()
  changes <- compare_runs(trial, "october", "november")
  takes <- changes$takes
  expect_false(is.unsorted(rev(takes$moved)))
  # Takes of "firm" that were made again are the same, byte for byte; those that failed are not.
  firm <- takes[takes$pipeline == "firm", ]
  expect_equal(firm$seed, c(2, 2, 2))
  expect_equal(firm$new_state, rep("failed", 3))
  expect_equal(nrow(takes[takes$pipeline == "loose", ]), 6)
  one <- takes[takes$pipeline == "loose", ][1, ]
  by <- abs(c(
    one$new_structure - one$old_structure, one$new_worth - one$old_worth,
    one$new_style - one$old_style, one$new_adherence - one$old_adherence
  ))
  expect_equal(one$moved, max(by, na.rm = TRUE))
  same <- compare_runs(trial, "october", "november")
  same$takes <- same$takes[0, ]
  expect_match(most_changed_words(same, most_changed(same$takes)), "No picture has changed")
})

test_that("no pipeline has more than its share of what is shown", {
  takes <- data.frame(pipeline = rep(c("a", "b", letters[3:20]), c(30, 10, rep(2, 18))))
  shown <- most_changed(takes)
  expect_equal(nrow(shown), most_compared)
  expect_equal(as.numeric(table(shown$pipeline)[c("a", "b")]), c(4, 4))
  words <- most_changed_words(list(takes = takes), shown)
  expect_match(words, "^76 takes have another picture; 24 of them are shown, at most 4 of a pipe")
})

test_that("what has changed of a take is said in words", {
  take <- data.frame(
    old_state = "made", new_state = "made", old_keeper = TRUE, new_keeper = FALSE,
    old_flaws = "", new_flaws = "local_damage", old_structure = 0.9, new_structure = 0.6,
    old_adherence = NA, new_adherence = 1, old_style = 0.5, new_style = 0.501
  )
  expect_equal(
    changed_words(take),
    c("no keeper any more (local damage)", "structure 0.90 to 0.60")
  )
  back <- take
  back[c("old_keeper", "new_keeper", "old_flaws", "new_flaws")] <- list(FALSE, TRUE, "blur", "")
  expect_equal(changed_words(back)[1], "a keeper now (it had: blur)")
  take$new_state <- "failed"
  expect_equal(changed_words(take), "made before, not now")
  take[c("old_state", "new_state")] <- list("refused", "made")
  expect_equal(changed_words(take), "made now, not before")
})

test_that("the page shows old beside new, and wipes, by mouse, keys and touch", {
  skip_on_cran()
  trial <- two_made_runs()
  changes <- compare_runs(trial, "october", "november")
  file <- file.path(trial$folder, "out", "changes.html")
  expect_equal(write_changes(changes, trial, file), file)
  opened <- open_file(file)
  value <- opened$value
  click <- function(id) value(sprintf("document.getElementById('%s').click() || true", id))
  expect_equal(value("document.querySelectorAll('#changed li').length"), 7)
  expect_match(value("document.querySelector('main').textContent"), "from version 1 to 2")
  expect_true(
    value("[...document.querySelectorAll('#changed img')].every(one => one.naturalWidth > 0)")
  )
  # A take that failed in the new run has no picture there.
  lost <- paste0(
    "[...document.querySelectorAll('#changed li')].filter(one => ",
    "/made before, not now/.test(one.textContent))"
  )
  expect_equal(value(paste0(lost, ".length")), 3)
  expect_equal(value(paste0(lost, "[0].querySelectorAll('img').length")), 2)
  expect_match(value(paste0(lost, "[0].textContent")), "not made")

  # By the keyboard: open, wipe each two, step, hold the reference, close.
  kept <- paste0(
    "[...document.querySelectorAll('#changed li')].findIndex(one => ",
    "/loose/.test(one.textContent))"
  )
  at <- value(kept)
  value(sprintf("document.querySelectorAll('#changed button')[%d].focus()", at))
  press_key(opened, "Enter")
  expect_true(value("document.getElementById('compare').open"))
  expect_match(value("document.getElementById('compare-words').textContent"), "structure .* to ")
  press_key(opened, "w")
  expect_equal(value("document.getElementById('wipe-of').textContent"), "new over old")
  press_key(opened, "e")
  expect_equal(value("document.getElementById('wipe-of').textContent"), "old over reference")
  press_key(opened, "e")
  expect_equal(value("document.getElementById('wipe-of').textContent"), "new over reference")
  press_key(opened, "e")
  expect_equal(value("document.getElementById('wipe-of').textContent"), "new over old")
  press_key(opened, "w")
  press_key(opened, "+")
  expect_match(value("document.getElementById('picture-other').style.transform"), "scale\\(1.5\\)")
  press_key(opened, "0")
  old <- value("document.getElementById('picture-one').src")
  opened$page$Input$dispatchKeyEvent(type = "keyDown", key = "r", text = "r")
  expect_equal(
    value("document.getElementById('picture-one').src"),
    value("document.getElementById('picture-reference').src")
  )
  opened$page$Input$dispatchKeyEvent(type = "keyUp", key = "r")
  expect_equal(value("document.getElementById('picture-one').src"), old)
  title <- value("document.getElementById('compare-title').textContent")
  press_key(opened, "ArrowRight")
  press_key(opened, "ArrowLeft")
  expect_equal(value("document.getElementById('compare-title').textContent"), title)
  press_key(opened, "Escape")
  expect_false(value("document.getElementById('compare').open"))

  # By touch and by the mouse.
  opened$page$Emulation$setTouchEmulationEnabled(enabled = TRUE, maxTouchPoints = 2)
  centre <- function(id) {
    unlist(value(sprintf(
      paste0(
        "(() => { const box = document.querySelector('%s').getBoundingClientRect(); ",
        "return [box.x + box.width / 2, box.y + box.height / 2]; })()"
      ),
      id
    )))
  }
  drag_finger(opened, centre("#changed button"))
  expect_true(value("document.getElementById('compare').open"))
  drag_finger(opened, centre("#wiping"))
  expect_false(value("document.getElementById('wipe').hidden"))
  opened$page$Emulation$setTouchEmulationEnabled(enabled = FALSE)
  for (id in c("next-wipe", "wiping", "nearer", "further", "whole", "later", "earlier", "close")) {
    click(id)
  }
  expect_false(value("document.getElementById('compare').open"))
  expect_accessible(opened, 7)
  expect_no_barriers(opened)
  click("later")
  value("document.querySelector('#changed button').click() || true")
  expect_equal(barriers_of(opened), character())
  expect_equal(opened$asked(), paste0("file://", normalizePath(file)))
  expect_equal(opened$said(), character())
})

test_that("a page that can't be written or a picture that is gone is said, and nothing is left", {
  trial <- two_made_runs()
  changes <- compare_runs(trial, "october", "november")
  file <- file.path(trial$folder, "changes.html")
  gone <- changes$takes$old_picture[changes$takes$pipeline == "loose"][1]
  unlink(file.path(trial$folder, "runs", "october", "takes", gone))
  expect_error(write_changes(changes, trial, file), "is gone", class = "sprenn_error_store")
  expect_false(file.exists(file))
  expect_error(write_changes(list(), trial, file), class = "sprenn_error_argument")
  # What fails while bytes are made is told as it is, not as a failure to write.
  expect_error(write_bytes(stop("no bytes"), file), "no bytes")
})

test_that("the command writes a page or a figure, and says so", {
  trial <- two_made_runs()
  folder <- trial$folder
  page <- file.path(folder, "changes.html")
  figure <- file.path(folder, "changes.png")
  written <- run_cli("compare", folder, "october", "november", "--out", page)
  expect_match(written$out, "Written: ", all = FALSE)
  expect_match(readLines(page, warn = FALSE), "What has changed most", all = FALSE)
  drawn <- run_cli("compare", folder, "october", "november", "--out", figure)
  expect_match(drawn$out, "Drawn in ", all = FALSE)
  expect_true(file.exists(figure))
  told <- run_cli("compare", folder, "october", "november", "--json")
  facts <- jsonlite::fromJSON(paste(told$out, collapse = "\n"))
  expect_equal(nrow(facts$takes), 9)
})
