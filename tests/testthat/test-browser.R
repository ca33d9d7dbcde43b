# The report in a real headless Chromium.
test_that("the report opens whole, asks for nothing and fits its width, light and dark", {
  folder <- small_trial(
    brief = c("brief: keep the layout", "weights: {structure: 1, adherence: 1}", "style: stay")
  )
  run_trial(folder)
  score_run(folder)
  report <- write_report(folder)
  opened <- open_file(report)
  expect_equal(opened$value("document.querySelector('h1').innerText.length > 3"), TRUE)
  expect_equal(
    opened$value(paste0(
      "[...document.images].filter(i => i.loading !== 'lazy' && i.hasAttribute('src')).every(i ",
      "=> i.complete && i.naturalWidth > 0)"
    )),
    TRUE
  )
  expect_lte(opened$value("document.documentElement.scrollWidth"), 1280)
  expect_equal(
    opened$value(paste0(
      "[...document.querySelectorAll('h1,h2,h3,td,th,li')].filter(e => e.offsetParent).every(e ",
      "=> e.getBoundingClientRect().right <= innerWidth + 1)"
    )),
    TRUE
  )
  expect_length(opened$asked(), 1)
  expect_length(opened$said(), 0)
  paper <- function() opened$value("getComputedStyle(document.body).backgroundColor")
  expect_equal(paper(), "rgb(255, 255, 255)")
  opened$page$Emulation$setEmulatedMedia(
    features = list(list(name = "prefers-color-scheme", value = "dark"))
  )
  expect_equal(paper(), "rgb(21, 25, 28)")
})

# A report of two jobs with sweeps, failures and texts that no page likes, in a folder.
report_of_two_jobs <- function() {
  nasty <- "<b onclick=alert(1)>bold</b> </script> \u05e9\u05dc\u05d5\u05dd \u200flong"
  folder <- small_trial(
    suite = c(
      small_suite[1:4],
      paste0(
        "  - {id: one, job: restyle, reference: references/one.png, prompt: ['", nasty,
        "', ", strrep("verylongword", 40), "]}"
      ),
      small_suite[6:7],
      "  - {id: free, job: vary, reference: references/one.png, prompt: a thing}",
      "  - {id: freer, like: free, reference: references/two.png}",
      "  - {id: freest, like: free, reference: references/three.png}"
    ),
    lineup = c(small_lineup, "sweeps:", "  - {vary: hold, of: firm, over: [0.3, 0.6]}"),
    brief = c(
      "brief: two jobs",
      "purposes:",
      paste0(
        "  restyle: {weights: {structure: 2, style: 1}, floors: {structure: 0.2}, style: ",
        "{change: [0.1, 0.9]}}"
      ),
      "  vary: {weights: {style: 1}, style: {change: [0.5, 1]}}"
    )
  )
  trial <- read_trial(
    folder,
    engines = list(
      mixer = mixing_engine(broken = function(request) {
        if (request$hold < 0.2 && request$seed == 2) {
          engine_failure("refused", "<i>not</i> this")
        }
      })
    )
  )
  run_trial(trial, workers = 0)
  write_report(
    trial,
    file = file.path(withr::local_tempdir(.local_envir = parent.frame()), "report.html")
  ) |>
    dirname()
}

# The same, opened.
open_report <- function(env = parent.frame()) {
  opened <- open_file(
    file.path(copy_of("two jobs", report_of_two_jobs, env), "report.html"),
    env = env
  )
  opened$wait <- function(script) {
    for (i in 1:400) {
      if (isTRUE(opened$value(script))) {
        return(TRUE)
      } else {
        Sys.sleep(0.05)
      }
    }

    FALSE
  }

  opened$press <- function(key, code = key) {
    opened$page$Input$dispatchKeyEvent(type = "keyDown", key = key, code = code)
    opened$page$Input$dispatchKeyEvent(type = "keyUp", key = key, code = code)
  }

  opened$set <- function(id, to) {
    opened$value(
      sprintf(
        paste0(
          "(() => { const e = document.getElementById('%s'); e.value = '%s'; e.dispatchEvent(new ",
          "Event('change')); return true; })()"
        ),
        id,
        to
      )
    )
  }

  opened$value("document.getElementById('takes').scrollIntoView()")
  opened$shown <- function() opened$value("document.getElementById('count').textContent")
  opened
}

