# Two made-up people who judge at a viewing's page in a headless Chromium, so that the guide on
# viewing has something to show: ana looks at the layout alone, ben also likes few colours.
play_viewers <- function(address, ballots) {
  chromote::set_chrome_args(c("--headless", "--no-sandbox", "--disable-gpu", "--disable-dev-shm-usage"))
  browser <- chromote::Chromote$new()
  on.exit(browser$close())
  # How far the light of two pictures goes together, and how many colours one has.
  look <- "(async () => {
    const cells = async (id) => { const c = document.createElement('canvas'); c.width = 36; c.height = 24; const i = document.getElementById('picture-' + id); await i.decode(); const x = c.getContext('2d'); x.drawImage(i, 0, 0, 36, 24); return x.getImageData(0, 0, 36, 24).data; };
    const grey = (d) => { const g = []; for (let k = 0; k < d.length; k += 4) g.push(d[k] + d[k + 1] + d[k + 2]); return g; };
    const mean = (a) => a.reduce((s, v) => s + v, 0) / a.length;
    const corr = (a, b) => { const p = mean(a), q = mean(b); let s = 0, u = 0, v = 0; a.forEach((x, i) => { s += (x - p) * (b[i] - q); u += (x - p) ** 2; v += (b[i] - q) ** 2; }); return s / Math.sqrt(u * v + 1e-9); };
    const reference = await cells('reference'), one = await cells('one'), other = await cells('other');
    const blue = (d) => { let s = 0; for (let k = 0; k < d.length; k += 4) s += d[k + 2] - d[k]; return s / d.length; };
    return [Math.abs(corr(grey(reference), grey(one))) - Math.abs(corr(grey(reference), grey(other))), (blue(other) - blue(one)) / 60];
  })()"
  for (person in c("ana", "ben")) {
    page <- browser$new_session(width = 1280, height = 800)
    value <- function(script) page$Runtime$evaluate(script, returnByValue = TRUE, awaitPromise = TRUE)$result$value
    until <- function(script) for (i in 1:600) if (isTRUE(value(script))) return(invisible()) else Sys.sleep(0.05)
    page$Page$navigate(address)
    until("document.documentElement.dataset.live === 'yes'")
    value(sprintf("(document.getElementById('name').value = '%s', document.getElementById('who').requestSubmit(), true)", person))
    until("!document.getElementById('look').hidden")
    for (i in seq_len(ballots)) {
      lead <- unlist(value(look))
      lead <- if (person == "ana") lead[1] else lead[1] + lead[2]
      before <- value("document.getElementById('viewing').dataset.shown || ''")
      key <- if (abs(lead) < 0.01) "ArrowDown" else if (lead > 0) "ArrowLeft" else "ArrowRight"
      value(sprintf("(document.dispatchEvent(new KeyboardEvent('keydown', {key: '%s', bubbles: true})), true)", key))
      until(sprintf("document.getElementById('viewing').dataset.shown !== '%s' || !document.getElementById('end').hidden", before))
    }
    page$close()
  }
}
