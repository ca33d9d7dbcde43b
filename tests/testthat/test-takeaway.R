# What is taken elsewhere: slides, a PDF to print, figures in the sizes of publications.

taken_trial <- function(env = parent.frame()) {
  copy_of(
    "taken away",
    function() {
      folder <- small_trial(env = parent.frame())
      fails <- mixing_engine(broken = function(request) {
        if (request$native_hold < 5 && request$seed == 2) {
          engine_failure("refused", "It is too dark.")
        }
      })
      run_trial(read_trial(folder, engines = list(mixer = fails)), workers = 0)
      folder
    },
    env
  )
}

# The parts of a presentation: the text of each slide, and the names of all files.
slides_of <- function(file, env = parent.frame()) {
  folder <- withr::local_tempdir(.local_envir = env)
  utils::unzip(file, exdir = folder)
  slides <- file.path(folder, "ppt", "slides")
  paths <- list.files(slides, "^slide[0-9]+[.]xml$", full.names = TRUE)
  paths <- paths[order(as.numeric(gsub("[^0-9]", "", basename(paths))))]
  list(
    texts = vapply(paths, function(path) {
      words <- xml2::xml_find_all(xml2::read_xml(path), ".//a:t")
      paste(xml2::xml_text(words), collapse = "\n")
    }, "", USE.NAMES = FALSE),
    xml = vapply(paths, function(path) paste(readLines(path, warn = FALSE), collapse = ""), ""),
    files = list.files(folder, recursive = TRUE)
  )
}

test_that("slides tell the verdict in text, tables and pictures", {
  skip_if_not_installed("officer")
  folder <- taken_trial()
  file <- file.path(folder, "out", "verdict.pptx")
  expect_equal(write_slides(folder, file = file), file)
  found <- slides_of(file)
  verdict <- choose_pipeline(folder)
  words <- verdict_words(verdict)
  expect_match(found$texts[1], words$headline, fixed = TRUE)
  expect_match(found$texts[1], words$standing[1], fixed = TRUE)
  expect_match(found$texts[1], words$reasons[1], fixed = TRUE)
  expect_match(found$texts, "The typical case", all = FALSE)
  expect_match(found$texts, "The worst case", all = FALSE)
  # A table that can be edited has each pipeline with its numbers.
  table <- grep("<a:tbl>", found$xml, fixed = TRUE)
  expect_length(table, 1)
  for (words in c(verdict$pipelines$pipeline, two(verdict$pipelines$worth))) {
    expect_match(found$texts[table], words, fixed = TRUE)
  }
  expect_match(found$texts, "Fewer keepers|is lower", all = FALSE)
  expect_match(found$texts, "Every pipeline was given the same 3 cases", all = FALSE)
  expect_match(found$texts, "Limits of the claim", all = FALSE)
  # Reference and both takes of three cases, losses and a figure are inside the file.
  pictures <- lengths(regmatches(found$xml, gregexpr("<p:pic>", found$xml)))
  expect_gte(sum(pictures), 10)
  expect_gt(length(grep("media/.*[.](png|jpg|jpeg)$", found$files)), 5)
  # Nothing hangs over the edge of a slide.
  size <- officer::slide_size(officer::read_pptx(file))
  at <- do.call(rbind, lapply(seq_along(found$texts), function(i) {
    officer::slide_summary(officer::read_pptx(file), index = i)[
      c("offx", "offy", "cx", "cy")
    ]
  }))
  at <- at[!is.na(at$offx), ]
  expect_gt(nrow(at), 20)
  expect_true(all(at$offx >= 0 & at$offx + at$cx <= size$width + 0.01))
  expect_true(all(at$offy >= 0 & at$offy + at$cy <= size$height + 0.01))
})

test_that("slides follow a template of one's own, and one that does not fit is said", {
  skip_if_not_installed("officer")
  folder <- taken_trial()
  template <- file.path(folder, "own.pptx")
  deck <- officer::read_pptx()
  deck <- officer::add_slide(deck, "Title Only", "Office Theme")
  deck <- officer::ph_with(deck, "Our cover", officer::ph_location_type("title"))
  print(deck, target = template)
  file <- write_slides(folder, template = template)
  expect_equal(basename(file), "report.pptx")
  expect_match(slides_of(file)$texts[1], "Our cover")
  writeLines("no slides", file.path(folder, "odd.pptx"))
  expect_error(
    write_slides(folder, template = file.path(folder, "odd.pptx")),
    "can't be used as a template",
    class = "sprenn_error_argument"
  )
  expect_error(
    write_slides(folder, template = "nowhere.pptx"),
    "no such file",
    class = "sprenn_error_argument"
  )
})

