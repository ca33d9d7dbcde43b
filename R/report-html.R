#' Write a report
#'
#' One HTML file with everything in it: the verdict in words, the scores with
#' intervals, what is given up for what, the scores along a sweep, every take
#' beside its reference, and what it takes to repeat it. It holds no script and
#' asks for nothing from anywhere.
#'
#' @inheritParams choose_pipeline
#' @param file Where to write it; `NULL` puts `report.html` into the run's
#'   folder.
#' @return The file, invisibly.
#' @export
#' @examples
#' folder <- file.path(tempdir(), "report-example")
#' new_trial(folder, demo = TRUE, cases = 1)
#' trial <- read_trial(folder)
#' trial$lineup$pipelines <- trial$lineup$pipelines[1, ]
#' trial$suite$seeds <- 11L
#' run_trial(trial)
#' score_run(trial)
#' write_report(trial)
#' unlink(folder, recursive = TRUE)
write_report <- function(trial, run = "main", file = NULL, job = NULL) {
  check_arguments(file = checkmate::check_string(file, null.ok = TRUE))
  trial <- as_trial(trial)
  verdict <- choose_pipeline(trial, run, job)
  stop_if_nothing_made(verdict)
  file <- file %||% file.path(run_folder(trial$folder, run), "report.html")
  tag <- htmltools::tags
  curve <- draw_curve(verdict)
  body <- htmltools::tagList(
    tag$header(tag$p(class = "over", verdict$suite$title), verdict_section(verdict)),
    tag$main(
      tag$section(tag$h2("The pipelines"), score_section(verdict)),
      tag$section(figure_tag(draw_tradeoff(verdict), "Structure against style, one point a pipeline, with intervals")),
      if (!is.null(curve)) tag$section(figure_tag(curve, "Structure, adherence and style along hold, with intervals", height = 480)),
      tag$section(tag$h2("The takes"), takes_section(trial, verdict, run)),
      tag$section(tag$h2("What it rests on"), rests_section(trial, verdict, run))
    )
  )
  title <- paste0(verdict$suite$title, ": ", headline_words(verdict))
  writeBin(charToRaw(enc2utf8(html_page(title, body))), file)
  invisible(file)
}

# The page around a body. Written out by hand, because htmltools lifts the head
# out of a page that it turns into text.
html_page <- function(title, body) {
  policy <- "default-src 'none'; img-src data:; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'"
  paste0(
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n",
    "<meta http-equiv=\"Content-Security-Policy\" content=\"", policy, "\">\n",
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n",
    "<meta name=\"color-scheme\" content=\"light dark\">\n",
    "<title>", htmltools::htmlEscape(title), "</title>\n<style>\n", report_style(), "\n</style>\n</head>\n<body>\n",
    as.character(body), "\n</body>\n</html>\n"
  )
}

report_style <- function() {
  paste(readLines(system.file("report", "report.css", package = "sprenn"), encoding = "UTF-8"), collapse = "\n")
}

verdict_section <- function(verdict) {
  tag <- htmltools::tags
  words <- verdict_words(verdict)
  points <- function(title, text) {
    if (length(text)) htmltools::tagList(tag$h3(title), tag$ul(lapply(text, tag$li)))
  }
  htmltools::tagList(
    tag$h1(class = if (verdict$state == "decided") "decided" else "open", words$headline),
    lapply(words$standing, tag$p),
    tag$div(class = "two", tag$div(points(words$why, words$reasons)), tag$div(points("What to know", words$caveats))),
    if (length(words$recipe)) htmltools::tagList(tag$h3(paste0("To use ", verdict$best, ", in lineup.yml")), tag$pre(words$recipe))
  )
}

score_section <- function(verdict) {
  tag <- htmltools::tags
  rows <- verdict$pipelines
  colours <- family_colours(verdict$recipes)[family_of(verdict$recipes)]
  names(colours) <- verdict$recipes$pipeline
  measures <- c(worth = "utility", structure = "structure", adherence = "adherence", style = "style", keepers = "yield")
  cell <- function(i, measure) {
    value <- rows[[measure]][i]
    if (is.na(value)) {
      return(tag$td(class = "number", "no evidence"))
    }
    low <- rows[[paste0(measure, "_low")]][i]
    high <- rows[[paste0(measure, "_high")]][i]
    words <- if (measure == "yield") percent else two
    tag$td(
      class = "number", words(value), tag$span(class = "range", sub(" %( to .* %)", "\\1", paste(words(low), "to", words(high)))),
      tag$span(
        class = "track", `aria-hidden` = "true",
        tag$span(class = "span", style = bar_style(low, high, colours[[rows$pipeline[i]]])),
        tag$span(class = "dot", style = bar_style(value, value, colours[[rows$pipeline[i]]]))
      )
    )
  }
  tag$div(class = "scroll", tag$table(
    tag$caption("Means over cases and seeds with 90 % intervals. A take's worth is the brief's weighting of its axes, and 0 if it is no keeper."),
    tag$thead(tag$tr(lapply(c("pipeline", names(measures), "chance best", "cost per keeper", "seconds per keeper"), tag$th, scope = "col"))),
    tag$tbody(lapply(seq_len(nrow(rows)), function(i) {
      tag$tr(
        tag$th(scope = "row", tag$span(class = "swatch", style = paste0("background:", colours[[rows$pipeline[i]]])), rows$pipeline[i]),
        lapply(measures, cell, i = i),
        tag$td(class = "number", chance_words(rows$chance_best[i])),
        tag$td(class = "number", money_words(rows$cost_per_keeper[i])),
        tag$td(class = "number", money_words(rows$seconds_per_keeper[i]))
      )
    }))
  ))
}

