# The page on which a run is watched. What it shows comes in messages, see watch-serve.R; what
# happens on it is in inst/pages/watch.js.

watch_page <- function(desk) {
  list(
    title = paste("Run:", desk$trial$suite$title),
    style = page_style("opened", "watch"),
    script = page_script("live", "opened", "watch"),
    body = as.character(watch_body(desk))
  )
}

# The page with how the run stands now, so that it is seen before the page and its server talk.
with_state <- function(page, state) {
  page$body <- paste0(page$body, "\n", data_block("first-state", state))
  page
}

watch_body <- function(desk) {
  tag <- htmltools::tags
  tag$main(
    id = "watch",
    `data-orders` = if (desk$may_order) "yes" else "no",
    tag$p(
      id = "lost",
      role = "alert",
      hidden = NA,
      paste0(
        "This page is no longer live: watching has ended, or the connection is lost. The run does ",
        "not depend on it. `sprenn watch` opens it again."
      )
    ),
    tag$p(id = "refused", role = "alert", hidden = NA),
    tag$header(
      tag$div(
        class = "title",
        tag$h1(desk$trial$suite$title, tag$small(desk$run)),
        tag$p(id = "state", role = "status"),
        tag$p(id = "doing", class = "soft")
      ),
      tag$button(id = "stop", type = "button", hidden = NA, "Stop after what is in flight")
    ),
    tag$progress(id = "progress", `aria-label` = "Takes that are made or given up"),
    tag$dl(id = "counts"),
    tag$ul(id = "engines", `aria-label` = "Engines"),
    if (!desk$may_order) {
      tag$p(
        class = "soft",
        "The run's folder can't be written to from here, so nothing can be asked of the run."
      )
    },
    tag$div(
      class = "sides",
      tag$section(
        `aria-labelledby` = "newest-title",
        tag$div(
          class = "bar",
          tag$h2(id = "newest-title", "Newest takes"),
          tag$button(
            id = "hold",
            type = "button",
            `aria-pressed` = "false",
            "Hold still",
            tag$kbd("H")
          )
        ),
        tag$p(id = "none", class = "soft", "No take is made yet."),
        tag$ul(id = "newest", class = "cards"),
        tag$h2("Newest with a serious flaw"),
        tag$p(id = "flawless", class = "soft", "No serious flaw is found yet."),
        tag$ul(id = "flawed", class = "cards"),
        tag$div(
          id = "failed",
          hidden = NA,
          tag$h2("Failures"),
          tag$ul(id = "failures")
        )
      ),
      tag$section(
        `aria-labelledby` = "verdict-title",
        tag$h2(id = "verdict-title", "Verdict so far"),
        tag$div(id = "verdict", tag$p(id = "waiting", class = "soft", "Nothing is measured yet."))
      )
    ),
    tag$section(
      `aria-labelledby` = "pipelines-title",
      tag$h2(id = "pipelines-title", "Pipelines"),
      scroll_table(
        "Pipelines",
        paste0(
          "No more takes are made of a pipeline that is left out, also when the run is resumed, ",
          "and it is not compared. What was made is kept."
        ),
        c("pipeline", "made", "failed", "still to make", "measured", "cost", ""),
        NULL,
        id = "pipelines"
      )
    ),
    opened_dialog(
      c(earlier = "Newer", later = "Older"),
      picture_frame("reference", "reference", "R"),
      picture_frame("one", "take", NULL)
    ),
    tag$dialog(
      id = "really",
      `aria-labelledby` = "really-title",
      tag$h2(id = "really-title", "Stop the run?"),
      tag$p(
        "What is in flight is finished and kept. The command that began the run resumes it."
      ),
      tag$div(
        class = "bar",
        tag$button(id = "yes", type = "button", class = "go", "Stop it"),
        tag$button(id = "no", type = "button", "Go on")
      )
    ),
    keys_part(c(
      "H" = "hold the newest takes still, and go on",
      "Enter" = "on a take: open it",
      "\u2190 \u2192" = "in an open take: the one before, the next",
      "W" = "wipe the take over its reference",
      "R" = "hold: the reference over the take",
      "+ \u2212 0" = "zoom in, zoom out, fit; drag to move both pictures together",
      "Esc" = "close"
    ))
  )
}
