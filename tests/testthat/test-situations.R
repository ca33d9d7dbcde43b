# What a verdict says in six situations, to be read aloud: each has to be true of its table,
# and to need no glossary.
lead_brief <- utils::modifyList(
  core_brief,
  list(
    weights = c(structure = 0.4, adherence = 0.3, style = 0.3),
    floors = c(structure = 0.35, adherence = 0.3, style = NA)
  )
)

verdict_on <- function(table, brief = lead_brief) {
  verdict <- verdict_from(table, brief)
  pipelines <- unique(table$pipeline)
  verdict$recipes <- tibble::tibble(
    pipeline = pipelines,
    engine = pipelines,
    checkpoint = "plain",
    hold = 0.6,
    native_hold = 0.6,
    settings = "{}",
    add_ons = "{}",
    gives = "{}",
    follows = NA_character_,
    sweep = NA_character_,
    vary = NA_character_,
    value = NA_real_,
    shown = TRUE,
    position = seq_along(pipelines)
  )
  structure(
    c(verdict, list(suite = list(title = "Tiles"), run = "main")),
    class = "sprenn_verdict"
  )
}

three <- function(second = c(0.55, 0.7, 0.6), ...) {
  scored_table(
    means_of(yarrow = c(0.7, 0.8, 0.7), bracken = second, quince = c(0.4, 0.6, 0.7)),
    ...
  )
}

unmade <- function(table, which, state, message = NA_character_) {
  table$state[which] <- state
  table$message[which] <- message
  table[which, axis_names] <- NA
  table
}

axis_names <- c("structure", "adherence", "style")

test_that("a clear win", {
  verdict <- verdict_on(three())
  expect_equal(verdict$state, "decided")
  expect_snapshot(print(verdict))
})

test_that("a tie", {
  verdict <- verdict_on(three(c(0.702, 0.8, 0.7), by_seed = 0.03))
  expect_equal(verdict$state, "too close")
  expect_snapshot(print(verdict))
})

test_that("nobody clears the floors", {
  brief <- utils::modifyList(
    lead_brief,
    list(floors = c(structure = 0.9, adherence = 0.3, style = NA))
  )
  table <- unmade(three(), 5:6, "refused", "The content filter does not let smoke through.")
  table$flaws[1:3] <- "blank"
  verdict <- verdict_on(table, brief)
  expect_equal(verdict$state, "no keepers")
  expect_snapshot(print(verdict))
})

test_that("too few seeds", {
  few <- three(
    c(0.66, 0.78, 0.7),
    cases = 6,
    seeds = 2,
    by_case = 0.002,
    by_seed = 0.1,
    seed = 3
  )
  verdict <- verdict_on(few)
  expect_equal(verdict$state, "too close")
  expect_snapshot(print(verdict))
  # With one seed a case nobody can tell luck from the pictures.
  one <- verdict_on(few[few$seed == 1, ])
  expect_true(is.na(one$needed$more_seeds[1]))
  expect_match(paste(format(one), collapse = " "), "effect of more seeds is unknown")
})

test_that("one engine down", {
  table <- three()
  verdict <- verdict_on(unmade(table, table$pipeline == "bracken", "planned"))
  expect_equal(verdict$state, "unfinished")
  expect_snapshot(print(verdict))
})

test_that("jobs disagree", {
  folder <- small_trial(
    suite = c(
      small_suite,
      "  - {id: free, job: vary, reference: references/one.png, prompt: a thing}",
      "  - {id: freer, like: free, reference: references/two.png}",
      "  - {id: freest, like: free, reference: references/three.png}"
    ),
    brief = c(
      "brief: repaint, and try variations",
      "purposes:",
      "  restyle: {weights: {structure: 1}, floors: {structure: 0.4}, style: stay}",
      "  vary: {weights: {style: 1}, style: {change: [0.5, 1]}}"
    )
  )
  run_trial(folder, workers = 0)
  said <- run_cli("choose", folder)
  expect_equal(said$status, 0)
  # Seconds are this machine's, and whether they say anything decides whether the price is said too.
  expect_snapshot(
    writeLines(said$out[!grepl(paste0(basename(folder), "|A keeper (takes|costs)"), said$out)])
  )
})
