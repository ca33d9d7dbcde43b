#' Write a report
#'
#' One HTML file with everything in it, for every job that the brief has a purpose for:
#' the verdict in words, the pipelines with their intervals, what would change the
#' choice, the scores along a sweep with the takes below, engines at equal structure,
#' what the inputs do, and every take beside its reference, to be sorted, filtered and
#' held against each other. It asks for nothing from anywhere.
#'
#' Takes are shown as previews, the smaller the more there are. A click on one opens it
#' beside its reference: zoom and place are one for all pictures, a wipe lays one over
#' another, and an overlay shows where contours agree or what vanished and is new. The
#' address of the page holds what is shown, so that it can be sent.
#'
#' @inheritParams choose_pipeline
#' @param file Where to write it; `NULL` puts `report.html` into the run's
#'   folder.
#' @param job One job, in place of all.
#' @param full Link every take to its original, beside the report in the run's folder.
#' @return The file, invisibly.
#' @section Errors: as [choose_pipeline()].
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
write_report <- function(trial, run = "main", file = NULL, job = NULL, full = FALSE) {
  check_arguments(
    file = checkmate::check_string(file, null.ok = TRUE),
    full = checkmate::check_flag(full)
  )
  trial <- as_trial(trial)
  jobs <- job %||% brief_jobs(trial$brief)
  verdicts <- lapply(jobs, function(job) choose_pipeline(trial, run, if (!is.na(job)) job))
  # A job that nobody was tried on has no page.
  shown <- vapply(verdicts, function(verdict) !is.null(verdict$pipelines), NA)
  if (!any(shown)) {
    stop_if_nothing_made(verdicts[[1]])
  }

  jobs <- ifelse(is.na(jobs), "all", jobs)[shown]
  verdicts <- verdicts[shown]
  file <- file %||% file.path(run_folder(trial$folder, run), "report.html")
  tag <- htmltools::tags
  facts <- report_facts(
    trial,
    jobs,
    verdicts,
    run,
    is.null(job),
    if (full) place_of_originals(file, trial, run)
  )
  rest <- unique(facts$takes$case[facts$takes$job == "other"])
  pages <- c(jobs, if (length(rest)) "other")
  body <- htmltools::tagList(
    tag$header(
      tag$p(class = "over", verdicts[[1]]$suite$title),
      if (length(pages) > 1) {
        tag$nav(
          `aria-label` = "Jobs",
          lapply(pages, function(job) tag$a(href = paste0("#job=", job), `data-job` = job, job))
        )
      },
      if (length(jobs) > 1) tag$p(class = "disagree", disagreement_words(jobs, verdicts))
    ),
    tag$main(
      Map(job_section, jobs, verdicts),
      if (length(rest)) {
        tag$article(
          `data-job` = "other",
          tag$h1("Other jobs: nothing to choose"),
          tag$p(paste0(
            "The brief has no purpose for these, so nothing is chosen for them. Their takes ",
            "were measured all the same."
          ))
        )
      },
      influence_section(trial, run),
      evidence_section(list_evidence(trial, run), if (!is.null(job)) verdicts[[1]]),
      takes_section(),
      tag$section(id = "basis", tag$h2("What it rests on"), rests_section(trial, verdicts, run))
    ),
    compare_dialog()
  )
  title <- paste0(verdicts[[1]]$suite$title, ": ", headline_words(verdicts[[1]]))
  dir.create(dirname(file), showWarnings = FALSE, recursive = TRUE)
  write_page(file, title, body, facts, trial, run)
  invisible(file)
}

# Where the pictures lie, seen from the report: links must work wherever the folder is moved.
place_of_originals <- function(file, trial, run) {
  whole <- function(path) normalizePath(path, winslash = "/", mustWork = FALSE)
  takes <- whole(file.path(run_folder(trial$folder, run), "takes"))
  from <- paste0(whole(dirname(file)), "/")
  if (!startsWith(takes, from)) {
    stop_sprenn(
      "argument",
      c(
        "A report that links to the originals has to lie above them.",
        i = paste0("Leave out the file, or write it into ", dirname(takes), ".")
      )
    )
  }

  substring(takes, nchar(from) + 1)
}

