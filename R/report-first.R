# The first screen of a job's report: the verdict, how sure it is, the scores of the two that
# lead, and their takes beside the reference.

# Previews of the first screen are this wide, and those of its strips.
first_edge <- 640
strip_edge <- 160

first_section <- function(verdict, shown, viewing) {
  tag <- htmltools::tags
  words <- verdict_words(verdict)
  people <- people_words(viewing, verdict)
  tag$section(
    class = "first",
    `data-part` = "verdict",
    `aria-label` = "Verdict",
    tag$div(
      class = "told",
      tag$h1(class = if (verdict$state == "decided") "decided" else "open", words$headline),
      if (length(words$standing)) tag$p(class = "sure", unbroken(words$standing[1])),
      if (!verdict$state %in% leaderless) leaders_table(verdict),
      if (!is.null(people)) tag$p(class = "people", people)
    ),
    if (length(shown)) first_stage(shown)
  )
}

# A number stays beside its per cent sign.
unbroken <- function(text) gsub(" %", "\u00a0%", text, fixed = TRUE)

# The axes and keepers of the pipeline that leads and of the runner-up.
leaders_table <- function(verdict) {
  tag <- htmltools::tags
  both <- c(verdict$best, verdict$runner_up)
  rows <- verdict$pipelines[match(both[!is.na(both)], verdict$pipelines$pipeline), ]
  colours <- pipeline_colours(verdict$recipes)
  weighed <- verdict$brief$weights > 0
  measures <- c(structure = "structure", adherence = "adherence", style = "style")
  measures <- c(measures[names(weighed)[weighed]], keepers = "keepers")
  tag$table(
    class = "leaders",
    tag$caption(
      class = "unseen",
      "Scores of the pipeline that leads and of the runner-up, with 90 % intervals"
    ),
    tag$thead(tag$tr(
      tag$td(),
      lapply(rows$pipeline, function(name) {
        tag$th(scope = "col", swatch(colours[[name]]), breakable(name))
      })
    )),
    tag$tbody(lapply(measures, function(measure) {
      tag$tr(
        tag$th(scope = "row", measure),
        lapply(seq_len(nrow(rows)), score_cell, rows, measure, colours)
      )
    }))
  )
}

# A name that may be broken before the settings of a sweep.
breakable <- function(name) {
  parts <- strsplit(name, "(?<=/)", perl = TRUE)[[1]]
  htmltools::HTML(paste(htmltools::htmlEscape(parts), collapse = "<wbr>"))
}

# One score of a pipeline with its interval; what is not weighed or measured says so.
score_cell <- function(i, rows, measure, colours) {
  tag <- htmltools::tags
  value <- rows[[measure]][i]
  if (is.na(value)) {
    return(tag$td(class = "number", "no evidence"))
  }

  low <- rows[[paste0(measure, "_low")]][i]
  high <- rows[[paste0(measure, "_high")]][i]
  words <- if (measure == "keepers") percent else two
  tag$td(
    class = "number",
    words(value),
    if (!is.na(low)) {
      tag$span(class = "range", sub(" %( to .* %)", "\\1", paste(words(low), "to", words(high))))
    },
    interval_bar(value, low, high, colours[[rows$pipeline[i]]])
  )
}

# What people said in viewings, beside what the measures say; NULL if nobody was asked.
people_words <- function(viewing, verdict) {
  strengths <- viewing$strengths
  if (NROW(strengths) < 2 || verdict$state %in% leaderless) {
    return(NULL)
  }

  strengths <- strengths[strengths$pipeline %in% verdict$pipelines$pipeline, ]
  if (nrow(strengths) < 2) {
    return(NULL)
  }

  first <- strengths[1, ]
  share <- paste0(format_value(first$preferred), " of ", first$shown)
  sure <- first$low > max(strengths$high[-1])
  paste0(
    "People ", if (sure) "prefer " else "lean to ", first$pipeline,
    " (preferred ", share, " times)",
    if (first$pipeline == verdict$best) {
      ", as the measures do."
    } else {
      paste0("; the measures have ", verdict$best, " first.")
    }
  )
}

# The reference beside the two takes of the case shown first, which a slider wipes, and the three
# cases as strips to choose from.
first_stage <- function(shown) {
  tag <- htmltools::tags
  first <- shown[[first_shown(shown)]]
  tag$div(
    class = "shown",
    tag$p(class = "asked", tag$b(class = "of-case", case_title(first)), " ", first$asked),
    tag$div(class = "sides", lapply(first$panes, side_figure)),
    if (first$panes[[1]]$kind == "reference" && length(first$panes) > 1) {
      tag$label(
        class = "slide",
        hidden = NA,
        "reference over the takes",
        tag$input(type = "range", class = "edge", min = "0", max = "100", value = "0", step = "any")
      )
    },
    if (length(shown) > 1) {
      tag$ul(
        class = "strips",
        lapply(seq_along(shown), function(i) {
          one <- shown[[i]]
          tag$li(tag$button(
            type = "button",
            `aria-pressed` = if (identical(one, first)) "true" else "false",
            `data-at` = i - 1,
            tag$span(class = "role", paste(one$role, "case")),
            tag$span(class = "soft", paste0(one$case, ", worth ", two(one$worth))),
            tag$span(class = "thumbs", lapply(one$panes, function(pane) {
              if (!is.null(pane$thumb)) tag$img(src = jpeg_uri(pane$thumb), alt = "")
            }))
          ))
        })
      )
    }
  )
}

