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