test_that("every control of the report does what it says", {
  opened <- open_report()
  value <- opened$value
  expect_true(opened$wait("document.querySelectorAll('.case').length === 3"))
  expect_match(opened$shown(), "^24 of 48 takes, 3 cases")
  # Jobs.
  expect_equal(
    value(paste0(
      "[...document.querySelectorAll('article')].filter(a => !a.hidden).map(a => ",
      "a.dataset.job).join()"
    )),
    "restyle"
  )
  value("document.querySelector('nav a[data-job=vary]').click()")
  expect_equal(
    value(paste0(
      "[...document.querySelectorAll('article')].filter(a => !a.hidden).map(a => ",
      "a.dataset.job).join()"
    )),
    "vary"
  )
  expect_equal(value("location.hash"), "#job=vary")
  value("history.back()")
  expect_true(
    opened$wait("document.querySelector('nav a[aria-current]').dataset.job === 'restyle'")
  )
  # Filters.
  value("document.getElementById('takes').scrollIntoView()")
  opened$set("f-pipeline", "firm")
  expect_match(opened$shown(), "^6 of 48 takes")
  opened$set("f-case", "two")
  expect_match(opened$shown(), "^2 of 48 takes, 1 case")
  opened$set("f-seed", "1")
  expect_match(opened$shown(), "^1 of 48 takes")
  value("document.getElementById('f-clear').click()")
  expect_match(opened$shown(), "^24 of 48")
  opened$set("f-show", "failed")
  expect_match(opened$shown(), "^3 of 48 takes")
  expect_true(opened$wait("document.querySelectorAll('.take .note').length > 0"))
  expect_match(
    value("document.querySelector('.take .note').textContent"),
    "<i>not</i> this",
    fixed = TRUE
  )
  opened$set("f-show", "keepers")
  opened$set("f-sort", "worth")
  expect_true(opened$wait("document.querySelectorAll('.case .worth').length > 2"))
  worths <- value(paste0(
    "[...document.querySelector('.case').querySelectorAll('.worth')].map(p => ",
    "Number(p.textContent.split(' ').pop()))"
  ))
  expect_equal(order(-unlist(worths)), seq_along(worths))
  # One take beside its reference.
  value("document.querySelector('.case .take:not(.reference) .open').click()")
  expect_true(value("document.getElementById('compare').open"))
  expect_equal(value("document.querySelectorAll('#stage figure').length"), 2)
  first <- value("location.hash")
  expect_match(first, "open=")
  opened$press("ArrowRight")
  expect_false(identical(value("location.hash"), first))
  opened$press("ArrowLeft")
  expect_equal(value("location.hash"), first)
  # All pictures are zoomed and moved in step.
  places <- function() {
    unique(
      unlist(value(
        "[...document.querySelectorAll('#stage .seen')].map(e => e.style.transform)"
      ))
    )
  }

  opened$press("+")
  expect_match(places(), "scale\\(1.5\\)")
  expect_length(places(), 1)
  value(paste0(
    "(() => { const p = document.querySelector('.pane'), r = p.getBoundingClientRect(); for ",
    "(const [t, x] of [['pointerdown', 40], ['pointermove', 60], ['pointerup', 60]]) ",
    "p.dispatchEvent(new PointerEvent(t, { bubbles: true, pointerId: 1, clientX: r.left + x, ",
    "clientY: r.top + 40 })); return true; })()"
  ))
  expect_no_match(places(), "translate\\(0%")
  expect_length(places(), 1)
  opened$press("0")
  expect_match(places(), "scale\\(1\\)")
  # Overlays.
  opened$press("o")
  expect_equal(value("document.querySelectorAll('#stage canvas').length"), 1)
  expect_match(value("document.getElementById('overlay-words').textContent"), "Blue")
  opened$set("overlay", "details")
  expect_gt(value("document.querySelectorAll('#stage svg rect').length"), 0)
  # The wipe.
  opened$press("w")
  expect_false(value("document.getElementById('wipe').hidden"))
  value(paste0(
    "(() => { const e = document.getElementById('edge'); e.value = 20; e.dispatchEvent(new ",
    "Event('input')); return true; })()"
  ))
  expect_match(value("document.getElementById('over').style.clipPath"), "80%")
  opened$press("w")
  expect_true(value("document.getElementById('wipe').hidden"))
  opened$press("Escape")
  expect_true(opened$wait("!document.getElementById('compare').open"))
  expect_no_match(value("location.hash"), "open=")
  # Several takes together.
  value("document.getElementById('f-clear').click()")
  expect_true(
    opened$wait("document.querySelectorAll('.case:not(.waiting) .mark input').length >= 8")
  )
  value(paste0(
    "[...document.querySelector('.case').querySelectorAll('.mark input')].slice(0, ",
    "2).forEach(box => box.click())"
  ))
  value("document.querySelector('.together').click()")
  expect_equal(value("document.querySelectorAll('#stage figure').length"), 3)
  opened$press("w")
  words <- value("document.getElementById('wipe-of').textContent")
  opened$press("e")
  expect_false(identical(value("document.getElementById('wipe-of').textContent"), words))
  opened$press("Escape")
  # Takes under the curves.
  expect_true(
    value("document.querySelectorAll('article:not([hidden]) .under .take').length >= 3")
  )
  expect_length(opened$said(), 0)
  expect_length(opened$asked(), 1)
})

