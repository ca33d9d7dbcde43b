# A page of a real headless Chromium, which goes with the test.
new_browser <- function(env = parent.frame(), width = 1280, height = 800) {
  skip_if_not_installed("chromote")
  chromium <- Sys.which(c("chromium", "chromium-browser", "google-chrome"))
  chromium <- chromium[nzchar(chromium)]
  skip_if(length(chromium) == 0, "no Chromium on this machine")
  withr::local_envvar(CHROMOTE_CHROME = chromium[[1]], .local_envir = env)
  chromote::set_chrome_args(c(
    "--headless",
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--disable-dev-shm-usage"
  ))
  browser <- chromote::Chromote$new()
  withr::defer(browser$close(), envir = env)
  browser$new_session(width = width, height = height)
}

# What a server says at an address, whatever its status.
curl_text <- function(address) rawToChar(curl::curl_fetch_memory(address)$content)

# What whoever can't see a page is told of it: names, roles, headings one step down at a time,
# its language; and that its text stands out, in light and dark.
expect_accessible <- function(opened, at_least) {
  nodes <- opened$page$Accessibility$getFullAXTree()$nodes
  role <- vapply(nodes, function(node) node$role$value %||% "", "")
  name <- vapply(nodes, function(node) as.character(node$name$value %||% ""), "")
  ignored <- vapply(nodes, function(node) isTRUE(node$ignored), NA)
  must <- !ignored &
    role %in% c(
      "button", "link", "checkbox", "combobox", "slider", "textbox", "image", "dialog",
      "region", "navigation"
    )
  expect_gt(sum(must), at_least)
  expect_equal(unique(role[must & trimws(name) == ""]), character())
  levels <- unlist(opened$value(paste0(
    "[...document.querySelectorAll('h1,h2,h3,h4')].filter(e => e.offsetParent).map(e => ",
    "Number(e.tagName[1]))"
  )))
  expect_true(all(levels[1] <= 1, diff(levels) <= 1))
  expect_equal(
    opened$value(paste0(
      "[...document.querySelectorAll('[id]')].map(e => e.id).filter((x, i, all) => ",
      "all.indexOf(x) !== i).length"
    )),
    0
  )
  expect_equal(opened$value("document.documentElement.lang"), "en")
  # By 4.5 to 1 (WCAG 2.2, AA).
  contrast <- "(() => {
    const channel = v => v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4;
    const light = colour => {
      const v = colour.match(/[0-9.]+/g).slice(0, 3).map(x => channel(x / 255));
      return 0.2126 * v[0] + 0.7152 * v[1] + 0.0722 * v[2];
    };
    const ground = e => {
      while (e) {
        const colour = getComputedStyle(e).backgroundColor;
        if (!/, 0\\)$/.test(colour)) return colour;
        e = e.parentElement;
      }
      return 'rgb(255,255,255)';
    };
    const ratio = e => {
      const text = light(getComputedStyle(e).color);
      const behind = light(ground(e));
      return (Math.max(text, behind) + 0.05) / (Math.min(text, behind) + 0.05);
    };
    const texts = 'p,li,td,th,h1,h2,h3,a,button,label,dd,dt,pre,caption,figcaption,legend,' +
      'kbd,output';
    return [...document.querySelectorAll(texts)]
      .filter(e => e.offsetParent && e.textContent.trim() && !e.disabled)
      .map(e => [ratio(e), e.tagName + '.' + e.className])
      .filter(x => x[0] < 4.5)
      .map(x => x[1] + ' ' + x[0].toFixed(2));
  })()"
  for (scheme in c("light", "dark")) {
    opened$page$Emulation$setEmulatedMedia(
      features = list(list(name = "prefers-color-scheme", value = scheme))
    )
    expect_equal(unique(unlist(opened$value(contrast))), NULL, info = scheme)
  }
}

# What a page asks for, and what its console says.
listen_to <- function(page) {
  asked <- character()
  said <- character()
  page$Network$enable()
  page$Runtime$enable()
  page$Network$requestWillBeSent(callback_ = function(event) {
    asked <<- c(asked, event$request$url)
  })
  page$Runtime$consoleAPICalled(callback_ = function(event) said <<- c(said, event$type))
  page$Runtime$exceptionThrown(callback_ = function(event) {
    said <<- c(said, paste("exception:", event$exceptionDetails$exception$description))
  })
  list(
    asked = function() asked[!startsWith(asked, "data:")],
    said = function() said
  )
}

