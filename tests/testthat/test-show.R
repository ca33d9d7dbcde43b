scored_trial <- function(env = parent.frame(), suite = small_suite) {
  frame <- environment()
  copy_of(
    paste(suite, collapse = "\n"),
    function() {
      folder <- small_trial(
        suite = suite,
        lineup = c(small_lineup, "sweeps:", "  - {vary: hold, of: firm, over: [0.3, 0.6]}"),
        brief = c(
          "brief: keep the layout",
          "weights: {structure: 2, style: 1}",
          "floors: {structure: 0.2}",
          "style: {change: [0.1, 0.9]}"
        ),
        env = frame
      )
      run_trial(folder, workers = 0)
      folder
    },
    env
  )
}

# The same takes chosen from by other weights.
verdict_with_weights <- function(weights, verdict) {
  brief <- utils::modifyList(verdict$brief, list(weights = weights))
  structure(
    c(
      verdict_from(verdict$table, brief),
      verdict[c("recipes", "suite", "run", "folder")]
    ),
    class = "sprenn_verdict"
  )
}

test_that("the sheet is a PNG of the width asked for, with every take of the seed", {
  folder <- scored_trial()
  file <- draw_sheet(folder, width = 1200)
  picture <- read_picture(file)
  expect_equal(dim(picture)[2], 1200)
  expect_equal(file, file.path(normalizePath(folder), "runs", "main", "sheet.png"))
  other <- read_picture(
    draw_sheet(folder, width = 1200, seed = 2, file = withr::local_tempfile(fileext = ".png"))
  )
  expect_gt(mean(abs(picture - other)), 0.001)
  expect_error(draw_sheet(folder, seed = 99), "no seed 99", class = "sprenn_error_argument")
})

test_that("a sheet shows seeds, steps, a sweep, the best and the worst", {
  folder <- small_trial(
    suite = sub(
      "prompt: a thing}",
      "prompt: a thing, watch: {middle: {box: [0.3, 0.3, 0.7, 0.7]}}}",
      small_suite
    ),
    lineup = c(
      small_lineup,
      "  - id: mended",
      "    steps: [{engine: mixer, hold: 0.9}, {engine: mixer, hold: 0.5}]",
      "sweeps:",
      "  - {vary: hold, of: firm, over: [0.3, 0.6]}"
    ),
    brief = c(
      "brief: keep the layout",
      "weights: {structure: 2, style: 1}",
      "floors: {structure: 0.2}",
      "style: {change: [0.1, 0.9]}"
    )
  )
  run_trial(folder, workers = 0)
  trial <- read_trial(folder)
  verdict <- choose_pipeline(trial)
  grid <- function(by, show = "all", case = NULL, pipeline = "firm") {
    sheet_grid(trial, verdict, "main", by, show, 1L, case, pipeline)
  }

  titles <- function(...) grid(...)$columns$title
  expect_equal(titles("pipelines"), verdict$pipelines$pipeline)
  expect_equal(titles("seeds"), c("seed 1", "seed 2"))
  expect_equal(titles("sweep"), paste("hold", c(0.3, 0.6, 0.9)))
  expect_equal(utils::tail(titles("steps", pipeline = "mended"), 1), "mended")
  expect_length(titles("steps", pipeline = "mended"), 2)
  expect_error(grid("steps"), "one step only", class = "sprenn_error_argument")
  # The best first, and each cell says whose it is.
  best <- grid("best", case = "one")$rows[[1]]$cells
  worths <- verdict$table[verdict$table$case == "one", ]
  top <- worths[which.max(worths$worth), ]
  expect_equal(best[[1]]$cost, paste0(top$pipeline, ", seed ", top$seed))
  expect_equal(grid("worst", case = "one")$rows[[1]]$cells[[1]]$keeper, FALSE)
  # Keepers only: who has none has no column.
  expect_false("loose" %in% titles("pipelines", show = "keepers"))
  expect_error(
    grid("pipelines", show = "failed"),
    "nothing to draw",
    class = "sprenn_error_run"
  )
  expect_equal(
    round(grid("pipelines", case = "two")$rows[[1]]$watch, 1),
    c(0.3, 0.3, 0.7, 0.7)
  )
  for (by in c("sweep", "best", "seeds")) {
    file <- draw_sheet(
      trial,
      by = by,
      file = withr::local_tempfile(fileext = ".png"),
      width = 1200
    )
    expect_equal(dim(read_picture(file[1]))[2], 1200)
  }
})

