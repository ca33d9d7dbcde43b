# The page of a viewing, as it is before anything is shown on it. What is shown comes in messages,
# see viewing-serve.R; what happens on the page is in inst/pages/viewing.js.

viewing_page <- function(viewing) {
  list(
    title = paste("Viewing:", viewing$trial$suite$title),
    style = page_style("viewing"),
    script = page_script("live", "viewing"),
    body = viewing_body(viewing)
  )
}

viewing_body <- function(viewing) {
  tag <- htmltools::tags
  pairs <- viewing$kind == "pairs"
  tag$main(
    id = "viewing",
    `data-kind` = viewing$kind,
    tag$p(
      id = "lost",
      role = "alert",
      hidden = NA,
      "The viewing has ended, or the connection is lost. What you said until now is kept."
    ),
    tag$section(
      id = "door",
      `aria-labelledby` = "door-title",
      tag$h1(id = "door-title", viewing$trial$suite$title),
      tag$p(
        class = "lead",
        if (pairs) {
          paste0(
            "You will see two pictures at a time, made for the same task by two pipelines, ",
            "beside the picture that they started from. Say which one you would rather use."
          )
        } else {
          paste0(
            "You will see one picture at a time beside the picture that it started from. Say ",
            "whether you would use it, and if not, why."
          )
        }
      ),
      tag$p(paste0("What it is for: ", viewing$trial$brief$brief, ".")),
      tag$p(paste0(
        "Nobody is told which pipeline made what until you are done. Every answer is saved ",
        "at once; you can leave and come back under the same name."
      )),
      tag$form(
        id = "who",
        tag$label(`for` = "name", "Your name"),
        tag$input(
          id = "name",
          type = "text",
          maxlength = "40",
          autocomplete = "off",
          required = NA
        ),
        tag$button(id = "begin", type = "submit", class = "go", "Begin")
      ),
      tag$p(id = "refused", role = "alert"),
      keys_table(pairs)
    ),
    tag$section(
      id = "look",
      hidden = NA,
      `aria-label` = "Pictures to judge",
      tag$header(
        tag$div(tag$p(id = "asked"), tag$p(id = "unwanted")),
        tag$div(
          class = "aside",
          tag$output(id = "count", `aria-live` = "polite"),
          tag$button(id = "undo", type = "button", "Undo", tag$kbd("U"))
        )
      ),
      tag$div(
        id = "stage",
        picture_frame("reference", "reference", "R"),
        picture_frame("one", if (pairs) "left" else "take", NULL),
        if (pairs) picture_frame("other", "right", NULL)
      ),
      wipe_part(),
      tag$div(
        class = "tools",
        role = "toolbar",
        `aria-label` = "Ways of looking",
        tool_button("nearer", "Nearer", "+"),
        tool_button("further", "Further", "\u2212"),
        tool_button("whole", "Whole", "0"),
        tool_button("wiping", "Wipe", "W"),
        tool_button("next-wipe", "Wipe the next two", "E")
      ),
      if (pairs) {
        tag$div(
          class = "choices",
          choice_button("one", "Left", "\u2190"),
          choice_button("neither", "Neither is better", "\u2193"),
          choice_button("other", "Right", "\u2192")
        )
      } else {
        tag$div(
          class = "singles",
          tag$fieldset(id = "phrases", tag$legend("Is it there?")),
          tag$fieldset(
            id = "reasons",
            tag$legend("If not usable, why?"),
            lapply(seq_along(reject_reasons), function(i) {
              tag$label(
                tag$input(type = "checkbox", value = reject_reasons[i]),
                tag$kbd(i),
                reject_reasons[i]
              )
            })
          ),
          tag$div(
            class = "choices",
            choice_button("keep", "Keep", "K"),
            choice_button("reject", "Reject", "J")
          )
        )
      }
    ),
    tag$section(
      id = "end",
      hidden = NA,
      tabindex = "-1",
      `aria-labelledby` = "end-title",
      tag$h1(id = "end-title", "Thank you"),
      tag$p(id = "end-words"),
      tag$button(id = "show", type = "button", class = "go", "Show what came of it"),
      tag$button(id = "last", type = "button", "Undo the last answer"),
      tag$div(id = "results", `aria-live` = "polite")
    )
  )
}