bar_style <- function(low, high, colour) {
  low <- clamp_share(low)
  high <- clamp_share(high)
  sprintf("left:%.1f%%;width:%.1f%%;background:%s", 100 * low, 100 * (high - low), colour)
}

figure_tag <- function(figure, alt, width = 1100, height = 640) {
  file <- tempfile(fileext = ".png")
  on.exit(unlink(file))
  save_figure(figure, file, width, height)
  htmltools::tags$figure(htmltools::tags$img(src = data_uri(read_bytes(file), "image/png"), alt = alt, width = width, height = height))
}

data_uri <- function(bytes, type) paste0("data:", type, ";base64,", gsub("\n", "", jsonlite::base64_enc(bytes)))

# A small JPEG of a picture, given as pixels or as the bytes of a file, for pages.
preview_uri <- function(picture, width = 220) {
  small <- magick::image_resize(magick::image_read(picture), paste0(width, "x"))
  data_uri(magick::image_write(small, format = "jpeg", quality = 85), "image/jpeg")
}

takes_section <- function(trial, verdict, run) {
  tag <- htmltools::tags
  recipes <- verdict$recipes[verdict$recipes$pipeline %in% verdict$table$pipeline, ]
  recipes <- recipes[order(match(family_of(recipes), unique(family_of(recipes))), recipes$value), ]
  cases <- Filter(function(case) case$id %in% verdict$table$case, trial$suite$cases)
  lapply(cases, function(case) {
    prompt <- paste(vapply(case$prompt, `[[`, "", "say"), collapse = ", ")
    tag$div(
      class = "case",
      tag$h3(case$id), tag$p(class = "prompt", prompt, if (!is.na(case$look)) paste0(" \u2014 look: ", case$look)),
      tag$div(
        class = "strip",
        if (!is.null(case$reference)) tag$figure(class = "take reference", tag$img(src = preview_uri(fitted_reference(case, trial$suite)), alt = paste("reference of", case$id)), tag$figcaption(tag$b("reference"))),
        lapply(recipes$pipeline, function(pipeline) {
          own <- verdict$table[verdict$table$case == case$id & verdict$table$pipeline == pipeline, ]
          lapply(seq_len(nrow(own)), function(i) take_figure(own[i, ], trial, run))
        })
      )
    )
  })
}

take_figure <- function(one, trial, run) {
  tag <- htmltools::tags
  label <- paste0(one$pipeline, ", seed ", one$seed)
  picture <- if (one$state == "made") {
    path <- file.path(run_folder(trial$folder, run), "takes", one$file)
    tag$img(src = preview_uri(read_bytes(path)), alt = paste0("take of ", one$case, " by ", label), loading = "lazy")
  } else {
    tag$div(class = "none", cell_notes(one))
  }
  tag$figure(
    class = paste("take", if (isTRUE(one$keeper)) "keeper"), picture,
    tag$figcaption(tag$b(one$pipeline), tag$br(), paste("seed", one$seed), tag$br(), cell_scores(one), tag$span(class = "note", if (one$state == "made") cell_notes(one) else one$message))
  )
}

rests_section <- function(trial, verdict, run) {
  tag <- htmltools::tags
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  facts <- get_facts(store)
  fact <- function(name, value) list(tag$dt(name), tag$dd(value))
  engines <- vapply(trial$lineup$engines, function(engine) paste(engine$about$name, "version", engine$about$version), "")
  recipes <- verdict$recipes[verdict$recipes$pipeline %in% verdict$table$pipeline, ]
  htmltools::tagList(
    tag$ul(lapply(assumed_words(verdict), tag$li)),
    tag$dl(
      fact("Brief", verdict$brief$brief), fact("Suite", paste0(facts$suite, ", fingerprint ", facts$suite_fingerprint)),
      fact("Seeds", paste(trial$suite$seeds, collapse = ", ")), fact("Run", paste0(run, ", in ", run_folder(basename(trial$folder), run))),
      fact("Engines", paste(engines, collapse = "; ")),
      fact("Takes", paste0(sum(verdict$table$state == "made"), " made, ", sum(verdict$table$state %in% c("failed", "refused")), " failed or refused, ", sum(verdict$table$state == "planned"), " not made")),
      fact("Bootstrap", paste0(verdict$brief$draws, " draws over cases, then seeds; seed ", verdict$brief$seed)),
      fact("Written by", paste("Sprenn", facts$sprenn_version))
    ),
    tag$div(class = "scroll", tag$table(
      tag$caption("What every pipeline was asked with. The native knob is the engine's own scale for hold."),
      tag$thead(tag$tr(lapply(c("pipeline", "engine", "checkpoint", "hold", "native knob", "settings"), tag$th, scope = "col"))),
      tag$tbody(lapply(seq_len(nrow(recipes)), function(i) {
        one <- recipes[i, ]
        tag$tr(
          tag$th(scope = "row", one$pipeline), tag$td(one$engine), tag$td(one$checkpoint), tag$td(class = "number", two(one$hold)),
          tag$td(class = "number", if (is.na(one$native_hold)) "-" else format_value(one$native_hold)), tag$td(if (one$settings == "{}") "-" else one$settings)
        )
      }))
    ))
  )
}