# The page is written part by part: with thousands of previews it is too long to be held
# twice. What is shown first comes first. Written out by hand, because htmltools lifts the
# head out of a page that it turns into text.
write_page <- function(file, title, body, facts, trial, run) {
  style <- report_part("report.css")
  script <- report_part("report.js")
  only <- function(text) {
    paste0("'sha256-", openssl::base64_encode(openssl::sha256(charToRaw(enc2utf8(text)))), "'")
  }

  policy <- paste0(
    "default-src 'none'; img-src data:; style-src ", only(style), "; script-src ",
    only(script), "; base-uri 'none'; form-action 'none'"
  )
  part <- paste0(file, ".part")
  out <- file(part, "wb")
  on.exit({
    close(out)
    unlink(part)
  })
  say <- function(...) writeBin(charToRaw(enc2utf8(paste0(...))), out)
  say(
    "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n",
    "<meta http-equiv=\"Content-Security-Policy\" content=\"",
    policy,
    "\">\n",
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n",
    "<meta name=\"color-scheme\" content=\"light dark\">\n",
    "<title>",
    htmltools::htmlEscape(title),
    "</title>\n<style>",
    style,
    "</style>\n</head>\n<body>\n",
    as.character(body),
    "\n",
    data_block("facts", facts$page),
    "<script>",
    script,
    "</script>\n"
  )
  for (i in seq_along(facts$cases)) {
    say(
      data_block(
        paste0("pictures-", i - 1),
        case_pictures(
          facts$cases[[i]],
          facts$takes[facts$takes$case == i, ],
          trial,
          run,
          facts$edge
        )
      )
    )
  }

  say("</body>\n</html>\n")
  close(out)
  on.exit(unlink(part))
  if (!file.rename(part, file)) {
    stop_sprenn(
      "file",
      c(
        paste0(file, " could not be written."),
        i = "Is it open elsewhere, or the folder read-only?"
      )
    )
  }
}

report_part <- function(name) {
  paste(
    readLines(system.file("report", name, package = "sprenn"), encoding = "UTF-8"),
    collapse = "\n"
  )
}

# Data that a script reads. No text can end the element or begin a comment in it.
data_block <- function(id, data) {
  text <- as.character(
    jsonlite::toJSON(data, auto_unbox = TRUE, digits = 4, na = "null", null = "null")
  )
  paste0(
    "<script type=\"application/json\" id=\"", id, "\">",
    gsub("<", "\\u003c", text, fixed = TRUE), "</script>\n"
  )
}

# Everything of one job but its takes.
job_section <- function(job, verdict) {
  tag <- htmltools::tags
  several <- sum(verdict$brief$weights > 0) > 1 && nrow(verdict$pipelines) > 1
  curves <- if_there(curves_of(verdict))
  match <- if_there(match_of(verdict))
  tag$article(
    id = paste0("job-", job),
    `data-job` = job,
    verdict_section(verdict),
    tag$section(tag$h2("The pipelines"), score_section(verdict)),
    tag$section(
      tag$h2("What is given up for what"),
      figure_tag(
        draw_tradeoff(verdict),
        "Structure against style, one point a pipeline, with intervals"
      ),
      tag$div(
        class = "two",
        if (nrow(verdict$pipelines) > 1) {
          figure_tag(
            draw_ranks(verdict),
            "Each pipeline's rank by worth, with intervals",
            700,
            520
          )
        },
        if (several) {
          figure_tag(
            draw_weights(verdict),
            "Which pipeline leads under which weights of the axes",
            700,
            520
          )
        }
      )
    ),
    if (!is.null(curves)) {
      tag$section(
        tag$h2(paste("Along", curves$vary)),
        tag$ul(lapply(feature_lines(curves), tag$li)),
        figure_tag(
          draw_curve(verdict, curves$vary),
          paste("Structure, adherence and style along", curves$vary, "with intervals"),
          height = 480
        ),
        tag$div(class = "under", `data-job` = job)
      )
    },
    if (!is.null(match) && nrow(match$levels)) {
      tag$section(
        tag$h2("At equal structure"),
        tag$pre(class = "words", paste(format(match), collapse = "\n")),
        figure_tag(
          draw_match(match),
          "Adherence and style of each sweep against the structure that it keeps",
          height = 480
        )
      )
    },
    tag$section(
      tag$h2("Yield, cost and luck"),
      figure_tag(
        draw_yield(verdict),
        "Share of keepers, and what a keeper costs in money and seconds",
        height = 140 + 36 * nrow(verdict$pipelines)
      ),
      figure_tag(
        draw_seeds(verdict),
        "What each take is worth, by case and seed",
        height = 160 + 44 * nrow(verdict$pipelines)
      )
    )
  )
}

