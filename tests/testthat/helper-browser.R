# A page of a real headless Chromium, which goes with the test.
new_browser <- function(env = parent.frame(), width = 1280, height = 800) {
  skip_if_not_installed("chromote")
  chromium <- Sys.which(c("chromium", "chromium-browser", "google-chrome"))
  chromium <- chromium[nzchar(chromium)]
  skip_if(length(chromium) == 0, "no Chromium on this machine")
  withr::local_envvar(CHROMOTE_CHROME = chromium[[1]], .local_envir = env)
  chromote::set_chrome_args(c(
    "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage"
  ))
  browser <- chromote::Chromote$new()
  withr::defer(browser$close(), envir = env)
  browser$new_session(width = width, height = height)
}

# What a server says at an address, whatever its status.
curl_text <- function(address) rawToChar(curl::curl_fetch_memory(address)$content)
