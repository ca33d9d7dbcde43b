# The commands that draw sheets and reports, and measure one picture.

picture_commands <- function() {
  list(
    sheet = new_command(
      "Draw a contact sheet.",
      "TRIAL",
      list(
        run_option(),
        job_option(),
        new_option("out", "character", NULL, "the PNG, PDF or SVG file to write", "FILE"),
        new_option(
          "by",
          "character",
          "pipelines",
          "the columns: pipelines, seeds, steps, sweep, grid, best or worst [%default]",
          "WHAT"
        ),
        new_option(
          "show",
          "character",
          "all",
          "all takes, keepers, failed or flawed ones [%default]",
          "WHICH"
        ),
        cases_option(),
        new_option(
          "pipeline",
          "character",
          NULL,
          "with --by seeds or steps: the pipeline [the chosen one]",
          "ID"
        ),
        new_option(
          "vary",
          "character",
          NULL,
          "with --by sweep: along which path; with --by grid: which two [the first]",
          "PATHS"
        ),
        new_option("seed", "integer", NULL, "which seed to show [the first]", "SEED"),
        new_option(
          "rows",
          "integer",
          NULL,
          "the number of rows per page [what fits a screen]",
          "N"
        ),
        new_option(
          "columns",
          "integer",
          NULL,
          "the number of columns per page [what fits the width]",
          "N"
        ),
        new_option("width", "integer", 1600L, "its width in pixels [%default]", "PIXELS"),
        json_option()
      ),
      cli_sheet,
      examples = c(
        "sprenn sheet brackwater --job restyle --seed 23 --out sheet.pdf",
        "sprenn sheet brackwater --by sweep --case ferry-teal --out strip.png",
        "sprenn sheet brackwater --by grid --job vary --vary hold,look.weight --out grid.png"
      )
    ),
    report = new_command(
      "Write a report: a page (HTML), slides (PPTX) or a PDF to print.",
      "TRIAL",
      list(
        run_option(),
        job_option(),
        new_option("as", "character", "page", "page, slides or pdf [%default]", "FORM"),
        new_option("out", "character", NULL, "the file to write", "FILE"),
        new_option("full", "logical", FALSE, "of a page: link every take to its original"),
        new_option(
          "template",
          "character",
          NULL,
          "of slides: a presentation whose master and layouts to use",
          "FILE"
        ),
        json_option()
      ),
      cli_report,
      examples = c("sprenn report brackwater --full", "sprenn report brackwater --as slides")
    ),
    measure = new_command(
      "Measure one picture against its reference.",
      "TAKE",
      list(
        new_option("against", "character", NULL, "the reference (needed)", "REFERENCE"),
        looks_option(),
        new_option("mask", "character", NULL, "a mask; its white part may change", "FILE"),
        new_option(
          "job",
          "character",
          "restyle",
          "the kind of work; it determines which flaws are looked for",
          "JOB"
        ),
        new_option("explain", "character", NULL, "draw the reason as a PNG or SVG file", "FILE"),
        new_option("measure", "character", "structure", "the measure to explain", "NAME"),
        json_option()
      ),
      cli_measure,
      examples = c(
        "sprenn measure repainted.png --against tile.png --look linocut.png",
        "sprenn measure repainted.png --against tile.png --measure vanished --explain why.png"
      )
    )
  )
}

cli_sheet <- function(given) {
  files <- draw_sheet(
    read_shown(given$places, ask = FALSE),
    given$run,
    file = given$out,
    seed = given$seed,
    width = given$width,
    job = given$job,
    by = given$by,
    show = given$show,
    case = split_files(given$case),
    pipeline = given$pipeline,
    rows = given$rows,
    vary = given$vary,
    columns = given$columns
  )
  if (given$json) {
    return(tell_json(list(files = I(files))))
  }

  cat("The contact sheet is ", files[1], "\n", sep = "")
  if (length(files) > 1) {
    cat("Its other pages are ", paste(basename(files[-1]), collapse = ", "), "\n", sep = "")
  }

  0L
}

cli_report <- function(given) {
  stop_for_odd_report(given)
  trial <- read_shown(given$places, ask = FALSE)
  file <- switch(given$as,
    page = write_report(trial, given$run, given$out, given$job, given$full),
    slides = write_slides(trial, given$run, given$out, given$job, given$template),
    pdf = print_report(trial, given$run, given$out, given$job)
  )
  if (given$json) {
    return(tell_json(list(file = file, bytes = file.size(file))))
  }

  cat("The report is ", file, "\n", sep = "")
  0L
}

stop_for_odd_report <- function(given) {
  forms <- c("page", "slides", "pdf")
  problems <- c(
    if (!given$as %in% forms) {
      paste0("--as: found ", quoted(given$as), "; wanted ", shorten_list(forms))
    },
    if (given$full && given$as != "page") "--full is for a page",
    if (!is.null(given$template) && given$as != "slides") "--template is for slides"
  )
  if (length(problems)) {
    stop_sprenn("usage", c(
      "This report can't be written.",
      stats::setNames(problems, rep("x", length(problems)))
    ))
  }
}

cli_measure <- function(given) {
  if (is.null(given$against)) {
    stop_sprenn(
      "usage",
      c(
        "`sprenn measure` needs --against REFERENCE.",
        i = "The reference is the picture that the take was made from."
      )
    )
  }

  look <- split_files(given$look)
  scores <- score_picture(given$places, given$against, look, given$mask, job = given$job)
  if (!is.null(given$explain)) {
    save_row(
      explain_score(given$places, given$against, given$measure, look, given$mask, given$job),
      given$explain
    )
  }

  if (given$json) {
    return(tell_json(scores))
  }

  ranges <- list_measures()
  cat(
    text_table(list(
      axis = scores$axis,
      measure = scores$measure,
      value = two(scores$value),
      raw = formatC(scores$raw, format = "f", digits = 3),
      level = ifelse(is.na(scores$level), "", scores$level),
      where = ifelse(is.na(scores$place), "", scores$place)
    )),
    sep = "\n"
  )
  cat("", "What the values mean:", sep = "\n")
  shown <- ranges[ranges$measure %in% scores$measure, ]
  for (i in seq_len(nrow(shown))) {
    cat(
      strwrap(
        paste0(shown$measure[i], ": ", shown$range[i], "; sees ", shown$sees[i]),
        100,
        initial = "  ",
        exdent = 4
      ),
      sep = "\n"
    )
  }

  if (!is.null(given$explain)) {
    cat(
      "\nDrawn in ", given$explain, ": why ",
      gsub("_", " ", given$measure), " is what it is.\n",
      sep = ""
    )
  }

  0L
}