# What a run may have or not, such as a sweep.
if_there <- function(code) tryCatch(code, sprenn_error_run = function(e) NULL)

verdict_section <- function(verdict) {
  tag <- htmltools::tags
  words <- verdict_words(verdict)
  points <- function(title, text) {
    if (length(text)) {
      htmltools::tagList(tag$h2(title), tag$ul(lapply(text, tag$li)))
    }
  }

  tag$section(
    class = "verdict",
    tag$h1(class = if (verdict$state == "decided") "decided" else "open", words$headline),
    lapply(words$standing, tag$p),
    tag$div(
      class = "two",
      tag$div(points(words$why, words$reasons)),
      tag$div(
        points("What to know", words$caveats),
        points("What would change it", words$change)
      )
    ),
    if (length(words$recipe)) {
      htmltools::tagList(
        tag$h2(paste0("To use ", verdict$best, ", in lineup.yml")),
        tag$pre(words$recipe)
      )
    },
    tag$p(class = "soft", paste(words$assumed, collapse = " "))
  )
}

score_section <- function(verdict) {
  tag <- htmltools::tags
  rows <- verdict$pipelines
  colours <- family_colours(verdict$recipes)[family_of(verdict$recipes)]
  names(colours) <- verdict$recipes$pipeline
  measures <- c(
    worth = "utility",
    structure = "structure",
    adherence = "adherence",
    style = "style",
    keepers = "yield"
  )
  within <- close_enough_of(verdict$brief)
  close_title <- if (within > 0) {
    paste("chance within", format(within), "of the best")
  } else {
    "chance best"
  }
  cell <- function(i, measure) {
    value <- rows[[measure]][i]
    if (is.na(value)) {
      return(tag$td(class = "number", "no evidence"))
    }

    low <- rows[[paste0(measure, "_low")]][i]
    high <- rows[[paste0(measure, "_high")]][i]
    words <- if (measure == "yield") percent else two
    tag$td(
      class = "number",
      words(value),
      if (!is.na(low)) {
        tag$span(
          class = "range",
          sub(" %( to .* %)", "\\1", paste(words(low), "to", words(high)))
        )
      },
      interval_bar(value, low, high, colours[[rows$pipeline[i]]])
    )
  }

  tag$div(
    class = "scroll",
    tabindex = "0",
    role = "region",
    `aria-label` = "Scores of the pipelines",
    tag$table(
      tag$caption(
        paste0(
          "What pipelines are worth on new pictures, and means over cases, with 90 % intervals. ",
          "A take's "
        ),
        "worth is the brief's weighting of its axes, and 0 if it is no keeper."
      ),
      tag$thead(
        tag$tr(
          lapply(
            c(
              "pipeline",
              names(measures),
              close_title,
              "cost per keeper",
              "seconds per keeper"
            ),
            tag$th,
            scope = "col"
          )
        )
      ),
      tag$tbody(
        lapply(seq_len(nrow(rows)), function(i) {
          tag$tr(
            tag$th(scope = "row", swatch(colours[[rows$pipeline[i]]]), rows$pipeline[i]),
            lapply(measures, cell, i = i),
            tag$td(class = "number", chance_words(rows$chance_close[i])),
            tag$td(class = "number", small_sum(rows$cost_per_keeper[i])),
            tag$td(class = "number", money_words(rows$seconds_per_keeper[i]))
          )
        })
      )
    )
  )
}