# A page in a file, opened: what it asks for, what its console says, and values of its scripts.
open_file <- function(file, width = 1280, height = 800, env = parent.frame()) {
  page <- new_browser(env, width, height)
  heard <- listen_to(page)
  loaded <- page$Page$loadEventFired(wait_ = FALSE, timeout_ = 60)
  page$Page$navigate(paste0("file://", normalizePath(file)), wait_ = FALSE)
  page$wait_for(loaded)
  list(
    page = page,
    asked = heard$asked,
    said = heard$said,
    value = function(script) page$Runtime$evaluate(script, returnByValue = TRUE)$result$value
  )
}

# A page that a function of the package serves in a process of its own: its address, and how to
# stop it.
served_page <- function(call, folder, ..., env = parent.frame()) {
  told <- tempfile("address-")
  given <- tempfile("serving-", fileext = ".rds")
  saveRDS(list(paths = .libPaths(), arguments = list(trial = folder, seconds = 300, ...)), given)
  code <- sprintf(
    paste0(
      "given <- readRDS('%s'); .libPaths(given$paths); do.call(sprenn::%s, ",
      "c(given$arguments, list(ready = function(address) {writeLines(address, '%s.part'); ",
      "file.rename('%s.part', '%s')})))"
    ),
    given,
    call,
    told,
    told,
    told
  )
  process <- processx::process$new(
    file.path(R.home("bin"), "Rscript"),
    c("--no-save", "--no-restore", "-e", code),
    cleanup_tree = TRUE,
    stdout = NULL,
    stderr = tempfile("serving-", fileext = ".log")
  )
  withr::defer(process$kill_tree(), envir = env)
  began <- Sys.time()
  while (!file.exists(told) && process$is_alive() && Sys.time() - began < 60) {
    process$wait(100)
  }

  if (!file.exists(told)) {
    stop(paste(readLines(process$get_error_file()), collapse = "\n"))
  }

  list(address = readLines(told), process = process)
}

# A browser window on it.
window_on <- function(
  address,
  first = NULL,
  env = parent.frame(),
  width = 1280,
  height = 800
) {
  page <- if (is.null(first)) {
    new_browser(env, width, height)
  } else {
    first$page$parent$new_session(width = width, height = height)
  }
  heard <- listen_to(page)
  loaded <- page$Page$loadEventFired(wait_ = FALSE)
  page$Page$navigate(address, wait_ = FALSE)
  page$wait_for(loaded)
  value <- function(script) page$Runtime$evaluate(script, returnByValue = TRUE)$result$value
  until <- function(script, seconds = 30) {
    began <- Sys.time()
    while (!isTRUE(value(script))) {
      if (Sys.time() - began > seconds) {
        stop("never came true: ", script)
      }

      page$Runtime$evaluate("new Promise((done) => setTimeout(done, 50))", awaitPromise = TRUE)
    }
  }

  key <- function(key) {
    value(
      sprintf(
        "document.dispatchEvent(new KeyboardEvent('keydown', {key: '%s', bubbles: true})) || true",
        key
      )
    )
  }

  enter <- function(name) {
    until("document.documentElement.dataset.live === 'yes'")
    value(
      sprintf(
        paste0(
          "(document.getElementById('name').value = '%s', ",
          "document.getElementById('who').requestSubmit(), true)"
        ),
        name
      )
    )
  }

  list(
    page = page,
    value = value,
    until = until,
    key = key,
    enter = enter,
    # Requests to elsewhere, and what the console says.
    strangers = function() {
      asked <- heard$asked()
      asked[!startsWith(asked, sub("(//[^/]*/).*", "\\1", address))]
    },
    said = heard$said,
    shown = function() value("document.getElementById('viewing').dataset.shown || ''")
  )
}