test_that("large sheets have pages, and are PDF and SVG too", {
  folder <- scored_trial()
  out <- withr::local_tempdir()
  pages <- draw_sheet(folder, file = file.path(out, "sheet.png"), width = 1200, rows = 2)
  expect_equal(basename(pages), c("sheet.png", "sheet-2.png"))
  expect_gt(dim(read_picture(pages[1]))[1], dim(read_picture(pages[2]))[1])
  pdf <- draw_sheet(folder, file = file.path(out, "sheet.pdf"), width = 1200, rows = 2)
  expect_equal(rawToChar(readBin(pdf, "raw", 4)), "%PDF")
  expect_length(pdf, 1)
  svg <- draw_sheet(folder, file = file.path(out, "sheet.svg"), width = 1200)
  expect_true(any(grepl("data:image/png;base64", readLines(svg, warn = FALSE), fixed = TRUE)))
  expect_error(
    draw_sheet(folder, file = file.path(out, "sheet.gif")),
    class = "sprenn_error_argument"
  )
  expect_error(
    draw_sheet(folder, case = "thre"),
    "Did you mean \"three\"",
    class = "sprenn_error_argument"
  )
})

test_that("cells say scores, flaws, floors and failures", {
  one <- tibble::tibble(
    state = "made",
    structure = 0.5,
    adherence = NA,
    style = 0.25,
    flaws = "near_copy",
    slight = "bars",
    missed = "",
    keeper = FALSE,
    failure = NA
  )
  expect_equal(cell_scores(one), "0.50  -  0.25")
  expect_equal(cell_notes(one), "near copy, minor: bars")
  one$flaws <- one$slight <- ""
  expect_equal(cell_notes(one), "below floor")
  one$missed <- "a boat"
  expect_equal(cell_notes(one), "without \"a boat\"")
  one$state <- "failed"
  one$failure <- "timed_out"
  expect_equal(cell_notes(one), "failed: timed out")
  expect_equal(cell_notes(one[0, ]), "not in this run")
})

test_that("figures show every pipeline, keep a family's colour and draw intervals", {
  verdict <- choose_pipeline(scored_trial())
  tradeoff <- draw_tradeoff(verdict)
  curve <- draw_curve(verdict)
  expect_s3_class(tradeoff, "ggplot")
  expect_equal(nrow(tradeoff$data), 4)
  expect_equal(sort(unique(curve$data$value)), c(0.3, 0.6, 0.9))
  expect_equal(
    family_colours(verdict$recipes),
    c(firm = "#0072B2", loose = "#D55E00")
  )
  many <- tibble::tibble(pipeline = paste0("p", 1:20), sweep = NA, shown = TRUE)
  expect_false(any(duplicated(family_colours(many))))
  expect_equal(
    short_label(c("p", "p/hold=0.2", "p/guides.kind=areas", "p/hold=0.2,look.weight=1.6")),
    c("p", "p hold 0.2", "p kind areas", "p hold 0.2, weight 1.6")
  )
  expect_null(draw_curve(verdict, "tint"))
  built <- ggplot2::ggplot_build(tradeoff)
  expect_gte(length(built$data), 5)
  for (ending in c(".png", ".svg")) {
    if (ending == ".svg") {
      skip_if_not_installed("svglite")
    }

    file <- withr::local_tempfile(fileext = ending)
    save_figure(curve, file)
    expect_gt(file.size(file), 5000)
  }
})

test_that("the weights that lead are drawn, and one axis alone has none", {
  verdict <- choose_pipeline(scored_trial())
  drawn <- draw_weights(verdict)
  expect_equal(length(unique(drawn$data$cell)), nrow(verdict$weightings))
  expect_setequal(drawn$data$winner, verdict$weightings$winner)
  three <- verdict_with_weights(c(structure = 0.4, adherence = 0.3, style = 0.3), verdict)
  expect_equal(nrow(draw_weights(three)$data), 6 * 231)
  one <- verdict_with_weights(c(structure = 1, adherence = 0, style = 0), verdict)
  expect_error(draw_weights(one), "one axis only", class = "sprenn_error_run")
  expect_identical(ggplot2::autoplot(verdict)$labels$title, draw_tradeoff(verdict)$labels$title)
  expect_warning(draw_yield(verdict), "draw_keepers")
  for (draw in list(draw_ranks, draw_keepers, draw_seeds)) {
    expect_s3_class(ggplot2::ggplot_build(draw(verdict))$plot, "ggplot")
  }
})