test_that("slides of nothing, and of a run without a leader, are said or made", {
  skip_if_not_installed("officer")
  folder <- small_trial(
    brief = sub("{structure: 0.4}", "{structure: 0.999}", small_brief, fixed = TRUE),
    lineup = sub("hold: 0.9", "hold: 0.2", small_lineup)
  )
  expect_error(write_slides(folder), class = "sprenn_error_run")
  run_trial(folder, workers = 0)
  expect_equal(choose_pipeline(folder)$state, "no keepers")
  found <- slides_of(write_slides(folder))
  expect_length(found$texts, 3)
})

test_that("a report is printed with every job's verdict, and without the takes", {
  skip_on_cran()
  skip_if(!any(nzchar(Sys.which(chromium_names))), "no Chromium on this machine")
  folder <- two_job_trial()
  run_trial(folder, workers = 0)
  file <- print_report(folder)
  bytes <- read_bytes(file)
  expect_equal(rawToChar(bytes[1:5]), "%PDF-")
  expect_equal(file, file.path(run_folder(folder, "main"), "report.pdf"))
  skip_if(!nzchar(Sys.which("pdftotext")), "pdftotext is not there")
  text <- processx::run("pdftotext", c("-layout", file, "-"))$stdout
  expect_match(text, "Reasons for firm.*Caveats")
  expect_equal(lengths(regmatches(text, gregexpr("Why not the others", text))), 2)
  expect_no_match(text, "takes are shown|of 12 takes")
})

test_that("without Chromium it is said what to do", {
  withr::local_envvar(PATH = withr::local_tempdir(), CHROMOTE_CHROME = "", ProgramFiles = "")
  skip_if(dir.exists("/Applications"))
  expect_error(find_chromium(), "which this machine lacks", class = "sprenn_error_argument")
})

test_that("a size on paper is a width, or width and height", {
  expect_null(read_size(NULL))
  expect_equal(read_size("84mm"), c(84, NA))
  expect_equal(read_size("8.4cm"), c(84, NA))
  expect_equal(read_size("84x60mm"), c(84, 60))
  expect_equal(read_size("3in"), c(76.2, NA))
  for (odd in c("84", "x60mm", "84px", "2mm", "5000mm", "84x2mm", "..mm", "")) {
    expect_error(read_size(odd), "Wanted the width on paper", class = "sprenn_error_usage")
  }
})

test_that("a figure for paper has its size, its resolution and small text", {
  folder <- taken_trial()
  figure <- draw_tradeoff(choose_pipeline(folder))
  saved <- function(ending, ...) {
    file <- file.path(folder, paste0("figure.", ending))
    save_figure(figure, file, 1280, 640, ...)
    file
  }
  wide <- dim(png::readPNG(saved("png", size = c(84, NA))))
  expect_equal(wide[2], round(84 / 25.4 * print_dpi), tolerance = 0.001)
  expect_equal(wide[1], round(640 / 96 * print_points / text_points * print_dpi), tolerance = 0.001)
  both <- dim(png::readPNG(saved("png", size = c(84, 60))))
  expect_equal(both[1] / both[2], 60 / 84, tolerance = 0.001)
  pdf <- readLines(saved("pdf", size = c(84, 60)), warn = FALSE, encoding = "latin1")
  box <- grep("/MediaBox", pdf, value = TRUE, useBytes = TRUE)[1]
  box <- as.numeric(regmatches(box, gregexpr("[0-9.]+", box))[[1]])
  expect_equal(utils::tail(box, 2), c(84, 60) / 25.4 * 72, tolerance = 0.01)
  tiff <- magick::image_info(magick::image_read(saved("tiff", size = c(84, 60))))
  expect_equal(tiff$width, both[2])
  skip_if_not_installed("svglite")
  sizes_in <- function(file) {
    text <- paste(readLines(file, warn = FALSE), collapse = "\n")
    found <- regmatches(text, gregexpr("font-size: *[0-9.]+", text))[[1]]
    as.numeric(sub("[^0-9.]*", "", found))
  }
  titled <- sizes_in(saved("svg"))
  on_paper <- sizes_in(saved("svg", size = c(84, NA)))
  # The figure itself is as it was.
  expect_equal(sizes_in(saved("svg")), titled)
  # On paper, what a caption says is left out.
  figure <- figure + ggplot2::labs(title = NULL, subtitle = NULL, caption = NULL)
  on_screen <- sizes_in(saved("svg"))
  expect_equal(max(on_paper) / max(on_screen), print_points / text_points, tolerance = 0.02)
})

