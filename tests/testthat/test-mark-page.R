# Marking in a real headless Chromium: what is drawn comes back to the pixel.

# A trial with a reference that its file turns, one of 6,000 pixels, and a portrait.
page_suite <- c(
  "suite: pages   # the name",
  "seeds: [1, 2]",
  "size: [96, 64]",
  "# Turned, huge and tall.",
  "cases:",
  "  - id: turned         # lies on its side",
  "    job: edit",
  "    reference: references/turned.jpg    # a photograph",
  "    mask: {boxes: [[0, 0, 0.25, 0.5]], feather: 4}",
  "    watch: {hull: {box: [0.1, 0.2, 0.5, 0.6], keep: 0.7}}   # the boat",
  "    prompt: a thing",
  "  - id: huge",
  "    job: repair",
  "    reference: references/huge.jpg",
  "    prompt: a thing    # asked",
  "  - {id: tall, job: extend, reference: references/tall.png, grow: {top: 0.1}, prompt: a thing}",
  "  - {id: bare, job: fresh, prompt: a thing}"
)

page_trial <- function(env = parent.frame()) {
  folder <- small_trial(suite = page_suite, env = env)
  file <- function(name) file.path(folder, "references", name)
  picture <- scene(2)
  picture[1:20, 1:30, 1] <- 1
  picture[1:20, 1:30, 2:3] <- 0
  image <- magick::image_read(png::writePNG(picture))
  image <- magick::image_resize(image, "480x320!")
  # Kept lying, with the note to turn it by 90 degrees.
  lying <- tempfile(fileext = ".jpg")
  magick::image_write(image, lying, format = "jpeg", quality = 95)
  writeBin(with_orientation(readBin(lying, "raw", 1e6), 6), file("turned.jpg"))
  magick::image_write(magick::image_resize(image, "6000x2400!"), file("huge.jpg"), format = "jpeg")
  magick::image_write(magick::image_resize(image, "300x700!"), file("tall.png"), format = "png")
  folder
}

# A JPEG with an EXIF part that says how to turn it.
with_orientation <- function(bytes, orientation) {
  exif <- as.raw(c(
    0xff, 0xe1, 0x00, 0x22, 0x45, 0x78, 0x69, 0x66, 0x00, 0x00, 0x4d, 0x4d, 0x00, 0x2a, 0x00,
    0x00, 0x00, 0x08, 0x00, 0x01, 0x01, 0x12, 0x00, 0x03, 0x00, 0x00, 0x00, 0x01, 0x00,
    orientation, 0x00, 0x00, 0x00, 0x00, 0x00, 0x00
  ))
  c(bytes[1:2], exif, bytes[-(1:2)])
}

# The page with a case opened; `at()` is a point of the picture, in its own pixels, on the page.
marking <- function(folder, case, mode, env = parent.frame(), ...) {
  served <- served_page("mark_trial", folder, env = env)
  window <- window_on(served$address, env = env, ...)
  window$address <- served$address
  window$until("document.querySelectorAll('#list button').length > 0")
  window$open <- function(case) {
    number <- match(case, c("turned", "huge", "tall", "bare"))
    window$value(sprintf("document.querySelector('#list [data-at=\"%d\"]').click()", number))
    window$until(sprintf("document.getElementById('desk').dataset.ready === '%d'", number))
  }
  window$mode <- function(mode) {
    window$value(sprintf("document.querySelector('[data-mode=%s]').click()", mode))
  }
  window$open(case)
  window$mode(mode)
  window$size <- unlist(window$value(
    "(p => [p.naturalWidth, p.naturalHeight])(document.getElementById('picture'))"
  ))
  window$at <- function(x, y) {
    box <- unlist(window$value(paste0(
      "(() => { const r = document.getElementById('sheet').getBoundingClientRect(); return ",
      "[r.left, r.top, r.width, r.height]; })()"
    )))
    box[1:2] + box[3:4] * c(x, y) / window$size
  }
  window$press_button <- function(words) {
    expect_true(window$value(sprintf(
      paste0(
        "(() => { const b = [...document.querySelectorAll('#panel button')].find(e => ",
        "e.textContent === '%s'); if (b) b.click(); return Boolean(b); })()"
      ),
      words
    )), info = words)
  }
  # Sets a field of the panel.
  window$set <- function(words, value) {
    expect_true(window$value(sprintf(
      paste0(
        "(() => { const e = [...document.querySelectorAll('#panel input, #panel select')].find(e ",
        "=> e.getAttribute('aria-label') === '%s'); if (!e) return false; e.value = '%s'; ",
        "e.dispatchEvent(new Event(e.type === 'range' ? 'input' : 'change')); return true; })()"
      ),
      words, value
    )), info = words)
  }
  window$tick <- function(words) {
    window$value(sprintf(
      paste0(
        "[...document.querySelectorAll('#panel label.tick')].find(e => e.textContent === ",
        "'%s').querySelector('input').click()"
      ),
      words
    ))
  }
  window$review <- function() {
    window$value("document.getElementById('review').click()")
    window$until(paste0(
      "document.getElementById('proposal').open || ",
      "document.getElementById('said').className === 'wrong'"
    ))
    expect_equal(window$said_words(), "")
  }
  window$write <- function() {
    window$review()
    window$value("document.getElementById('write').click()")
    window$until("document.getElementById('said').textContent.startsWith('Written')")
  }
  window$said_words <- function() window$value("document.getElementById('said').textContent")
  window
}

