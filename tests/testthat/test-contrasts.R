# Pipelines that differ in one thing, and what that thing does.

recipe_sets <- list(
  plain = list(engine = "y", checkpoint = "t", hold = 0.4),
  higher = list(engine = "y", checkpoint = "t", hold = 0.6),
  highest = list(engine = "y", checkpoint = "t", hold = 0.8),
  edged = list(
    engine = "y", checkpoint = "t", hold = 0.4,
    guides.edges.weight = 0.8, guides.edges.release = 0.6
  ),
  softly = list(
    engine = "y", checkpoint = "t", hold = 0.4,
    guides.soft_edges.weight = 0.8, guides.soft_edges.release = 0.6
  ),
  other = list(engine = "b", checkpoint = "f", hold = 0.6),
  worded = list(
    engine = "y", checkpoint = "t", hold = 0.4, wording.after = "x", wording.before = "z"
  ),
  chain = list(
    steps.1.engine = "y", steps.1.checkpoint = "t", steps.1.hold = 0.4,
    steps.2.engine = "z", steps.2.checkpoint = "q", steps.2.hold = 0.9
  ),
  # Differs from all others in two things.
  apart = list(engine = "b", checkpoint = "g", hold = 0.1)
)

test_that("contrasts are found along numbers, guides, wording, steps and engines", {
  found <- find_contrasts(recipe_sets)
  along <- function(vary) {
    own <- found[found$vary == vary, ]
    stats::setNames(own$value, own$pipeline)
  }
  expect_setequal(found$vary, c("hold", "engine", "guides", "wording", "steps.2"))
  expect_equal(along("hold"), c(plain = "0.4", higher = "0.6", highest = "0.8"))
  # The checkpoint belongs to its engine.
  expect_equal(along("engine"), c(higher = "y", other = "b"))
  expect_named(along("guides"), c("plain", "edged", "softly"))
  expect_equal(along("guides")[["plain"]], "")
  expect_match(along("guides")[["softly"]], "soft_edges.weight 0.8")
  expect_equal(along("wording"), c(plain = "", worded = "after x, before z"))
  expect_equal(along("steps.2")[["plain"]], "")
  expect_false("apart" %in% found$pipeline)
  expect_equal(nrow(find_contrasts(recipe_sets[c("plain", "apart")])), 0)
})

contrast_lineup <- c(
  "engines:",
  "  mixer: {kind: function, file: mixer.R}",
  "pipelines:",
  "  - {id: firm, engine: mixer, hold: 0.9}",
  "  - {id: worded, like: firm, wording: {after: fine}}",
  "  - {id: two-step, steps: [{engine: mixer, hold: 0.9}, {engine: mixer, hold: 0.5}]}",
  "sweeps:",
  "  - {of: firm, vary: hold, over: [0.1]}",
  "  - {of: two-step, vary: steps.2.skip, over: [true]}"
)

test_that("what one thing does is told with how sure that is, and drawn", {
  # Two names for one thing are a problem, unless a sweep leaves out a step.
  folder <- small_trial(lineup = contrast_lineup[-9])
  run_trial(folder, workers = 0)
  found <- list_contrasts(folder)
  expect_s3_class(found, "sprenn_contrasts")
  hold <- found$differences[found$differences$pipeline == "firm", ]
  expect_equal(unique(hold$to), "firm/hold=0.1")
  structure <- hold[hold$score == "structure", ]
  expect_gt(structure$difference, 0.2)
  expect_gt(structure$low, 0)
  # The mixer does not read its prompt.
  worded <- found$differences[found$differences$pipeline == "worded", ]
  expect_equal(worded$difference, rep(0, nrow(worded)))
  words <- format(found)
  expect_match(words, "hold, all else equal", all = FALSE)
  expect_match(words, "against firm/hold=0.1: firm raises structure", all = FALSE)
  expect_match(words, "No axis differs beyond luck", all = FALSE)
  expect_match(words, "steps.2, all else equal", all = FALSE)
  expect_s3_class(draw_contrasts(found), "ggplot")
  expect_s3_class(ggplot2::autoplot(found), "ggplot")
  only <- list_contrasts(folder, vary = "hold")
  expect_equal(unique(only$contrasts$vary), "hold")
  expect_error(list_contrasts(folder, vary = "hodl"), "Did you mean", class = "sprenn_error_run")
  said <- run_cli("contrasts", folder, "--vary", "hold", "--json")
  expect_equal(said$status, 0)
  told <- jsonlite::fromJSON(said$out)
  expect_named(told, c("contrasts", "differences"))
  # The report tells the same.
  page <- withr::local_tempfile(fileext = ".html")
  expect_equal(run_cli("report", folder, "--out", page)$status, 0)
  told <- xml2::xml_text(xml2::xml_find_all(xml2::read_html(page), "//article//li"))
  expect_match(told, "hold: Beyond luck, against firm/hold=0.1: firm raises structure", all = FALSE)
  file <- withr::local_tempfile(fileext = ".png")
  said <- run_cli("contrasts", folder, "--run", "main", "--out", file)
  expect_equal(said$status, 0)
  expect_gt(file.size(file), 1000)
})

