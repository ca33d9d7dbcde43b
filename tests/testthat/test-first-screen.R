# The first screen of a report, and what stands below it, in a real headless Chromium.

# A report in which one pipeline is refused here and there, and another loses the layout.
first_report <- function(env = parent.frame()) {
  copy_of(
    "first screen",
    function() {
      folder <- small_trial(
        suite = sub("[1, 2]", "[1, 2, 3]", small_suite, fixed = TRUE),
        brief = c(
          "brief: keep the layout",
          "weights: {structure: 1, adherence: 1}",
          "floors: {structure: 0.2}",
          "style: stay"
        ),
        env = parent.frame()
      )
      run_trial(folder, workers = 0)
      write_report(folder, file = file.path(folder, "report.html"))
      folder
    },
    env
  )
}

opened_first <- function(width = 1280, height = 800, env = parent.frame()) {
  folder <- first_report(env)
  opened <- open_file(file.path(folder, "report.html"), width, height, env)
  opened$folder <- folder
  opened
}

test_that("the first screen shows verdict, certainty, scores and pictures without scrolling", {
  opened <- opened_first()
  bottom <- function(what) {
    opened$value(sprintf("document.querySelector('%s').getBoundingClientRect().bottom", what))
  }
  for (what in c("h1", ".leaders", ".sides", ".slide", ".strips")) {
    expect_lte(bottom(what), 800)
  }
  expect_equal(opened$value("document.querySelectorAll('.sides .base').length"), 3)
  expect_equal(opened$value("document.querySelectorAll('.strips button').length"), 3)
  names <- unlist(opened$value(
    paste0(
      "[...document.querySelectorAll('.sides figcaption')].map(e => ",
      "e.firstElementChild.textContent.trim())"
    )
  ))
  verdict <- choose_pipeline(opened$folder)
  expect_equal(names, c("reference", verdict$best, verdict$runner_up))
  # The case and the seed are those of the median.
  typical <- telling_cases(verdict$table, verdict$best)
  typical <- typical[typical$role == "typical", ]
  expect_match(opened$value("document.querySelector('.of-case').textContent"), typical$case)
  expect_equal(
    opened$value("document.querySelector('.sides .opens').dataset.seed"),
    as.character(typical$seed)
  )
  expect_length(opened$said(), 0)
})

test_that("a slider and a drag wipe the reference over both takes at once", {
  opened <- opened_first()
  edges <- function() {
    unlist(opened$value(
      "[...document.querySelectorAll('.wiped')].map(e => e.style.getPropertyValue('--edge'))"
    ))
  }
  opened$value(paste0(
    "(() => { const e = document.querySelector('.edge'); e.value = 40; e.dispatchEvent(new ",
    "Event('input')); })()"
  ))
  expect_equal(edges(), c("40%", "40%"))
  clip <- opened$value("getComputedStyle(document.querySelector('.wiped .over')).clipPath")
  expect_match(clip, "60%")
  box <- opened$value(paste0(
    "(() => { const r = document.querySelectorAll('.wiped')[1].getBoundingClientRect(); return ",
    "[r.left, r.top, r.width, r.height]; })()"
  ))
  at <- function(share) list(x = box[[1]] + share * box[[3]], y = box[[2]] + box[[4]] / 2)
  mouse <- function(type, place, buttons = 1) {
    opened$page$Input$dispatchMouseEvent(
      type = type, x = place$x, y = place$y, button = "left", buttons = buttons, clickCount = 1
    )
  }
  mouse("mousePressed", at(0.3))
  mouse("mouseMoved", at(0.5))
  mouse("mouseMoved", at(0.75))
  mouse("mouseReleased", at(0.75), 0)
  expect_equal(unique(round(as.numeric(sub("%", "", edges())))), 75)
  expect_false(opened$value("document.getElementById('compare').open"))
  # A press that does not move opens the take.
  mouse("mousePressed", at(0.5))
  mouse("mouseReleased", at(0.5), 0)
  expect_true(opened$value("document.getElementById('compare').open"))
})