cases_of <- function(folder) yaml::read_yaml(file.path(folder, "suite.yml"))$cases

# The pixels whose centres lie within a distance of a segment: rows x columns.
stroke_of <- function(size, from, to, radius) {
  centres <- expand.grid(y = seq_len(size[2]) - 0.5, x = seq_len(size[1]) - 0.5)
  along <- to - from
  length2 <- sum(along^2)
  t <- if (length2 > 0) {
    ((centres$x - from[1]) * along[1] + (centres$y - from[2]) * along[2]) / length2
  } else {
    0
  }
  t <- pmin(1, pmax(0, t))
  far <- (centres$x - from[1] - t * along[1])^2 + (centres$y - from[2] - t * along[2])^2
  matrix(far <= radius^2, size[2])
}

test_that("a watched region is drawn, moved and written; what the file turns is turned", {
  skip_on_cran()
  folder <- page_trial()
  window <- marking(folder, "turned", "watch")
  # 480 x 320, stood on end.
  expect_equal(window$size, c(320, 480))
  drag_mouse(window, window$at(200, 300), window$at(250, 350), window$at(280, 420))
  drag_mouse(window, window$at(240, 360), window$at(250, 370))
  window$set("name", "mast")
  # The region that was there is as it was.
  window$write()
  written <- cases_of(folder)[[1]]$watch
  expect_named(written, c("hull", "mast"))
  expect_equal(written$hull, list(box = c(0.1, 0.2, 0.5, 0.6), keep = 0.7))
  got <- unlist(written$mast$box) * c(320, 480, 320, 480)
  expect_lt(max(abs(got - c(210, 310, 290, 430))), 0.01)
  lines <- readLines(file.path(folder, "suite.yml"))
  for (comment in c("# the name", "# Turned, huge and tall.", "# lies on its side", "# the boat")) {
    expect_match(lines, comment, fixed = TRUE, all = FALSE)
  }
  expect_length(window$said(), 0)
  expect_length(window$strangers(), 0)
  # And it comes back.
  window$value("document.querySelectorAll('#panel > button')[1].click()")
  shown <- unlist(window$value(
    "[...document.querySelectorAll('#panel .four input')].map(e => Number(e.value))"
  ))
  expect_equal(shown, c(210, 310, 290, 430), tolerance = 1e-4)
})