test_that("labels of the trade-off do not lie on each other", {
  placed <- place_labels(
    c(0.5, 0.51, 0.52),
    c(0.5, 0.5, 0.52),
    rep("a pipeline, 100 %", 3),
    0.0098
  )
  expect_gt(min(dist(placed[c("x", "y")])), 0.04)
})

# What the report's script is told, and what is in its page.
told_by <- function(file) {
  page <- xml2::read_html(paste(readLines(file, encoding = "UTF-8"), collapse = "\n"))
  blocks <- xml2::xml_find_all(page, "//script[@type='application/json']")
  list(
    page = page,
    data = stats::setNames(
      lapply(xml2::xml_text(blocks), jsonlite::fromJSON, simplifyVector = FALSE),
      xml2::xml_attr(blocks, "id")
    )
  )
}

test_that("the report holds everything and asks for nothing", {
  file <- write_report(scored_trial())
  told <- told_by(file)
  page <- told$page
  expect_match(xml2::xml_text(xml2::xml_find_first(page, "//h1")), "^Use |^Not decided")
  addresses <- xml2::xml_text(xml2::xml_find_all(page, "//@src | //@href"))
  expect_true(all(grepl("^(data:|#)", addresses)))
  # One script and one style, each named by its hash; no element brings its own.
  scripts <- xml2::xml_find_all(page, "//script[not(@type)]")
  expect_length(scripts, 1)
  policy <- xml2::xml_attr(xml2::xml_find_first(page, "//meta[@http-equiv]"), "content")
  for (text in list(
    xml2::xml_text(scripts),
    xml2::xml_text(xml2::xml_find_first(page, "//style"))
  )) {
    expect_match(
      policy,
      paste0(
        "'sha256-",
        openssl::base64_encode(openssl::sha256(charToRaw(enc2utf8(text)))),
        "'"
      ),
      fixed = TRUE
    )
  }

  expect_no_match(policy, "unsafe")
  expect_length(xml2::xml_find_all(page, "//@style | //@onclick | //@onload | //@onerror"), 0)
  # Every take has a preview and an overlay, and every case its reference.
  expect_length(told$data$facts$takes$case, 3 * 4 * 2)
  for (i in 0:2) {
    pictures <- told$data[[paste0("pictures-", i)]]
    expect_length(pictures$takes, 8)
    expect_length(pictures$overlays, 8)
    shown <- read_picture(
      local({
        path <- tempfile(fileext = ".jpg")
        writeBin(jsonlite::base64_dec(pictures$takes[[1]]), path)
        path
      })
    )
    expect_equal(dim(shown), c(64, 96, 3))
  }

  # Pictures that repeat what stands beside them are said to be empty.
  images <- xml2::xml_find_all(page, "//section//img[not(ancestor::button) and @class!='over']")
  expect_true(all(nchar(xml2::xml_attr(images, "alt")) > 3))
  expect_true(all(!is.na(xml2::xml_attr(xml2::xml_find_all(page, "//img"), "alt"))))
  html <- xml2::xml_text(xml2::xml_find_all(page, "//section[not(script)]"))
  html <- paste(html, collapse = " ")
  expect_match(html, "fingerprint [0-9a-f]{64}")
  expect_match(html, "What would change it")
})

test_that("an overlay says where contours agree, what vanished and what is new", {
  plain <- array(0.5, c(64, 96, 3))
  reference <- plain
  reference[20:40, 10:30, ] <- 0.9
  take <- plain
  take[20:40, 65:85, ] <- 0.1
  files <- c(picture_file(take), picture_file(reference))
  scene <- scene_of_files(files[1], files[2])
  bytes <- as.integer(jsonlite::base64_dec(take_overlay(scene)))
  expect_equal(bytes[1:2], c(48, 32))
  boxes <- matrix(bytes[4 + seq_len(4 * sum(bytes[3:4]))] / 255, 4)
  # What vanished lies left, what is new right.
  expect_true(bytes[3] >= 1 && boxes[3, 1] < 0.5)
  expect_true(bytes[4] >= 1 && boxes[1, bytes[3] + 1] > 0.5)
  map <- matrix(bytes[-seq_len(4 + 4 * sum(bytes[3:4]))], 32, byrow = TRUE)
  expect_equal(dim(map), c(32, 48))
  same <- as.integer(
    jsonlite::base64_dec(
      take_overlay(scene_of_files(files[2], files[2]))
    )
  )
  expect_equal(same[3:4], c(0, 0))
  expect_gt(max(same[-(1:4)]), 230)
  expect_gte(min(same[-(1:4)]), 125)
  expect_identical(take_overlay(list(reference = NULL)), NA_character_)
})