# Drawn by attributes: the page's policy lets no element bring a style of its own.
interval_bar <- function(value, low, high, colour) {
  at <- function(x) formatC(100 * clamp_share(x), format = "f", digits = 1)
  htmltools::tags$svg(
    class = "track",
    viewBox = "0 0 100 8",
    preserveAspectRatio = "none",
    `aria-hidden` = "true",
    htmltools::HTML(paste0(
      "<rect class=\"rail\" x=\"0\" y=\"0\" width=\"100\" height=\"8\"></rect>",
      if (!is.na(low)) {
        paste0(
          "<rect x=\"", at(low), "\" y=\"2\" width=\"", at(high - low),
          "\" height=\"4\" fill=\"", colour, "\" fill-opacity=\"0.5\"></rect>"
        )
      },
      "<rect x=\"",
      at(value - 0.01),
      "\" y=\"0\" width=\"2.5\" height=\"8\" fill=\"",
      colour,
      "\"></rect>"
    ))
  )
}

swatch <- function(colour) {
  htmltools::tags$svg(
    class = "swatch",
    viewBox = "0 0 1 1",
    `aria-hidden` = "true",
    htmltools::HTML(paste0("<rect width=\"1\" height=\"1\" fill=\"", colour, "\"></rect>"))
  )
}

figure_tag <- function(figure, alt, width = 1100, height = 640) {
  file <- tempfile(fileext = ".png")
  on.exit(unlink(file))
  save_figure(figure, file, width, height, 1.5)
  htmltools::tags$figure(
    htmltools::tags$img(
      src = data_uri(read_bytes(file), "image/png"),
      alt = alt,
      width = width,
      height = height
    )
  )
}

data_uri <- function(bytes, type) {
  paste0("data:", type, ";base64,", gsub("\n", "", jsonlite::base64_enc(bytes)))
}

influence_section <- function(trial, run) {
  found <- if_there(measure_influence(trial, run))
  if (is.null(found) || nrow(found$inputs) == 0) {
    return(NULL)
  }

  tag <- htmltools::tags
  words <- format(found)
  tag$section(
    id = "influence",
    tag$h2("What the inputs really do"),
    figure_tag(
      draw_influence(found),
      "How far a take moves without each of its inputs",
      height = 250 + 32 * length(unique(found$inputs$pipeline))
    ),
    tag$pre(class = "words", paste(words[-seq_len(which(words == "")[1])], collapse = "\n"))
  )
}