test_that("strokes, rectangles and polygons come back to the pixel, on 6,000 pixels too", {
  skip_on_cran()
  folder <- page_trial()
  window <- marking(folder, "huge", "mask")
  expect_equal(window$size, c(6000, 2400))
  window$set("width in pixels", 300)
  from <- window$at(1000, 500)
  to <- window$at(2600, 1100)
  drag_mouse(window, from, to)
  box <- unlist(window$value(paste0(
    "(() => { const r = document.getElementById('sheet').getBoundingClientRect(); return [r.left, ",
    "r.top, r.width, r.height]; })()"
  )))
  pixel <- function(at) (at - box[1:2]) / box[3:4] * c(6000, 2400)
  window$set("tool", "rectangle")
  corner <- window$at(3500, 300)
  other <- window$at(4200, 900)
  drag_mouse(window, corner, other)
  window$set("tool", "polygon")
  corners <- list(window$at(4500, 1200), window$at(5800, 1500), window$at(4700, 2300))
  for (at in corners) {
    drag_mouse(window, at)
  }
  window$press_button("close the polygon")
  # Something is taken away again.
  window$set("tool", "rectangle")
  window$tick("take away")
  hole <- list(window$at(3600, 400), window$at(3700, 500))
  drag_mouse(window, hole[[1]], hole[[2]])
  window$write()
  expect_equal(cases_of(folder)[[2]]$mask, "masks/huge.png")
  got <- read_picture(file.path(folder, "masks", "huge.png"))[, , 1]
  expect_equal(dim(got), c(2400, 6000))
  wanted <- stroke_of(c(6000, 2400), pixel(from), pixel(to), 150)
  inside <- function(low, high, n) {
    centre <- seq_len(n) - 0.5
    centre >= low & centre < high
  }
  paint <- function(map, a, b, value) {
    a <- pixel(a)
    b <- pixel(b)
    map[inside(a[2], b[2], 2400), inside(a[1], b[1], 6000)] <- value
    map
  }
  wanted <- paint(wanted, corner, other, TRUE)
  points <- do.call(rbind, lapply(corners, pixel))
  centres <- expand.grid(y = seq_len(2400) - 0.5, x = seq_len(6000) - 0.5)
  # Inside a triangle: on one side of its three sides.
  turn <- function(a, b) {
    (b[1] - a[1]) * (centres$y - a[2]) - (b[2] - a[2]) * (centres$x - a[1]) > 0
  }
  sides <- cbind(
    turn(points[1, ], points[2, ]), turn(points[2, ], points[3, ]), turn(points[3, ], points[1, ])
  )
  wanted <- wanted | matrix(rowSums(sides) %in% c(0, 3), 2400)
  wanted <- paint(wanted, hole[[1]], hole[[2]], FALSE)
  # Places of the page are rounded on their way: a centre in a hundred thousand may lie on an edge.
  expect_lt(mean(got != wanted), 1e-5)
  expect_setequal(unique(as.vector(got)), c(0, 1))
  # The map that was written is what the page shows again, and an edit adds to it alone.
  window$open("huge")
  window$mode("mask")
  window$until("document.getElementById('ink').width === 6000")
  window$tick("take away")
  window$set("tool", "rectangle")
  drag_mouse(window, window$at(100, 100), window$at(160, 160))
  window$write()
  again <- read_picture(file.path(folder, "masks", "huge.png"))[, , 1]
  expect_equal(sum(again != got), sum(again) - sum(got))
  expect_gt(sum(again), sum(got))
  expect_length(window$said(), 0)
})

test_that("areas are picked by flood and by colour, and every step can be taken back", {
  skip_on_cran()
  folder <- page_trial()
  window <- marking(folder, "turned", "mask")
  shown <- function() {
    window$value(paste0(
      "(() => { const c = document.getElementById('ink'); const d = c.getContext('2d')",
      ".getImageData(0, 0, c.width, c.height).data; let n = 0; for (let i = 3; i < d.length; i += ",
      "4) if (d[i]) n++; return n; })()"
    ))
  }
  # The red corner, which the file's turn has brought to the top right.
  picture <- read_picture(file.path(folder, "references", "turned.jpg"))
  red <- picture[, , 1] > 0.8 & picture[, , 2] < 0.2
  expect_gt(sum(red), 10000)
  window$set("tool", "flood")
  window$set("tolerance", 15)
  drag_mouse(window, window$at(300, 20))
  # The boxes that were the mask are painted in the map now.
  boxes <- matrix(FALSE, 480, 320)
  boxes[1:240, 1:80] <- TRUE
  wanted <- red | boxes
  expect_lt(abs(shown() - sum(wanted)), 0.02 * sum(wanted))
  window$set("tool", "colour")
  drag_mouse(window, window$at(300, 20))
  all_red <- shown()
  press_key(window, "z")
  press_key(window, "z")
  expect_true(window$value("document.getElementById('review').disabled"))
  press_key(window, "y")
  press_key(window, "y")
  expect_equal(shown(), all_red)
  window$write()
  mask <- cases_of(folder)[[1]]$mask
  expect_equal(mask, list(picture = "masks/turned.png", feather = 4L))
  got <- read_picture(file.path(folder, mask$picture))[, , 1] > 0.5
  expect_equal(sum(got), all_red)
  expect_lt(mean(got != wanted), 0.02)
  expect_length(window$said(), 0)
})