test_that("text of a trial stays text in the report", {
  nasty <- "</script><script>alert(1)</script> & <!-- \u200fright-to-left"
  suite <- sub("prompt: a thing}", paste0("prompt: '", nasty, "'}"), small_suite, fixed = TRUE)
  suite <- c(suite[1], "title: '<img src=x onerror=alert(2)>'", suite[-1])
  file <- write_report(scored_trial(suite = suite))
  told <- told_by(file)
  expect_length(xml2::xml_find_all(told$page, "//script[not(@type)]"), 1)
  expect_length(xml2::xml_find_all(told$page, "//img[@src='x']"), 0)
  expect_equal(told$data$facts$cases[[2]]$prompt[[1]], nasty)
})

test_that("takes of jobs without a purpose have their own page; originals' links are relative", {
  folder <- small_trial(
    suite = c(
      small_suite,
      "  - {id: free, job: vary, reference: references/one.png, prompt: a thing}"
    ),
    brief = c(
      "brief: keep the layout",
      "purposes:",
      "  restyle: {weights: {structure: 1}, floors: {structure: 0.2}, style: stay}"
    )
  )
  run_trial(folder, workers = 0)
  told <- told_by(write_report(folder, full = TRUE))
  facts <- told$data$facts
  expect_equal(unique(unlist(facts$takes$job)), c("restyle", "other"))
  expect_equal(facts$originals, "takes")
  # Of one job by itself nothing else is told.
  alone <- told_by(
    write_report(folder, file = file.path(folder, "alone.html"), job = "restyle")
  )$data$facts
  expect_equal(unique(unlist(alone$takes$job)), "restyle")
  expect_true(
    all(file.exists(file.path(folder, "runs", "main", "takes", unlist(facts$takes$file))))
  )
  expect_equal(
    told_by(
      write_report(folder, file = file.path(folder, "report.html"), full = TRUE)
    )$data$facts$originals,
    "runs/main/takes"
  )
  expect_error(
    write_report(
      folder,
      file = file.path(withr::local_tempdir(), "report.html"),
      full = TRUE
    ),
    "above them",
    class = "sprenn_error_argument"
  )
})

test_that("a report of failed takes shows why, and of nothing says so", {
  folder <- small_trial()
  broken <- function(request) {
    if (request$hold < 0.5) {
      engine_failure("out_of_credit", "the account is empty")
    }
  }

  trial <- read_trial(folder, engines = list(mixer = mixing_engine(broken = broken)))
  run_trial(trial)
  score_run(trial)
  expect_true(any(grepl("the account is empty", readLines(write_report(trial)), fixed = TRUE)))
  nothing <- read_trial(
    small_trial(),
    engines = list(mixer = mixing_engine(broken = function(request) stop("x")))
  )
  run_trial(nothing)
  score_run(nothing)
  expect_equal(choose_pipeline(nothing)$state, "no keepers")
  expect_silent(write_report(nothing))
})

# What came of a viewing, made up.
viewed <- function() {
  structure(
    list(
      ballots = tibble::tibble(),
      strengths = tibble::tibble(
        pipeline = c("firm", "loose", "sly"),
        strength = c(0.9, -0.2, -0.7),
        low = c(0.4, -0.7, -1.3),
        high = c(1.4, 0.3, -0.1)
      ),
      measures = tibble::tibble(
        measure = c("layout", "local_correlation", "blur", "seam"),
        axis = c("structure", "structure", "flaws", "flaws"),
        pairs = c(45, 45, 30, 3),
        agreement = c(0.84, 0.8, 0.5, 1),
        beyond_luck = c(TRUE, TRUE, TRUE, FALSE)
      )
    ),
    class = "sprenn_viewing"
  )
}

