#' Write a report
#'
#' Writes one self-contained HTML file that needs no network. For every job that the brief has a
#' purpose for, it has the verdict in words, the pipelines with their intervals, what would change
#' the choice, the scores along a sweep with the takes below, engines at equal structure, the
#' effect of inputs, and every take beside its reference, to sort, filter and compare.
#'
#' Takes are shown as previews, which are smaller the more there are. Clicking one opens it beside
#' its reference, with linked zoom, a wipe, and overlays of matching contours, of lost and new
#' parts, and of what judges found. The page's address holds the current view, so that it can be
#' shared.
#'
#' @inheritParams choose_pipeline
#' @param file The file to write; `report.html` in the run's folder if `NULL`.
#' @param job A job, to report on that one only.
#' @param full Whether to link every take to its original in the run's folder.
#' @return The file, invisibly.
#' @section Errors: as [choose_pipeline()].
#' @family figures, sheets and reports
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
  # A job without takes has no page.
  shown <- vapply(verdicts, function(verdict) !is.null(verdict$pipelines), NA)
  if (!any(shown)) {
    stop_if_nothing_made(verdicts[[1]])
  }

  jobs <- ifelse(is.na(jobs), "all", jobs)[shown]
  verdicts <- verdicts[shown]
  file <- file %||% file.path(run_folder(trial$folder, run), "report.html")
  tag <- htmltools::tags
  # Drawing the figures takes the most time.
  workers <- worker_count(NULL, nrow(verdicts[[1]]$table))
  pool <- if (workers > 0) WorkerPool$new(workers)
  on.exit(if (!is.null(pool)) pool$close())
  begun <- c(
    begin_work(pool, "job_section", Map(list, jobs, verdicts)),
    begin_work(pool, "influence_section", list(list(trial, run))),
    begin_work(pool, "evidence_part", list(list(trial, run, if (!is.null(job)) verdicts[[1]])))
  )
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
  sections <- collect_work(begun)
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
      sections[seq_along(jobs)],
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
      sections[-seq_along(jobs)],
      takes_section(),
      tag$section(id = "basis", tag$h2("What it is based on"), rests_section(trial, verdicts, run))
    ),
    compare_dialog(any(vapply(trial$brief$judges, finds_things, NA)))
  )
  title <- paste0(verdicts[[1]]$suite$title, ": ", headline_words(verdicts[[1]]))
  dir.create(dirname(file), showWarnings = FALSE, recursive = TRUE)
  write_page(file, title, body, facts, trial, run, pool)
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
# twice.
write_page <- function(file, title, body, facts, trial, run, pool) {
  write_outputs(
    file,
    function(part) {
      out <- file(part, "wb")
      on.exit(close(out))
      written <- 0
      say <- function(...) {
        bytes <- charToRaw(enc2utf8(paste0(...)))
        written <<- written + length(bytes)
        writeBin(bytes, out)
      }
      say_page(say, title, body, facts, trial, run, pool)
      flush(out)
      # R does not report a page that was cut short by a full disk.
      file.size(part) == written
    }
  )
}

# What is shown first comes first. Written out by hand, because htmltools lifts the head out of a
# page that it turns into text.
say_page <- function(say, title, body, facts, trial, run, pool) {
  style <- report_part("report.css")
  script <- report_part("report.js")
  policy <- paste0(
    "default-src 'none'; img-src data:; style-src ", only_source(style), "; script-src ",
    only_source(script), "; base-uri 'none'; form-action 'none'"
  )
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
  # A few cases at a time, as all previews together may not fit into memory.
  for (some in in_chunks(seq_along(facts$cases), 8)) {
    arguments <- lapply(some, function(i) {
      list(i, facts$cases[[i]], facts$takes[facts$takes$case == i, ], trial, run, facts$edge)
    })
    for (block in collect_work(begin_work(pool, "pictures_block", arguments))) {
      say(block)
    }
  }

  say("</body>\n</html>\n")
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

# The previews of a case, the `at`-th of the report.
pictures_block <- function(at, case, takes, trial, run, edge) {
  data_block(paste0("pictures-", at - 1), case_pictures(case, takes, trial, run, edge))
}

evidence_part <- function(trial, run, verdict) {
  evidence_section(list_evidence(trial, run), verdict)
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
      tag$h2("Trade-off"),
      figure_tag(
        untitled(draw_tradeoff(verdict)),
        "Structure against style, one point per pipeline, with intervals"
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
          untitled(draw_curve(verdict, curves$vary)),
          paste("Structure, adherence and style along", curves$vary, "with intervals"),
          height = 480
        ),
        tag$div(class = "under", `data-job` = job)
      )
    },
    contrasts_section(verdict),
    if (!is.null(match) && nrow(match$levels)) {
      tag$section(
        tag$h2("At equal structure"),
        tag$pre(class = "words", paste(format(match), collapse = "\n")),
        figure_tag(
          untitled(draw_match(match)),
          "Adherence and style of each sweep against the structure that it keeps",
          height = 480
        )
      )
    },
    tag$section(
      tag$h2("Keepers, cost and luck"),
      figure_tag(
        draw_keepers(verdict),
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

# For parts that a run may lack, such as a sweep.
if_there <- function(code) tryCatch(code, sprenn_error_run = function(e) NULL)

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

# A figure below a heading that says the same.
untitled <- function(figure) figure + ggplot2::labs(title = NULL)

data_uri <- function(bytes, type) {
  paste0("data:", type, ";base64,", gsub("\n", "", jsonlite::base64_enc(bytes)))
}

# A script or style as a content policy names it, so that no other runs.
only_source <- function(text) {
  paste0("'sha256-", openssl::base64_encode(openssl::sha256(charToRaw(enc2utf8(text)))), "'")
}