test_that("without two such pipelines it says what would make some", {
  folder <- small_trial(lineup = small_lineup[1:4])
  run_trial(folder, workers = 0)
  expect_error(list_contrasts(folder), "differ in one thing", class = "sprenn_error_run")
})

test_that("sheets show two settings as a tile map, and named values beside each other", {
  folder <- small_trial(lineup = c(
    small_lineup[1:4],
    "  - {id: worded, like: firm, wording: {after: fine}}",
    "sweeps:",
    "  - {of: firm, grid: {hold: [0.1, 0.5], tint: [0, 1]}}"
  ))
  takes <- run_trial(folder, workers = 0)$takes
  trial <- read_trial(folder)
  verdict <- choose_pipeline(trial)
  grid <- function(by, vary = NULL) {
    sheet_grid(trial, verdict, "main", by, "all", 1, "one", verdict$best, vary)
  }
  map <- grid("grid")
  expect_equal(map$columns$title, c("tint 0", "tint 1"))
  titles <- vapply(map$rows, `[[`, "", "title")
  expect_equal(titles, c("hold 0.1, one", "hold 0.5, one"))
  # Every tile is the take of its two values.
  shown <- vapply(map$rows[[2]]$cells, function(cell) basename(cell$path), "")
  wanted <- vapply(
    c("firm/hold=0.5,tint=0", "firm/hold=0.5,tint=1"),
    function(name) {
      basename(takes$path[takes$pipeline == name & takes$case == "one" & takes$seed == 1])
    },
    ""
  )
  expect_equal(shown, unname(wanted))
  expect_equal(grid("grid", "tint, hold")$columns$title, c("hold 0.1", "hold 0.5"))
  named <- grid("sweep", "wording.after")
  expect_equal(named$columns$title, c("wording.after not set", "wording.after fine"))
  expect_error(grid("grid", "hold,look"), "varied together: hold,tint", class = "sprenn_error_run")
  expect_error(grid("sweep", "nothing"), class = "sprenn_error_run")
  file <- withr::local_tempfile(fileext = ".png")
  said <- run_cli("sheet", folder, "--by", "grid", "--vary", "hold,tint", "--out", file)
  expect_equal(said$status, 0)
  expect_true(file.exists(file))
  said <- run_cli("sheet", folder, "--by", "sweep", "--vary", "wording.after", "--out", file)
  expect_equal(said$status, 0)
  alone <- small_trial()
  run_trial(alone, workers = 0)
  expect_error(draw_sheet(alone, by = "grid"), "varied together", class = "sprenn_error_run")
})

test_that("a plan names what can be credited and what can't", {
  notes <- plan_run(small_trial(lineup = contrast_lineup[-9]))$notes
  said <- paste(notes, collapse = " ")
  expect_match(said, "differ in one thing, all else equal: ")
  expect_match(said, "hold (0.1 and 0.9)", fixed = TRUE)
  expect_match(said, "wording.after (not set and fine)", fixed = TRUE)
  expect_no_match(said, "more than one setting")
  # What never meets the same cases is not compared.
  apart <- sub("hold: 0.1}", "hold: 0.1, jobs: [restyle]}", small_lineup, fixed = TRUE)
  apart <- sub("hold: 0.9}", "hold: 0.9, jobs: [vary]}", apart, fixed = TRUE)
  suite <- sub("id: two, job: restyle", "id: two, job: vary", small_suite, fixed = TRUE)
  said <- paste(plan_run(small_trial(suite, apart))$notes, collapse = " ")
  expect_no_match(said, "differ in one thing")
  both <- c(
    small_lineup[1:4],
    paste0(
      "  - {id: both, engine: mixer, hold: 0.9, wording: {before: a, after: b}, ",
      "guides: {edges: {weight: 0.5, release: 0.5}}}"
    )
  )
  said <- paste(plan_run(small_trial(lineup = both))$notes, collapse = " ")
  expect_match(said, "firm and both (guides and wording)", fixed = TRUE)
})