test_that("a crop, its focus and added canvas are dragged, and shown as the frame takes them", {
  skip_on_cran()
  folder <- page_trial()
  window <- marking(folder, "tall", "crop")
  expect_equal(window$size, c(300, 700))
  # From the lower right corner of the whole picture.
  drag_mouse(window, window$at(300, 700), window$at(290, 690), window$at(240, 560))
  drag_mouse(window, window$at(150, 350), window$at(120, 140))
  expect_match(window$value("document.querySelector('#panel p').textContent"), "240 x 160 pixels")
  window$mode("grow")
  drag_mouse(window, window$at(0, 350), window$at(-30, 350), window$at(-75, 350))
  window$write()
  case <- cases_of(folder)[[3]]
  expect_equal(unlist(case$reference$box), c(0, 0, 0.8, 0.8), tolerance = 1e-3)
  expect_equal(unlist(case$reference$focus), c(0.4, 0.2), tolerance = 1e-3)
  # By shares of the frame, which takes 240 of the 300 pixels now.
  expect_equal(case$grow, list(left = 0.3125, top = 0.1), tolerance = 1e-2)
  expect_equal(case$reference$picture, "references/tall.png")
  expect_length(window$said(), 0)
})

test_that("joints are placed, moved and read back", {
  skip_on_cran()
  folder <- page_trial()
  window <- marking(folder, "tall", "pose")
  window$press_button("new figure")
  drag_mouse(window, window$at(150, 0.16 * 700), window$at(180, 210))
  window$press_button("right wrist")
  window$press_button("not seen: right wrist")
  window$write()
  case <- cases_of(folder)[[3]]
  expect_equal(case$guides$pose$keypoints, "guides/tall-pose.json")
  figure <- read_keypoints(file.path(folder, case$guides$pose$keypoints))$figures[[1]]
  expect_equal(unname(figure["nose", ]), c(180, 210) / c(300, 700), tolerance = 1e-3)
  expect_false("right_wrist" %in% rownames(figure))
  expect_equal(nrow(figure), 16)
  window$mode("pose")
  window$until("document.querySelectorAll('#lines .knob').length === 16")
  expect_length(window$said(), 0)
})

test_that("all of it works by the keyboard alone", {
  skip_on_cran()
  folder <- page_trial()
  window <- marking(folder, "turned", "watch")
  window$value("document.getElementById('table').focus()")
  # The pointer starts in the middle, 160, 240; a step is a hundredth.
  press_key(window, "ArrowDown", "")
  for (i in 1:2) {
    press_key(window, "ArrowRight", "", modifiers = 8)
  }
  press_key(window, " ", " ")
  for (key in c("ArrowRight", "ArrowDown")) {
    press_key(window, key, "", modifiers = 8)
  }
  press_key(window, " ", " ")
  window$mode("mask")
  window$set("width in pixels", 20)
  window$value("document.getElementById('table').focus()")
  press_key(window, " ", " ")
  press_key(window, "ArrowUp", "", modifiers = 8)
  press_key(window, " ", " ")
  window$write()
  case <- cases_of(folder)[[1]]
  # From 70 %, 51 % (outside the region that is there) by a tenth each way.
  expect_equal(unlist(case$watch$`region-2`$box), c(0.7, 0.51, 0.8, 0.61), tolerance = 1e-6)
  got <- read_picture(file.path(folder, case$mask$picture))[, , 1] > 0.5
  boxes <- matrix(FALSE, 480, 320)
  boxes[1:240, 1:80] <- TRUE
  at <- c(0.8 * 320, 0.61 * 480)
  wanted <- boxes | stroke_of(c(320, 480), at, at - c(0, 48), 10)
  expect_equal(got, wanted)
  # Every control can be reached by Tab, and the dialog is left by Escape.
  window$set("width in pixels", 30)
  press_key(window, "n")
  # The name changes once the case and its picture have been fetched.
  window$until("document.getElementById('case-name').textContent.startsWith('huge')")
  press_key(window, "p")
  window$mode("watch")
  window$press_button("new box")
  window$review()
  press_key(window, "Escape", "")
  window$until("!document.getElementById('proposal').open")
  reached <- character()
  for (i in 1:60) {
    press_key(window, "Tab", "")
    reached <- c(reached, window$value("document.activeElement.id || 'another'"))
  }
  expect_true(all(c("table", "review", "nearer", "hand", "later", "find") %in% reached))
  expect_length(window$said(), 0)
})