test_that("the strips show their case in the large place, by mouse and by key", {
  opened <- opened_first()
  shown <- function() opened$value("document.querySelector('.of-case').textContent")
  picture <- function() opened$value("document.querySelectorAll('.sides .base')[1].src.length")
  first <- list(shown(), picture())
  opened$value("document.querySelectorAll('.strips button')[2].click()")
  expect_match(shown(), "^The worst case")
  expect_false(identical(picture(), first[[2]]))
  expect_equal(
    unlist(opened$value(
      "[...document.querySelectorAll('.strips button')].map(e => e.ariaPressed)"
    )),
    c("false", "false", "true")
  )
  opened$value("document.querySelectorAll('.strips button')[1].focus()")
  for (type in c("keyDown", "keyUp")) {
    opened$page$Input$dispatchKeyEvent(
      type = type, key = "Enter", code = "Enter", windowsVirtualKeyCode = 13, text = "\r"
    )
  }
  expect_equal(list(shown(), picture()), first)
  # The caption opens the take that is shown.
  opened$value("document.querySelector('.sides .opens').click()")
  expect_true(opened$value("document.getElementById('compare').open"))
  expect_match(
    opened$value("document.getElementById('compare-title').textContent"),
    opened$value("document.querySelector('.sides .opens').dataset.case"),
    fixed = TRUE
  )
})

test_that("the contents bar leads to each part, stays in view and says where the page is", {
  opened <- opened_first()
  parts <- unlist(opened$value(
    "[...document.querySelectorAll('.contents a')].filter(e => !e.hidden).map(e => e.dataset.to)"
  ))
  expect_true(all(c("verdict", "pipelines", "cases", "basis") %in% parts))
  # A part that the page does not have is not offered.
  expect_equal(
    "settings" %in% parts,
    opened$value("!!document.querySelector('[data-part=settings]')")
  )
  for (part in setdiff(parts, "verdict")) {
    opened$value(sprintf("document.querySelector('.contents a[data-to=\"%s\"]').click()", part))
    expect_equal(opened$value("document.querySelector('.contents').getBoundingClientRect().top"), 0)
    expect_match(opened$value("location.hash"), paste0("part=", part))
    top <- opened$value(sprintf(
      "document.querySelector('[data-part=\"%s\"]').getBoundingClientRect().top", part
    ))
    expect_true(top > -5 && top < 800, info = part)
  }
  # A pipeline's name shows its takes.
  opened$value("document.querySelector('a[data-takes]').click()")
  first <- opened$value("document.querySelector('a[data-takes]').dataset.takes")
  expect_equal(opened$value("document.getElementById('f-pipeline').value"), first)
  expect_match(opened$value("document.getElementById('count').textContent"), "^9 of 18 takes")
})

test_that("each other pipeline has a take that shows why not, and dots open what they stand for", {
  opened <- opened_first()
  opened$value("document.querySelector('.losses').scrollIntoView()")
  expect_equal(opened$value("document.querySelectorAll('.losses li').length"), 1)
  for (i in 1:100) {
    if (opened$value("document.querySelectorAll('.slot img').length") == 2) {
      break
    }
    Sys.sleep(0.05)
  }
  expect_equal(opened$value("document.querySelectorAll('.slot img').length"), 2)
  expect_match(
    opened$value("document.querySelector('.losses li > p:last-child').textContent"),
    "Its structure is lower: 0[.][0-9]+ against 0[.][0-9]+[.] Here: |Fewer keepers: "
  )
  opened$value("document.querySelector('.slot').click()")
  expect_equal(opened$value("document.querySelectorAll('#stage figure').length"), 3)
  opened$value("document.getElementById('compare').close()")
  for (i in 1:100) {
    if (!grepl("open=", opened$value("location.hash"))) {
      break
    }
    Sys.sleep(0.05)
  }
  expect_equal(opened$value("document.querySelectorAll('.seeds circle').length"), 18)
  opened$value(paste0(
    "document.querySelector('.seeds circle[data-take=\"4\"]').dispatchEvent(new ",
    "MouseEvent('click', { bubbles: true }))"
  ))
  expect_match(opened$value("location.hash"), "open=4")
})

