#' Write a report
#'
#' Writes one self-contained HTML file that needs no network. For every job that the brief has a
#' purpose for, its first screen shows the verdict, how sure it is, and takes of the two
#' pipelines that lead beside the reference. Below are all pipelines with their intervals and a
#' take that shows why each of the others was not chosen, what would change the choice, the
#' scores along a sweep with the takes below, engines at equal structure, the effect of inputs,
#' and every take beside its reference, to sort, filter and compare. The last part has the method
#' and the limits of the claim for readers of a publication, and how to cite Sprenn.
#'
#' The typical case of the first screen is the one in which the chosen pipeline's worth is the
#' median. Its takes have the seed of median worth.
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
  verdicts <- verdicts_with_takes(trial, run, job)
  jobs <- vapply(verdicts, function(verdict) verdict$brief$job, "")
  jobs[is.na(jobs)] <- "all"
  file <- file %||% file.path(run_folder(trial$folder, run), "report.html")
  tag <- htmltools::tags
  # Drawing the figures takes the most time.
  workers <- worker_count(NULL, nrow(verdicts[[1]]$table))
  pool <- if (workers > 0) WorkerPool$new(workers)
  on.exit(if (!is.null(pool)) pool$close())
  begun <- c(
    begin_work(
      pool,
      "job_section",
      Map(list, jobs, verdicts, list(trial), list(run), list(read_viewing(trial, run)))
    ),
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
          class = "jobs",
          `aria-label` = "Jobs",
          lapply(pages, function(job) tag$a(href = paste0("#job=", job), `data-job` = job, job))
        )
      }
    ),
    contents_bar(),
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
      takes_section(),
      tag$div(`data-part` = "evidence", sections[-seq_along(jobs)]),
      tag$section(
        id = "basis",
        `data-part` = "basis",
        tag$h2("Basis"),
        if (length(jobs) > 1) tag$p(class = "disagree", disagreement_words(jobs, verdicts)),
        rests_section(trial, verdicts, run),
        readers_part(trial, verdicts, run)
      )
    ),
    compare_dialog(any(vapply(trial$brief$judges, finds_things, NA)))
  )
  title <- paste0(verdicts[[1]]$suite$title, ": ", headline_words(verdicts[[1]]))
  dir.create(dirname(file), showWarnings = FALSE, recursive = TRUE)
  write_page(file, title, body, facts, trial, run, pool)
  invisible(file)
}

# The verdicts of the brief's purposes, or of one job; a job without takes has none.
verdicts_with_takes <- function(trial, run, job = NULL) {
  jobs <- job %||% brief_jobs(trial$brief)
  verdicts <- lapply(jobs, function(job) choose_pipeline(trial, run, if (!is.na(job)) job))
  shown <- vapply(verdicts, function(verdict) !is.null(verdict$pipelines), NA)
  if (!any(shown)) {
    stop_if_nothing_made(verdicts[[1]])
  }

  verdicts[shown]
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

# What is shown first comes first.
say_page <- function(say, title, body, facts, trial, run, pool) {
  style <- page_style("report")
  script <- page_script("report")
  say(
    page_top(title, style, file_policy(style, script)),
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

# The previews of a case, the `at`-th of the report.
pictures_block <- function(at, case, takes, trial, run, edge) {
  data_block(paste0("pictures-", at - 1), case_pictures(case, takes, trial, run, edge))
}

evidence_part <- function(trial, run, verdict) {
  evidence_section(list_evidence(trial, run), verdict)
}

# The parts of the page, as its contents bar names them.
contents_bar <- function() {
  tag <- htmltools::tags
  parts <- c("verdict", "pipelines", "trade-off", "settings", "cases", "evidence", "basis")
  tag$nav(
    class = "contents",
    `aria-label` = "Contents",
    lapply(parts, function(part) {
      tag$a(href = paste0("#part=", part), `data-to` = part, part)
    })
  )
}

# Everything of one job but its takes.
job_section <- function(job, verdict, trial, run, viewing) {
  tag <- htmltools::tags
  shown <- cases_shown_first(verdict, trial, run)
  tag$article(
    id = paste0("job-", job),
    `data-job` = job,
    first_section(verdict, shown, viewing),
    verdict_section(verdict),
    tag$section(
      `data-part` = "pipelines",
      tag$h2("Pipelines"),
      score_section(verdict, viewing),
      telling_section(verdict),
      tag$h3("Keepers and cost"),
      figure_tag(
        untitled(draw_keepers(verdict)),
        "Share of keepers, and what a keeper costs in money and seconds",
        height = 110 + 36 * nrow(verdict$pipelines)
      ),
      tag$h3("Variation between seeds"),
      tag$p(
        class = "soft",
        paste0(
          "What each take is worth: a line for each case, from its worst seed to its best. ",
          "Click a dot to open the take."
        )
      ),
      tag$div(class = "seeds")
    ),
    tradeoff_section(verdict),
    settings_section(job, verdict),
    htmltools::HTML(first_block(job, shown))
  )
}

tradeoff_section <- function(verdict) {
  tag <- htmltools::tags
  several <- sum(verdict$brief$weights > 0) > 1 && nrow(verdict$pipelines) > 1
  tag$section(
    `data-part` = "trade-off",
    tag$h2("Trade-off"),
    figure_tag(
      untitled(draw_tradeoff(verdict)),
      "Structure against style, one point per pipeline, with intervals"
    ),
    tag$div(
      class = "two",
      if (nrow(verdict$pipelines) > 1) {
        tag$div(
          tag$h3("Ranking"),
          figure_tag(
            untitled(draw_ranks(verdict)),
            "Each pipeline's rank by worth, with intervals",
            700,
            520
          )
        )
      },
      if (several) {
        tag$div(
          tag$h3("Sensitivity to the weights"),
          figure_tag(
            untitled(draw_weights(verdict)),
            "Which pipeline leads under which weights of the axes",
            700,
            520
          )
        )
      }
    )
  )
}

# What the lineup's settings do: along sweeps, one thing at a time, and at equal structure.
settings_section <- function(job, verdict) {
  tag <- htmltools::tags
  curves <- if_there(curves_of(verdict))
  match <- if_there(match_of(verdict))
  contrasts <- contrasts_part(verdict)
  matched <- !is.null(match) && nrow(match$levels) > 0
  if (is.null(curves) && is.null(contrasts) && !matched) {
    return(NULL)
  }

  tag$section(
    `data-part` = "settings",
    tag$h2("Settings"),
    if (!is.null(curves)) {
      htmltools::tagList(
        tag$h3(paste("Along", curves$vary)),
        tag$ul(lapply(feature_lines(curves), tag$li)),
        figure_tag(
          untitled(draw_curve(verdict, curves$vary)),
          paste("Structure, adherence and style along", curves$vary, "with intervals"),
          height = 480
        ),
        tag$div(class = "under", `data-job` = job)
      )
    },
    contrasts,
    if (matched) {
      htmltools::tagList(
        tag$h3("At equal structure"),
        tag$pre(class = "words", paste(format(match), collapse = "\n")),
        figure_tag(
          untitled(draw_match(match)),
          "Adherence and style of each sweep against the structure that it keeps",
          height = 480
        )
      )
    }
  )
}

# For parts that a run may lack, such as a sweep.
if_there <- function(code) tryCatch(code, sprenn_error_run = function(e) NULL)

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