test_that("fingers draw, and two of them zoom without drawing", {
  skip_on_cran()
  folder <- page_trial()
  window <- marking(folder, "turned", "mask")
  window$page$Emulation$setTouchEmulationEnabled(enabled = TRUE, maxTouchPoints = 2)
  window$set("width in pixels", 20)
  drag_finger(window, window$at(200, 300), window$at(240, 300))
  expect_false(window$value("document.getElementById('undo').disabled"))
  before <- window$value("document.getElementById('sheet').style.transform")
  two <- function(a, b) {
    list(list(x = a[1], y = a[2], id = 0), list(x = b[1], y = b[2], id = 1))
  }
  a <- window$at(120, 200)
  b <- window$at(200, 200)
  touch <- window$page$Input$dispatchTouchEvent
  touch(type = "touchStart", touchPoints = list(list(x = a[1], y = a[2], id = 0)))
  touch(type = "touchStart", touchPoints = two(a, b))
  touch(type = "touchMove", touchPoints = two(a, b + c(80, 0)))
  touch(type = "touchMove", touchPoints = two(a - c(40, 0), b + c(80, 0)))
  touch(type = "touchEnd", touchPoints = list())
  expect_match(window$value("document.getElementById('sheet').style.transform"), "scale\\([1-9]")
  expect_false(identical(window$value("document.getElementById('sheet').style.transform"), before))
  press_key(window, "z")
  expect_true(window$value("document.getElementById('review').disabled"))
  expect_length(window$said(), 0)
})

test_that("what can't be written is said, and nothing is lost on the page", {
  skip_on_cran()
  folder <- page_trial()
  before <- readLines(file.path(folder, "suite.yml"))
  window <- marking(folder, "turned", "mask")
  window$press_button("remove mask")
  window$value("document.getElementById('review').click()")
  window$until("document.getElementById('said').className === 'wrong'")
  expect_match(window$said_words(), "1 problem")
  expect_equal(readLines(file.path(folder, "suite.yml")), before)
  press_key(window, "z")
  # A job says what its cases may have.
  window$open("tall")
  expect_true(window$value("document.querySelector('[data-mode=mask]').disabled"))
  # Another hand changes the suite between showing and writing.
  window$mode("grow")
  window$set("left", 20)
  window$review()
  writeLines(c(before, "# another hand"), file.path(folder, "suite.yml"))
  window$value("document.getElementById('write').click()")
  window$until("document.getElementById('said').className === 'wrong'")
  expect_match(window$said_words(), "has changed since")
  expect_false(window$value("document.getElementById('review').disabled"))
  # Opened anew, the page has what that hand wrote.
  writeLines(sub("top: 0.1", "top: 0.3", before), file.path(folder, "suite.yml"))
  again <- window_on(window$address, window)
  again$until("document.querySelectorAll('#list button').length === 4")
  again$value("document.querySelector('#list [data-at=\"3\"]').click()")
  again$until("document.getElementById('desk').dataset.ready === '3'")
  again$value("document.querySelector('[data-mode=grow]').click()")
  expect_equal(again$value("document.querySelectorAll('#panel input')[1].value"), "30")
  again$page$close()
  # A case without a reference has nothing to mark.
  window$value("document.querySelector('#list [data-at=\"4\"]').click()")
  window$until("document.getElementById('said').textContent.includes('no reference')")
  expect_length(window$said(), 0)
})

test_that("everybody can mark: names, contrast, 360 to 2560 pixels wide", {
  skip_on_cran()
  folder <- page_trial()
  window <- marking(folder, "turned", "watch")
  window$value("document.querySelector('#panel button').click()")
  expect_accessible(window, 15)
  for (width in c(360, 2560)) {
    window$page$Emulation$setDeviceMetricsOverride(
      width = width, height = 800, deviceScaleFactor = 1, mobile = FALSE
    )
    expect_lte(window$value("document.documentElement.scrollWidth"), width)
  }
  for (mode in c("watch", "mask")) {
    window$mode(mode)
    expect_no_barriers(window)
  }
  window$mode("crop")
  window$set("left", 30)
  window$review()
  expect_no_barriers(window)
})