# Who spoke on what the prompts ask for, and what nobody speaks on; of one verdict's cases
# where it is given.
evidence_section <- function(found, verdict = NULL) {
  if (!is.null(verdict)) {
    found$phrases <- found$phrases[found$phrases$case %in% verdict$table$case, ]
    found$coverage <- verdict$coverage
  }

  if (nrow(found$phrases) == 0) {
    return(NULL)
  }

  tag <- htmltools::tags
  phrases <- found$phrases
  cells <- list(
    case = phrases$case,
    weight = two(phrases$weight),
    "evidence from" = ifelse(phrases$sources == "", "nobody", gsub("_", " ", phrases$sources)),
    covered = percent(phrases$covered),
    value = two(phrases$value),
    opposed = percent(phrases$conflict)
  )
  bare <- phrases[phrases$covered == 0 & phrases$takes > 0, ]
  tag$section(
    id = "evidence",
    tag$h2("Who says what is in the pictures"),
    tag$p(paste0(
      "So much of what the prompts ask for, by weight, has evidence behind it: ",
      percent(found$coverage), ". The rest counts for nothing."
    )),
    if (nrow(bare)) {
      htmltools::tagList(
        tag$h3("What nobody speaks on"),
        tag$ul(
          lapply(seq_len(nrow(bare)), function(i) {
            tag$li(bare$phrase[i], tag$span(class = "soft", paste0(" (", bare$case[i], ")")))
          })
        )
      )
    },
    if (nrow(found$agreement)) {
      htmltools::tagList(
        tag$h3("How far those who speak agree"),
        tag$ul(
          Map(
            function(one, other, both, agreement, opposed) {
              tag$li(paste0(
                gsub("_", " ", one), " and ",
                gsub("_", " ", other), " both spoke on ", count_words(both, "answer"),
                ": rank correlation ", two(agreement), ", opposed on ", percent(opposed),
                "."
              ))
            },
            found$agreement$one,
            found$agreement$other,
            found$agreement$both,
            found$agreement$agreement,
            found$agreement$opposed
          )
        )
      )
    },
    tag$details(
      tag$summary("Phrase by phrase"),
      tag$div(
        class = "scroll",
        tabindex = "0",
        role = "region",
        `aria-label` = "Evidence of each phrase",
        tag$table(
          tag$caption(paste0(
            "Value: mean evidence over takes, 0 absent to 1 there. Opposed: the share of takes ",
            "on which sources contradict each other."
          )),
          tag$thead(tag$tr(lapply(c("phrase", names(cells)), tag$th, scope = "col"))),
          tag$tbody(
            lapply(seq_len(nrow(phrases)), function(i) {
              tag$tr(
                tag$th(scope = "row", phrases$phrase[i]),
                lapply(cells, function(column) tag$td(column[i]))
              )
            })
          )
        )
      )
    )
  )
}

# What the script fills in.
takes_section <- function() {
  tag <- htmltools::tags
  choice <- function(id, label, ...) tag$label(label, tag$select(id = id, ...))
  tag$section(
    id = "takes",
    tag$h2("The takes"),
    tag$noscript(
      tag$p(
        "The takes are shown by a script that comes with this file; here scripts are turned off."
      )
    ),
    tag$form(
      id = "filters",
      hidden = NA,
      choice("f-case", "case"),
      choice("f-pipeline", "pipeline"),
      choice("f-seed", "seed"),
      choice(
        "f-show",
        "show",
        tag$option(value = "all", "all takes"),
        tag$option(value = "keepers", "keepers"),
        tag$option(value = "others", "no keepers"),
        tag$option(value = "failed", "failed or refused"),
        tag$option(value = "flawed", "with flaws")
      ),
      choice(
        "f-sort",
        "in order of",
        tag$option(value = "pipeline", "pipeline"),
        tag$option(value = "worth", "worth"),
        tag$option(value = "structure", "structure"),
        tag$option(value = "adherence", "adherence"),
        tag$option(value = "style", "style")
      ),
      tag$button(type = "button", id = "f-clear", "show all"),
      tag$span(id = "count", role = "status")
    ),
    tag$p(
      class = "soft keys",
      hidden = NA,
      paste0(
        "A click opens a take beside its reference. The box in its corner marks it to be ",
        "compared with others of its case."
      )
    ),
    tag$div(id = "cases")
  )
}