# What a comparison of two runs found, and what control takes said, made up.
changed <- function() {
  scores <- tidied(pipeline = c("firm", "loose"), score = c("structure", "style"))
  scores$change <- c(0.05, -0.02, 0.001, -0.1)
  scores$low <- scores$change - 0.03
  scores$high <- scores$change + 0.03
  scores$changed <- abs(scores$change) > 0.03
  scores$seen <- 0.05
  structure(
    list(runs = c("october", "november"), confidence = 0.95, scores = scores),
    class = "sprenn_changes"
  )
}

influenced <- function() {
  inputs <- tidied(pipeline = c("firm", "loose"), input = c("prompt", "look"))
  inputs$moved <- c(0, 2.5, 0.6, 8)
  inputs$low <- inputs$moved * 0.8
  inputs$high <- inputs$moved * 1.3
  inputs$controls <- 3L
  inputs$influence <- c("ignored", "dominant", "weak", "dominant")
  structure(list(inputs = inputs, conflicts = NULL), class = "sprenn_influence")
}

tidied <- function(...) tibble::as_tibble(expand.grid(..., stringsAsFactors = FALSE))

test_that("the drawings look as they did", {
  skip_if_not_installed("vdiffr")
  skip_if(
    packageVersion("ggplot2") >= "3.5.0",
    "drawn with Debian's ggplot2; newer ones space text otherwise"
  )
  verdict <- choose_pipeline(scored_trial())
  vdiffr::expect_doppelganger("trade-off", draw_tradeoff(verdict))
  vdiffr::expect_doppelganger("curve", draw_curve(verdict))
  vdiffr::expect_doppelganger("ranks", draw_ranks(verdict))
  vdiffr::expect_doppelganger("weights", draw_weights(verdict))
  vdiffr::expect_doppelganger("seeds", draw_seeds(verdict))
  # Seconds are those of this machine.
  verdict$pipelines$seconds_per_keeper <- seq_len(nrow(verdict$pipelines))
  vdiffr::expect_doppelganger("keepers", draw_keepers(verdict))
  vdiffr::expect_doppelganger("agreement", draw_agreement(viewed()))
  vdiffr::expect_doppelganger("changes", draw_changes(changed()))
  vdiffr::expect_doppelganger("influence", draw_influence(influenced()))
})

test_that("what people say is drawn beside what sides with them, chance marked", {
  built <- ggplot2::ggplot_build(ggplot2::autoplot(viewed()))
  points <- built$data[[3]]
  # The seam had three pairs only, which say nothing.
  expect_equal(nrow(points), 3 + 3)
  ranges <- built$data[[2]]
  # By hand: Wilson's for 30 pairs at a half.
  z <- stats::qnorm(0.95)
  half <- z / (1 + z^2 / 30) * sqrt(0.25 / 30 + z^2 / (4 * 30^2))
  expect_equal(c(ranges$xmin[6], ranges$xmax[6]), 0.5 + c(-half, half))
  expect_equal(built$data[[1]]$xintercept, c(0, 0.5))
  # Where no number can side with anybody, strengths are drawn alone.
  alone <- viewed()
  alone$measures <- NULL
  expect_equal(nrow(ggplot2::ggplot_build(draw_agreement(alone))$data[[3]]), 3)
  expect_error(
    draw_agreement(structure(list(), class = "sprenn_viewing")),
    "No pairs",
    class = "sprenn_error_viewing"
  )
  expect_error(draw_agreement(1), class = "sprenn_error_argument")
})

test_that("figures of families name each beside its marks, so that colour is not needed", {
  verdict <- choose_pipeline(scored_trial())
  for (figure in list(
    draw_tradeoff(verdict),
    draw_ranks(verdict),
    draw_weights(verdict),
    draw_keepers(verdict),
    draw_seeds(verdict)
  )) {
    built <- ggplot2::ggplot_build(figure)
    # No key to look colours up in.
    expect_false(
      any(
        vapply(
          built$plot$scales$scales,
          function(scale) {
            any(c("colour", "fill") %in% scale$aesthetics) && !identical(scale$guide, "none")
          },
          NA
        )
      )
    )
  }

  # A curve's lines differ in their dashes as well.
  family <- tibble::tibble(pipeline = "f", sweep = NA, shown = TRUE)
  looks <- looks_of_lines(c("f (a=1)", "f (a=2)", "f (a=1)"), c("f", "f", "f"), family)
  expect_equal(unname(looks[[2]]$palette(2)), c("solid", "41"))
})

