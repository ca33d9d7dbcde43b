# A report as PDF, printed by Chromium.

#' Print a report as PDF
#'
#' Writes a report and has Chromium (or Chrome) print it without a window: the verdict with its
#' pictures, tables and figures for every purpose of the brief. What only a page can do, looking at
#' all takes, is left out.
#'
#' @inheritParams write_report
#' @param file Where to write it; `report.pdf` in the run's folder if `NULL`.
#' @return The path, invisibly.
#' @section Errors: as [write_report()]; `sprenn_error_argument` if there is no Chromium on this
#'   machine. The environment variable `CHROMOTE_CHROME` may say where it is.
#' @family figures, sheets and reports
#' @export
#' @examples
#' \dontrun{
#' print_report("brackwater")
#' }
print_report <- function(trial, run = "main", file = NULL, job = NULL) {
  check_arguments(file = checkmate::check_string(file, null.ok = TRUE))
  chromium <- find_chromium()
  trial <- as_trial(trial)
  file <- file %||% file.path(run_folder(trial$folder, run), "report.pdf")
  folder <- tempfile("printing-")
  dir.create(folder)
  on.exit(unlink(folder, recursive = TRUE))
  page <- file.path(folder, "report.html")
  printed <- file.path(folder, "report.pdf")
  write_report(trial, run, page, job)
  done <- processx::run(
    chromium,
    c(
      "--headless",
      "--disable-gpu",
      "--disable-dev-shm-usage",
      # Its sandbox does not work for root, for example in a container.
      if (identical(unname(Sys.info()[["effective_user"]]), "root")) "--no-sandbox",
      paste0("--user-data-dir=", file.path(folder, "profile")),
      # Older and newer versions call it differently.
      "--no-pdf-header-footer",
      "--print-to-pdf-no-header",
      paste0("--print-to-pdf=", printed),
      paste0("file://", page, "#paper=verdicts")
    ),
    error_on_status = FALSE,
    timeout = 600
  )
  if (!file.exists(printed)) {
    said <- utils::tail(strsplit(trimws(done$stderr), "\n", fixed = TRUE)[[1]], 1)
    stop_sprenn("argument", c(
      paste0(chromium, " has printed nothing."),
      x = if (length(said)) paste0("It said: ", clean_text(said)),
      i = "Open the report in a browser and print it from there."
    ))
  }

  dir.create(dirname(file), showWarnings = FALSE, recursive = TRUE)
  write_bytes(read_bytes(printed), file)
  invisible(file)
}

chromium_names <- c(
  "chromium", "chromium-browser", "google-chrome", "google-chrome-stable", "chrome", "msedge"
)

find_chromium <- function() {
  places <- c(
    Sys.getenv("CHROMOTE_CHROME"),
    Sys.which(chromium_names),
    "/Applications/Google Chrome.app/Contents/MacOS/Google Chrome",
    "/Applications/Chromium.app/Contents/MacOS/Chromium",
    file.path(
      Sys.getenv(c("ProgramFiles", "ProgramFiles(x86)")),
      "Google/Chrome/Application/chrome.exe"
    )
  )
  found <- places[nzchar(places) & file.exists(places)]
  if (length(found) == 0) {
    stop_sprenn("argument", c(
      "A PDF is printed by Chromium or Chrome, which this machine lacks.",
      i = "Install one, or open the report in a browser elsewhere and print it from there."
    ))
  }

  unname(found[1])
}