test_that("the page draws what judges found over reference and takes", {
  folder <- finding_trial(finds_by_light)
  run_trial(folder)
  opened <- open_file(write_report(folder))
  opened$value("location.hash = '#job=restyle&open=0&overlay=found'")
  labels <- "[...document.querySelectorAll('#stage .label')].map((one) => one.textContent)"
  shown <- NULL
  for (i in 1:50) {
    shown <- unlist(opened$value(labels))
    if (length(shown)) {
      break
    }

    Sys.sleep(0.1)
  }

  expect_equal(shown[1], "kite 0.80")
  expect_equal(opened$value("document.getElementById('overlay').value"), "found")
  expect_gte(opened$value("document.querySelectorAll('#stage svg rect').length"), length(shown))
  # Without a judge that finds things nothing of the kind is offered.
  plain <- small_trial()
  run_trial(plain)
  expect_no_match(
    paste(readLines(write_report(plain), warn = FALSE), collapse = "\n"),
    "what judges found</option>",
    fixed = TRUE
  )
  expect_length(opened$said(), 0)
})

test_that("an address opens what was shown, and paper shows all that was asked for", {
  opened <- open_report()
  opened$value("location.hash = '#job=restyle&pipeline=firm&open=0&overlay=contours&wipe=0'")
  expect_true(opened$wait("document.getElementById('compare').open"))
  expect_match(opened$shown(), "^6 of 48 takes")
  expect_false(opened$value("document.getElementById('wipe').hidden"))
  expect_equal(opened$value("document.getElementById('overlay').value"), "contours")
  # What is not there is no harm.
  opened$value("location.hash = '#job=nowhere&open=999&sort=none'")
  expect_true(opened$wait("!document.getElementById('compare').open"))
  opened$value("window.dispatchEvent(new Event('beforeprint'))")
  expect_equal(opened$value("document.querySelectorAll('.case.waiting').length"), 0)
  pdf <- opened$page$Page$printToPDF()$data
  expect_gt(nchar(pdf), 50000)
  expect_length(opened$said(), 0)
})

test_that("markup, right-to-left and very long texts are text, and stay on the page", {
  opened <- open_report()
  expect_true(opened$wait("document.querySelectorAll('.case .prompt').length === 3"))
  expect_equal(opened$value("document.querySelectorAll('main b[onclick], main i').length"), 0)
  expect_match(
    opened$value("document.querySelector('.prompt').textContent"),
    "<b onclick=alert(1)>bold</b> </script>",
    fixed = TRUE
  )
  expect_lte(opened$value("document.documentElement.scrollWidth"), 1280)
  opened$page$Emulation$setDeviceMetricsOverride(
    width = 400,
    height = 800,
    deviceScaleFactor = 1,
    mobile = FALSE
  )
  expect_lte(opened$value("document.documentElement.scrollWidth"), 400)
})

test_that("whoever can't see the page is told everything: names, roles, headings, contrast", {
  opened <- open_report()
  expect_true(opened$wait("document.querySelectorAll('.case:not(.waiting) .take').length > 4"))
  expect_accessible(opened, 30)
})