first_shown <- function(shown) {
  roles <- vapply(shown, `[[`, "", "role")
  max(1L, match("typical", roles), na.rm = TRUE)
}

case_title <- function(one) paste0("The ", one$role, " case, ", one$case, ":")

# The script lays the reference over takes.
side_figure <- function(pane) {
  tag <- htmltools::tags
  tag$figure(
    class = "side",
    `data-kind` = pane$kind,
    tag$div(
      class = "cut",
      if (is.null(pane$src)) {
        tag$span(class = "none", pane$words)
      } else {
        tag$img(class = "base", src = jpeg_uri(pane$src), alt = pane$name, draggable = "false")
      }
    ),
    tag$figcaption(
      if (pane$kind == "take") {
        tag$button(
          type = "button",
          class = "opens",
          `data-pipeline` = pane$pipeline,
          `data-case` = pane$case,
          `data-seed` = pane$seed,
          breakable(pane$name)
        )
      } else {
        tag$b(pane$name)
      },
      tag$span(class = "soft words", pane$words)
    )
  )
}

jpeg_uri <- function(text) paste0("data:image/jpeg;base64,", text)

# The three cases of the first screen with their pictures; none if there is no leader.
cases_shown_first <- function(verdict, trial, run) {
  if (verdict$state %in% leaderless) {
    return(list())
  }

  told <- telling_cases(verdict$table, verdict$best)
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  lapply(seq_len(nrow(told)), function(i) {
    case <- case_named(trial$suite, told$case[i])
    frame <- case_frame(case, trial$suite)
    takes <- first_takes(verdict, told$case[i], told$seed[i])
    list(
      role = told$role[i],
      case = case$id,
      worth = told$worth[i],
      asked = cut_text(listed(vapply(asked_phrases(case), `[[`, "", "key")), 160),
      panes = c(
        if (!is.null(case$reference)) {
          list(picture_pane(
            fitted_reference(case, trial$suite), frame,
            kind = "reference", name = "reference", words = ""
          ))
        },
        lapply(takes, take_pane, store, frame, verdict$brief)
      )
    )
  })
}

# The takes of the leader and the runner-up in a case, of one seed if both have it.
first_takes <- function(verdict, case, seed) {
  both <- c(verdict$best, verdict$runner_up)
  takes <- lapply(both[!is.na(both)], function(pipeline) {
    own <- verdict$table[verdict$table$pipeline == pipeline & verdict$table$case == case, ]
    own <- own[own$state != "planned", ]
    if (nrow(own) == 0) {
      return(NULL)
    }

    same <- own$seed == seed & own$state == "made"
    own[if (any(same)) which(same)[1] else match(median_seed(own), own$seed), ]
  })
  Filter(Negate(is.null), takes)
}

take_pane <- function(take, store, frame, brief) {
  told <- list(
    kind = "take",
    name = take$pipeline,
    words = worth_words(take, brief),
    pipeline = take$pipeline,
    case = take$case,
    seed = take$seed
  )
  if (take$state == "made") {
    do.call(picture_pane, c(list(picture_paths(store, take$file), frame), told))
  } else {
    told
  }
}

picture_pane <- function(picture, frame, ...) {
  list(
    ...,
    src = preview(picture, first_edge, frame),
    thumb = preview(picture, strip_edge, frame)
  )
}

# What a take is worth, or why it can't be used.
worth_words <- function(take, brief) {
  if (is.na(take$worth)) {
    return("")
  }

  if (take$keeper) {
    return(paste0("worth ", two(take$worth), ", seed ", take$seed))
  }

  said <- unusable_words(take, brief)
  if (take$state == "made") paste0("not a keeper: ", said) else said
}

# What the script needs to show another case; what is shown first is on the page already.
first_block <- function(job, shown) {
  if (length(shown) < 2) {
    return(NULL)
  }

  at <- first_shown(shown)
  data_block(paste0("first-", job), lapply(seq_along(shown), function(i) {
    one <- shown[[i]]
    list(
      title = case_title(one),
      asked = one$asked,
      panes = lapply(one$panes, function(pane) {
        pane$thumb <- NULL
        pane$here <- i == at && !is.null(pane$src)
        if (i == at) {
          pane$src <- NULL
        }
        pane
      })
    )
  }))
}