test_that("it can be read by everybody, at any width", {
  opened <- opened_first()
  expect_accessible(opened, 20)
  for (width in c(360, 2560)) {
    opened$page$Emulation$setDeviceMetricsOverride(
      width = width, height = 900, deviceScaleFactor = 1, mobile = FALSE
    )
    expect_lte(opened$value("document.documentElement.scrollWidth"), width)
  }
  expect_no_barriers(opened)
  # And so with a take opened.
  opened$value("document.querySelector('.sides .opens').click()")
  expect_no_barriers(opened)
})

test_that("what bars somebody from the page is found", {
  opened <- opened_first()
  opened$value("document.querySelector('main').append(document.createElement('select'))")
  expect_match(barriers_of(opened), "select-name")
})

test_that("readers are told the method, its limits and how to cite it", {
  folder <- first_report()
  text <- xml2::xml_text(
    xml2::xml_find_first(xml2::read_html(file.path(folder, "report.html")), "//*[@id='basis']")
  )
  verdict <- choose_pipeline(folder)
  expect_match(text, "the same 3 cases of the suite", fixed = TRUE)
  expect_match(text, "each with the seeds 1, 2, 3", fixed = TRUE)
  expect_match(text, "2 pipelines of the engines mixer (version 1)", fixed = TRUE)
  expect_match(text, paste0("measures of version ", version_of_measures(verdict$suite)))
  expect_match(text, "Weights: structure 0.50, adherence 0.50", fixed = TRUE)
  expect_match(text, "No person has judged these pictures blind", fixed = TRUE)
  expect_match(text, "@Manual{", fixed = TRUE)
  # Every limit of the terminal's verdict is there.
  for (caveat in caveat_words(verdict)) {
    expect_match(text, caveat, fixed = TRUE)
  }
})

test_that("people's word stands beside the measures' where they were asked", {
  verdict <- list(
    state = "decided",
    best = "firm",
    pipelines = data.frame(pipeline = c("firm", "loose"))
  )
  asked <- function(first, low) {
    strengths <- data.frame(pipeline = c(first, setdiff(c("firm", "loose"), first)))
    strengths$preferred <- c(14, 6)
    strengths$shown <- 20L
    strengths$low <- c(low, -1)
    strengths$high <- c(2, 0.5)
    list(strengths = strengths)
  }
  expect_null(people_words(list(strengths = NULL), verdict))
  expect_equal(
    people_words(asked("firm", 0.8), verdict),
    "People prefer firm (preferred 14 of 20 times), as the measures do."
  )
  expect_equal(
    people_words(asked("loose", 0.2), verdict),
    "People lean to loose (preferred 14 of 20 times); the measures have firm first."
  )
  expect_equal(people_cells(asked("loose", 0.2), c("firm", "fern")), c("6 of 20", "-"))
  expect_null(people_cells(list(strengths = NULL), "firm"))
})

test_that("why a take can't be used is said with its numbers", {
  brief <- list(floors = c(structure = 0.35, adherence = 0.5, style = NA))
  take <- as_table(data.frame(
    state = "made", structure = 0.31, adherence = 0.6, style = 0.2, flaws = "", slight = "",
    missed = "", keeper = FALSE, failure = NA_character_, message = NA_character_
  ))
  expect_equal(unusable_words(take, brief), "structure 0.31, below the floor of 0.35")
  take$flaws <- "frame_lost"
  expect_equal(
    unusable_words(take, brief),
    "frame lost, structure 0.31, below the floor of 0.35"
  )
  take$state <- "refused"
  take$failure <- "refused"
  expect_equal(unusable_words(take, brief), "refused")
  take$message <- "not this one"
  expect_equal(unusable_words(take, brief), "refused (not this one)")
})

test_that("both forms of the citation are of this version", {
  skip_if_not(dir.exists("../../R"), "not in the sources")
  cff <- yaml::read_yaml("../../CITATION.cff")
  cited <- utils::citation("sprenn")
  expect_equal(cff$version, as.character(utils::packageVersion("sprenn")))
  expect_match(cited$note, cff$version, fixed = TRUE)
  expect_equal(cff$title, cited$title)
})
