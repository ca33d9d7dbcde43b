# The page on which references are marked, as it is before a case is shown. What is on it comes in
# messages, see mark-serve.R; what happens on it is in inst/pages/mark*.js.

mark_page <- function(title) {
  list(
    title = paste("Marks:", title),
    style = page_style("mark"),
    script = page_script(
      "live", "bitmap", "mark-state", "mark-tools", "mark-drawing", "mark-panel", "mark"
    ),
    body = mark_body(title)
  )
}

mark_body <- function(title) {
  tag <- htmltools::tags
  htmltools::tagList(
    tag$header(
      tag$h1(title),
      tag$div(
        class = "actions",
        tag$button(id = "undo", type = "button", disabled = NA, "Undo", tag$kbd("Z")),
        tag$button(id = "redo", type = "button", disabled = NA, "Redo", tag$kbd("Y")),
        tag$button(id = "review", type = "button", class = "go", disabled = NA, "Review changes")
      )
    ),
    tag$p(id = "said", role = "status"),
    tag$p(id = "lost", role = "alert", hidden = NA, paste0(
      "The connection is lost. What you marked is still on this page; start sprenn mark again to ",
      "write it, or copy what you need."
    )),
    tag$main(
      tag$nav(
        `aria-label` = "Cases",
        tag$label(
          class = "unseen",
          `for` = "find",
          "Show cases whose name or job has these letters"
        ),
        tag$input(id = "find", type = "search", placeholder = "case or job"),
        tag$ul(id = "list")
      ),
      tag$section(
        id = "desk",
        hidden = NA,
        `aria-labelledby` = "case-name",
        tag$div(
          class = "head",
          tag$button(id = "earlier", type = "button", `aria-label` = "previous case", "\u2190"),
          tag$h2(id = "case-name"),
          tag$button(id = "later", type = "button", `aria-label` = "next case", "\u2192"),
          tag$div(
            id = "modes",
            role = "group",
            `aria-label` = "What to mark",
            lapply(
              list(
                c("watch", "Watched"),
                c("crop", "Crop"),
                c("mask", "Mask"),
                c("grow", "Canvas"),
                c("pose", "Pose")
              ),
              function(mode) {
                tag$button(
                  type = "button",
                  `data-mode` = mode[1],
                  `aria-pressed` = "false",
                  mode[2]
                )
              }
            )
          )
        ),
        tag$div(
          class = "work",
          tag$div(
            id = "table",
            tabindex = "0",
            role = "application",
            `aria-label` = "The reference. Arrow keys move the pointer, space presses and lets go.",
            tag$div(
              id = "sheet",
              tag$img(id = "picture", alt = "", draggable = "false"),
              tag$img(id = "depth", alt = "", hidden = NA, draggable = "false"),
              tag$canvas(id = "ink", `aria-hidden` = "true"),
              htmltools::HTML("<svg id=\"lines\" aria-hidden=\"true\"></svg>")
            )
          ),
          tag$form(id = "panel", `aria-label` = "Marks of this case")
        ),
        tag$div(
          class = "tools",
          role = "group",
          `aria-label` = "Ways of looking",
          tag$button(id = "nearer", type = "button", "Zoom in", tag$kbd("+")),
          tag$button(id = "further", type = "button", "Zoom out", tag$kbd("\u2212")),
          tag$button(id = "whole", type = "button", "Fit", tag$kbd("0")),
          tag$button(id = "hand", type = "button", `aria-pressed` = "false", "Move", tag$kbd("H")),
          tag$span(id = "pointer", class = "soft")
        ),
        mark_keys()
      ),
      tag$section(
        id = "empty",
        tag$p("Choose a case to mark its reference.")
      )
    ),
    tag$dialog(
      id = "proposal",
      `aria-labelledby` = "proposal-title",
      tag$h2(id = "proposal-title", "What would be written"),
      tag$div(id = "changes"),
      tag$p(
        class = "soft",
        paste0(
          "Marks are a part of the suite: takes that they concern are made or measured again by ",
          "the next run."
        )
      ),
      tag$div(
        class = "actions",
        tag$button(id = "write", type = "button", class = "go", "Write"),
        tag$button(id = "back", type = "button", "Back")
      )
    )
  )
}

mark_keys <- function() {
  keys <- c(
    "\u2190 \u2191 \u2192 \u2193" = paste0(
      "on the picture: move the pointer (with Shift further, with Alt a pixel)"
    ),
    "Space" = "on the picture: press, and let go; between the two, moving drags",
    "Enter" = "close the polygon",
    "Esc" = "give up the polygon",
    "Z, Y" = "undo, redo",
    "[ ]" = "a smaller, a larger brush",
    "E" = "paint or take away",
    "+ \u2212 0 H" = "zoom in, zoom out, fit, move the picture; two fingers do both",
    "N P" = "next and previous case"
  )
  keys_part(keys)
}