compare_dialog <- function() {
  tag <- htmltools::tags
  button <- function(id, label, key, ...) {
    tag$button(type = "button", id = id, title = paste0("key ", key), label, ...)
  }

  tag$dialog(
    id = "compare",
    `aria-labelledby` = "compare-title",
    tag$div(
      class = "bar",
      tag$h2(id = "compare-title"),
      button("earlier", "previous", "\u2190"),
      button("later", "next", "\u2192"),
      button("nearer", "zoom in", "+"),
      button("further", "zoom out", "-"),
      button("whole", "whole", "0"),
      button("wiping", "wipe", "w", `aria-pressed` = "false"),
      button("next-wipe", "other pair", "e", disabled = NA),
      tag$label(
        "overlay",
        tag$select(
          id = "overlay",
          tag$option(value = "none", "none"),
          tag$option(value = "contours", "where contours agree"),
          tag$option(value = "details", "vanished and new")
        )
      ),
      button("close", "close", "Esc")
    ),
    tag$p(id = "compare-asked"),
    tag$div(id = "stage"),
    tag$div(
      id = "wipe",
      hidden = NA,
      tag$div(id = "wiped", tag$img(id = "under", alt = ""), tag$img(id = "over", alt = "")),
      tag$label(
        tag$span(id = "wipe-of"),
        tag$input(id = "edge", type = "range", min = "0", max = "100", value = "50")
      )
    ),
    tag$p(class = "soft", id = "overlay-words"),
    tag$p(
      class = "soft",
      paste0(
        "\u2190 \u2192 next take, + - zoom, 0 whole, w wipe, e other pair, o overlay, r holds ",
        "the reference over all, Esc closes. Drag or turn the wheel to move and zoom all at once."
      )
    )
  )
}

rests_section <- function(trial, verdicts, run) {
  tag <- htmltools::tags
  store <- open_store(trial$folder, run)
  on.exit(close_store(store))
  facts <- get_facts(store)
  takes <- read_takes(store, deciding_columns)
  fact <- function(name, value) list(tag$dt(name), tag$dd(value))
  engines <- vapply(
    trial$lineup$engines,
    function(engine) paste(engine$about$name, "version", engine$about$version),
    ""
  )
  recipes <- verdicts[[1]]$recipes
  recipes <- recipes[recipes$pipeline %in% takes$pipeline[is.na(takes$control)], ]
  audit <- plan_notes(trial)
  brief <- verdicts[[1]]$brief
  htmltools::tagList(
    tag$dl(
      fact("Brief", brief$brief),
      fact("Suite", paste0(facts$suite, ", fingerprint ", facts$suite_fingerprint)),
      fact("Seeds", paste(trial$suite$seeds, collapse = ", ")),
      fact("Run", paste0(run, ", in ", run_folder(basename(trial$folder), run))),
      fact("Engines", paste(engines, collapse = "; ")),
      fact(
        "Takes",
        paste0(
          sum(takes$state == "made"), " made (",
          sum(takes$state == "made" & !is.na(takes$control)),
          " of them controls), ", sum(takes$state %in% c("failed", "refused")),
          " failed or refused, ", sum(takes$state == "planned"), " not made"
        )
      ),
      fact("Draws", paste0(brief$draws, " of what pipelines may be worth; seed ", brief$seed)),
      fact(
        "To repeat it",
        tag$code(
          paste("sprenn run", basename(trial$folder), if (run != "main") paste("--run", run))
        )
      ),
      fact(
        "Written by",
        paste0("Sprenn ", facts$sprenn_version, ", on ", format(Sys.Date(), "%e %B %Y"))
      )
    ),
    if (length(audit)) {
      htmltools::tagList(tag$h3("Is the comparison fair?"), tag$ul(lapply(audit, tag$li)))
    },
    tag$div(
      class = "scroll",
      tabindex = "0",
      role = "region",
      `aria-label` = "What every pipeline was asked with",
      tag$table(
        tag$caption(
          "What every pipeline was asked with. The native knob is the engine's own scale for hold."
        ),
        tag$thead(
          tag$tr(
            lapply(
              c("pipeline", "engine", "checkpoint", "hold", "native knob", "settings"),
              tag$th,
              scope = "col"
            )
          )
        ),
        tag$tbody(
          lapply(seq_len(nrow(recipes)), function(i) {
            one <- recipes[i, ]
            tag$tr(
              tag$th(scope = "row", one$pipeline),
              tag$td(one$engine),
              tag$td(one$checkpoint),
              tag$td(class = "number", two(one$hold)),
              tag$td(
                class = "number",
                if (is.na(one$native_hold)) "-" else format_value(one$native_hold)
              ),
              tag$td(if (one$settings == "{}") "-" else one$settings)
            )
          })
        )
      )
    )
  )
}