test_that("the report says who speaks on what the prompts ask for, and what nobody speaks on", {
  found <- structure(
    list(
      coverage = 0.6,
      agreement = tibble::tibble(
        kind = c("all", "colour"),
        one = "colour_share",
        other = "heron",
        both = 12L,
        agreement = 0.5,
        opposed = 0.25
      ),
      beliefs = tibble::tibble(
        judge = "heron",
        statement = "a <i>wisp</i>",
        absent = FALSE,
        asked = 8L,
        unasked = 12L,
        level = 0.12,
        chance = 0.1,
        believed = FALSE
      ),
      phrases = tibble::tibble(
        case = c("mill", "sea"),
        phrase = c("<b>a cream sky</b>", "a wisp"),
        weight = c(1, 0.5),
        sources = c("colour_share, heron", ""),
        takes = 4L,
        covered = c(1, 0),
        value = c(0.8, NA),
        conflict = c(0.25, NA)
      ),
      shown = new_table(
        judge = "owl", statement = "a <b>smile</b>", pipeline = c("firm", "loose"),
        wanted = c(0.9, 0.1), elsewhere = c(0.05, NA)
      )
    ),
    class = "sprenn_evidence"
  )
  section <- as.character(evidence_section(found))
  page <- xml2::read_html(section)
  said <- function(path) {
    gsub("[[:space:]]+", " ", trimws(xml2::xml_text(xml2::xml_find_all(page, path))))
  }

  expect_match(said("//p")[1], "60 %", fixed = TRUE)
  expect_equal(
    said("//h3"),
    c(
      "Phrases without evidence", "Judges that are not believed", "What judges found, by pipeline",
      "Agreement between sources"
    )
  )
  first <- c("owl", "a <b>smile</b>", "firm", "0.90", "0.05")
  expect_equal(said("(//table)[1]/tbody/tr[1]/*"), first)
  expect_equal(said("(//table)[1]/tbody/tr[2]/*"), c("", "", "loose", "0.10", "-"))
  expect_equal(
    said("//li"),
    c(
      "a wisp (sea)",
      paste0(
        "heron, \"a <i>wisp</i>\": 0.12 where it was asked for (8 pictures), 0.10 elsewhere (12)"
      ),
      "colour share and heron both judged on 12 answers: rank correlation 0.50, opposed on 25 %."
    )
  )
  expect_equal(said("//details//tbody/tr/th"), c("<b>a cream sky</b>", "a wisp"))
  expect_equal(said("//details//tbody/tr[2]/td"), c("sea", "0.50", "none", "0 %", "-", "-"))
  # Of one job nothing of another's cases, and where nothing is asked there is nothing to say.
  one <- as.character(
    evidence_section(
      found,
      list(table = tibble::tibble(case = "mill"), coverage = 1)
    )
  )
  expect_no_match(one, "a wisp")
  expect_match(one, "100 %", fixed = TRUE)
  found$phrases <- found$phrases[0, ]
  expect_null(evidence_section(found))
  folder <- scored_trial()
  expect_true(
    any(
      grepl("Evidence by source", readLines(write_report(folder)), fixed = TRUE)
    )
  )
})

test_that("each row of a sheet is as high as its own pictures, up to a bound", {
  row <- function(width, height, watch = NULL) {
    list(frame = c(width, height), look = NULL, watch = watch)
  }

  layout <- sheet_layout(
    list(
      row(200, 100),
      row(100, 110),
      row(100, 900),
      row(200, 100, c(0, 0, 1, 1))
    ),
    data.frame(title = c("a", "b")),
    800
  )
  expect_equal(layout$pictures, round(layout$cell * c(0.5, 1.1, 1.4, 0.5)))
  expect_equal(diff(layout$tops)[1:2], layout$pictures[1:2] + layout$text + layout$gap)
  # What is watched is shown closer below.
  expect_equal(
    layout$height - layout$tops[4],
    layout$pictures[4] + layout$text + layout$close_up + 3 * layout$gap
  )
})