# The mouse pressed at the first of some points (in pixels of the page), moved and let go.
drag_mouse <- function(window, ...) {
  points <- list(...)
  send <- function(type, at, buttons) {
    window$page$Input$dispatchMouseEvent(
      type = type, x = at[1], y = at[2], button = "left", buttons = buttons, clickCount = 1
    )
  }
  send("mousePressed", points[[1]], 1)
  for (at in points[-1]) {
    send("mouseMoved", at, 1)
  }
  send("mouseReleased", points[[length(points)]], 0)
}

# The same by a finger.
drag_finger <- function(window, ...) {
  points <- list(...)
  touch <- function(type, at) {
    fingers <- if (is.null(at)) list() else list(list(x = at[1], y = at[2]))
    window$page$Input$dispatchTouchEvent(type = type, touchPoints = fingers)
  }
  touch("touchStart", points[[1]])
  for (at in points[-1]) {
    touch("touchMove", at)
  }
  touch("touchEnd", NULL)
}

# A real key: its name, and the text that it types.
press_key <- function(window, key, text = if (nchar(key) == 1) key else "", modifiers = 0) {
  codes <- c(
    ArrowLeft = 37, ArrowUp = 38, ArrowRight = 39, ArrowDown = 40, Enter = 13, Tab = 9,
    Escape = 27, " " = 32
  )
  code <- if (key %in% names(codes)) codes[[key]] else utf8ToInt(toupper(key))
  if (key == "Enter") {
    text <- "\r"
  }
  down <- list(
    type = "keyDown", key = key, code = key, windowsVirtualKeyCode = code, modifiers = modifiers
  )
  do.call(window$page$Input$dispatchKeyEvent, c(down, if (nzchar(text)) list(text = text)))
  window$page$Input$dispatchKeyEvent(
    type = "keyUp", key = key, code = key, windowsVirtualKeyCode = code, modifiers = modifiers
  )
}

# What axe, a general library for accessibility, finds that is serious or worse.
barriers_of <- function(opened) {
  source <- "../../tools/web/node_modules/axe-core/axe.min.js"
  skip_if_not(file.exists(source), "axe-core is not installed (tools/setup.sh test)")
  opened$page$Runtime$evaluate(paste(readLines(source, warn = FALSE), collapse = "\n"))
  script <- paste0(
    "axe.run(document, { resultTypes: ['violations'] }).then(found => found.violations",
    ".filter(one => ['serious', 'critical'].includes(one.impact))",
    ".map(one => one.id + ': ' + one.nodes.map(node => node.target.join(' ')).slice(0, 3)))"
  )
  found <- opened$page$Runtime$evaluate(
    script,
    returnByValue = TRUE,
    awaitPromise = TRUE,
    timeout_ = 120
  )
  expect_null(found$exceptionDetails)
  as.character(unlist(found$result$value))
}

# Buttons that something else covers once they are scrolled into view. What a dialog that is open
# makes inert is not asked.
covered_buttons <- function(opened) {
  opened$value(paste0(
    "[...(document.querySelector('dialog[open]') || document).querySelectorAll('button')]",
    ".filter((one) => one.checkVisibility()).filter((one) => {",
    "  one.scrollIntoView({ block: 'center', inline: 'center' });",
    "  const at = one.getBoundingClientRect();",
    "  const there = document.elementFromPoint(at.x + at.width / 2, at.y + at.height / 2);",
    "  return !one.contains(there) && !(there && there.contains(one)); })",
    ".map((one) => one.textContent).join(', ')"
  ))
}

# None in light and dark, at 360, 1280 and 2560 pixels.
expect_no_barriers <- function(opened) {
  for (scheme in c("light", "dark")) {
    for (width in c(360, 1280, 2560)) {
      opened$page$Emulation$setDeviceMetricsOverride(
        width = width, height = if (width == 360) 640 else 800, deviceScaleFactor = 1,
        mobile = FALSE
      )
      opened$page$Emulation$setEmulatedMedia(
        features = list(list(name = "prefers-color-scheme", value = scheme))
      )
      expect_equal(barriers_of(opened), character(), info = paste(scheme, width))
      expect_equal(covered_buttons(opened), "", info = paste(scheme, width))
    }
  }
}