test_that("the command writes each form, and says what does not go together", {
  skip_if_not_installed("officer")
  folder <- taken_trial()
  slides <- file.path(folder, "verdict.pptx")
  told <- run_cli("report", folder, "--as", "slides", "--out", slides)
  expect_equal(told$out, paste("The report is", slides))
  again <- run_cli("report", folder, "--as", "slides", "--template", slides)
  expect_equal(again$status, 0L)
  odd <- run_cli("report", folder, "--as", "book", "--full")
  expect_equal(odd$status, 2L)
  expect_match(odd$err, "wanted page, slides and pdf", all = FALSE)
  expect_match(odd$err, "--full is for a page", all = FALSE)
  expect_equal(run_cli("report", folder, "--template", slides)$status, 2L)
  figure <- file.path(folder, "tradeoff.pdf")
  drawn <- run_cli("choose", folder, "--out", figure, "--size", "84mm")
  expect_match(drawn$out, "Drawn in .*tradeoff.pdf", all = FALSE)
  expect_match(drawn$out, "Its caption may say: Trade-off", all = FALSE)
  expect_equal(run_cli("choose", folder, "--out", figure, "--size", "wide")$status, 2L)
  expect_equal(run_cli("choose", folder, "--out", file.path(folder, "x.doc"))$status, 2L)
})

# Ana prefers "firm" wherever she is shown it.
judged_by_ana <- function(folder) {
  trial <- read_trial(folder)
  store <- open_store(folder, "main")
  on.exit(close_store(store))
  viewing <- new_viewing(trial, store, "pairs", 20, FALSE, NA_character_, 1)
  for (i in 1:20) {
    shown <- next_showing(viewing, "ana")
    own <- viewing$takes$pipeline[match(c(shown$one, shown$other), viewing$takes$take)]
    record_ballot(viewing, "ana", shown, list(
      choice = if (own[1] == "firm") "one" else "other",
      seconds = 2
    ))
  }
}

test_that("every figure can be drawn for paper", {
  folder <- small_trial(lineup = c(
    sub("hold: 0.1}", "hold: 0.1, jobs: [restyle]}", small_lineup),
    "sweeps:",
    "  - {vary: hold, of: firm, over: [0.3, 0.6]}",
    "  - {vary: hold, of: loose, over: [0.2, 0.5]}"
  ))
  run_trial(folder, workers = 0)
  run_trial(folder, "later", workers = 0)
  judged_by_ana(folder)
  width <- function(drawn, file) {
    expect_equal(drawn$status, 0L, info = paste(c(file, drawn$err), collapse = "\n"))
    ncol(png::readPNG(file))
  }
  at <- function(name) file.path(folder, paste0(name, ".png"))
  wanted <- round(60 / 25.4 * print_dpi)
  size <- "60mm"
  found <- c(
    width(run_cli("curves", folder, "--out", at("curves"), "--size", size), at("curves")),
    width(run_cli("match", folder, "--out", at("match"), "--size", size), at("match")),
    width(run_cli("contrasts", folder, "--out", at("ones"), "--size", size), at("ones")),
    width(
      run_cli("compare", folder, "main", "later", "--out", at("changes"), "--size", size),
      at("changes")
    ),
    width(
      run_cli("viewing", folder, "--results", "--out", at("viewed"), "--size", size),
      at("viewed")
    )
  )
  expect_true(all(abs(found - wanted) <= 1))
})