choice_button <- function(value, label, key) {
  htmltools::tags$button(
    type = "button",
    class = "choice",
    `data-choice` = value,
    htmltools::tags$kbd(key),
    label
  )
}

keys_table <- function(pairs) {
  keys <- if (pairs) {
    c("\u2190" = "the left one", "\u2192" = "the right one", "\u2193" = "neither is better")
  } else {
    c(
      "K" = "keep",
      "J" = "reject",
      "1 to 6" = "a reason",
      "Q A Z" = "a phrase: there, not there, can't tell"
    )
  }
  keys <- c(
    keys,
    "U" = "undo",
    "+ \u2212 0" = "zoom in, zoom out, fit; drag to move all pictures together",
    "R" = "hold: the reference over the takes",
    "W" = "wipe one picture over another",
    "E" = "wipe the next two"
  )
  keys_part(keys)
}

# The results, as they are shown when somebody is done.
results_html <- function(found) {
  tag <- htmltools::tags
  table <- function(columns, rows) {
    tag$table(
      tag$thead(tag$tr(lapply(columns, function(one) tag$th(scope = "col", one)))),
      tag$tbody(
        lapply(rows, function(row) {
          tag$tr(tag$th(scope = "row", row[1]), lapply(row[-1], tag$td))
        })
      )
    )
  }

  strengths <- found$strengths
  htmltools::tagList(
    if (NROW(strengths)) {
      htmltools::tagList(
        tag$h2("Preferred pipelines"),
        strength_bars(strengths),
        tag$p(paste0(
          "The strongest first, with 90 % intervals. A difference of 1 means that the stronger ",
          "is preferred 73 times in 100."
        ))
      )
    },
    if (NROW(found$keepers)) {
      htmltools::tagList(
        tag$h2("Kept"),
        table(
          c("pipeline", "kept", "why not"),
          lapply(seq_len(nrow(found$keepers)), function(i) {
            c(
              found$keepers$pipeline[i],
              paste(found$keepers$kept[i], "of", found$keepers$shown[i]),
              found$keepers$reasons[i]
            )
          })
        )
      )
    },
    if (NROW(found$people)) {
      rows <- found$people[found$people$both > 0, ]
      if (nrow(rows)) {
        htmltools::tagList(
          tag$h2("Agreement between people"),
          table(
            c("who", "pairs seen by both", "alike"),
            lapply(seq_len(nrow(rows)), function(i) {
              c(
                if (rows$one[i] == rows$other[i]) {
                  paste(rows$one[i], "twice")
                } else {
                  paste(rows$one[i], "and", rows$other[i])
                },
                rows$both[i],
                paste0(round(100 * rows$agreement[i]), " %")
              )
            })
          )
        )
      }
    },
    if (NROW(found$measures)) {
      rows <- utils::head(found$measures[found$measures$pairs >= 5, ], 6)
      if (nrow(rows)) {
        htmltools::tagList(
          tag$h2("Measures that agree with people"),
          table(
            c("measure", "pairs", "agrees with people"),
            lapply(seq_len(nrow(rows)), function(i) {
              c(
                gsub("_", " ", rows$measure[i]),
                rows$pairs[i],
                paste0(round(100 * rows$agreement[i]), " %")
              )
            })
          ),
          tag$p("50 % is chance.")
        )
      }
    }
  )
}

# A scale, an interval and a point for each pipeline.
strength_bars <- function(strengths) {
  tag <- htmltools::tags
  ends <- range(strengths$low, strengths$high, 0)
  at <- function(x) (x - ends[1]) / diff(ends)
  tag$table(
    class = "bars",
    lapply(seq_len(nrow(strengths)), function(i) {
      one <- strengths[i, ]
      tag$tr(
        tag$th(scope = "row", one$pipeline),
        tag$td(class = "number", two(one$strength)),
        tag$td(
          class = "bar",
          interval_bar(at(one$strength), at(one$low), at(one$high), "currentColor")
        ),
        tag$td(class = "number", paste0(two(one$low), " to ", two(one$high))),
        tag$td(paste0("preferred ", format(one$preferred), " of ", one$shown))
      )
    })
  )
}
