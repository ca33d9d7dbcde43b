# The report by the keyboard alone, and by touch alone.

hands_report <- function(env = parent.frame(), ...) {
  folder <- copy_of(
    "hands",
    function() {
      folder <- two_job_trial(parent.frame())
      run_trial(folder, workers = 0)
      write_report(folder, file = file.path(folder, "report.html"))
      folder
    },
    env
  )
  open_file(file.path(folder, "report.html"), ..., env = env)
}

# Presses Tab until the element that has the focus matches.
tab_to <- function(opened, selector, most = 300) {
  for (i in seq_len(most)) {
    press_key(opened, "Tab")
    if (isTRUE(opened$value(sprintf("document.activeElement.matches(\"%s\")", selector)))) {
      return(invisible())
    }
  }

  stop("Tab never comes to ", selector)
}

text_of <- function(opened, id) {
  opened$value(sprintf("document.getElementById('%s').textContent", id))
}

is_open <- function(opened) opened$value("document.getElementById('compare').open")

test_that("the keyboard alone reaches and works every control of the report", {
  opened <- hands_report()
  value <- opened$value
  # The jobs and the contents bar.
  tab_to(opened, ".jobs a[data-job=repair]")
  press_key(opened, "Enter")
  expect_match(value("location.hash"), "job=repair")
  tab_to(opened, ".contents a[data-to=cases]")
  press_key(opened, "Enter")
  expect_match(value("location.hash"), "part=cases")
  value("(location.hash = '#job=restyle') && document.activeElement.blur()")
  # The slider of the first screen, and its strips.
  tab_to(opened, ".edge")
  press_key(opened, "ArrowRight")
  expect_gt(as.numeric(value("document.activeElement.value")), 0)
  tab_to(opened, ".strips button[aria-pressed=false]")
  at <- value("document.activeElement.dataset.at")
  press_key(opened, " ")
  expect_equal(value("document.querySelector('.strips [aria-pressed=true]').dataset.at"), at)
  # The take of the first screen, its dialog, and back to where one was.
  tab_to(opened, ".side button.opens")
  press_key(opened, "Enter")
  expect_true(is_open(opened))
  for (id in c("earlier", "later", "nearer", "further", "whole", "wiping", "next-wipe", "close")) {
    if (!isTRUE(value(sprintf("document.getElementById('%s').disabled", id)))) {
      tab_to(opened, paste0("#", id))
    }
  }
  press_key(opened, "Enter")
  expect_false(is_open(opened))
  expect_true(value("document.activeElement.matches('button.opens')"))
  # What a pipeline loses by, and the takes of a pipeline from the table.
  tab_to(opened, "a[data-takes=loose]")
  press_key(opened, "Enter")
  expect_match(value("location.hash"), "pipeline=loose")
  tab_to(opened, ".losses button.slot")
  press_key(opened, "Enter")
  expect_true(is_open(opened))
  # In the dialog: the wipe and its slider, zoom, overlays, the next take.
  press_key(opened, "w")
  expect_false(value("document.getElementById('wipe').hidden"))
  tab_to(opened, "#edge")
  press_key(opened, "ArrowRight")
  expect_equal(value("document.getElementById('edge').value"), "51")
  value("document.activeElement.blur()")
  press_key(opened, "e")
  press_key(opened, "w")
  expect_true(value("document.getElementById('wipe').hidden"))
  press_key(opened, "+")
  expect_match(value("document.querySelector('#stage .seen').style.transform"), "scale\\(1.5\\)")
  press_key(opened, "0")
  tab_to(opened, "#overlay")
  press_key(opened, "c")
  expect_equal(value("document.getElementById('overlay').value"), "none")
  value("document.activeElement.blur()")
  press_key(opened, "o")
  expect_equal(value("document.getElementById('overlay').value"), "contours")
  press_key(opened, "Escape")
  expect_false(is_open(opened))
  # Filters, a card, and comparing cards that are marked.
  tab_to(opened, "#f-pipeline")
  press_key(opened, "f")
  press_key(opened, "Enter")
  tab_to(opened, "#cases .take .open")
  press_key(opened, "Enter")
  expect_true(is_open(opened))
  press_key(opened, "Escape")
  expect_equal(opened$said(), character())
})

test_that("touch alone works the report", {
  opened <- hands_report(width = 390, height = 844)
  opened$page$Emulation$setTouchEmulationEnabled(enabled = TRUE, maxTouchPoints = 2)
  value <- opened$value
  centre <- function(selector, share = 0.5) {
    unlist(value(sprintf(
      paste0(
        "(() => { const one = document.querySelector(\"%s\"); one.scrollIntoView({ block: ",
        "'center', behavior: 'instant' }); const box = one.getBoundingClientRect(); ",
        "return [box.x + %f * box.width, box.y + box.height / 2]; })()"
      ),
      selector, share
    )))
  }
  tap <- function(selector, share = 0.5) drag_finger(opened, centre(selector, share))
  expect_lte(value("document.documentElement.scrollWidth"), 390)
  # The slider, the strips, a drag over the pictures.
  tap(".edge", 0.7)
  expect_gt(as.numeric(value("document.querySelector('.edge').value")), 50)
  tap(".strips li:last-child button")
  expect_equal(
    value("document.querySelector('.strips li:last-child button').getAttribute('aria-pressed')"),
    "true"
  )
  tap(".contents a[data-to=pipelines]")
  expect_match(value("location.hash"), "part=pipelines")
  tap(".losses button.slot")
  expect_true(is_open(opened))
  # In the dialog: nearer, moved by a finger, wiped, the next take, closed.
  tap("#nearer")
  at <- centre("#stage .pane")
  drag_finger(opened, at, at + c(15, 5), at + c(30, 10))
  expect_match(
    value("document.querySelector('#stage .seen').style.transform"),
    "translate\\((?!0%)",
    perl = TRUE
  )
  tap("#whole")
  tap("#wiping")
  expect_false(value("document.getElementById('wipe').hidden"))
  tap("#edge", 0.2)
  expect_lt(as.numeric(value("document.getElementById('edge').value")), 40)
  tap("#next-wipe")
  tap("#later")
  tap("#earlier")
  tap("#close")
  expect_false(is_open(opened))
  # A dot, a card, another job.
  tap(".seeds circle")
  expect_true(is_open(opened))
  tap("#close")
  tap("#cases .take .open")
  expect_true(is_open(opened))
  tap("#close")
  tap(".jobs a[data-job=repair]")
  expect_match(value("location.hash"), "job=repair")
  expect_equal(opened$said(), character())
})
